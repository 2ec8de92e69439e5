// What may happen at once: saving, opening, undoing and changing while jobs run. The document is always what its edits
// say, and a file is never called saved that does not hold what is there.

#include "appmodel/workbench.h"
#include "base/file.h"
#include "io/ship/write_glb.h"
#include "scene/mend_subject.h"
#include "support/roles.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <QSignalSpy>
#include <QTest>
#include <atomic>
#include <gtest/gtest.h>
#include <random>

namespace thicket::app {
namespace fs = std::filesystem;
namespace {

class SessionTest : public ::testing::Test {
protected:
    TempFolder folder;
    Workbench bench;

    SessionTest() { bench.thin.setRolesForNew(test::rolesBySurfaces()); }

    Session& session() { return bench.session; }
    Document& document() { return bench.session.document; }
    const Scene& scene() { return bench.session.scene(); }

    void settle() {
        ASSERT_TRUE(QTest::qWaitFor(
            [&] { return !session().jobs().busy() && !session().saves().busy() && !session().quick().busy(); }, 60000));
    }
    fs::path ballFile(const std::string& name, int rows) {
        Surfaces surfaces;
        surfaces.materials.emplace_back();
        Mesh mesh = shapes::texturedSphere(2 * rows, rows);
        dropUnusedVertices(mesh);
        const fs::path file = folder.path() / (name + ".glb");
        EXPECT_TRUE(writeFile(
            file, encodeGlb(name, {std::make_shared<const Mesh>(std::move(mesh))}, surfaces, GlbLevels::Named, {})));
        return file;
    }
    void add(const std::string& name, int rows = 24) {
        bench.files.openFiles({QString::fromStdString(ballFile(name, rows).string())});
        settle();
    }
    QString pathOf(const char* name) { return QString::fromStdString((folder.path() / name).string()); }
    /// The levels a saved project holds, of its first subject.
    std::size_t levelsIn(const char* name) {
        const auto load = readProject(folder.path() / name, {});
        EXPECT_TRUE(load) << load.error().text();
        return load ? load->scene.subjects.front().mesh().levels.size() : 0;
    }
    std::string text() { return encodeProject(scene(), folder.path()); }
};

} // namespace

TEST_F(SessionTest, saving_while_levels_are_made_never_calls_them_saved) {
    add("ball", 40);
    bench.thin.thinToRole(session().subjectId());
    bench.files.saveProject(pathOf("a.thicket.json"));
    settle();
    ASSERT_GT(session().meshSubject()->mesh().levels.size(), 1U);
    const std::size_t saved = levelsIn("a.thicket.json");
    EXPECT_TRUE(document().modified() == (saved != session().meshSubject()->mesh().levels.size()))
        << "the file holds " << saved << " levels and the document is " << (document().modified() ? "edited" : "saved");
    bench.files.saveProject(pathOf("a.thicket.json"));
    settle();
    EXPECT_FALSE(document().modified());
    EXPECT_EQ(levelsIn("a.thicket.json"), session().meshSubject()->mesh().levels.size());
}

TEST_F(SessionTest, a_file_of_several_things_is_taken_apart_in_one_step) {
    const std::string crate = "v 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 3\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n";
    const std::string keg = "v 5 0 0\nv 7 0 0\nv 5 2 0\nv 5 0 3\nf 5 7 6\nf 5 6 8\nf 5 8 7\nf 6 7 8\n";
    ASSERT_TRUE(writeTextFile(folder.path() / "two.obj", "o crate\n" + crate + "o keg\n" + keg));
    bench.files.openFiles({pathOf("two.obj")});
    settle();
    ASSERT_EQ(scene().subjects.size(), 1U);
    bench.files.takeApart(session().subjectId());
    bench.files.renameSubject(session().subjectId(), "while it is read");
    settle();
    ASSERT_EQ(scene().subjects.size(), 2U);
    EXPECT_EQ(scene().subjects[0].name, "crate");
    EXPECT_EQ(scene().subjects[1].name, "keg");
    EXPECT_EQ(session().subjectId(), scene().subjects[0].id);
    document().undo().undo();
    ASSERT_EQ(scene().subjects.size(), 1U);
    EXPECT_EQ(scene().subjects[0].name, "while it is read");

    // Mended as it begins: what comes of it is of the mended one, or it is said that it was changed.
    QStringList said;
    QObject::connect(&session(), &Session::message, &session(), [&said](const QString& text) { said << text; });
    bench.files.takeApart(scene().subjects[0].id);
    auto mended = mendSubject(scene().subjects[0], {MendKind::Unit, 0.01}, {});
    ASSERT_TRUE(mended);
    document().push(changeSubject(scene(), std::move(mended->subject), "Mend"));
    settle();
    if (scene().subjects.size() == 2) {
        EXPECT_NEAR(scene().subjects[1].bounds.size().x(), 0.02, 1e-6);
        EXPECT_NEAR((*scene().subjects[1].mesh().placed)[0].position.x() + scene().subjects[1].bounds.low.x(), 0.05,
                    1e-6);
        document().undo().undo();
    } else {
        EXPECT_TRUE(said.join(' ').contains("changed meanwhile")) << said.join(' ').toStdString();
    }
    ASSERT_EQ(scene().subjects.size(), 1U);
    document().undo().undo();

    // Its file is gone: that is said, and nothing else happens.
    said.clear();
    fs::rename(folder.path() / "two.obj", folder.path() / "away.obj");
    bench.files.takeApart(scene().subjects[0].id);
    settle();
    ASSERT_EQ(scene().subjects.size(), 1U);
    EXPECT_TRUE(said.join(' ').contains("two.obj")) << said.join(' ').toStdString();
    fs::rename(folder.path() / "away.obj", folder.path() / "two.obj");

    // Cancelled.
    bench.files.takeApart(scene().subjects[0].id);
    session().jobs().cancelAll();
    settle();
    ASSERT_EQ(scene().subjects.size(), 1U);

    // Removed while it is read: nothing comes of it.
    bench.files.takeApart(session().subjectId());
    bench.files.removeSubject(session().subjectId());
    settle();
    EXPECT_TRUE(scene().subjects.empty());
}

TEST_F(SessionTest, a_project_that_is_still_being_saved_does_not_name_the_next_one) {
    add("ball");
    bench.files.saveProject(pathOf("old.thicket.json"));
    bench.files.newProject();
    settle();
    EXPECT_TRUE(document().path().empty());
    EXPECT_TRUE(scene().subjects.empty());
    EXPECT_EQ(levelsIn("old.thicket.json"), 1U) << "what was asked to be saved is";
}

TEST_F(SessionTest, levels_cut_again_after_opening_outlive_undo) {
    add("ball", 40);
    bench.thin.thinToRole(session().subjectId());
    settle();
    ASSERT_TRUE(writeProject(scene(), folder.path() / "a.thicket.json", false)); // no levels beside it
    bench.files.openProject(pathOf("a.thicket.json"));
    // Something is changed before the levels are there.
    ASSERT_TRUE(QTest::qWaitFor([&] { return !document().path().empty(); }, 60'000));
    bench.files.renameSubject(session().subjectId(), QStringLiteral("Buoy"));
    settle();
    const auto whole = [&] {
        const auto& levels = session().meshSubject()->mesh().levels;
        return std::all_of(levels.begin(), levels.end(), [](const Level& l) { return l.mesh != nullptr; });
    };
    EXPECT_TRUE(whole());
    document().undo().undo();
    EXPECT_EQ(session().meshSubject()->name, "ball");
    EXPECT_TRUE(whole()) << "undo takes no meshes away";
    document().undo().redo();
    EXPECT_TRUE(whole());
}

TEST_F(SessionTest, the_record_of_what_is_looked_at_is_made_ahead) {
    add("ball", 24);
    add("buoy", 36);
    const std::uint32_t ball = scene().subjects[0].id;
    const std::uint32_t buoy = scene().subjects[1].id;
    bench.thin.recordAhead(ball);
    EXPECT_FALSE(bench.thin.hasRecord(ball)) << "nothing was cut from it: there is no pin";
    bench.thin.thinToRoles({ball, buoy});
    settle();
    const std::string before = text();
    bench.thin.forgetRecords();
    // The first is given up for the second.
    bench.thin.recordAhead(ball);
    bench.thin.recordAhead(buoy);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bench.thin.hasRecord(buoy); }, 60'000));
    EXPECT_EQ(text(), before) << "nothing of the project changes by it";
    EXPECT_FALSE(session().jobs().busy());
    // A drag that comes meanwhile waits for it, and a job for another subject does not.
    bench.thin.forgetRecords();
    bench.thin.recordAhead(ball);
    bench.thin.cutLevelTo(ball, 1, scene().subjects[0].mesh().levels[1].triangles + 10, true);
    bench.thin.recordAhead(buoy);
    bench.thin.cutLevelTo(buoy, 1, scene().subjects[1].mesh().levels[1].triangles + 10, true);
    settle();
    EXPECT_TRUE(bench.thin.hasRecord(ball) && bench.thin.hasRecord(buoy));
    EXPECT_NE(text(), before);
    // One that was forgotten before it began can be asked for again; a new project has none under way.
    bench.thin.forgetRecords();
    bench.thin.recordAhead(ball);
    bench.thin.recordAhead(buoy);
    bench.thin.cutLevelTo(ball, 1, scene().subjects[0].mesh().levels[1].triangles + 10, true);
    settle();
    bench.thin.recordAhead(buoy);
    EXPECT_TRUE(QTest::qWaitFor([&] { return bench.thin.hasRecord(buoy); }, 60'000));
    bench.thin.forgetRecords();
    bench.thin.recordAhead(ball);
    bench.files.newProject();
    settle();
    EXPECT_TRUE(scene().subjects.empty());
}

TEST_F(SessionTest, a_drag_that_comes_to_nothing_leaves_nothing_on_screen) {
    add("ball", 40);
    const std::uint32_t id = session().subjectId();
    bench.thin.thinToRole(id);
    settle();
    bench.thin.cutLevelTo(id, 1, 200, false);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bench.thin.dragLevel(id) == 1; }, 60'000));
    EXPECT_EQ(bench.thin.dragLevel(id + 1), -1) << "of this subject only";
    bench.thin.cutLevelTo(id, 1, 200, true);
    session().jobs().cancelCurrent();
    settle();
    EXPECT_EQ(bench.thin.dragLevel(id), -1);
    bench.thin.cutLevelTo(id, 1, 300, false);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bench.thin.dragLevel(id) == 1; }, 60'000));
    while (session().meshSubject()->mesh().levels.size() > 1)
        document().undo().undo(); // the levels go
    EXPECT_EQ(bench.thin.dragLevel(id), -1);
}

TEST_F(SessionTest, an_exception_in_a_job_is_said) {
    QSignalSpy messages(&session(), &Session::message);
    session().jobs().run(QStringLiteral("Counting reeds"),
                         [](const JobContext&) -> JobQueue::Finish { throw std::bad_alloc(); });
    settle();
    ASSERT_EQ(messages.count(), 1);
    EXPECT_TRUE(messages[0][0].toString().contains(QStringLiteral("Counting reeds")));
    EXPECT_TRUE(messages[0][1].toBool()) << "it stays until it is dismissed";
}

TEST_F(SessionTest, a_job_begins_only_after_the_one_before_it_was_taken) {
    std::atomic<int> taken = 0;
    std::vector<int> seen;
    for (int i = 0; i < 20; ++i)
        session().jobs().run({}, [&](const JobContext&) -> JobQueue::Finish {
            const int before = taken;
            return [&seen, &taken, before] {
                seen.push_back(before);
                ++taken;
            };
        });
    settle();
    for (int i = 0; i < 20; ++i)
        EXPECT_EQ(seen[static_cast<std::size_t>(i)], i);
}

TEST_F(SessionTest, pointing_to_a_source_again_keeps_what_was_changed_meanwhile) {
    add("ball", 40);
    const std::uint32_t id = session().subjectId();
    const QString other = QString::fromStdString(ballFile("other", 30).string());
    QSignalSpy progress(&session().jobs(), &JobQueue::progressed);
    bench.files.relinkSource(id, other);
    bench.files.renameSubject(id, QStringLiteral("Buoy"));
    settle();
    EXPECT_EQ(session().meshSubject()->name, "Buoy");
    EXPECT_EQ(session().meshSubject()->source.path.filename(), "other.glb");
    bench.files.relinkSource(id, QString::fromStdString((folder.path() / "ball.glb").string()));
    bench.files.removeSubject(id);
    settle();
    EXPECT_TRUE(scene().subjects.empty()) << "what was removed meanwhile stays removed";
}

TEST_F(SessionTest, a_folder_is_walked_off_the_windows_thread_and_says_what_it_cannot_read) {
    ballFile("one", 8);
    fs::create_directories(folder.path() / "sub");
    fs::copy_file(folder.path() / "one.glb", folder.path() / "sub" / "two.glb");
    bench.files.openFiles({QString::fromStdString(folder.path().string())});
    EXPECT_TRUE(session().jobs().busy());
    EXPECT_TRUE(scene().subjects.empty()) << "nothing was read here";
    settle();
    EXPECT_EQ(scene().subjects.size(), 2U);
    QSignalSpy messages(&session(), &Session::message);
    fs::create_directories(folder.path() / "empty");
    bench.files.openFiles({QString::fromStdString((folder.path() / "empty").string())});
    settle();
    ASSERT_EQ(messages.count(), 1);
    EXPECT_TRUE(messages[0][0].toString().contains(QStringLiteral("holds no mesh files")));
}

TEST_F(SessionTest, two_windows_without_a_name_never_share_what_is_kept_for_a_crash) {
    Workbench other;
    EXPECT_NE(document().autosavePath(), other.session.document.autosavePath());
    add("ball");
    document().autosave();
    ASSERT_TRUE(QTest::qWaitFor([&] { return fs::exists(document().autosavePath()); }, 60'000));
    const auto left = AutosavePlace::leftBehind();
    EXPECT_EQ(std::count(left.begin(), left.end(), document().autosavePath()), 0) << "it is in use";
    other.files.newProject();
    other.session.document.removeAutosave();
    const fs::path kept = document().autosavePath();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !other.session.saves().busy() && !session().saves().busy(); }, 60'000));
    EXPECT_TRUE(fs::exists(kept)) << "another window does not take it away";
    bench.files.newProject();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !fs::exists(kept); }, 60'000));
}

TEST(RecordStore, keeps_what_was_used_last_within_its_bound) {
    Subject s;
    s.id = 1;
    s.mesh().surfaces = std::make_shared<const Surfaces>();
    s.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(shapes::bumpy(20, 1)), {}, LevelOrigin::Source));
    refreshSubject(s);
    const auto state = recordSubject(s, {}, {});
    ASSERT_TRUE(state);
    RecordStore one;
    one.put(1, *state);
    const std::size_t each = one.bytes();
    RecordStore store(3 * each + each / 2);
    for (std::uint32_t id = 1; id <= 3; ++id)
        store.put(id, *state);
    EXPECT_TRUE(store.find(s)) << "looked at, so it is the last to go";
    store.put(4, *state);
    EXPECT_LE(store.bytes(), 3 * each + each / 2);
    EXPECT_TRUE(store.find(s));
    Subject second = s;
    second.id = 2;
    EXPECT_FALSE(store.find(second)) << "the oldest went";
    RecordStore tiny(1);
    tiny.put(1, *state);
    EXPECT_TRUE(tiny.find(s)) << "the one in hand is always kept";
}

