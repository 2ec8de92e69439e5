// The queue that keeps long work off the window's thread, and the document that all changes go through.

#include "appmodel/document.h"
#include "appmodel/job_queue.h"
#include "support/temp_folder.h"

#include <QSignalSpy>
#include <QTest>
#include <atomic>
#include <gtest/gtest.h>

namespace thicket::app {
namespace {

bool settle(const JobQueue& queue) {
    return QTest::qWaitFor([&] { return !queue.busy(); }, 60'000);
}

/// Work that goes on until it is told to stop or the flag falls.
JobQueue::Work until(std::atomic<bool>& hold, std::atomic<int>& stopped) {
    return [&hold, &stopped](const JobContext& job) -> JobQueue::Finish {
        while (hold && !job.cancelled())
            std::this_thread::yield();
        stopped += job.cancelled() ? 1 : 0;
        return {};
    };
}

/// Takes one name to another; the scene is nothing but its name here.
Edit rename(const Scene& scene, const std::string& name, const std::string& key = {}) {
    auto settings = scene.settings;
    settings.name = name;
    return changeSettings(scene, settings, "Rename", key);
}

} // namespace

TEST(JobQueue, works_off_the_windows_thread_and_finishes_on_it_in_order) {
    JobQueue queue;
    const std::thread::id window = std::this_thread::get_id();
    std::vector<int> order;
    bool apart = true;
    for (int i = 0; i < 5; ++i)
        queue.run(QStringLiteral("work"), [&, i](const JobContext&) -> JobQueue::Finish {
            apart &= std::this_thread::get_id() != window;
            return [&, i] {
                EXPECT_EQ(std::this_thread::get_id(), window);
                order.push_back(i);
            };
        });
    EXPECT_TRUE(queue.busy());
    ASSERT_TRUE(settle(queue));
    EXPECT_TRUE(apart);
    EXPECT_EQ(order, (std::vector<int>{0, 1, 2, 3, 4}));
}

TEST(JobQueue, a_waiting_job_gives_way_to_the_next_of_its_key) {
    JobQueue queue;
    std::atomic<bool> hold = true;
    std::atomic<int> stopped = 0;
    queue.run(QStringLiteral("first"), until(hold, stopped));
    std::vector<int> done;
    for (int i = 0; i < 6; ++i)
        queue.run(
            QStringLiteral("cut"),
            [&done, i](const JobContext&) -> JobQueue::Finish { return [&done, i] { done.push_back(i); }; },
            QStringLiteral("drag"));
    queue.run(QStringLiteral("other"),
              [&done](const JobContext&) -> JobQueue::Finish { return [&done] { done.push_back(100); }; });
    EXPECT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 2; }, 60'000)) << "one runs, one of the key, the other";
    hold = false;
    ASSERT_TRUE(settle(queue));
    EXPECT_EQ(done, (std::vector<int>{5, 100})) << "the latest wins";
    EXPECT_EQ(stopped, 0) << "what ran was left alone";
}

TEST(JobQueue, superseding_stops_what_runs_with_the_same_key_only) {
    JobQueue queue;
    std::atomic<bool> hold = true;
    std::atomic<int> stopped = 0;
    queue.run(QStringLiteral("pop"), until(hold, stopped), QStringLiteral("pop"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 0; }, 60'000));
    bool after = false;
    queue.run(
        QStringLiteral("pop"), [&](const JobContext&) -> JobQueue::Finish { return [&after] { after = true; }; },
        QStringLiteral("pop"), true);
    ASSERT_TRUE(settle(queue));
    EXPECT_EQ(stopped, 1);
    EXPECT_TRUE(after);
    hold = true;
    stopped = 0;
    queue.run(QStringLiteral("a"), until(hold, stopped), QStringLiteral("a"));
    ASSERT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 0; }, 60'000));
    queue.run(
        QStringLiteral("b"), [](const JobContext&) -> JobQueue::Finish { return {}; }, QStringLiteral("b"), true);
    QTest::qWait(50);
    EXPECT_EQ(stopped, 0);
    hold = false;
    ASSERT_TRUE(settle(queue));
}

TEST(JobQueue, cancel_stops_the_running_job_and_the_rest_goes_on) {
    JobQueue queue;
    std::atomic<bool> hold = true;
    std::atomic<int> stopped = 0;
    queue.run(QStringLiteral("long"), until(hold, stopped));
    bool next = false;
    queue.run(QStringLiteral("next"), [&](const JobContext&) -> JobQueue::Finish { return [&next] { next = true; }; });
    ASSERT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 1; }, 60'000));
    queue.cancelCurrent();
    ASSERT_TRUE(settle(queue));
    EXPECT_EQ(stopped, 1);
    EXPECT_TRUE(next);
    queue.run(QStringLiteral("long"), until(hold, stopped));
    int late = 0;
    for (int i = 0; i < 4; ++i)
        queue.run(QStringLiteral("never"), [&](const JobContext&) -> JobQueue::Finish { return [&late] { ++late; }; });
    ASSERT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 4; }, 60'000)) << "the long one runs";
    queue.cancelAll();
    ASSERT_TRUE(settle(queue));
    EXPECT_EQ(stopped, 2);
    EXPECT_EQ(late, 0);
}

