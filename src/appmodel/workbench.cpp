#include "appmodel/workbench.h"

#include "base/text.h"
#include "budget/devices.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::app {
namespace fs = std::filesystem;

namespace {
fs::path toPath(const QString& text) {
    return fs::path(text.toStdString());
}
QString toText(const std::string& text) {
    return QString::fromStdString(text);
}
bool isProject(const QString& path) {
    return path.endsWith(kProjectSuffix, Qt::CaseInsensitive);
}
} // namespace

Workbench::Workbench(QObject* parent) : QObject(parent) {
    Scene empty;
    empty.devices = usualDevices();
    document.reset(empty, {});
    connect(&m_jobs, &JobQueue::idle, this, [this] {
        m_rulesAsked.clear();
        emit cutRulesChanged();
    });
    constexpr int kAfterChangesMs = 500;
    m_popsAgain.setSingleShot(true);
    m_popsAgain.setInterval(kAfterChangesMs);
    connect(&m_popsAgain, &QTimer::timeout, this, &Workbench::lookAtPops);
    connect(&document, &Document::sceneChanged, this, [this] {
        if (m_popsWanted)
            m_popsAgain.start();
        dropStaleRecords();
        if (m_audit && !m_auditStale) {
            m_auditStale = true;
            emit auditChanged();
        }
        if (scene().find(m_subject) == nullptr)
            selectSubject(scene().subjects.empty() ? 0 : scene().subjects.front().id);
        else if (m_level >= static_cast<int>(subject()->levels.size()))
            selectLevel(static_cast<int>(subject()->levels.size()) - 1);
    });
}

Workbench::~Workbench() {
    m_jobs.cancelAll();
    m_quick.cancelAll();
    m_looks.cancelAll();
    m_popJobs.cancelAll();
}

void Workbench::report(const Error& error) {
    if (error.code == ErrorCode::Cancelled)
        emit message(tr("Cancelled; nothing was changed."), false);
    else
        emit message(toText(error.text()), true);
}

void Workbench::selectSubject(std::uint32_t id) {
    if (id == m_subject)
        return;
    m_subject = id;
    m_level = 0;
    emit selectionChanged();
}

void Workbench::selectLevel(int level) {
    if (level == m_level)
        return;
    m_level = level;
    emit selectionChanged();
}

// ---- files

void Workbench::newProject() {
    m_jobs.cancelAll();
    document.removeAutosave();
    Scene empty;
    empty.devices = usualDevices();
    empty.roles = m_rolesForNew;
    m_audit.reset();
    m_report.reset();
    document.reset(std::move(empty), {});
    emit auditChanged();
    emit shipChanged();
}

void Workbench::adoptLoad(ProjectLoad load, const fs::path& path) {
    {
        const std::lock_guard lock(m_recordMutex);
        m_records.clear();
    }
    m_audit.reset();
    m_report.reset();
    if (load.scene.devices.empty())
        load.scene.devices = usualDevices();
    const std::vector<std::uint32_t> toCut = load.toCut;
    document.reset(std::move(load.scene), path);
    selectSubject(scene().subjects.empty() ? 0 : scene().subjects.front().id);
    emit selectionChanged();
    emit auditChanged();
    emit shipChanged();
    if (!load.problems.empty()) {
        QStringList lines;
        for (const Error& problem : load.problems)
            lines << toText(problem.text());
        emit message(lines.join('\n'), true);
    }
    for (const std::uint32_t id : toCut)
        if (const Subject* found = scene().find(id))
            m_jobs.run(tr("Cutting levels of %1").arg(toText(found->name)),
                       [this, copy = *found](const JobContext& job) {
                           return withRecord(
                               copy, job, [this, copy](const ThinState& state, const JobContext&) -> JobQueue::Finish {
                                   return [this, restored = restoreLevels(copy, state)] { document.fillIn(restored); };
                               });
                       });
}

void Workbench::openProject(const QString& path) {
    m_jobs.run(tr("Opening %1").arg(path.section('/', -1)), [this, path](const JobContext& job) -> JobQueue::Finish {
        auto load = readProject(toPath(path), job);
        if (!load)
            return [this, error = load.error()] { report(error); };
        return [this, path, load = std::make_shared<ProjectLoad>(std::move(*load))] {
            adoptLoad(std::move(*load), fs::absolute(toPath(path)));
            emit projectOpened(path);
            const fs::path autosave = Document::autosavePathFor(document.path());
            std::error_code ec;
            if (fs::exists(autosave, ec) &&
                fs::last_write_time(autosave, ec) > fs::last_write_time(document.path(), ec))
                emit recoveryFound(path, toText(autosave.string()));
        };
    });
}

