#pragma once
// One sitting at an open project: the document, what is selected, the queues that work for it, and the one way from a
// job to an edit.

#include "appmodel/document.h"
#include "appmodel/job_queue.h"

#include <QObject>

namespace thicket::app {

class Session : public QObject {
    Q_OBJECT
public:
    explicit Session(QObject* parent = nullptr);
    ~Session() override;

    Document document;

    [[nodiscard]] const Scene& scene() const { return document.scene(); }
    /// Where a project keeps what is too large to hold; empty while it has no file.
    [[nodiscard]] std::filesystem::path besideFolder() const;
    [[nodiscard]] JobQueue& jobs() { return m_jobs; }
    [[nodiscard]] JobQueue& quick() { return m_quick; } ///< cuts while dragging: never behind anything
    [[nodiscard]] JobQueue& looks() { return m_looks; } ///< what is worked out to be looked at
    [[nodiscard]] JobQueue& popJobs() { return m_popJobs; }
    [[nodiscard]] JobQueue& saves() { return m_saves; }
    /// Stops all work and waits for its end: what jobs use may go after.
    void shutDown();

    // Selection
    [[nodiscard]] std::uint32_t subjectId() const { return m_subject; }
    [[nodiscard]] const Subject* subject() const { return scene().find(m_subject); }
    /// The selected subject where it is a mesh; null otherwise.
    [[nodiscard]] const Subject* meshSubject() const { return scene().findMesh(m_subject); }
    [[nodiscard]] int level() const { return m_level; }
    void selectSubject(std::uint32_t id);
    void selectLevel(int level);

    /// What a job makes of a subject. `before` is what is there when the job starts, in a scene as it is then.
    using Work = std::function<Result<Subject>(const Subject& before, const Scene& scene, const JobContext& job)>;
    /// Lays what was made onto what is there when the job ends; empty: it was changed meanwhile and stays as it is.
    using Merge = std::function<std::optional<Subject>(const Subject& now, const Subject& before, const Subject& made)>;
    struct Change {
        QString title;     ///< of the job
        std::string label; ///< of the step; empty: "Thin 3 subjects"
        QString key = {};  ///< as JobQueue::run
        bool supersede = false;
        Work work = {};
        Merge merge = {};                 ///< empty: the levels, where they are as they were
        std::function<void()> ended = {}; ///< in any case, after the edit
        Kind kind = Kind::Mesh;           ///< subjects of other kinds are passed over
    };
    /// Runs work on subjects, one after the other, and makes one step of what comes out. Nothing happens when the
    /// document is another one by the end. What cannot be done to one of several is said, the others are changed.
    void change(const std::vector<std::uint32_t>& ids, Change change);

    /// Makes a subject in the background and adds it in one step, selected. Nothing happens when the document is another
    /// one by then, or when `accept` says no, which may change the subject and say why not.
    void add(const QString& title, std::function<Result<Subject>(const Scene&, const JobContext&)> make,
             std::function<bool(Subject&)> accept = {});

    /// What jobs return when all has been said already, and nothing is to be changed.
    static Error saidAlready() { return {ErrorCode::BadInput, {}, {}, {}}; }
    /// Says an error, but for those that have been said already.
    void report(const Error& error);
    void say(const QString& text, bool serious = false) { emit message(text, serious); }

signals:
    void selectionChanged();
    /// One clear message for the user; `serious` ones stay until dismissed.
    void message(const QString& text, bool serious);

private:
    struct Made {
        Subject before;
        Subject made;
    };
    void adopt(const Snapshot& start, const std::vector<Made>& made, const Change& change, QStringList problems);

    std::uint32_t m_subject = 0;
    int m_level = 0;
    // Last, so that they end first.
    JobQueue m_jobs;
    JobQueue m_quick;
    JobQueue m_popJobs;
    JobQueue m_looks;
    JobQueue m_saves;
};

} // namespace thicket::app
