#pragma once
// Long work off the window's thread: one queue, one worker, progress, cancel.

#include "base/job.h"
#include "base/result.h"

#include <QObject>
#include <QString>
#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

namespace thicket::app {

/// Runs jobs one after another. A job gets a JobContext and returns what is to be done with its result on the window's
/// thread; the next one begins only after that was done, so it sees the outcome. Progress reaches the window at most
/// every 100 ms.
class JobQueue : public QObject {
    Q_OBJECT
public:
    using Finish = std::function<void()>;
    using Work = std::function<Finish(const JobContext&)>;

    explicit JobQueue(QObject* parent = nullptr);
    ~JobQueue() override;

    /// Queues work. A waiting job with the same non-empty key is replaced; a running one is told to stop when
    /// `supersede`.
    void run(const QString& title, Work work, const QString& key = {}, bool supersede = false);
    void cancelCurrent();
    /// Stops what runs and forgets what waits.
    void cancelAll();
    /// Cancels all and waits until nothing runs any more; nothing can be queued after. What the jobs use may go then.
    void shutDown();
    /// Something runs, waits, or has a result that is not yet taken.
    [[nodiscard]] bool busy() const;
    [[nodiscard]] QString title() const { return m_title; }
    [[nodiscard]] int waiting() const;

signals:
    void started(const QString& title);
    void progressed(double fraction, const QString& phrase);
    /// Work ended by an exception: lack of memory, or a fault of the program. Nothing was changed.
    void failed(const QString& title, const QString& what);
    void idle();
    /// The queue's state in one signal, for things that only need to look again.
    void changed();

private:
    struct Job {
        QString title;
        QString key;
        Work work;
    };
    void loop();

    mutable std::mutex m_mutex;
    std::condition_variable m_wake;
    std::deque<Job> m_jobs;  // guarded by m_mutex
    QString m_runningKey;    // guarded by m_mutex
    std::stop_source m_stop; // guarded by m_mutex
    bool m_running = false;  // guarded by m_mutex
    bool m_over = false;     // guarded by m_mutex
    int m_finishing = 0;     // guarded by m_mutex: results on their way to the window's thread
    QString m_title;         // window's thread only
    std::thread m_thread;
};

} // namespace thicket::app
