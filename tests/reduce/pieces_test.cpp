#include "reduce/pieces.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <numeric>
#include <random>

namespace thicket {
namespace {

struct Thinned {
    Mesh source;
    Record before;
    Record after;
    DeviationCurve curve;
};

Thinned dropFrom(Mesh source) {
    Thinned t;
    t.source = std::move(source);
    t.before = *recordCollapses(t.source, {}, {});
    t.after = t.before;
    const SurfaceQuery query(t.source);
    t.curve = *measureCurve(t.source, query, t.before, {});
    EXPECT_TRUE(dropPieces(t.after, t.curve, {}, {}));
    return t;
}

void expectOrderly(const Record& record) {
    EXPECT_TRUE(std::is_sorted(record.alive.rbegin(), record.alive.rend()));
    EXPECT_TRUE(std::is_sorted(record.error.begin(), record.error.end()));
    EXPECT_TRUE(std::is_sorted(record.birth.begin(), record.birth.end()));
    for (std::uint32_t time = 0; time <= record.collapses(); time += 1 + record.collapses() / 50) {
        std::uint32_t living = 0;
        for (const std::uint32_t death : record.death)
            living += death > time ? 1 : 0;
        EXPECT_EQ(living, record.alive[time]) << "after event " << time;
    }
}

/// A ball with thirty grains on it.
Mesh grains() {
    Mesh mesh = shapes::sphere(24);
    const Mesh grain = shapes::sphere(3, 0.012);
    const Mesh spots = shapes::sphere(2);
    for (std::uint32_t i = 0; i < 30; ++i)
        shapes::append(mesh, grain, spots.positions[i].cast<double>() * 1.008);
    return mesh;
}

/// Rods side by side, like a reed mat: spacing 0.05, radius 0.01.
Mesh mat(int rods) {
    Mesh mesh;
    for (int i = 0; i < rods; ++i)
        shapes::append(mesh, shapes::rod(1.5, 0.01, 24, 8), {0, 0, 0.05 * i});
    return mesh;
}

/// Where along Z the living rods of a level of the mat stand, and how thick each is.
std::map<int, double> standing(const Mesh& level) {
    std::map<int, std::pair<double, double>> span;
    for (const Vec3f& p : level.positions) {
        const double z = static_cast<double>(p.z());
        auto& [low, high] = span.try_emplace(static_cast<int>(std::lround(z / 0.05)), z, z).first->second;
        low = std::min(low, z);
        high = std::max(high, z);
    }
    std::map<int, double> thickness;
    for (const auto& [rod, ends] : span)
        thickness[rod] = ends.second - ends.first;
    return thickness;
}

} // namespace

namespace {

constexpr int kLeaves = 1200;

/// A tree: leaves of 0.2 m in a ball of 1 m, the lower half of the file's order below, and a trunk with its foot 3 m down.
Mesh tree() {
    Mesh mesh;
    shapes::append(mesh, shapes::rod(3, 0.1, 24, 24), {0, 0, 0});
    for (Vec3f& p : mesh.positions) // it lies along X
        p = Vec3f(p.y(), p.x() - 3, p.z());
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    std::vector<Vec3d> places;
    while (places.size() < kLeaves)
        if (const Vec3d at(unit(random), unit(random), unit(random)); at.norm() <= 1)
            places.push_back(at);
    std::sort(places.begin(), places.end(), [](const Vec3d& a, const Vec3d& b) { return a.y() < b.y(); });
    for (const Vec3d& at : places) {
        const Vec3d side = 0.1 * Vec3d(unit(random), unit(random), unit(random)).normalized();
        const Vec3d up = 0.1 * side.cross(Vec3d(unit(random), unit(random), unit(random))).normalized();
        const std::uint32_t base = mesh.vertexCount();
        for (const Vec3d& corner : {Vec3d(-side - up), Vec3d(side - up), Vec3d(side + up), Vec3d(-side + up)})
            mesh.positions.push_back((at + corner).cast<float>());
        for (const std::uint32_t k : {0U, 1U, 2U, 0U, 2U, 3U})
            mesh.indices.push_back(base + k);
    }
    mesh.normals.clear();
    mesh.uvs.clear();
    shapes::onePart(mesh);
    return mesh;
}

/// How many triangles hang together with each triangle by points, and where the middle of all of them is.
std::vector<std::pair<int, Vec3d>> piecesOf(const Mesh& mesh) {
    const Weld weld = weldPositions(mesh);
    std::vector<std::uint32_t> root(weld.pointCount);
    std::iota(root.begin(), root.end(), 0U);
    const auto find = [&root](std::uint32_t i) {
        while (root[i] != i)
            i = root[i] = root[root[i]];
        return i;
    };
    for (std::size_t c = 0; c < mesh.indices.size(); ++c)
        root[find(weld.pointOf[mesh.indices[c]])] = find(weld.pointOf[mesh.indices[c / 3 * 3]]);
    std::map<std::uint32_t, std::pair<int, Vec3d>> pieces;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        auto& [count, sum] =
            pieces.try_emplace(find(weld.pointOf[mesh.indices[3 * t]]), 0, Vec3d(0, 0, 0)).first->second;
        ++count;
        for (std::uint32_t k = 0; k < 3; ++k)
            sum += mesh.positions[mesh.indices[3 * t + k]].cast<double>() / 3;
    }
    std::vector<std::pair<int, Vec3d>> out;
    for (const auto& [point, piece] : pieces)
        out.emplace_back(piece.first, piece.second / piece.first);
    return out;
}

} // namespace

