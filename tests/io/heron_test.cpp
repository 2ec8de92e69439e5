// The skinned figure of the demo through all that Thin does with it.

#include "base/file.h"
#include "io/import/import.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "mesh/pose.h"
#include "models.h"
#include "scene/thin_subject.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>

namespace thicket {
namespace {
namespace fs = std::filesystem;

Subject heronFrom(const fs::path& folder) {
    demo::Model model = demo::heron();
    const fs::path file = folder / "heron.glb";
    EXPECT_TRUE(writeFile(file, encodeGlb("Heron", {std::make_shared<const Mesh>(std::move(model.levels.front()))},
                                          model.surfaces, GlbLevels::Named, {}, &model.rig)));
    auto read = readModel(file, {});
    EXPECT_TRUE(read);
    auto subject = makeSubject(std::move(read->front()), {});
    EXPECT_TRUE(subject);
    return std::move(*subject);
}

TEST(Heron, stands_on_the_ground_moves_and_stays_in_one_piece_while_it_does) {
    const TempFolder folder;
    const Subject heron = heronFrom(folder.path());
    ASSERT_TRUE(heron.mesh().rig);
    ASSERT_EQ(heron.mesh().rig->animations.size(), 2U);
    const Mesh& mesh = *heron.mesh().levels.front().mesh;
    EXPECT_GT(mesh.triangleCount(), 60'000U);
    EXPECT_NEAR(heron.bounds.low.y(), 0, 0.02);
    EXPECT_NEAR(heron.bounds.high.y(), 1, 0.05);
    for (const Moment& moment : momentsOf(*heron.mesh().rig, 10)) {
        const Mesh pose = posed(mesh, poseAt(*heron.mesh().rig, moment));
        double most = 0;
        for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
            most = std::max(most, static_cast<double>((pose.positions[v] - mesh.positions[v]).norm()));
        EXPECT_GT(most, 0.02) << "it moves";
        EXPECT_LT(most, 1.2);
    }
}

TEST(Heron, levels_hold_what_they_promise_in_poses_that_were_not_measured) {
    const TempFolder folder;
    const Subject heron = heronFrom(folder.path());
    const auto state = recordSubject(heron, {}, {});
    ASSERT_TRUE(state) << state.error().text();
    const auto thinned =
        thinSubject(heron, *state, presetFor(Role::WorkingPiece, heron.mesh().levels[0].triangles).targets, {});
    ASSERT_TRUE(thinned);
    ASSERT_GE(thinned->mesh().levels.size(), 4U);
    for (std::size_t i = 1; i < thinned->mesh().levels.size(); ++i) {
        const Level& level = thinned->mesh().levels[i];
        EXPECT_GT(level.posed, 0);
        EXPECT_GE(level.promised, level.posed);
        ASSERT_TRUE(level.driftTexels);
        for (const Moment& moment : momentsOf(*heron.mesh().rig, 3)) {
            const Pose pose = poseAt(*heron.mesh().rig, moment);
            const auto off = measureDeviation(posed(*heron.mesh().levels[0].mesh, pose), posed(*level.mesh, pose),
                                              {5'000, 0.1, 0}, {});
            EXPECT_LT(off->max(), 1.05 * level.promised) << "L" << i << " at " << moment.seconds;
        }
    }
}

TEST(Heron, shares_its_vertices_between_levels_when_asked_and_is_read_back_equal) {
    const TempFolder folder;
    Subject heron = heronFrom(folder.path());
    heron.mesh().cutRules.reuseVertices = true;
    const auto state = recordSubject(heron, {}, {});
    ASSERT_TRUE(state);
    auto thinned = thinSubject(heron, *state, {{TargetKind::ShareOfFirst, 0.3}, {TargetKind::ShareOfFirst, 0.05}}, {});
    ASSERT_TRUE(thinned);
    ASSERT_EQ(thinned->mesh().levels.size(), 3U);
    EXPECT_GT(sharedVertexBytes(*thinned), 1e5);
    for (std::size_t i = 1; i < 3; ++i)
        EXPECT_EQ(findVertices(*thinned->mesh().levels[0].mesh, *thinned->mesh().levels[i].mesh).size(),
                  thinned->mesh().levels[i].mesh->positions.size());
    thinned->id = 1;
    Scene scene;
    scene.subjects = {*thinned};
    const auto shared = shipScene(scene, folder.path() / "shared", {}, {});
    ASSERT_TRUE(shared) << shared.error().text();
    scene.subjects[0].mesh().cutRules.reuseVertices = false;
    const auto apart = shipScene(scene, folder.path() / "apart", {}, {});
    ASSERT_TRUE(apart);
    const auto sizeOf = [](const ShipReport& report) { return report.files.front().bytes; };
    EXPECT_LT(static_cast<double>(sizeOf(*shared)),
              static_cast<double>(sizeOf(*apart)) - 0.8 * sharedVertexBytes(*thinned));
}

} // namespace
} // namespace thicket
