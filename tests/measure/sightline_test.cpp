#include "measure/sightline.h"
#include "support/shapes.h"

#include <gtest/gtest.h>

namespace thicket {

TEST(Sightline, looks_at_a_sphere_from_outside) {
    const Mesh ball = shapes::sphere(16);
    const SurfaceRays rays(ball);
    for (const Vec3d& out : {Vec3d(1, 0, 0), Vec3d(0, 0, -1), Vec3d(0.6, 0.8, 0)}) {
        const Vec3d at = sightlineTo(rays, {out}, out, 0.1);
        EXPECT_NEAR(at.norm(), 1, 1e-9);
        EXPECT_GT(at.dot(out), 0.6);
        const Vec3d unknown = sightlineTo(rays, {out}, Vec3d::Zero(), 0.1);
        EXPECT_FALSE(rays.cast(out + unknown * 1e-4, unknown)) << "seen, though nobody said where it faces";
    }
}

TEST(Sightline, looks_through_the_one_opening_of_a_box) {
    // A box of 2 without its side towards +z: what lies on its floor is seen through that alone.
    Mesh box = shapes::box(6, {2, 2, 2});
    std::vector<std::uint32_t> kept;
    for (std::uint32_t t = 0; t < box.triangleCount(); ++t) {
        bool open = true;
        for (std::uint32_t k = 0; k < 3; ++k)
            open &= box.positions[box.indices[3 * t + k]].z() > 0.999F;
        for (std::uint32_t k = 0; k < 3 && !open; ++k)
            kept.push_back(box.indices[3 * t + k]);
    }
    ASSERT_LT(kept.size(), box.indices.size());
    box.indices.assign(kept.begin(), kept.end());
    shapes::onePart(box);
    const SurfaceRays rays(box);
    const Vec3d floor(0, -0.99, 0.2);
    const Vec3d at = sightlineTo(rays, {floor}, Vec3d(0, 1, 0), 0.1);
    EXPECT_FALSE(rays.cast(floor + at * 1e-4, at));
    EXPECT_GT(at.z(), 0.3);
}

TEST(Sightline, what_cannot_be_seen_is_looked_at_from_where_it_faces) {
    const Mesh ball = shapes::sphere(12);
    const SurfaceRays rays(ball);
    const Vec3d at = sightlineTo(rays, {Vec3d(0.1, 0, 0)}, Vec3d(1, 0, 0), 0.1);
    EXPECT_GT(at.x(), 0.8);
}

} // namespace thicket
