// Tiles that are made while others are drawn in their place: never a hole, and in the end just those that were selected.

#include "app/viewport/ground_tiles.h"

#include "base/file.h"
#include "io/import/height_store.h"
#include "scene/grounds.h"
#include "scene/select_input.h"
#include "support/temp_folder.h"

#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <semaphore>
#include <set>

namespace thicket::app {
namespace {

constexpr std::chrono::seconds kPatience{60};

/// A scene of one terrain, its heights in memory or in a file.
Scene groundScene(const TempFolder& folder, bool stored) {
    constexpr std::uint32_t kSide = 513;
    std::vector<float> values;
    for (std::uint32_t y = 0; y < kSide; ++y)
        for (std::uint32_t x = 0; x < kSide; ++x)
            values.push_back(8 * std::sin(0.05F * static_cast<float>(x)) * std::cos(0.07F * static_cast<float>(y)));
    const auto file = folder.path() / "bed.r32";
    EXPECT_TRUE(writeFile(file, std::as_bytes(std::span(values))));
    HeightOptions options;
    options.spacing = 2;
    auto read = readHeights(file, options, {}, {folder.path() / "kept", stored ? 1 : kAnySize});
    EXPECT_TRUE(read);
    EXPECT_EQ(read->heights.grid.stored(), stored);
    TerrainBody body;
    body.source = std::make_shared<const Heights>(std::move(read->heights));
    body.cells = 16;
    auto ground = makeTerrain("Bed", std::move(body), {});
    EXPECT_TRUE(ground);
    Scene scene;
    ground->id = scene.nextId++;
    scene.subjects = {std::move(*ground)};
    return scene;
}

/// Whether some items together lie over all of a rectangle, in metres.
bool covers(const std::vector<DrawItem>& items, const TileTree& tree, const Bounds& rect) {
    constexpr int kSteps = 9;
    for (int j = 0; j < kSteps; ++j)
        for (int i = 0; i < kSteps; ++i) {
            const double x = rect.low.x() + rect.size().x() * (i + 0.5) / kSteps;
            const double z = rect.low.z() + rect.size().z() * (j + 0.5) / kSteps;
            const bool any = std::any_of(items.begin(), items.end(), [&](const DrawItem& item) {
                const double side = static_cast<double>(std::uint64_t{tree.cells} << item.level) * tree.spacing;
                const double fromX = static_cast<double>(item.model(0, 3));
                const double fromZ = static_cast<double>(item.model(2, 3));
                return x >= fromX && x <= fromX + side && z >= fromZ && z <= fromZ + side;
            });
            if (!any)
                return false;
        }
    return true;
}

class TilesComeAndGo : public testing::TestWithParam<bool> {};

TEST_P(TilesComeAndGo, never_a_hole_and_in_the_end_what_was_selected) {
    const TempFolder folder;
    const Scene scene = groundScene(folder, GetParam());
    SelectInput input = selectInput(scene, scene.statedView());
    ASSERT_EQ(input.grounds.size(), 1U);
    const TileTree& tree = *input.grounds[0].tree;
    std::counting_semaphore<> arrivals(0);
    GroundTiles tiles([&] { arrivals.release(); });
    SelectState state;
    Selection selection;
    const auto frame = [&](const View& view) {
        select(input, view, 0, {}, state, selection);
        std::vector<DrawItem> items;
        tiles.add(scene, input, selection, 0, items);
        return items;
    };
    std::size_t waited = 0;
    for (int step = 0; step < 12; ++step) {
        const double turn = 0.6 * step;
        const Vec3d eye(180 * std::cos(turn), 14, 180 * std::sin(turn));
        const View view = lookAt(View(), eye, eye + Vec3d(-std::sin(turn), -0.15, std::cos(turn)));
        auto items = frame(view);
        waited += tiles.waiting();
        while (tiles.waiting() > 0) {
            const bool nothingYet = step == 0 && items.empty();
            for (const DrawnTile& tile : selection.grounds[0].tiles)
                ASSERT_TRUE(nothingYet || covers(items, tree, tree.boundsOf(tile.ref))) << "step " << step;
            ASSERT_TRUE(arrivals.try_acquire_for(kPatience)) << "they never come";
            items = frame(view);
        }
        ASSERT_EQ(items.size(), selection.grounds[0].tiles.size());
        for (std::size_t i = 0; i < items.size(); ++i)
            EXPECT_EQ(items[i].level, static_cast<int>(selection.grounds[0].tiles[i].ref.level));
    }
    if (GetParam()) {
        EXPECT_GT(waited, 0U) << "what lies in a file is never waited for";
        EXPECT_EQ(tiles.made(), 0U);
    }
}

INSTANTIATE_TEST_SUITE_P(Heights, TilesComeAndGo, testing::Values(false, true),
                         [](const auto& of) { return of.param ? "in_a_file" : "in_memory"; });

TEST(GroundTiles, while_an_edit_is_made_again_the_ground_as_it_was_is_drawn) {
    const TempFolder folder;
    Scene scene = groundScene(folder, true);
    SelectInput input = selectInput(scene, scene.statedView());
    std::counting_semaphore<> arrivals(0);
    GroundTiles tiles([&] { arrivals.release(); });
    SelectState state;
    Selection selection;
    const View view = lookAt(View(), {0, 20, 120}, {0, 0, 0});
    const auto frame = [&] {
        select(input, view, 0, {}, state, selection);
        std::vector<DrawItem> items;
        tiles.add(scene, input, selection, 0, items);
        return items;
    };
    const auto settle = [&] {
        auto items = frame();
        while (tiles.waiting() > 0 && arrivals.try_acquire_for(kPatience))
            items = frame();
        return items;
    };
    const auto before = settle();
    ASSERT_FALSE(before.empty());
    const TerrainBody& body = *scene.subjects[0].terrain();
    scene.subjects[0] =
        layStroke(scene.subjects[0], {body.heights, body.tree}, {BrushKind::Raise, 30, 25, 0, {{0, 40}}}, false)
            .terrain;
    input = selectInput(scene, scene.statedView());
    const auto meanwhile = frame();
    EXPECT_GT(tiles.waiting(), 0U);
    for (const DrawnTile& tile : selection.grounds[0].tiles)
        EXPECT_TRUE(covers(meanwhile, *input.grounds[0].tree, input.grounds[0].tree->boundsOf(tile.ref)));
    const auto after = settle();
    EXPECT_EQ(tiles.waiting(), 0U);
    const auto tallest = [](const std::vector<DrawItem>& items) {
        float out = -1e30F;
        for (const DrawItem& item : items)
            for (const Vec3f& p : item.mesh->positions)
                out = std::max(out, p.y());
        return out;
    };
    EXPECT_GT(tallest(after), tallest(before) + 1);
}

TEST(GroundTiles, lighter_tiles_fit_their_neighbours_as_the_whole_ones_do) {
    const TempFolder folder;
    const Scene scene = groundScene(folder, false);
    const TerrainBody& body = *scene.subjects[0].terrain();
    TileTree tree = *body.tree;
    SelectInput input = selectInput(scene, scene.statedView());
    SelectState state;
    Selection selection;
    for (const double yaw : {0.3, 2.0, 4.4}) {
        const Vec3d eye(90 * std::cos(yaw), 15, 90 * std::sin(yaw));
        select(input, lookAt(View(), eye, eye - Vec3d(std::cos(yaw), 0.2, std::sin(yaw))), 0, {}, state, selection);
        // Each point on a side that two tiles share, of which both are drawn, is a point of both.
        std::map<std::pair<std::int64_t, std::int64_t>, std::vector<float>> points;
        std::size_t drawn = 0;
        for (const DrawnTile& tile : selection.grounds[0].tiles) {
            const auto whole = makeGroundTile(*body.heights, tree, tile.ref, tile.stitch);
            ASSERT_TRUE(whole->lighter);
            const GroundMesh& light = *whole->lighter;
            EXPECT_LE(light.mesh.triangleCount(), whole->mesh.triangleCount() / 3);
            EXPECT_EQ(light.extras.size(), 5 * light.mesh.positions.size());
            const double side = static_cast<double>(std::uint64_t{tree.cells} << tile.ref.level) * tree.spacing;
            std::set<std::pair<std::int64_t, std::int64_t>> own;
            for (const std::uint32_t v : light.mesh.indices) {
                const Vec3f& p = light.mesh.positions[v];
                if (light.extras[5 * std::size_t{v} + 1] == 0) // not on a side
                    continue;
                const std::pair at(std::llround(tile.ref.x * side + static_cast<double>(p.x())),
                                   std::llround(tile.ref.y * side + static_cast<double>(p.z())));
                if (own.insert(at).second)
                    points[at].push_back(p.y());
            }
            ++drawn;
        }
        EXPECT_GT(drawn, 4U);
        std::size_t shared = 0;
        for (const auto& [at, heights] : points) {
            shared += heights.size() > 1 ? 1 : 0;
            for (const float height : heights)
                EXPECT_EQ(height, heights.front()) << at.first << ", " << at.second;
        }
        EXPECT_GT(shared, 8U);
        // And where a finer tile meets a coarser one, it has no point that the coarser one lacks.
        for (const DrawnTile& tile : selection.grounds[0].tiles) {
            const auto light = makeGroundTile(*body.heights, tree, tile.ref, tile.stitch)->lighter;
            const double side = static_cast<double>(std::uint64_t{tree.cells} << tile.ref.level) * tree.spacing;
            const double step = side / 8;
            for (const std::uint32_t v : light->mesh.indices) {
                const int on = static_cast<int>(light->extras[5 * std::size_t{v} + 1]);
                if (on == 0 || (tile.stitch & (1U << (on - 1))) == 0)
                    continue;
                const Vec3f& p = light->mesh.positions[v];
                const double along = static_cast<double>(on == 1 || on == 3 ? p.x() : p.z());
                EXPECT_NEAR(std::remainder(along, 2 * step), 0, 1e-3) << "an odd point on a stitched side";
            }
        }
    }
}

} // namespace
} // namespace thicket::app
