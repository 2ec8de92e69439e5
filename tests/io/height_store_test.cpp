// Heights that lie in a file: the same as in memory, made once, never believed when they are damaged.

#include "base/file.h"
#include "io/import/height_store.h"
#include "io/project/project.h"
#include "scene/grounds.h"
#include "support/temp_folder.h"
#include "terrain/build_tree.h"
#include "terrain/ground_brush.h"

#include <cstdlib>
#include <cstring>
#include <gtest/gtest.h>
#include <limits>
#include <random>

namespace thicket {
namespace {

namespace fs = std::filesystem;

/// A raw file of heights with cliffs, and a hole where its values are 7.
fs::path rawGround(const fs::path& folder, std::uint32_t columns, std::uint32_t rows, unsigned seed = 3) {
    std::mt19937 random(seed);
    std::vector<std::uint16_t> values;
    for (std::uint32_t y = 0; y < rows; ++y)
        for (std::uint32_t x = 0; x < columns; ++x)
            values.push_back(x > 40 && x < 60 && y > 30 && y < 50
                                 ? 7
                                 : static_cast<std::uint16_t>(1000 + 13 * x + 7 * y + random() % 200));
    const fs::path file = folder / "shore.r16";
    EXPECT_TRUE(writeFile(file, std::as_bytes(std::span(values))));
    return file;
}

HeightOptions readAs(std::uint32_t columns) {
    HeightOptions out;
    out.spacing = 2;
    out.columns = columns;
    out.low = 0;
    out.high = 400;
    out.noData = 7;
    return out;
}

/// The person's folder of what can be made again, for the time of a test.
class OwnCache {
public:
    explicit OwnCache(const fs::path& folder) {
        const char* before = std::getenv("XDG_CACHE_HOME");
        if (before != nullptr)
            m_before = before;
        ::setenv("XDG_CACHE_HOME", (folder / "cache").c_str(), 1);
    }
    OwnCache(const OwnCache&) = delete;
    OwnCache& operator=(const OwnCache&) = delete;
    ~OwnCache() {
        if (m_before)
            ::setenv("XDG_CACHE_HOME", m_before->c_str(), 1);
        else
            ::unsetenv("XDG_CACHE_HOME");
    }

private:
    std::optional<std::string> m_before;
};

std::vector<fs::path> filesIn(const fs::path& folder) {
    std::vector<fs::path> out;
    std::error_code none;
    for (const auto& entry : fs::directory_iterator(folder, none))
        out.push_back(entry.path());
    return out;
}

TEST(HeightStore, holds_what_memory_would_and_the_tiles_made_of_it) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 300, 210);
    const StorePlace place{folder.path() / "kept", 1};
    const auto plain = readHeights(file, readAs(300), {});
    ASSERT_TRUE(plain) << plain.error().text();
    EXPECT_FALSE(plain->tree);
    for (int time = 0; time < 2; ++time) { // made, then opened
        const auto stored = readHeights(file, readAs(300), {}, place);
        ASSERT_TRUE(stored) << stored.error().text();
        ASSERT_EQ(filesIn(place.folder).size(), 1U);
        EXPECT_EQ(stored->hash, hashOf(plain->heights));
        EXPECT_EQ(hashOf(stored->heights), hashOf(plain->heights));
        EXPECT_EQ(stored->missing, plain->missing);
        EXPECT_EQ(stored->step, plain->step);
        EXPECT_EQ(stored->heights.origin, plain->heights.origin);
        ASSERT_TRUE(stored->tree);
        const auto tree = *buildTileTree(plain->heights, kStoredCells, {});
        ASSERT_EQ(stored->tree->tiles.size(), tree->tiles.size());
        for (std::size_t i = 0; i < tree->tiles.size(); ++i) {
            EXPECT_EQ(stored->tree->tiles[i].error, tree->tiles[i].error);
            EXPECT_EQ(stored->tree->tiles[i].triangles, tree->tiles[i].triangles);
            EXPECT_EQ(stored->tree->tiles[i].reachHigh, tree->tiles[i].reachHigh);
        }
        EXPECT_EQ(stored->tree->blockErrors, tree->blockErrors);
        EXPECT_EQ(stored->tree->holes, tree->holes);
        EXPECT_EQ(stored->tree->lows.lows, tree->lows.lows);
        EXPECT_EQ(stored->tree->lows.highs, tree->lows.highs);
        EXPECT_EQ(stored->tree->levels[1].typical, tree->levels[1].typical);
    }
}

