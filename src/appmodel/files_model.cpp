#include "appmodel/files_model.h"

#include "appmodel/text.h"
#include "budget/devices.h"
#include "io/import/apart_subject.h"
#include "io/import/import_strands.h"
#include "scene/kinds.h"
#include "scene/mend_subject.h"
#include "scene/strand_subject.h"
#include "scene/take_levels.h"

#include <algorithm>
#include <fmt/format.h>

namespace thicket::app {
namespace fs = std::filesystem;
namespace {

bool isProject(const QString& path) {
    return path.endsWith(kProjectSuffix, Qt::CaseInsensitive);
}
bool isChain(const QString& path) {
    return path.endsWith(QString::fromLatin1(kChainSuffix), Qt::CaseInsensitive);
}

Scene emptyScene(const RoleRules& roles) {
    Scene empty;
    empty.settings.devices = usualDevices();
    empty.settings.roles = roles;
    return empty;
}

/// The files below a folder that can be read, in order of their names; what cannot be looked into is said.
std::vector<fs::path> readableFiles(const fs::path& folder, const JobContext& job, QStringList& problems) {
    const auto suffixes = readableSuffixes();
    std::vector<fs::path> found;
    std::error_code ec;
    fs::recursive_directory_iterator entry(folder, fs::directory_options::skip_permission_denied, ec);
    for (; !ec && entry != fs::recursive_directory_iterator() && !job.cancelled(); entry.increment(ec)) {
        std::string suffix = entry->path().extension().string();
        std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                       [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        std::error_code ignored;
        if (entry->is_regular_file(ignored) && std::find(suffixes.begin(), suffixes.end(), suffix) != suffixes.end())
            found.push_back(entry->path());
    }
    if (ec)
        problems << QObject::tr("%1: cannot be looked into whole (%2); add its files by themselves")
                        .arg(toText(folder.string()), toText(ec.message()));
    else if (found.empty() && !job.cancelled())
        problems << QObject::tr("%1: holds no mesh files; drop a folder with GLB, OBJ, PLY or STL files")
                        .arg(toText(folder.string()));
    std::sort(found.begin(), found.end());
    return found;
}

/// The first field that has a mesh among its assets; null where none has.
const Subject* fieldOf(const Scene& scene, std::uint32_t mesh) {
    for (const Subject& subject : scene.subjects)
        if (const InstancesBody* field = subject.instances();
            field != nullptr && std::find(field->assets.begin(), field->assets.end(), mesh) != field->assets.end())
            return &subject;
    return nullptr;
}

struct ReadIn {
    std::vector<Subject> subjects;
    std::vector<ChainFile> chains;
    QStringList problems;
    QStringList notes;
};

/// The switches that were shipped beside a mesh, where they are of this subject.
void takeChainBeside(Subject& subject, ReadIn& in) {
    const fs::path beside = chainBeside(subject.source.path);
    if (beside.empty())
        return;
    const auto chain = readChain(beside);
    if (!chain) {
        in.notes << toText(chain.error().text());
        return;
    }
    if (chain->subject != subject.name)
        return; // another's description is let alone
    if (auto with = withChain(subject, *chain)) {
        subject = std::move(*with);
        in.notes << QObject::tr("%1: its switches come from %2")
                        .arg(toText(subject.name), toText(beside.filename().string()));
    }
}

/// Reads meshes and chain descriptions. ERRORS Cancelled; what else goes wrong is in `problems`, a line a file.
/// A file without triangles may hold lines.
Result<ReadIn> readIn(const QStringList& paths, const RoleRules& roles, const JobContext& job) {
    ReadIn in;
    std::vector<fs::path> files;
    for (const QString& path : paths) {
        std::error_code ec;
        if (isChain(path)) {
            if (auto read = readChain(toPath(path)))
                in.chains.push_back(std::move(*read));
            else
                in.problems << toText(read.error().text());
        } else if (fs::is_directory(toPath(path), ec)) {
            const auto found = readableFiles(toPath(path), job, in.problems);
            files.insert(files.end(), found.begin(), found.end());
        } else {
            files.push_back(toPath(path));
        }
    }
    std::vector<ImportedSubject> all;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const auto n = static_cast<double>(files.size());
        auto read =
            readModel(files[i], job.part(0.6 * static_cast<double>(i) / n, 0.6 * static_cast<double>(i + 1) / n));
        if (read)
            std::move(read->begin(), read->end(), std::back_inserter(all));
        else if (read.error().code == ErrorCode::Cancelled)
            return read.error();
        else if (auto strands = importStrands(files[i], {}, Role::Dressing, {}, job.part(0.6, 1))) {
            for (const std::string& note : strands->notes)
                in.notes << toText(strands->subject.name + ": " + note);
            in.subjects.push_back(std::move(strands->subject));
        } else {
            in.problems << toText(read.error().text());
        }
    }
    if (job.cancelled())
        return cancelledError();
    for (ImportedSubject& imported : joinFamilies(std::move(all))) {
        for (const std::string& note : imported.notes)
            in.notes << toText(imported.name + ": " + note);
        auto subject = makeSubject(std::move(imported), job.part(0.6, 1));
        if (!subject)
            return subject.error();
        subject->rule.allowPx = presetFor(subject->role, subject->mesh().source().triangles, roles).allowPx;
        takeChainBeside(*subject, in);
        in.subjects.push_back(std::move(*subject));
    }
    return in;
}

} // namespace

FilesModel::FilesModel(Session& session, ThinModel& thin) : m_session(session), m_thin(thin) {
    m_session.document.reset(emptyScene({}), {});
}

StageState FilesModel::state() const {
    const Scene& scene = m_session.scene();
    const auto& subjects = scene.subjects;
    const auto missing =
        std::count_if(subjects.begin(), subjects.end(), [&scene](const Subject& s) { return isIncomplete(scene, s); });
    const auto serious = std::count_if(subjects.begin(), subjects.end(), [](const Subject& s) {
        return std::any_of(s.findings.begin(), s.findings.end(), [](const Finding& f) { return f.serious; });
    });
    return {!subjects.empty() && missing == 0, subjects.empty()       ? tr("drop meshes")
                                               : missing > 0          ? tr("%1 missing").arg(missing)
                                               : serious > 0          ? tr("%1 with findings").arg(serious)
                                               : subjects.size() == 1 ? tr("1 subject")
                                                                      : tr("%1 subjects").arg(subjects.size())};
}

void FilesModel::newProject() {
    m_session.jobs().cancelAll();
    m_session.document.removeAutosave();
    m_session.document.reset(emptyScene(m_thin.rolesForNew()), {});
}

void FilesModel::adoptLoad(ProjectLoad load, const fs::path& path) {
    if (load.scene.settings.devices.empty())
        load.scene.settings.devices = usualDevices();
    const std::vector<std::uint32_t> toCut = load.toCut;
    m_session.document.reset(std::move(load.scene), path);
    m_session.selectSubject(m_session.scene().subjects.empty() ? 0 : m_session.scene().subjects.front().id);
    emit m_session.selectionChanged();
    if (!load.problems.empty()) {
        QStringList lines;
        for (const Error& problem : load.problems)
            lines << toText(problem.text());
        m_session.say(lines.join('\n'), true);
    }
    for (const std::uint32_t id : toCut)
        m_thin.restore(id);
}

void FilesModel::openProject(const QString& path) {
    m_session.jobs().run(
        tr("Opening %1").arg(path.section('/', -1)), [this, path](const JobContext& job) -> JobQueue::Finish {
            auto load = readProject(toPath(path), job);
            if (!load)
                return [this, error = load.error()] { m_session.report(error); };
            return [this, path, load = std::make_shared<ProjectLoad>(std::move(*load))] {
                adoptLoad(std::move(*load), fs::absolute(toPath(path)));
                emit projectOpened(path);
                const fs::path& project = m_session.document.path();
                const fs::path autosave = AutosavePlace::besideProject(project);
                std::error_code ec;
                if (fs::exists(autosave, ec) && fs::last_write_time(autosave, ec) > fs::last_write_time(project, ec))
                    emit recoveryFound(path, toText(autosave.string()));
            };
        });
}

void FilesModel::recover(const QString& project, const QString& autosave) {
    m_session.jobs().run(tr("Recovering"), [this, project, autosave](const JobContext& job) -> JobQueue::Finish {
        auto load = readProject(toPath(autosave), job);
        if (!load)
            return [this, error = load.error()] { m_session.report(error); };
        return [this, project, autosave, load = std::make_shared<ProjectLoad>(std::move(*load))] {
            adoptLoad(std::move(*load), project.isEmpty() ? fs::path() : fs::absolute(toPath(project)));
            if (project.isEmpty())
                m_session.document.takeOverAutosave(toPath(autosave));
            m_session.document.undo().resetClean();
            m_session.say(tr("Recovered what was saved automatically. Save to keep it."));
        };
    });
}

void FilesModel::lookForUnnamedWork() {
    for (const fs::path& file : AutosavePlace::leftBehind()) {
        emit recoveryFound({}, toText(file.string()));
        return; // one at a time; the next is found at the next start
    }
}

void FilesModel::openFiles(const QStringList& paths) {
    for (const QString& path : paths)
        if (isProject(path)) {
            openProject(path);
            return;
        }
    const QString title = paths.size() == 1 ? tr("Reading %1").arg(paths.front().section('/', -1))
                                            : tr("Reading %1 files").arg(paths.size());
    m_session.jobs().run(
        title, [this, paths, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            if (start.document != asked.document)
                return {};
            auto read = readIn(paths, start.scene->settings.roles, job);
            if (!read)
                return [this, error = read.error()] { m_session.report(error); };
            return [this, start, in = std::make_shared<ReadIn>(std::move(*read))] {
                if (!m_session.document.isOpen(start))
                    return;
                if (!in->subjects.empty()) {
                    const std::size_t count = in->subjects.size();
                    m_session.document.push(
                        addSubjects(m_session.scene(), in->subjects,
                                    count == 1 ? "Add " + in->subjects.front().name : "Add subjects"));
                    const auto& all = m_session.scene().subjects;
                    m_session.selectSubject(all[all.size() - count].id);
                }
                if (!in->chains.empty())
                    adoptChains(in->chains, in->problems);
                else if (!in->problems.isEmpty())
                    m_session.say(in->problems.join('\n'), true);
                else if (!in->notes.isEmpty())
                    m_session.say(in->notes.join('\n'));
            };
        });
}

/// Each for the subject of its name, or for the chosen one when none has it; as one step.
void FilesModel::adoptChains(const std::vector<ChainFile>& chains, QStringList problems) {
    Edit edit{"Take switches from a file", {}, {}};
    QStringList taken;
    for (const ChainFile& chain : chains) {
        const auto& subjects = m_session.scene().subjects;
        auto found = std::find_if(subjects.begin(), subjects.end(),
                                  [&chain](const Subject& s) { return s.isMesh() && s.name == chain.subject; });
        if (found == subjects.end())
            found = std::find_if(subjects.begin(), subjects.end(),
                                 [this](const Subject& s) { return s.isMesh() && s.id == m_session.subjectId(); });
        if (found == subjects.end()) {
            problems << tr("%1: there is no such subject; add its meshes first").arg(toText(chain.subject));
            continue;
        }
        if (auto made = withChain(*found, chain)) {
            edit.changes.emplace_back(
                SubjectEdit{static_cast<std::size_t>(found - subjects.begin()), *found, std::move(*made)});
            taken << toText(found->name);
        } else {
            problems << toText(made.error().text());
        }
    }
    if (!edit.empty())
        m_session.document.push(std::move(edit));
    if (!problems.isEmpty())
        m_session.say(problems.join('\n'), true);
    else
        m_session.say(tr("Switches taken for %1.").arg(taken.join(QStringLiteral(", "))));
}

void FilesModel::saveProject(const QString& path, const std::optional<View>& seenFrom) {
    const QString target = isProject(path) ? path : path + kProjectSuffix;
    m_session.saves().run(
        tr("Saving"),
        [this, target, seenFrom, asked = m_session.document.snapshot()](const JobContext&) -> JobQueue::Finish {
            // What is there by now, unless that is another document: then what was asked to be saved.
            const Snapshot now = m_session.document.snapshot();
            const Snapshot start = now.document == asked.document ? now : asked;
            Scene scene = *start.scene;
            if (seenFrom) {
                scene.settings.view.eye = seenFrom->eye;
                scene.settings.view.forward = seenFrom->forward;
                scene.settings.view.up = seenFrom->up;
            }
            auto done = writeProject(scene, toPath(target), true);
            if (!done)
                return [this, error = done.error()] { m_session.report(error); };
            return [this, start, target] {
                const bool open = m_session.document.markSaved(start, fs::absolute(toPath(target)));
                const bool clean = open && !m_session.document.modified();
                emit projectSaved(target, clean);
                m_session.say(clean || !open ? tr("Saved %1").arg(target)
                                             : tr("Saved %1; what was changed meanwhile is not in it yet").arg(target));
            };
        });
}

void FilesModel::relinkSource(std::uint32_t id, const QString& file) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr)
        return;
    Session::Change change{tr("Reading %1").arg(file.section('/', -1)), "Point " + found->name + " to its file"};
    change.work = [file](const Subject& before, const Scene&, const JobContext& job) {
        return attachSource(before, toPath(file), job);
    };
    // What else was changed meanwhile stays: name, role, rule, where it stands.
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (!sameLevels(now, before))
            return std::nullopt;
        Subject after = withLevelsOf(now, made);
        after.source = made.source;
        after.bounds = made.bounds;
        after.radius = made.radius;
        after.findings = made.findings;
        after.mesh().surfaces = made.mesh().surfaces;
        after.mesh().rig = made.mesh().rig;
        return after;
    };
    change.ended = [this, id] {
        const Subject* now = m_session.scene().findMesh(id);
        if (now != nullptr && now->mesh().source().mesh &&
            std::any_of(now->mesh().levels.begin(), now->mesh().levels.end(), [](const Level& l) { return !l.mesh; }))
            m_thin.restore(id);
    };
    m_session.change({id}, std::move(change));
}

