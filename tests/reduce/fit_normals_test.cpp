// Normals of a level shade it as its source is shaded, in the mean over the surface.

#include "reduce/fit_normals.h"

#include "reduce/chain.h"
#include "reduce/record.h"
#include "support/shapes.h"

#include <Eigen/Geometry>
#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <random>

namespace thicket {
namespace {

/// A ball whose surface waves finely: between the vertices of a level lies more than one wave.
Mesh rippled() {
    Mesh out = shapes::sphere(40);
    out.normals.clear();
    for (Vec3f& p : out.positions) {
        const Vec3f way = p.normalized();
        p *= 1 + 0.01F * std::sin(23 * p.x()) * std::sin(19 * p.y()) * std::sin(21 * p.z());
        out.normals.push_back(way);
    }
    std::vector<Vec3f> sums(out.positions.size(), Vec3f::Zero());
    for (std::size_t i = 0; i < out.indices.size(); i += 3) {
        const Vec3f& a = out.positions[out.indices[i]];
        const Vec3f n = (out.positions[out.indices[i + 1]] - a).cross(Vec3f(out.positions[out.indices[i + 2]] - a));
        for (std::size_t k = 0; k < 3; ++k)
            sums[out.indices[i + k]] += n;
    }
    for (std::size_t v = 0; v < sums.size(); ++v)
        out.normals[v] = sums[v].normalized();
    return out;
}

/// A box each of whose triangles has corners of its own, all of its own normal.
Mesh hardBox() {
    const Mesh box = shapes::box(12, {2, 1, 3});
    Mesh out = box;
    out.positions.clear();
    for (std::uint32_t i = 0; i < box.indices.size(); ++i) {
        out.positions.push_back(box.positions[box.indices[i]]);
        out.indices[i] = i;
    }
    for (std::size_t i = 0; i < out.positions.size(); i += 3)
        for (int k = 0; k < 3; ++k)
            out.normals.push_back((out.positions[i + 1] - out.positions[i])
                                      .cross(Vec3f(out.positions[i + 2] - out.positions[i]))
                                      .normalized());
    return out;
}

/// The mean squared distance of the mixed normals to the source's, at random places of the level.
double shadingOff(const Mesh& source, const SurfaceQuery& query, const Mesh& level) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> any(0, 1);
    std::vector<double> areas;
    const auto corner = [](const Mesh& m, std::uint32_t t, std::size_t k) {
        return Vec3d(m.positions[m.indices[3 * std::size_t{t} + k]].cast<double>());
    };
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        areas.push_back(
            (corner(level, t, 1) - corner(level, t, 0)).cross(corner(level, t, 2) - corner(level, t, 0)).norm());
    std::discrete_distribution<std::uint32_t> choose(areas.begin(), areas.end());
    double sum = 0;
    constexpr int kPlaces = 8000;
    for (int i = 0; i < kPlaces; ++i) {
        const std::uint32_t t = choose(random);
        double a = any(random);
        double b = any(random);
        if (a + b > 1) {
            a = 1 - a;
            b = 1 - b;
        }
        const Vec3d share(1 - a - b, a, b);
        Vec3d place = Vec3d::Zero();
        Vec3f mixed = Vec3f::Zero();
        for (std::size_t k = 0; k < 3; ++k) {
            place += share[static_cast<int>(k)] * corner(level, t, k);
            mixed +=
                static_cast<float>(share[static_cast<int>(k)]) * level.normals[level.indices[3 * std::size_t{t} + k]];
        }
        const ClosestPoint at = query.closest(place);
        Eigen::Matrix3d corners;
        for (std::size_t k = 0; k < 3; ++k)
            corners.col(static_cast<int>(k)) = corner(source, at.triangle, k);
        const Vec3d shares = corners.colPivHouseholderQr().solve(at.point);
        Vec3f wanted = Vec3f::Zero();
        for (std::size_t k = 0; k < 3; ++k)
            wanted += static_cast<float>(shares[static_cast<int>(k)]) *
                      source.normals[source.indices[3 * std::size_t{at.triangle} + k]];
        sum += static_cast<double>((mixed.normalized() - wanted.normalized()).squaredNorm());
    }
    return sum / kPlaces;
}

} // namespace

