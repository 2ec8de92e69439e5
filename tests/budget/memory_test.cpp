// Memory along a route: counted by hand, with what is loaded ahead and what is shared.

#include "budget/memory.h"

#include "budget/first_audit.h"
#include "image/image.h"
#include "scene/grounds.h"
#include "scene/kinds.h"
#include "support/shapes.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace thicket {
namespace {

double bytesOf(const Level& level) {
    return static_cast<double>(level.mesh->bytes());
}

/// A ball of three levels that the route goes away from.
Scene ballScene() {
    Scene scene;
    Subject ball;
    ball.id = scene.nextId++;
    ball.name = "ball";
    ball.mesh().surfaces = std::make_shared<const Surfaces>();
    for (const int splits : {16, 8, 4}) {
        Level level = levelFrom(std::make_shared<const Mesh>(shapes::sphere(splits)), {}, LevelOrigin::Collapsed);
        level.origin = splits == 16 ? LevelOrigin::Source : LevelOrigin::Collapsed;
        level.visible = level.promised = 0.04 / splits;
        ball.mesh().levels.push_back(std::move(level));
    }
    refreshSubject(ball);
    ball.rule.fadeSeconds = 0;
    ball.rule.hysteresis = 0;
    Placement at;
    at.id = scene.nextId++;
    ball.mesh().placed = std::make_shared<const Placements>(Placements{at});
    scene.subjects = {ball};
    scene.settings.cullHidden = false;
    scene.settings.routes = {{"away", {{0, {0, 0, 3}, {0, 0, 0}}, {10, {0, 0, 60}, {0, 0, 0}}}}};
    return scene;
}

Device device(double ahead) {
    Device out;
    out.frameRate = 10;
    out.aheadSeconds = ahead;
    return out;
}

TEST(Memory, all_of_it_is_there_where_nothing_is_loaded_ahead) {
    const Scene scene = ballScene();
    const Audit audit = test::auditOf(scene, device(0));
    double all = 32;
    for (const Level& level : scene.subjects[0].mesh().levels)
        all += bytesOf(level);
    EXPECT_NEAR(audit.memory.all, all / 1e6, 1e-9);
    for (const AuditFrame& f : audit.frames)
        EXPECT_NEAR(f.memoryMb, all / 1e6, 1e-6);
}

TEST(Memory, levels_are_there_so_long_before_and_after_they_show) {
    const Scene scene = ballScene();
    const auto& levels = scene.subjects[0].mesh().levels;
    std::vector<std::vector<Shown>> shown;
    for (int f = 0; f < 40; ++f) // L0 in frames 0 to 9, L1 to 19, L2 from 30 on
        shown.push_back({{f < 10 ? 1U : f < 20 ? 2U : f < 30 ? 0U : 4U, 0}});
    for (const double ahead : {0.1, 0.3, 0.7, 1.5, 3.0}) {
        const MemoryUse use = memoryAlong(scene, device(ahead), shown);
        const int frames = static_cast<int>(ahead * 10);
        for (int f = 0; f < 40; ++f) {
            double expected = 32;
            for (std::size_t level = 0; level < 3; ++level) {
                bool near = false;
                for (int k = std::max(0, f - frames); k <= std::min(39, f + frames); ++k)
                    near = near || (shown[static_cast<std::size_t>(k)][0].levels >> level & 1U) != 0;
                expected += near ? bytesOf(levels[level]) : 0;
            }
            EXPECT_NEAR(use.frames[static_cast<std::size_t>(f)], expected / 1e6, 1e-6) << f << " at " << ahead;
        }
    }
}

TEST(Memory, a_route_that_goes_away_needs_less_and_a_budget_tells_when_it_is_too_much) {
    const Scene scene = ballScene();
    Device small = device(0.2);
    Audit audit = test::auditOf(scene, small);
    EXPECT_LT(audit.frames.back().memoryMb, audit.frames.front().memoryMb);
    EXPECT_TRUE(audit.holds());
    small.memoryMb = (audit.memory.worst + audit.frames.back().memoryMb) / 2;
    audit = test::auditOf(scene, small);
    const auto over = std::count_if(audit.frames.begin(), audit.frames.end(),
                                    [&](const AuditFrame& f) { return f.memoryMb > small.memoryMb; });
    EXPECT_GT(over, 0);
    EXPECT_EQ(audit.memory.framesOver, static_cast<std::uint32_t>(over));
    EXPECT_EQ(audit.framesOver, 0U) << "time is another matter";
    EXPECT_FALSE(audit.holds());
}

TEST(Memory, vertices_and_pictures_that_levels_share_count_once) {
    Scene scene = ballScene();
    Subject& ball = scene.subjects[0];
    const double apart = memoryOfScene(scene)[0].all();
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    surfaces.materials[0].baseColorImage = 0;
    Pixels pixels;
    pixels.width = pixels.height = 64;
    pixels.rgba.assign(std::size_t{64} * 64 * 4, 200);
    surfaces.images = {encodePng(pixels, "skin")};
    ball.mesh().surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    const double picture0 = textureBytesOf(ball, ball.mesh().levels[0]);
    ASSERT_GT(picture0, 64 * 64 * 4);
    const SubjectMemory pictured = memoryOfScene(scene)[0];
    EXPECT_DOUBLE_EQ(pictured.all(), apart + picture0);
    EXPECT_DOUBLE_EQ(pictured.saved, 2 * picture0);
    ball.mesh().cutRules.reuseVertices = true;
    const SubjectMemory shared = memoryOfScene(scene)[0];
    double less = 0;
    for (std::size_t i = 1; i < 3; ++i) {
        const Mesh& mesh = *ball.mesh().levels[i].mesh;
        less += static_cast<double>(mesh.bytes() - mesh.indices.size() * sizeof(std::uint32_t));
    }
    EXPECT_DOUBLE_EQ(shared.all(), pictured.all() - less);
    EXPECT_DOUBLE_EQ(shared.with(0, 0), 32) << "where nothing shows, only the places are there";
}

TEST(Memory, a_fields_meshes_are_there_as_far_as_the_field_shows_them) {
    Scene scene = ballScene();
    Placements copies(40);
    for (std::uint32_t i = 0; i < 40; ++i) {
        copies[i].id = scene.nextId++;
        copies[i].position = {0.1 * i, 0, 30 + 0.2 * i}; // far from the route's beginning
    }
    scene.subjects[0].mesh().placed = nullptr; // it stands nowhere by itself
    Subject field;
    field.id = scene.nextId++;
    field.name = "balls";
    InstancesBody body;
    body.assets = {scene.subjects[0].id};
    body.copies = std::make_shared<const Placements>(copies);
    field.body = std::move(body);
    field.rule.fadeSeconds = 0;
    refresh(scene, field);
    scene.subjects.push_back(field);
    Device d = device(0.1);
    const Audit audit = test::auditOf(scene, d);
    EXPECT_EQ(audit.shown[1], 0U) << "a field has no levels";
    ASSERT_NE(audit.shown[0], 0U) << "its mesh has, and they show";
    const std::vector<SubjectMemory> memory = memoryOfScene(scene);
    EXPECT_EQ(memory[1].always, 40 * 32);
    double most = 40 * 32;
    for (std::size_t level = 0; level < 3; ++level)
        most += (audit.shown[0] >> level & 1U) != 0 ? bytesOf(scene.subjects[0].mesh().levels[level]) : 0;
    EXPECT_LE(audit.memory.worst, most / 1e6 + 1e-9) << "what never shows is never there";
}

TEST(Memory, of_a_terrain_the_tiles_that_show_are_there) {
    TerrainBody body;
    body.trial = GroundRecipe();
    body.trial->columns = body.trial->rows = 257;
    body.cells = 32;
    auto ground = makeTerrain("Hill", std::move(body), {});
    ASSERT_TRUE(ground);
    Scene scene;
    ground->id = scene.nextId++;
    scene.subjects = {std::move(*ground)};
    scene.settings.routes = {{"along", {{0, {-60, 40, 60}, {0, 0, 0}}, {2, {60, 40, 60}, {0, 0, 0}}}}};
    const SubjectMemory memory = memoryOfScene(scene)[0];
    EXPECT_EQ(memory.tile, 33 * 33 * 12);
    EXPECT_EQ(memory.with(0, 7), 7 * memory.tile);
    EXPECT_EQ(memory.all(), memory.tiles);
    const Audit ahead = test::auditOf(scene, device(0.2));
    const Audit all = test::auditOf(scene, device(0));
    EXPECT_LT(ahead.memory.worst, all.memory.worst);
    for (const AuditFrame& f : ahead.frames) {
        const double tiles = f.memoryMb * 1e6 / memory.tile;
        EXPECT_NEAR(tiles, std::round(tiles), 1e-3);
        EXPECT_GE(tiles, 1);
    }
}

TEST(Memory, of_smoke_and_strands_all_is_always_there) {
    Scene scene;
    Subject smoke;
    smoke.id = scene.nextId++;
    EmitterBody body;
    body.emitter.parts.emplace_back();
    const double particles = forecastOf(body.emitter.parts).bytes();
    smoke.body = std::move(body);
    scene.subjects = {smoke};
    EXPECT_EQ(memoryOfScene(scene)[0].with(0, 0), particles);
    Subject grass;
    grass.id = scene.nextId++;
    StrandSet set;
    set.points = {{0, 0, 0}, {0, 1, 0}, {1, 0, 0}, {1, 1, 0}};
    set.widths = {0.1F, 0.1F, 0.1F, 0.1F};
    set.first = {0, 2, 4};
    StrandsBody strands;
    strands.strands = std::make_shared<const StrandSet>(set);
    grass.body = std::move(strands);
    scene.subjects.push_back(grass);
    EXPECT_EQ(memoryOfScene(scene)[1].with(0, 0), static_cast<double>(set.bytes()));
}

} // namespace
} // namespace thicket