namespace {

/// What mends change of a subject, laid on what else was changed meanwhile.
std::optional<Subject> withMends(const Subject& now, const Subject& before, const Subject& made) {
    if (!sameLevels(now, before) || now.mesh().care != before.mesh().care)
        return std::nullopt;
    Subject after = withLevelsOf(now, made);
    after.bounds = made.bounds;
    after.radius = made.radius;
    after.findings = made.findings;
    after.mesh().rig = made.mesh().rig;
    after.mesh().care = made.mesh().care;
    after.mesh().mends = made.mesh().mends;
    return after;
}

} // namespace

void FilesModel::mend(const std::vector<std::uint32_t>& ids, const Mend& mend) {
    const std::string what = nameOf(mend.kind);
    Session::Change change{tr("Mending: %1").arg(QString::fromStdString(what).toLower()),
                           ids.size() == 1 && m_session.scene().find(ids[0]) != nullptr
                               ? what + ": " + m_session.scene().find(ids[0])->name
                               : what};
    change.work = [mend, what](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        auto made = mendSubject(before, mend, job);
        if (!made)
            return made.error();
        if (made->count == 0)
            return Error{ErrorCode::BadInput, before.name, "has nothing to mend (" + keyOf(mend.kind) + ")", {}};
        return std::move(made->subject);
    };
    change.merge = withMends;
    m_session.change(ids, std::move(change));
}