void Workbench::recover(const QString& project, const QString& autosave) {
    m_jobs.run(tr("Recovering"), [this, project, autosave](const JobContext& job) -> JobQueue::Finish {
        auto load = readProject(toPath(autosave), job);
        if (!load)
            return [this, error = load.error()] { report(error); };
        return [this, project, load = std::make_shared<ProjectLoad>(std::move(*load))] {
            adoptLoad(std::move(*load), project.isEmpty() ? fs::path() : fs::absolute(toPath(project)));
            document.undo().resetClean();
            emit message(tr("Recovered what was saved automatically. Save to keep it."), false);
        };
    });
}

void Workbench::lookForUnnamedWork() {
    const fs::path autosave = Document::autosavePathFor({});
    if (std::error_code ec; fs::exists(autosave, ec))
        emit recoveryFound({}, toText(autosave.string()));
}

void Workbench::openFiles(const QStringList& paths) {
    QStringList meshes;
    QStringList chains;
    for (const QString& path : paths) {
        if (isProject(path)) {
            openProject(path);
            return;
        }
        std::error_code ec;
        if (fs::is_directory(toPath(path), ec)) {
            const auto suffixes = readableSuffixes();
            std::vector<fs::path> found;
            for (const auto& entry :
                 fs::recursive_directory_iterator(toPath(path), fs::directory_options::skip_permission_denied, ec)) {
                std::string suffix = entry.path().extension().string();
                std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                               [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
                if (entry.is_regular_file(ec) && std::find(suffixes.begin(), suffixes.end(), suffix) != suffixes.end())
                    found.push_back(entry.path());
            }
            std::sort(found.begin(), found.end());
            for (const fs::path& file : found)
                meshes << toText(file.string());
            if (found.empty())
                emit message(tr("%1: holds no mesh files; drop a folder with GLB, OBJ, PLY or STL files").arg(path),
                             true);
        } else if (path.endsWith(QString::fromLatin1(kChainSuffix), Qt::CaseInsensitive)) {
            chains << path;
        } else {
            meshes << path;
        }
    }
    if (!meshes.isEmpty())
        importFiles(meshes);
    if (!chains.isEmpty())
        importChains(chains);
}

/// After the meshes that came with them, which are read by a job of their own.
void Workbench::importChains(const QStringList& paths) {
    m_jobs.run(tr("Reading switches"), [this, paths](const JobContext&) -> JobQueue::Finish {
        std::vector<ChainFile> chains;
        QStringList problems;
        for (const QString& path : paths)
            if (auto read = readChain(toPath(path)))
                chains.push_back(std::move(*read));
            else
                problems << toText(read.error().text());
        return [this, chains, problems] { adoptChains(chains, problems); };
    });
}

/// Each for the subject of its name, or for the chosen one when none has it; as one step.
void Workbench::adoptChains(const std::vector<ChainFile>& chains, QStringList problems) {
    Edit edit{"Take switches from a file", {}, {}};
    QStringList taken;
    for (const ChainFile& chain : chains) {
        const auto& subjects = scene().subjects;
        auto found = std::find_if(subjects.begin(), subjects.end(),
                                  [&chain](const Subject& s) { return s.name == chain.subject; });
        if (found == subjects.end())
            found =
                std::find_if(subjects.begin(), subjects.end(), [this](const Subject& s) { return s.id == m_subject; });
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
        document.push(std::move(edit));
    if (!problems.isEmpty())
        emit message(problems.join('\n'), true);
    else
        emit message(tr("Switches taken for %1.").arg(taken.join(QStringLiteral(", "))), false);
}

void Workbench::importFiles(const QStringList& paths) {
    const QString title = paths.size() == 1 ? tr("Reading %1").arg(paths.front().section('/', -1))
                                            : tr("Reading %1 files").arg(paths.size());
    m_jobs.run(title, [this, paths, roles = scene().roles](const JobContext& job) -> JobQueue::Finish {
        std::vector<ImportedSubject> all;
        QStringList problems;
        for (int i = 0; i < paths.size(); ++i) {
            const double n = static_cast<double>(paths.size());
            auto read = readModel(toPath(paths[i]), job.part(0.6 * i / n, 0.6 * (i + 1) / n));
            if (read)
                std::move(read->begin(), read->end(), std::back_inserter(all));
            else if (read.error().code == ErrorCode::Cancelled)
                return [this, error = read.error()] { report(error); };
            else
                problems << toText(read.error().text());
        }
        auto subjects = std::make_shared<std::vector<Subject>>();
        QStringList notes;
        for (ImportedSubject& imported : joinFamilies(std::move(all))) {
            for (const std::string& note : imported.notes)
                notes << toText(imported.name + ": " + note);
            auto subject = makeSubject(std::move(imported), job.part(0.6, 1));
            if (!subject)
                return [this, error = subject.error()] { report(error); };
            subject->rule.allowPx = presetFor(subject->role, subject->levels.front().triangles, roles).allowPx;
            if (const fs::path beside = chainBeside(subject->source.path); !beside.empty()) {
                const auto chain = readChain(beside);
                auto with =
                    chain && chain->subject == subject->name ? withChain(*subject, *chain) : Result<Subject>(*subject);
                if (!chain)
                    notes << toText(chain.error().text());
                else if (with && chain->subject == subject->name) // another's description is let alone
                    notes << tr("%1: its switches come from %2")
                                 .arg(toText(subject->name), toText(beside.filename().string()));
                if (with)
                    *subject = std::move(*with);
            }
            subjects->push_back(std::move(*subject));
        }
        return [this, subjects, problems, notes] {
            if (!subjects->empty()) {
                const auto count = static_cast<int>(subjects->size());
                document.push(
                    addSubjects(scene(), *subjects, count == 1 ? "Add " + subjects->front().name : "Add subjects"));
                selectSubject(scene().subjects[scene().subjects.size() - static_cast<std::size_t>(count)].id);
            }
            if (!problems.isEmpty())
                emit message(problems.join('\n'), true);
            else if (!notes.isEmpty())
                emit message(notes.join('\n'), false);
        };
    });
}

void Workbench::saveProject(const QString& path) {
    QString target = path;
    if (!isProject(target))
        target += kProjectSuffix;
    Scene copy = scene();
    m_jobs.run(tr("Saving"), [this, target, copy](const JobContext&) -> JobQueue::Finish {
        auto done = writeProject(copy, toPath(target), true);
        if (!done)
            return [this, error = done.error()] { report(error); };
        return [this, target] {
            document.markSaved(fs::absolute(toPath(target)));
            emit projectOpened(target);
            emit message(tr("Saved %1").arg(target), false);
        };
    });
}

void Workbench::relinkSource(std::uint32_t id, const QString& file) {
    const Subject* found = scene().find(id);
    if (found == nullptr)
        return;
    m_jobs.run(
        tr("Reading %1").arg(file.section('/', -1)),
        [this, copy = *found, file](const JobContext& job) -> JobQueue::Finish {
            auto attached = attachSource(copy, toPath(file), job);
            if (!attached)
                return [this, error = attached.error()] { report(error); };
            return [this, subject = *attached] {
                document.push(changeSubject(scene(), subject, "Point " + subject.name + " to its file"));
                const bool missing =
                    std::any_of(subject.levels.begin(), subject.levels.end(), [](const Level& l) { return !l.mesh; });
                if (missing)
                    m_jobs.run(tr("Cutting levels of %1").arg(toText(subject.name)), [this, subject](
                                                                                         const JobContext& again) {
                        return withRecord(
                            subject, again,
                            [this, subject](const ThinState& state, const JobContext&) -> JobQueue::Finish {
                                return [this, restored = restoreLevels(subject, state)] { document.fillIn(restored); };
                            });
                    });
            };
        });
}

void Workbench::removeSubject(std::uint32_t id) {
    document.push(thicket::removeSubject(scene(), id));
}

void Workbench::renameSubject(std::uint32_t id, const QString& name) {
    const Subject* found = scene().find(id);
    if (found == nullptr || name.trimmed().isEmpty())
        return;
    Subject after = *found;
    after.name = name.trimmed().toStdString();
    document.push(changeSubject(scene(), after, "Rename " + found->name));
}

// ---- switch

void Workbench::setRule(std::uint32_t id, const SwitchRule& rule, const QString& label, const QString& mergeKey) {
    const Subject* found = scene().find(id);
    if (found == nullptr)
        return;
    Subject after = *found;
    after.rule = rule;
    document.push(changeSubject(scene(), after, label.toStdString(), mergeKey.toStdString()));
}

void Workbench::setSwitchDistance(std::uint32_t id, int level, double metres, const QString& mergeKey) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->levels.size()))
        return;
    Subject after = *found;
    const auto costs = costsOf(after);
    const ResolvedChain chain = resolveChain(costs, after.rule, after.bounds, after.radius, scene().statedView());
    const auto at = static_cast<std::size_t>(level);
    const double low = at > 1 ? chain.fromMetres[at - 1] * 1.001 : 0.01;
    const double high = at + 1 < chain.fromMetres.size() ? chain.fromMetres[at + 1] * 0.999 : 1e7;
    after.levels[at].fixed = fixAt(after.rule.decideBy, std::clamp(metres, std::min(low, high), high), costs[at],
                                   after.rule, after.radius, scene().statedView());
    document.push(changeSubject(scene(), after, "Move a switch of " + after.name, mergeKey.toStdString()));
}

