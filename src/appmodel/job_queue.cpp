#include "appmodel/job_queue.h"

#include "base/parallel.h"

#include <QElapsedTimer>
#include <QMetaObject>
#include <memory>
#include <pthread.h>

namespace thicket::app {

JobQueue::JobQueue(QObject* parent) : QObject(parent), m_thread([this] { loop(); }) {
    pthread_setname_np(m_thread.native_handle(), "thicket-jobs");
}

JobQueue::~JobQueue() {
    shutDown();
}

void JobQueue::shutDown() {
    {
        const std::lock_guard lock(m_mutex);
        m_over = true;
        m_jobs.clear();
        m_stop.request_stop();
    }
    m_wake.notify_all();
    if (m_thread.joinable())
        m_thread.join();
}

void JobQueue::run(const QString& title, Work work, const QString& key, bool supersede) {
    {
        const std::lock_guard lock(m_mutex);
        if (m_over)
            return;
        if (!key.isEmpty()) {
            std::erase_if(m_jobs, [&key](const Job& job) { return job.key == key; });
            if (supersede && m_running && m_runningKey == key)
                m_stop.request_stop();
        }
        m_jobs.push_back({title, key, std::move(work)});
    }
    m_wake.notify_one();
    emit changed();
}

void JobQueue::cancelCurrent() {
    const std::lock_guard lock(m_mutex);
    m_stop.request_stop();
}

void JobQueue::cancelAll() {
    const std::lock_guard lock(m_mutex);
    m_jobs.clear();
    m_stop.request_stop();
}

bool JobQueue::busy() const {
    const std::lock_guard lock(m_mutex);
    return m_running || m_finishing > 0 || !m_jobs.empty();
}

int JobQueue::waiting() const {
    const std::lock_guard lock(m_mutex);
    return static_cast<int>(m_jobs.size());
}

void JobQueue::loop() {
    const GiveWay forTheWindow;
    while (true) {
        Job job;
        std::stop_token token;
        {
            std::unique_lock lock(m_mutex);
            m_wake.wait(lock, [this] { return m_over || (!m_jobs.empty() && m_finishing == 0); });
            if (m_over)
                return;
            job = std::move(m_jobs.front());
            m_jobs.pop_front();
            m_stop = std::stop_source();
            token = m_stop.get_token();
            m_running = true;
            m_runningKey = job.key;
        }
        QMetaObject::invokeMethod(
            this,
            [this, title = job.title] {
                m_title = title;
                emit started(title);
                emit changed();
            },
            Qt::QueuedConnection);
        auto since = std::make_shared<QElapsedTimer>();
        JobContext context;
        context.stop = token;
        context.progress = [this, since](double fraction, std::string_view phrase) {
            if (since->isValid() && since->elapsed() < 100)
                return;
            since->start();
            QMetaObject::invokeMethod(
                this,
                [this, fraction, text = QString::fromUtf8(phrase.data(), static_cast<qsizetype>(phrase.size()))] {
                    emit progressed(fraction, text);
                },
                Qt::QueuedConnection);
        };
        Finish finish;
        try {
            finish = job.work(context);
        } catch (const std::exception& e) {
            // Foreign exceptions and lack of memory are caught here, at the job's edge, and nowhere else.
            finish = [this, title = job.title, what = QString::fromUtf8(e.what())] { emit failed(title, what); };
        }
        job = {}; // what it holds on to goes before anyone hears that it is done
        {
            const std::lock_guard lock(m_mutex);
            m_running = false;
            m_runningKey.clear();
            ++m_finishing;
        }
        QMetaObject::invokeMethod(
            this,
            [this, finish = std::move(finish)] {
                if (finish)
                    finish();
                {
                    const std::lock_guard lock(m_mutex);
                    --m_finishing;
                }
                m_wake.notify_one();
                emit changed();
                if (!busy())
                    emit idle();
            },
            Qt::QueuedConnection);
    }
}

} // namespace thicket::app