TEST(JobQueue, says_how_far_it_is_and_when_it_is_idle) {
    JobQueue queue;
    QSignalSpy progressed(&queue, &JobQueue::progressed);
    QSignalSpy idle(&queue, &JobQueue::idle);
    queue.run(QStringLiteral("count"), [](const JobContext& job) -> JobQueue::Finish {
        for (int i = 0; i <= 10; ++i) {
            job.report(i / 10.0, "counting");
            std::this_thread::sleep_for(std::chrono::milliseconds(30));
        }
        return {};
    });
    ASSERT_TRUE(settle(queue));
    ASSERT_TRUE(QTest::qWaitFor([&] { return idle.count() >= 1; }, 60'000));
    ASSERT_GE(progressed.count(), 2);
    EXPECT_LE(progressed.count(), 8) << "at most every tenth of a second";
    double last = -1;
    for (const auto& one : progressed) {
        EXPECT_GE(one.at(0).toDouble(), last);
        last = one.at(0).toDouble();
        EXPECT_EQ(one.at(1).toString(), QStringLiteral("counting"));
    }
}

TEST(JobQueue, can_be_destroyed_while_it_works) {
    std::atomic<bool> hold = true;
    std::atomic<int> stopped = 0;
    bool finished = false;
    {
        JobQueue queue;
        queue.run(QStringLiteral("long"), until(hold, stopped));
        queue.run(QStringLiteral("after"),
                  [&](const JobContext&) -> JobQueue::Finish { return [&finished] { finished = true; }; });
        ASSERT_TRUE(QTest::qWaitFor([&] { return queue.waiting() == 1; }, 60'000));
    }
    QTest::qWait(50);
    EXPECT_EQ(stopped, 1);
    EXPECT_FALSE(finished) << "nobody is there to take a result";
}

TEST(Document, edits_with_one_key_are_one_step_and_others_are_not) {
    Document document;
    document.reset(Scene{}, {});
    QSignalSpy changed(&document, &Document::sceneChanged);
    for (int i = 0; i < 5; ++i)
        document.push(rename(document.scene(), "drag " + std::to_string(i), "drag-1"));
    EXPECT_EQ(document.undo().count(), 1);
    EXPECT_EQ(changed.count(), 5);
    document.push(rename(document.scene(), "other", "drag-2"));
    document.push(rename(document.scene(), "plain"));
    document.push(rename(document.scene(), "plain again"));
    EXPECT_EQ(document.undo().count(), 4) << "no key, no merging";
    document.undo().undo();
    document.undo().undo();
    document.undo().undo();
    EXPECT_EQ(document.scene().settings.name, "drag 4");
    document.undo().undo();
    EXPECT_EQ(document.scene().settings.name, "Untitled");
    for (int i = 0; i < 4; ++i)
        document.undo().redo();
    EXPECT_EQ(document.scene().settings.name, "plain again");
}

TEST(Document, knows_when_it_is_saved_and_a_new_scene_begins_a_new_history) {
    const TempFolder folder;
    Document document;
    document.reset(Scene{}, {});
    EXPECT_FALSE(document.modified());
    document.push(rename(document.scene(), "a"));
    EXPECT_TRUE(document.modified());
    EXPECT_TRUE(document.markSaved(document.snapshot(), folder.path() / "a.thicket.json"));
    EXPECT_FALSE(document.modified());
    document.push(rename(document.scene(), "b"));
    document.undo().undo();
    EXPECT_FALSE(document.modified()) << "undone to what was saved";
    EXPECT_EQ(document.path(), folder.path() / "a.thicket.json");
    EXPECT_NE(document.autosavePath(), document.path());
    EXPECT_EQ(document.autosavePath(), AutosavePlace::besideProject(document.path()));
    Scene other;
    other.settings.name = "other";
    document.reset(other, {});
    EXPECT_EQ(document.undo().count(), 0);
    EXPECT_TRUE(document.path().empty());
    EXPECT_FALSE(document.modified());
}

} // namespace thicket::app