TEST(HeightStore, an_edit_never_reaches_the_file) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 130, 130);
    const StorePlace place{folder.path() / "kept", 1};
    auto stored = readHeights(file, readAs(130), {}, place);
    ASSERT_TRUE(stored) << stored.error().text();
    const auto before = *readFile(filesIn(place.folder)[0]);
    auto source = std::make_shared<const Heights>(stored->heights);
    stored->heights = {}; // whoever holds the last copy edits its own all the same
    TerrainBody body;
    body.source = source;
    auto ground = makeTerrain("Shore", std::move(body), {}, stored->tree);
    ASSERT_TRUE(ground);
    EXPECT_EQ(ground->terrain()->tree, stored->tree) << "not made again";
    const GroundStroke stroke{BrushKind::Raise, 20, 5, 0, {{0, 0}, {30, 10}}};
    const auto outcome = layStroke(*ground, {ground->terrain()->heights, ground->terrain()->tree}, stroke, false);
    EXPECT_NE(hashOf(*outcome.terrain.terrain()->heights), stored->hash);
    EXPECT_EQ(hashOf(*source), stored->hash);
    Heights alone = *source;
    source.reset();
    *alone.grid.edit(5) += 1;
    EXPECT_EQ(*readFile(filesIn(place.folder)[0]), before);
    // With its strokes the tree is that of the heights with their strokes.
    const auto again = buildTileTree(*outcome.terrain.terrain()->heights, kStoredCells, {});
    EXPECT_EQ(outcome.terrain.terrain()->tree->blockErrors, (*again)->blockErrors);
    EXPECT_EQ(outcome.terrain.terrain()->tree->lows.lows, (*again)->lows.lows);
    EXPECT_EQ(outcome.terrain.terrain()->tree->lows.highs, (*again)->lows.highs);
}

TEST(HeightStore, another_source_or_another_way_to_read_it_has_another_store) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 100, 100);
    const auto name = heightStoreName(file, readAs(100));
    ASSERT_TRUE(name);
    HeightOptions other = readAs(100);
    other.high = 500;
    EXPECT_NE(*heightStoreName(file, other), *name);
    fs::last_write_time(file, fs::last_write_time(file) + std::chrono::seconds(5));
    EXPECT_NE(*heightStoreName(file, readAs(100)), *name);
    EXPECT_FALSE(heightStoreName(folder.path() / "none.r16", readAs(100)));
}

TEST(HeightStore, what_is_cut_short_or_damaged_is_said_and_made_again) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 150, 120);
    const StorePlace place{folder.path() / "kept", 1};
    const auto first = readHeights(file, readAs(150), {}, place);
    ASSERT_TRUE(first);
    const fs::path store = filesIn(place.folder)[0];
    const auto whole = *readFile(store);
    std::mt19937 random(9);
    int refused = 0;
    for (int round = 0; round < 80; ++round) {
        auto bytes = whole;
        if (round % 2 == 0)
            bytes.resize(random() % bytes.size());
        else if (round % 4 == 1) // its head
            bytes[random() % 400] = static_cast<std::byte>(random());
        else // what was made of the heights
            bytes[bytes.size() - 1 - random() % 2000] ^= std::byte{1};
        ASSERT_TRUE(writeFile(store, bytes));
        const auto opened = openHeightStore(store);
        if (opened) { // a number in its head that is as good as another
            EXPECT_TRUE(opened->tree);
            continue;
        }
        ++refused;
        EXPECT_EQ(opened.error().where, store.string());
    }
    EXPECT_GT(refused, 60);
    ASSERT_TRUE(writeFile(store, std::span(whole).first(5000)));
    const auto again = readHeights(file, readAs(150), {}, place);
    ASSERT_TRUE(again) << again.error().text();
    ASSERT_FALSE(again->notes.empty());
    EXPECT_NE(again->notes[0].find("made again"), std::string::npos) << again->notes[0];
    EXPECT_EQ(hashOf(again->heights), first->hash);
}

TEST(HeightStore, one_that_came_from_elsewhere_is_looked_through_before_it_is_believed) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 120, 90);
    const StorePlace place{folder.path() / "kept", 1};
    const auto first = readHeights(file, readAs(120), {}, place);
    ASSERT_TRUE(first);
    const fs::path store = filesIn(place.folder)[0];
    EXPECT_TRUE(isKnownStore(store));
    // What its tables say is true, but one of its heights is none.
    auto bytes = *readFile(store);
    const float nothing = std::numeric_limits<float>::quiet_NaN();
    std::memcpy(bytes.data() + 4096 + 4 * 777, &nothing, 4);
    ASSERT_TRUE(writeFile(store, bytes));
    EXPECT_TRUE(openHeightStore(store));
    EXPECT_FALSE(isKnownStore(store));
    const auto again = readHeights(file, readAs(120), {}, place);
    ASSERT_TRUE(again) << again.error().text();
    ASSERT_FALSE(again->notes.empty());
    EXPECT_NE(again->notes[0].find("other heights"), std::string::npos) << again->notes[0];
    EXPECT_EQ(hashOf(again->heights), first->hash);
    // A whole one from elsewhere is looked through once.
    fs::remove_all(storeCacheFolder());
    EXPECT_FALSE(isKnownStore(store));
    const auto brought = readHeights(file, readAs(120), {}, place);
    ASSERT_TRUE(brought);
    EXPECT_TRUE(brought->notes.empty());
    EXPECT_TRUE(isKnownStore(store));
}