/// Random sequences of everything that can happen; at the end the document equals a replay of its edits.
TEST_F(SessionTest, whatever_is_done_in_whatever_order_undo_leads_back_and_redo_forth) {
    const char* set = std::getenv("THICKET_SEED");
    const unsigned seed = set != nullptr ? static_cast<unsigned>(std::atoi(set)) : 12U;
    for (unsigned round = 0; round < 6; ++round) {
        SCOPED_TRACE("seed " + std::to_string(seed) + ", round " + std::to_string(round));
        std::mt19937 random(seed + round);
        bench.files.newProject();
        settle();
        add("a", 12);
        add("b", 10);
        const auto any = [&]() -> std::uint32_t {
            return scene().subjects.empty() ? 0 : scene().subjects[random() % scene().subjects.size()].id;
        };
        for (int step = 0; step < 40; ++step) {
            switch (random() % 12) {
            case 0:
                bench.thin.thinToRole(any());
                break;
            case 1:
                bench.files.renameSubject(any(), QStringLiteral("n%1").arg(step));
                break;
            case 2:
                bench.thin.removeLevel(any(), 1);
                break;
            case 3:
                bench.switching.setSwitchDistance(any(), 1, 1 + step);
                break;
            case 4:
                bench.switching.setDetail(0.5 + 0.1 * step);
                break;
            case 5:
                document().undo().undo();
                break;
            case 6:
                document().undo().redo();
                break;
            case 7:
                bench.files.saveProject(pathOf("r.thicket.json"));
                break;
            case 8:
                session().jobs().cancelCurrent();
                break;
            case 9:
                bench.thin.cutLevelTo(any(), 1, 40 + step, random() % 2 == 0);
                break;
            case 10:
                if (scene().subjects.size() > 1)
                    bench.files.removeSubject(any());
                break;
            default:
                // Now and then all that was asked for ends before more is; mostly the next step comes in the middle.
                if (random() % 3 == 0)
                    settle();
                else
                    QCoreApplication::processEvents();
            }
        }
        settle();
        const std::string end = text();
        const int at = document().undo().index();
        while (document().undo().canUndo())
            document().undo().undo();
        const std::string start = text();
        EXPECT_NE(start.find("\"subjects\": []"), std::string::npos) << "undone to the empty project";
        while (document().undo().index() < at)
            document().undo().redo();
        EXPECT_EQ(text(), end);
        // Saved and opened it is the same, and clean says so.
        bench.files.saveProject(pathOf("end.thicket.json"));
        settle();
        EXPECT_FALSE(document().modified());
        const auto read = readTextFile(folder.path() / "end.thicket.json");
        ASSERT_TRUE(read);
        EXPECT_EQ(*read, text());
    }
}

} // namespace thicket::app