bool FilesModel::hasMends(std::uint32_t id) const {
    const Subject* found = m_session.scene().findMesh(id);
    return found != nullptr && std::any_of(found->findings.begin(), found->findings.end(), [found](const Finding& f) {
               return f.serious && mendFor(*found, f); // what is told for information may be meant
           });
}

void FilesModel::mendAll(std::vector<std::uint32_t> ids) {
    std::erase_if(ids, [this](std::uint32_t id) { return !hasMends(id); });
    if (ids.empty())
        return;
    const Subject* only = ids.size() == 1 ? m_session.scene().findMesh(ids.front()) : nullptr;
    Session::Change change{only != nullptr ? tr("Mending %1").arg(QString::fromStdString(only->name)) : tr("Mending"),
                           only != nullptr ? "Mend " + only->name : fmt::format("Mend {} subjects", ids.size())};
    change.work = [](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        Subject out = before;
        for (const Finding& finding : before.findings) {
            const auto mend = mendFor(before, finding);
            if (!mend || !finding.serious)
                continue;
            auto made = mendSubject(out, *mend, job);
            if (!made)
                return made.error();
            out = std::move(made->subject);
        }
        return out;
    };
    change.merge = withMends;
    m_session.change(ids, std::move(change));
}

void FilesModel::putLevelsInOrder(std::uint32_t id) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr)
        return;
    m_session.document.push(
        changeSubject(m_session.scene(), withLevelsInOrder(*found), "Put the levels in order of " + found->name));
}