TEST(HeightStore, files_that_differ_in_what_they_hold_alone_are_told_apart) {
    const TempFolder folder;
    fs::create_directories(folder.path() / "a");
    fs::create_directories(folder.path() / "b");
    const fs::path a = rawGround(folder.path() / "a", 100, 100, 1);
    const fs::path b = rawGround(folder.path() / "b", 100, 100, 2);
    fs::last_write_time(b, fs::last_write_time(a));
    EXPECT_NE(*heightStoreName(a, readAs(100)), *heightStoreName(b, readAs(100)));
    fs::create_directories(folder.path() / "c");
    fs::copy_file(a, folder.path() / "c" / "shore.r16");
    fs::last_write_time(folder.path() / "c" / "shore.r16", fs::last_write_time(a));
    EXPECT_EQ(*heightStoreName(a, readAs(100)), *heightStoreName(folder.path() / "c" / "shore.r16", readAs(100)))
        << "a project that was moved with its files finds its stores";
}

TEST(HeightStore, what_does_not_come_to_its_end_leaves_nothing_behind) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 200, 200);
    const fs::path kept = folder.path() / "kept";
    std::stop_source stop;
    JobContext job;
    job.stop = stop.get_token();
    job.progress = [&](double done, std::string_view) {
        if (done > 0.3)
            stop.request_stop();
    };
    const auto cancelled = readHeights(file, readAs(200), job, {kept, 1});
    ASSERT_FALSE(cancelled);
    EXPECT_EQ(cancelled.error().code, ErrorCode::Cancelled);
    EXPECT_TRUE(filesIn(kept).empty());
    HeightOptions wrong = readAs(200);
    wrong.low = -1e9; // heights beyond what ground has
    EXPECT_FALSE(readHeights(file, wrong, {}, {kept, 1}));
    EXPECT_TRUE(filesIn(kept).empty());
    // No room for it, which is told before anything is written.
    const auto huge = HeightStoreWriter::begin(kept / "huge.heights", 1'000'000, 1'000'000);
    ASSERT_FALSE(huge);
    EXPECT_EQ(huge.error().code, ErrorCode::Unwritable);
    EXPECT_NE(huge.error().what.find("4000.0 GB"), std::string::npos) << huge.error().what;
    EXPECT_TRUE(filesIn(kept).empty());
    // Where the folder cannot be written to it is the person's own that it goes to, and where neither can that is said.
    const auto elsewhere = readHeights(file, readAs(200), {}, {file / "kept", 1});
    ASSERT_TRUE(elsewhere) << elsewhere.error().text();
    EXPECT_TRUE(fs::exists(storeCacheFolder() / *heightStoreName(file, readAs(200))));
    fs::remove_all(storeCacheFolder());
    ASSERT_TRUE(writeTextFile(storeCacheFolder(), "in the way"));
    const auto nowhere = readHeights(file, readAs(200), {}, {file / "kept", 1});
    ASSERT_FALSE(nowhere);
    EXPECT_EQ(nowhere.error().code, ErrorCode::Unwritable);
}

TEST(HeightStore, a_program_that_ended_early_is_cleaned_up_after) {
    const TempFolder folder;
    const OwnCache cache(folder.path());
    const fs::path file = rawGround(folder.path(), 100, 100);
    const fs::path kept = folder.path() / "kept";
    const auto name = *heightStoreName(file, readAs(100));
    ASSERT_TRUE(writeTextFile(kept / (name + ".part-999999999"), "half"));
    ASSERT_TRUE(writeTextFile(kept / (name + ".part-mine"), "not ours"));
    ASSERT_TRUE(readHeights(file, readAs(100), {}, {kept, 1}));
    EXPECT_FALSE(fs::exists(kept / (name + ".part-999999999")));
    EXPECT_TRUE(fs::exists(kept / (name + ".part-mine")));
    EXPECT_TRUE(fs::exists(kept / name));
}

} // namespace
} // namespace thicket
