#include "appmodel/session.h"

#include "appmodel/text.h"
#include "io/project/project.h"
#include "scene/thin_subject.h"

#include <QStringList>

namespace thicket::app {

Session::Session(QObject* parent) : QObject(parent) {
    connect(&document, &Document::sceneChanged, this, [this] {
        const Subject* found = subject();
        if (found == nullptr)
            selectSubject(scene().subjects.empty() ? 0 : scene().subjects.front().id);
        else if (found->isMesh() && m_level >= static_cast<int>(found->mesh().levels.size()))
            selectLevel(static_cast<int>(found->mesh().levels.size()) - 1);
    });
    for (JobQueue* queue : {&m_jobs, &m_quick, &m_popJobs, &m_looks, &m_saves})
        connect(queue, &JobQueue::failed, this, [this](const QString& title, const QString& what) {
            emit message(title.isEmpty()
                             ? tr("Something went wrong in the background (%1). Nothing was changed.").arg(what)
                             : tr("%1: it went wrong (%2). Nothing was changed; save and try again.").arg(title, what),
                         true);
        });
}

Session::~Session() {
    shutDown();
}

std::filesystem::path Session::besideFolder() const {
    return document.path().empty() ? std::filesystem::path() : levelsFolder(document.path());
}

void Session::shutDown() {
    for (JobQueue* queue : {&m_jobs, &m_quick, &m_popJobs, &m_looks, &m_saves})
        queue->shutDown();
}

void Session::report(const Error& error) {
    if (error.what.empty() && error.code != ErrorCode::Cancelled)
        return;
    if (error.code == ErrorCode::Cancelled)
        emit message(tr("Cancelled; nothing was changed."), false);
    else
        emit message(toText(error.text()), true);
}

void Session::selectSubject(std::uint32_t id) {
    if (id == m_subject)
        return;
    m_subject = id;
    m_level = 0;
    emit selectionChanged();
}

void Session::selectLevel(int level) {
    if (level == m_level)
        return;
    m_level = level;
    emit selectionChanged();
}

void Session::change(const std::vector<std::uint32_t>& ids, Change change) {
    const Snapshot asked = document.snapshot();
    const QString title = change.title;
    const QString key = change.key;
    const bool supersede = change.supersede;
    m_jobs.run(
        title,
        [this, ids, asked, change = std::move(change)](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = document.snapshot();
            if (start.document != asked.document)
                return change.ended;
            std::vector<Made> made;
            QStringList problems;
            for (std::size_t i = 0; i < ids.size(); ++i) {
                const Subject* found = start.scene->find(ids[i]);
                if (found == nullptr || found->kind() != change.kind)
                    continue;
                const auto n = static_cast<double>(ids.size());
                auto one = change.work(*found, *start.scene,
                                       job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
                if (!one && (one.error().code == ErrorCode::Cancelled || ids.size() == 1))
                    return [this, error = one.error(), ended = change.ended] {
                        if (ended)
                            ended();
                        report(error);
                    };
                if (one)
                    made.push_back({*found, std::move(*one)});
                else
                    problems << toText(one.error().text());
            }
            return [this, start, made = std::move(made), change, problems] { adopt(start, made, change, problems); };
        },
        key, supersede);
}

void Session::adopt(const Snapshot& start, const std::vector<Made>& made, const Change& change, QStringList problems) {
    if (document.isOpen(start)) {
        Edit edit;
        for (const auto& [before, result] : made) {
            const Subject* now = scene().find(before.id);
            if (now == nullptr || now->kind() != change.kind)
                continue;
            std::optional<Subject> after;
            if (change.merge)
                after = change.merge(*now, before, result);
            else if (sameLevels(*now, before))
                after = withLevelsOf(*now, result);
            if (!after) {
                problems << tr("%1: it was changed meanwhile and stays as it is; do it again").arg(toText(now->name));
                continue;
            }
            for (auto& one : changeSubject(scene(), std::move(*after), {}).changes)
                edit.changes.push_back(std::move(one));
        }
        edit.label = change.label.empty() ? "Thin " + std::to_string(edit.changes.size()) + " subjects" : change.label;
        if (!edit.empty())
            document.push(std::move(edit));
    }
    if (change.ended)
        change.ended();
    if (!problems.empty())
        emit message(problems.join('\n'), true);
}

void Session::add(const QString& title, std::function<Result<Subject>(const Scene&, const JobContext&)> make,
                  std::function<bool(Subject&)> accept) {
    const Snapshot asked = document.snapshot();
    m_jobs.run(
        title,
        [this, asked, make = std::move(make), accept = std::move(accept)](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = document.snapshot();
            if (start.document != asked.document)
                return {};
            auto made = make(*start.scene, job);
            if (!made)
                return [this, error = made.error()] { report(error); };
            return [this, start, accept, subject = std::move(*made)]() mutable {
                if (!document.isOpen(start) || (accept && !accept(subject)))
                    return;
                Edit edit = addSubjects(scene(), {std::move(subject)}, {});
                const Subject& added = *std::get<SubjectEdit>(edit.changes.front()).after;
                edit.label = "Add " + added.name;
                const std::uint32_t id = added.id;
                document.push(std::move(edit));
                selectSubject(id);
            };
        });
}

} // namespace thicket::app