void FilesModel::takeApart(std::uint32_t id) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr)
        return;
    m_session.jobs().run(
        tr("Taking %1 apart").arg(toText(found->name)),
        [this, id, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            const Subject* whole = start.document == asked.document ? start.scene->findMesh(id) : nullptr;
            if (whole == nullptr)
                return {};
            if (const Subject* field = fieldOf(*start.scene, id); field != nullptr)
                return [this, error = Error{ErrorCode::BadInput, whole->name,
                                            "stands in " + field->name + ", which would lose it",
                                            "take it out of that field first"}] { m_session.report(error); };
            auto made = thicket::takeApart(*whole, job);
            if (!made)
                return [this, error = made.error()] { m_session.report(error); };
            return [this, start, before = *whole, things = std::make_shared<std::vector<Subject>>(std::move(*made))] {
                if (m_session.document.isOpen(start))
                    adoptThings(before, std::move(*things));
            };
        });
}

void FilesModel::adoptThings(const Subject& before, std::vector<Subject> things) {
    const Subject* now = m_session.scene().findMesh(before.id);
    if (now == nullptr)
        return;
    // Where it stands and what it is to the scene may have changed; what it is may not.
    if (now->source.hash != before.source.hash || now->mesh().mends != before.mesh().mends ||
        fieldOf(m_session.scene(), before.id) != nullptr) {
        m_session.say(tr("%1: it was changed meanwhile and stays as it is; do it again").arg(toText(now->name)), true);
        return;
    }
    for (Subject& thing : things) {
        standAsIn(*now, thing);
        thing.role = now->role;
        thing.rule.allowPx = now->rule.allowPx;
    }
    const QString was = toText(now->name);
    const std::size_t count = things.size();
    m_session.document.push(
        replaceSubject(m_session.scene(), before.id, std::move(things), "Take " + now->name + " apart"));
    const auto& all = m_session.scene().subjects;
    m_session.selectSubject(all[all.size() - count].id);
    m_session.say(tr("%1 is %2 subjects now, each with the places where it stands").arg(was).arg(count));
}