TEST(Pieces, leaves_are_whole_or_gone_on_every_side_of_a_tree_alike) {
    const Thinned t = dropFrom(tree());
    ASSERT_TRUE(t.after.aggregate);
    EXPECT_GE(t.before.fewestTriangles(), 2U * kLeaves) << "half a leaf is no level of it";
    for (const std::uint32_t triangles : {1800U, 1000U, 600U}) {
        const Mesh level = cutRecord(t.after, triangles);
        ASSERT_LE(level.triangleCount(), triangles);
        std::map<int, int> below; // by eighths of the ball
        int leaves = 0;
        for (const auto& [count, middle] : piecesOf(level)) {
            if (middle.y() < -1.05) // the trunk
                continue;
            EXPECT_EQ(count, 2) << triangles;
            ++below[(middle.x() < 0 ? 1 : 0) + (middle.y() < 0 ? 2 : 0) + (middle.z() < 0 ? 4 : 0)];
            ++leaves;
        }
        ASSERT_EQ(below.size(), 8U);
        for (const auto& [eighth, count] : below)
            EXPECT_NEAR(count, leaves / 8.0, 0.35 * leaves / 8.0) << triangles << ", eighth " << eighth;
    }
}

TEST(Pieces, what_goes_without_being_one_of_the_many_is_not_made_up_for) {
    Mesh mesh = tree();
    // Twigs among the leaves, six times as large, which are in the way of nothing and go too.
    for (int i = 0; i < 12; ++i)
        shapes::append(mesh, shapes::rod(0.8, 0.05, 6, 6), {0, 0.05 * i - 0.3, 0.04 * (i % 5) - 0.1});
    shapes::onePart(mesh);
    const Thinned t = dropFrom(mesh);
    ASSERT_TRUE(t.after.aggregate);
    std::vector<double> areas(t.after.pieces, 0);
    for (std::uint32_t i = 0; i < t.after.death.size(); ++i) {
        const auto at = [&](std::size_t k) {
            return t.after.positions[t.after.indices[3 * std::size_t{i} + k]].cast<double>().eval();
        };
        areas[t.after.pieceOf[i]] += (at(1) - at(0)).cross(at(2) - at(0)).norm() / 2;
    }
    double all = 0;
    std::size_t other = 0;
    for (std::size_t piece = 0; piece < areas.size(); ++piece) {
        all += t.after.pieceKinds[piece].grows ? areas[piece] : 0;
        other += t.after.pieceKinds[piece].grows ? 0 : 1;
    }
    EXPECT_GE(other, 12U) << "twigs and the trunk";
    std::map<std::uint32_t, std::uint32_t> goneBy; // when the last triangle of a piece goes
    for (std::uint32_t i = 0; i < t.after.death.size(); ++i)
        goneBy[t.after.pieceOf[i]] = std::max(goneBy[t.after.pieceOf[i]], t.after.death[i]);
    std::size_t twigs = 0;
    for (const Record::PieceDrop& drop : t.after.drops) {
        double left = 0;
        for (const auto& [piece, time] : goneBy) {
            left += t.after.pieceKinds[piece].grows && time > drop.time ? areas[piece] : 0;
            twigs += time == drop.time && !t.after.pieceKinds[piece].grows ? 1 : 0;
        }
        ASSERT_NEAR(drop.keptShare, left / all, 1e-5) << "at " << drop.time;
    }
    EXPECT_GT(twigs, 0U) << "some of them went";
}

