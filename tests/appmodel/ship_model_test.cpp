// Shipping without a window: what is said of it, and what is left where it fails or is stopped.

#include "appmodel/model_fixture.h"
#include "base/file.h"
#include "io/import/import.h"
#include "support/balls.h"

#include <QTest>
#include <gtest/gtest.h>
#include <set>
#include <thread>

namespace thicket::app {
namespace fs = std::filesystem;
namespace {

class Shipping : public ModelTest {
protected:
    void SetUp() override { add({"buoy"}); }
    void add(const std::vector<std::string>& names) {
        auto surfaces = std::make_shared<Surfaces>();
        surfaces->materials.emplace_back();
        std::vector<Subject> balls;
        for (const std::string& name : names) {
            balls.push_back(test::ballOfLevels(0, {0.0, 0.01, 0.04}, 24));
            balls.back().name = name;
            balls.back().mesh().surfaces = surfaces;
        }
        document().push(addSubjects(scene(), std::move(balls), "Add"));
    }
    void ship(const fs::path& to) { bench.shipping.ship(QString::fromStdString(to.string()), {}); }
    /// All that lies in a folder, by name.
    static std::set<std::string> namesIn(const fs::path& where) {
        std::set<std::string> out;
        if (fs::is_directory(where))
            for (const auto& entry : fs::directory_iterator(where))
                out.insert(entry.path().filename().string());
        return out;
    }
};

} // namespace

TEST_F(Shipping, writes_what_it_says_and_nothing_else) {
    EXPECT_TRUE(bench.shipping.state().caption.isEmpty());
    const fs::path to = folder.path() / "out";
    ship(to);
    settle();
    ASSERT_NE(bench.shipping.report(), nullptr) << said.join(QStringLiteral("\n")).toStdString();
    const auto& files = bench.shipping.report()->files;
    ASSERT_FALSE(files.empty());
    EXPECT_EQ(namesIn(to).size(), files.size());
    EXPECT_EQ(bench.shipping.state().caption, QStringLiteral("%1 files").arg(files.size()));
    EXPECT_TRUE(bench.shipping.state().done);
    EXPECT_TRUE(said.last().startsWith(QStringLiteral("%1 files written").arg(files.size())));
    const auto read = readModel(to / "buoy.levels.glb", {});
    ASSERT_TRUE(read) << read.error().text();
    // Again over what is there: the same files, byte by byte.
    const auto bytes = readTextFile(to / "buoy.chain.json");
    ship(to);
    settle();
    EXPECT_EQ(namesIn(to).size(), files.size());
    EXPECT_EQ(*readTextFile(to / "buoy.chain.json"), *bytes);
    bench.files.newProject();
    EXPECT_EQ(bench.shipping.report(), nullptr);
    EXPECT_TRUE(bench.shipping.state().caption.isEmpty());
}

TEST_F(Shipping, where_nothing_can_be_written_is_said_and_nothing_is_called_shipped) {
    ASSERT_TRUE(writeTextFile(folder.path() / "file", "x"));
    ship(folder.path() / "file" / "out");
    settle();
    EXPECT_EQ(bench.shipping.report(), nullptr);
    ASSERT_EQ(said.size(), 1);
    EXPECT_TRUE(said.last().contains(QStringLiteral("file/out"))) << said.last().toStdString();
    EXPECT_EQ(*readTextFile(folder.path() / "file"), "x");
    EXPECT_EQ(namesIn(folder.path()), std::set<std::string>{"file"});
}

TEST_F(Shipping, stopped_it_leaves_no_half_of_a_file_and_another_project_none_of_its_report) {
    const fs::path to = folder.path() / "out";
    std::vector<std::string> names;
    for (int i = 0; i < 40; ++i)
        names.push_back("ball " + std::to_string(i));
    add(names);
    ship(to);
    while (namesIn(to).size() < 5)
        std::this_thread::yield();
    bench.session.jobs().cancelAll();
    settle();
    EXPECT_EQ(bench.shipping.report(), nullptr);
    EXPECT_LT(namesIn(to).size(), 3 * 41U) << "it was not done yet";
    for (const std::string& name : namesIn(to)) {
        const bool whole = fs::path(name).extension() != ".glb" || readModel(to / name, {});
        EXPECT_TRUE(whole) << name;
    }
    ship(to);
    bench.files.newProject();
    settle();
    EXPECT_EQ(bench.shipping.report(), nullptr);
}

} // namespace thicket::app