void FilesModel::removeSubject(std::uint32_t id) {
    m_session.document.push(thicket::removeSubject(m_session.scene(), id));
}

void FilesModel::takeLevels(std::uint32_t id, std::uint32_t from) {
    const Subject* found = m_session.scene().find(id);
    const Subject* other = m_session.scene().find(from);
    if (found == nullptr || other == nullptr)
        return;
    const std::string label = found->name + " takes the levels of " + other->name;
    if (found->strands() == nullptr) {
        auto made = thicket::takeLevels(*found, *other, {});
        if (!made) {
            m_session.report(made.error());
            return;
        }
        refresh(m_session.scene(), *made);
        m_session.document.push(changeSubject(m_session.scene(), std::move(*made), label));
        return;
    }
    // Strands choose their points anew, which takes a while.
    Session::Change change{tr("Choosing points"), label};
    change.kind = Kind::Strands;
    change.work = [other = *other](const Subject& before, const Scene&, const JobContext& job) {
        return thicket::takeLevels(before, other, job);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        const StrandsBody& is = *now.strands();
        if (is.strands != before.strands()->strands || is.levels != before.strands()->levels)
            return std::nullopt;
        Subject after = now;
        after.rule = made.rule;
        auto& body = std::get<StrandsBody>(after.body);
        body.thinning = made.strands()->thinning;
        body.levels = made.strands()->levels;
        body.layout = made.strands()->layout;
        return after;
    };
    m_session.change({id}, std::move(change));
}

void FilesModel::renameSubject(std::uint32_t id, const QString& name) {
    const Subject* found = m_session.scene().find(id);
    if (found == nullptr || name.trimmed().isEmpty())
        return;
    Subject after = *found;
    after.name = name.trimmed().toStdString();
    m_session.document.push(changeSubject(m_session.scene(), after, "Rename " + found->name));
}

} // namespace thicket::app