void Workbench::clearSwitch(std::uint32_t id, int level) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->levels.size()))
        return;
    Subject after = *found;
    after.levels[static_cast<std::size_t>(level)].fixed.reset();
    document.push(changeSubject(scene(), after, "Follow the allowance again"));
}

void Workbench::setDecideBy(std::uint32_t id, DecideBy unit) {
    const Subject* found = scene().find(id);
    if (found == nullptr || found->rule.decideBy == unit)
        return;
    Subject after = *found;
    const auto costs = costsOf(after);
    const ResolvedChain chain = resolveChain(costs, after.rule, after.bounds, after.radius, scene().statedView());
    for (std::size_t i = 1; i < after.levels.size(); ++i) {
        if (unit == DecideBy::PixelError && !after.levels[i].fixed)
            continue;
        after.levels[i].fixed =
            fixAt(unit, chain.fromMetres[i], costs[i], after.rule, after.radius, scene().statedView());
    }
    after.rule.decideBy = unit;
    document.push(changeSubject(scene(), after, "Decide by another measure"));
}

// ---- budget and ship

void Workbench::setDevice(std::size_t index) {
    if (index == scene().device || index >= scene().devices.size())
        return;
    auto settings = settingsOf(scene());
    settings.device = index;
    document.push(changeSettings(scene(), settings, "Change the device"));
}