TEST(Pieces, a_tree_that_is_thinned_keeps_its_outline_its_cover_and_its_trunk) {
    const Thinned t = dropFrom(tree());
    const Bounds before = boundsOf(t.source);
    const auto leafArea = [](const Mesh& mesh) {
        Mesh leaves = mesh;
        leaves.indices.clear();
        for (std::uint32_t i = 0; i < mesh.triangleCount(); ++i)
            if (mesh.positions[mesh.indices[3 * i]].y() > -1.2F)
                leaves.indices.insert(leaves.indices.end(), mesh.indices.begin() + 3 * i,
                                      mesh.indices.begin() + 3 * i + 3);
        return areaThatGrows(leaves, std::vector<std::uint32_t>(leaves.triangleCount(), 0), {});
    };
    for (const std::uint32_t triangles : {1800U, 1000U, 600U}) {
        const Mesh level = cutRecord(t.after, triangles);
        const Bounds after = boundsOf(level);
        // Leaves of a quarter of their number are twice as long: a rim of 0.14 m more, if they grew to all sides.
        EXPECT_LT((after.high - before.high).cwiseAbs().maxCoeff(), 0.08) << triangles;
        EXPECT_LT((after.low - before.low).cwiseAbs().maxCoeff(), 0.08) << triangles;
        EXPECT_NEAR(leafArea(level), leafArea(t.source), 0.3 * leafArea(t.source)) << triangles;
        double thickness = 0;
        for (const Vec3f& p : level.positions)
            if (p.y() < -2.5F)
                thickness = std::max(thickness, static_cast<double>(std::hypot(p.x(), p.z())));
        EXPECT_GT(thickness, 0.05) << triangles;
        // Round, it is 0.1; of three sides that hold as much, 0.16. Grown as the leaves are it would be 0.2 and more.
        EXPECT_LT(thickness, 0.18) << triangles << ": the trunk is none of the many";
    }
}

TEST(Pieces, grains_go_and_the_ball_stays) {
    const Thinned t = dropFrom(grains());
    EXPECT_EQ(t.after.pieces, 31U);
    EXPECT_FALSE(t.after.aggregate);
    ASSERT_EQ(t.after.drops.size(), 30U);
    expectOrderly(t.after);
    EXPECT_GE(t.before.fewestTriangles(), 31U * 4);
    EXPECT_LE(t.after.fewestTriangles(), t.before.fewestTriangles() - 30 * 4);
    for (const Record::PieceDrop& drop : t.after.drops) {
        EXPECT_GE(t.after.error[drop.time], 0.012F) << "a grain went while it was larger than the error";
        EXPECT_LE(t.after.error[drop.time], 0.04F) << "a grain stayed though it was far below the error";
    }
}

TEST(Pieces, a_level_without_its_grains_is_no_worse) {
    const Thinned t = dropFrom(grains());
    const SurfaceQuery query(t.source);
    for (const double metres : {0.03, 0.06, 0.12}) {
        const auto with = static_cast<std::uint32_t>(t.curve.trianglesAt(metres));
        const Mesh level = cutRecord(t.after, with);
        shapes::expectSound(level);
        EXPECT_TRUE(shapes::isClosed(level));
        const auto deviation = measureDeviation(t.source, query, level, {}, {});
        ASSERT_TRUE(deviation);
        EXPECT_LE(deviation->max(), 1.15 * metres) << level.triangleCount() << " triangles";
    }
}

TEST(Pieces, far_apart_pieces_are_all_kept) {
    Mesh mesh = shapes::sphere(8);
    shapes::append(mesh, shapes::sphere(8), {20, 0, 0});
    shapes::append(mesh, shapes::sphere(3, 0.1), {10, 0, 0}); // small, but nothing near could stand for it
    const Thinned t = dropFrom(mesh);
    EXPECT_EQ(t.after.pieces, 3U);
    EXPECT_TRUE(t.after.drops.empty());
    EXPECT_EQ(t.after.fewestTriangles(), t.before.fewestTriangles());
}

TEST(Pieces, one_piece_changes_nothing) {
    const Thinned t = dropFrom(shapes::bumpy(10, 3));
    EXPECT_EQ(t.after.pieces, 1U);
    EXPECT_TRUE(t.after.drops.empty());
    EXPECT_TRUE(t.after.pieceOf.empty());
}

TEST(Pieces, a_mat_keeps_evenly_spread_rods) {
    const Thinned t = dropFrom(mat(64));
    EXPECT_TRUE(t.after.aggregate);
    expectOrderly(t.after);
    ASSERT_GE(t.after.drops.size(), 32U);
    const Mesh half = cutRecord(t.after, t.after.alive[t.after.drops[31].time]);
    shapes::expectSound(half);
    const auto rods = standing(half);
    EXPECT_LE(rods.size(), 33U);
    EXPECT_GE(rods.size(), 30U);
    int last = rods.begin()->first;
    for (const auto& [rod, thickness] : rods) {
        EXPECT_LE(rod - last, 3) << "a hole of more than two rods before rod " << rod;
        last = rod;
    }
}