TEST(FitNormals, a_coarse_level_is_shaded_nearer_to_its_source_in_the_mean) {
    const Mesh source = rippled();
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    for (const double share : {0.2, 0.05, 0.01}) {
        const Mesh cut = cutRecord(*record, static_cast<std::uint32_t>(share * source.triangleCount()));
        const auto fitted = fitNormals(source, query, cut, {});
        ASSERT_TRUE(fitted);
        EXPECT_EQ(fitted->positions, cut.positions);
        EXPECT_EQ(fitted->indices, cut.indices);
        const double was = shadingOff(source, query, cut);
        const double is = shadingOff(source, query, *fitted);
        EXPECT_LT(is, 0.9 * was) << "at " << share;
        for (const Vec3f& n : fitted->normals)
            EXPECT_NEAR(n.norm(), 1, 1e-5F);
        const auto again = fitNormals(source, query, cut, {});
        ASSERT_TRUE(again);
        EXPECT_EQ(again->normals, fitted->normals) << "the same for any order of threads";
    }
}

TEST(FitNormals, tangents_lie_across_what_was_fitted_and_keep_their_side) {
    const Mesh source = rippled();
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    Mesh cut = cutRecord(*record, source.triangleCount() / 20);
    for (std::uint32_t v = 0; v < cut.vertexCount(); ++v) {
        const Vec3f n = cut.normals[v];
        const Vec3f across = n.cross(std::abs(n.y()) < 0.9F ? Vec3f(0, 1, 0) : Vec3f(1, 0, 0)).normalized();
        cut.extras.tangents.emplace_back(across.x(), across.y(), across.z(), v % 3 == 0 ? -1.0F : 1.0F);
    }
    const auto fitted = fitNormals(source, query, cut, {});
    ASSERT_TRUE(fitted);
    ASSERT_EQ(fitted->extras.tangents.size(), cut.extras.tangents.size());
    std::size_t turned = 0;
    for (std::uint32_t v = 0; v < cut.vertexCount(); ++v) {
        const Vec3f tangent = fitted->extras.tangents[v].head<3>();
        const Vec3f before = cut.extras.tangents[v].head<3>();
        EXPECT_NEAR(tangent.norm(), 1, 1e-5F);
        EXPECT_NEAR(tangent.dot(fitted->normals[v]), 0, 1e-5F);
        EXPECT_GT(tangent.dot(before), 0.5F) << "by no more than the normal was turned";
        EXPECT_EQ(fitted->extras.tangents[v].w(), cut.extras.tangents[v].w());
        turned += std::abs(before.dot(fitted->normals[v])) > 1e-3F ? 1 : 0;
    }
    EXPECT_GT(turned, cut.vertexCount() / 2) << "most would have been askew";
}

TEST(FitNormals, hard_edges_stay_hard) {
    const Mesh source = hardBox();
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    const Mesh cut = cutRecord(*record, 60);
    const auto fitted = fitNormals(source, query, cut, {});
    ASSERT_TRUE(fitted);
    for (std::size_t v = 0; v < cut.normals.size(); ++v)
        EXPECT_LT((fitted->normals[v] - cut.normals[v]).norm(), 1e-3F);
}

TEST(FitNormals, both_sides_of_a_seam_get_one_normal) {
    const Mesh source = shapes::texturedSphere(60, 30);
    const SurfaceQuery query(source);
    const auto record = recordCollapses(source, {}, {});
    ASSERT_TRUE(record);
    const auto level = cutAndPolish(source, query, *record, source.triangleCount() / 20, {});
    ASSERT_TRUE(level);
    std::map<std::array<float, 3>, Vec3f> seen;
    std::size_t seams = 0;
    for (std::size_t v = 0; v < level->positions.size(); ++v) {
        const Vec3f& p = level->positions[v];
        const auto [at, first] = seen.try_emplace({p.x(), p.y(), p.z()}, level->normals[v]);
        if (first)
            continue;
        ++seams;
        EXPECT_EQ(at->second, level->normals[v]);
    }
    EXPECT_GT(seams, 3U);
}

TEST(FitNormals, what_has_none_or_is_turned_away_is_left_as_it_is) {
    const Mesh source = shapes::texturedSphere(40, 20);
    const SurfaceQuery query(source);
    Mesh bare = shapes::sphere(5);
    bare.normals.clear();
    const auto none = fitNormals(source, query, bare, {});
    ASSERT_TRUE(none);
    EXPECT_TRUE(none->normals.empty());
    // Inside out: nothing of the source faces as its triangles do.
    Mesh turned = shapes::texturedSphere(12, 6);
    ASSERT_FALSE(turned.normals.empty());
    for (std::size_t i = 0; i < turned.indices.size(); i += 3)
        std::swap(turned.indices[i], turned.indices[i + 1]);
    const auto left = fitNormals(source, query, turned, {});
    ASSERT_TRUE(left);
    EXPECT_EQ(left->normals, turned.normals);
}

} // namespace thicket