void Workbench::addRouteKey(const View& view) {
    auto settings = settingsOf(scene());
    if (settings.routes.empty())
        settings.routes.push_back({"Route", {}});
    auto& keys = settings.routes.front().keys;
    constexpr double kSecondsApart = 4;
    keys.push_back({keys.empty() ? 0.0 : keys.back().seconds + kSecondsApart, view.eye, view.eye + view.forward * 10});
    document.push(changeSettings(scene(), settings, "Key the camera"));
}

void Workbench::clearRoute() {
    auto settings = settingsOf(scene());
    if (settings.routes.empty())
        return;
    settings.routes.erase(settings.routes.begin());
    document.push(changeSettings(scene(), settings, "Remove the route"));
}

void Workbench::runAudit() {
    const Device* device = scene().currentDevice();
    if (!hasRoute() || device == nullptr) {
        emit message(tr("There is no route to fly yet. In Budget, key the camera at two places or more."), false);
        return;
    }
    m_jobs.run(
        tr("Flying %1").arg(toText(scene().routes.front().name)),
        [this, copy = scene(), device = *device](const JobContext& job) -> JobQueue::Finish {
            auto audit = auditRoute(copy, copy.routes.front(), device, job);
            if (!audit)
                return [this, error = audit.error()] { report(error); };
            return [this, result = std::make_shared<Audit>(std::move(*audit))] {
                m_audit = std::move(*result);
                m_auditStale = false;
                emit auditChanged();
            };
        },
        QStringLiteral("audit"), true);
}

void Workbench::ship(const QString& folder, const ShipOptions& options) {
    m_jobs.run(tr("Shipping"), [this, copy = scene(), folder, options](const JobContext& job) -> JobQueue::Finish {
        auto report = shipScene(copy, toPath(folder), options, job);
        if (!report)
            return [this, error = report.error()] { this->report(error); };
        return [this, result = *report, folder] {
            m_report = result;
            emit shipChanged();
            emit message(tr("%1 files written to %2, each read back and equal.").arg(result.files.size()).arg(folder),
                         false);
        };
    });
}

} // namespace thicket::app