TEST(Pieces, what_stays_grows_to_hold_the_cover) {
    const Thinned t = dropFrom(mat(64));
    ASSERT_GE(t.after.drops.size(), 24U);
    const Record::PieceDrop& last = t.after.drops[23];
    const Mesh grown = cutRecord(t.after, t.after.alive[last.time]);
    const Mesh plain = cutRecord(t.before, t.before.alive[t.before.collapses()]);
    double all = 0;
    double kept = 0;
    for (const auto& [rod, thickness] : standing(plain))
        all += thickness;
    for (const auto& [rod, thickness] : standing(grown))
        kept += thickness;
    EXPECT_GE(kept, 0.75 * all); // these rods are down to four triangles each, and lean
    EXPECT_LE(kept, 1.2 * all);
    EXPECT_TRUE(shapes::isClosed(grown));
}

TEST(Pieces, round_rods_grow_by_what_is_missing) {
    Mesh level = mat(40);
    std::vector<std::uint32_t> pieceOf;
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        pieceOf.push_back(t / (level.triangleCount() / 40));
    growPieces(level, pieceOf, {}, 0.5, 1);
    for (const auto& [rod, thickness] : standing(level))
        EXPECT_NEAR(thickness, 2 * 0.02, 0.002) << "rod " << rod;
}

TEST(Pieces, growth_is_bounded) {
    Mesh rod = shapes::rod(2, 0.02, 10, 12);
    const Bounds before = boundsOf(rod);
    growPieces(rod, std::vector<std::uint32_t>(rod.triangleCount(), 0), {}, 1e-3, 1);
    EXPECT_LE(boundsOf(rod).size().y(), before.size().y() * kMostGrowth * 1.05);
    EXPECT_GE(boundsOf(rod).size().y(), before.size().y() * 2);
    Mesh held = shapes::rod(2, 0.02, 10, 12);
    growPieces(held, std::vector<std::uint32_t>(held.triangleCount(), 0), {}, 1e-3, 0.001);
    for (std::uint32_t v = 0; v < held.vertexCount(); ++v)
        EXPECT_LE((held.positions[v] - shapes::rod(2, 0.02, 10, 12).positions[v]).norm(), 0.00101F);
}

TEST(Pieces, a_cancelled_run_leaves_the_record_as_it_was) {
    const Mesh source = mat(64);
    Record record = *recordCollapses(source, {}, {});
    const SurfaceQuery query(source);
    const auto curve = measureCurve(source, query, record, {});
    ASSERT_TRUE(curve);
    std::stop_source stop;
    stop.request_stop();
    JobContext job;
    job.stop = stop.get_token();
    const std::vector<std::uint32_t> death = record.death;
    const auto done = dropPieces(record, *curve, {}, job);
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(record.death, death);
    EXPECT_TRUE(record.drops.empty());
}

TEST(Pieces, very_many_are_thinned_evenly_without_weighing_each) {
    // 32,000 cards in a field, more than are weighed one by one.
    Mesh field;
    for (int i = 0; i < 160; ++i)
        for (int j = 0; j < 200; ++j)
            for (const Vec3d& corner : {Vec3d(0, 0, 0), Vec3d(0.04, 0, 0), Vec3d(0, 0.04, 0.01)}) {
                field.indices.push_back(field.vertexCount());
                field.positions.push_back((Vec3d(0.1 * i, 0, 0.1 * j) + corner).cast<float>());
            }
    shapes::onePart(field);
    const Thinned t = dropFrom(field);
    EXPECT_EQ(t.after.pieces, 32'000U);
    EXPECT_TRUE(t.after.aggregate);
    expectOrderly(t.after);
    ASSERT_GT(t.after.drops.size(), 24'000U);
    // A quarter kept: every patch of ten by ten cards has about its share, and none is bald.
    const Mesh quarter = cutRecord(t.after, 8'000);
    shapes::expectSound(quarter);
    std::map<std::pair<int, int>, int> kept;
    for (std::uint32_t c = 0; c < quarter.indices.size(); c += 3) {
        const Vec3f& p = quarter.positions[quarter.indices[c]];
        ++kept[{static_cast<int>(p.x() + 0.02F), static_cast<int>(p.z())}];
    }
    EXPECT_EQ(kept.size(), 16U * 20U);
    for (const auto& [patch, count] : kept) {
        EXPECT_GE(count, 10) << "patch " << patch.first << ", " << patch.second;
        EXPECT_LE(count, 45) << "patch " << patch.first << ", " << patch.second;
    }
}

} // namespace thicket
