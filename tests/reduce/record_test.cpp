#include "measure/deviation.h"
#include "reduce/chain.h"
#include "reduce/record.h"
#include "support/shapes.h"
#include "support/sound.h"

#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <numbers>
#include <random>
#include <tbb/task_arena.h>

namespace thicket {
namespace {

Record recordOf(const Mesh& mesh) {
    auto record = recordCollapses(mesh, {}, {});
    EXPECT_TRUE(record);
    return std::move(*record);
}

/// Largest radial deviation of a level of the unit sphere, in units of the asymptotic optimum for its triangle count.
double sphereRatio(const Mesh& level) {
    double largest = 0;
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        for (int i = 0; i <= 12; ++i)
            for (int j = 0; j <= 12 - i; ++j) {
                const Vec3f p = (level.positions[level.indices[3 * t]] * static_cast<float>(i) +
                                 level.positions[level.indices[3 * t + 1]] * static_cast<float>(j) +
                                 level.positions[level.indices[3 * t + 2]] * static_cast<float>(12 - i - j)) /
                                12;
                largest = std::max(largest, std::abs(static_cast<double>(p.norm()) - 1));
            }
    return largest / (4 * std::numbers::pi / (3 * std::sqrt(3.0) * level.triangleCount()));
}

} // namespace

TEST(Record, full_cut_is_the_input) {
    const Mesh mesh = shapes::texturedSphere(24, 12);
    const Record record = recordOf(mesh);
    const Mesh all = cutRecord(record, mesh.triangleCount());
    ASSERT_EQ(all.triangleCount(), mesh.triangleCount());
    for (std::size_t c = 0; c < mesh.indices.size(); ++c) {
        EXPECT_EQ(all.positions[all.indices[c]], mesh.positions[mesh.indices[c]]);
        EXPECT_EQ(all.normals[all.indices[c]], mesh.normals[mesh.indices[c]]);
        EXPECT_EQ(all.uvs[all.indices[c]], mesh.uvs[mesh.indices[c]]);
    }
}

TEST(Record, checkpoints_change_no_cut) {
    for (unsigned seed = 1; seed <= 3; ++seed) {
        Mesh mesh = seed == 3 ? shapes::texturedSphere(120, 60) : shapes::bumpy(40, seed);
        if (seed == 3) { // two materials, so that parts are cut as well
            const std::uint32_t half = mesh.triangleCount() / 2;
            mesh.parts = {{0, half, 0}, {half, mesh.triangleCount() - half, 1}};
        }
        const Record plain = recordOf(mesh);
        Record indexed = plain;
        addCheckpoints(indexed);
        ASSERT_GE(indexed.checkpoints.size(), 2U);
        std::mt19937 random(seed);
        for (int i = 0; i < 40; ++i) {
            const auto count = static_cast<std::uint32_t>(random() % (mesh.triangleCount() + 10));
            const Mesh a = cutRecord(plain, count);
            const Mesh b = cutRecord(indexed, count);
            ASSERT_EQ(a.indices, b.indices) << "seed " << seed << ", " << count << " triangles";
            ASSERT_EQ(a.positions, b.positions);
            ASSERT_EQ(a.uvs, b.uvs);
            ASSERT_EQ(a.parts.size(), b.parts.size());
            for (std::size_t p = 0; p < a.parts.size(); ++p) {
                EXPECT_EQ(a.parts[p].firstTriangle, b.parts[p].firstTriangle);
                EXPECT_EQ(a.parts[p].triangleCount, b.parts[p].triangleCount);
                EXPECT_EQ(a.parts[p].material, b.parts[p].material);
            }
        }
    }
}

TEST(Record, is_the_same_on_any_number_of_threads) {
    const Mesh mesh = shapes::bumpy(64, 5); // large enough to be made by regions
    const Record many = recordOf(mesh);
    Record one;
    tbb::task_arena(1).execute([&] { one = recordOf(mesh); });
    EXPECT_EQ(many.positions, one.positions);
    EXPECT_EQ(many.parent, one.parent);
    EXPECT_EQ(many.death, one.death);
    EXPECT_EQ(many.error, one.error);
}

TEST(Record, of_a_large_mesh_is_closed_and_sound_at_any_cut) {
    // Large enough for several rounds by regions, whose borders must not show in what is cut.
    for (unsigned seed = 1; seed <= 2; ++seed) {
        const Mesh mesh = shapes::bumpy(80, seed);
        const Record record = recordOf(mesh);
        ASSERT_GT(mesh.vertexCount(), 60'000U);
        EXPECT_LE(record.fewestTriangles(), 4U);
        EXPECT_TRUE(std::is_sorted(record.birth.begin(), record.birth.end()));
        EXPECT_TRUE(std::is_sorted(record.error.begin(), record.error.end()));
        for (std::uint32_t n = 0; n < record.parent.size(); ++n)
            if (record.parent[n] != kNone) {
                ASSERT_GT(record.parent[n], n);
                ASSERT_GT(record.birth[record.parent[n]], record.birth[n]);
            }
        std::mt19937 random(seed);
        for (int i = 0; i < 12; ++i) {
            const auto count = static_cast<std::uint32_t>(4 + random() % mesh.triangleCount());
            const Mesh level = cutRecord(record, count);
            SCOPED_TRACE(count);
            EXPECT_LE(level.triangleCount(), count);
            EXPECT_GE(level.triangleCount() + 2, count);
            shapes::expectSound(level);
            EXPECT_TRUE(shapes::isClosed(level));
        }
    }
}

TEST(Record, seams_of_a_large_mesh_stay_closed) {
    const Mesh mesh = shapes::texturedSphere(500, 250);
    const Record record = recordOf(mesh);
    for (const std::uint32_t count : {120'000U, 40'000U, 9'000U, 700U}) {
        const Mesh level = cutRecord(record, count);
        SCOPED_TRACE(count);
        shapes::expectSound(level);
        EXPECT_TRUE(shapes::isClosed(level));
        for (const Vec3f& n : level.normals)
            ASSERT_NEAR(n.norm(), 1, 1e-4);
        // Texture drift: where a corner stands, its own longitude and latitude are its UV.
        double drift = 0;
        for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
            const Vec3d p = level.positions[v].cast<double>().normalized();
            const double latitude = std::acos(std::clamp(p.y(), -1.0, 1.0)) / std::numbers::pi;
            drift = std::max(drift, std::abs(latitude - static_cast<double>(level.uvs[v].y())));
        }
        EXPECT_LT(drift, 0.02);
    }
}

TEST(Record, no_face_ends_on_the_far_side_of_its_normals) {
    for (const Mesh& mesh : {shapes::texturedSphere(300, 150), shapes::texturedSphere(60, 30)}) {
        const Record record = recordOf(mesh);
        for (std::uint32_t count = mesh.triangleCount() / 2; count > 40; count /= 3) {
            const Mesh level = cutRecord(record, count);
            for (std::uint32_t t = 0; t < level.triangleCount(); ++t) {
                const std::uint32_t* c = &level.indices[3 * std::size_t{t}];
                const Vec3f face = (level.positions[c[1]] - level.positions[c[0]])
                                       .cross(level.positions[c[2]] - level.positions[c[0]]);
                ASSERT_GE(face.dot(level.normals[c[0]] + level.normals[c[1]] + level.normals[c[2]]), 0)
                    << "triangle " << t << " of " << count;
            }
        }
    }
}

TEST(Record, loses_less_volume_than_planes_alone_would) {
    const Mesh mesh = shapes::sphere(60);
    const Mesh level = cutRecord(recordOf(mesh), 500);
    const auto volume = [](const Mesh& m) {
        double sum = 0;
        for (std::uint32_t c = 0; c < m.indices.size(); c += 3)
            sum += m.positions[m.indices[c]].cast<double>().dot(m.positions[m.indices[c + 1]].cast<double>().cross(
                       m.positions[m.indices[c + 2]].cast<double>())) /
                   6;
        return sum;
    };
    const double ball = 4 * std::numbers::pi / 3;
    EXPECT_LT(volume(level), ball);
    EXPECT_GT(volume(level), 0.9925 * ball); // 0.9905 when placed by the planes alone
}

TEST(Record, may_be_cancelled_at_any_moment) {
    const Mesh mesh = shapes::bumpy(70, 4);
    std::mt19937 random(7);
    int cancelled = 0;
    for (int i = 0; i < 12; ++i) {
        std::stop_source stop;
        JobContext job;
        job.stop = stop.get_token();
        // Counted in reports, so that the moment does not depend on the machine.
        int left = static_cast<int>(random() % 10);
        job.progress = [&](double, std::string_view) {
            if (left-- == 0)
                stop.request_stop();
        };
        const auto record = recordCollapses(mesh, {}, job);
        if (!record) {
            EXPECT_EQ(record.error().code, ErrorCode::Cancelled);
            ++cancelled;
        } else {
            EXPECT_LE(record->fewestTriangles(), 4U);
        }
    }
    EXPECT_GT(cancelled, 3);
}

TEST(Record, loose_triangles_are_all_kept) {
    Mesh mesh;
    for (std::uint32_t i = 0; i < 40'000; ++i)
        for (std::uint32_t k = 0; k < 3; ++k) {
            mesh.indices.push_back(3 * i + k);
            mesh.positions.emplace_back(static_cast<float>(i % 200) + (k == 1 ? 0.5F : 0), static_cast<float>(i / 200),
                                        k == 2 ? 0.5F : 0.0F);
        }
    shapes::onePart(mesh);
    const Record record = recordOf(mesh);
    EXPECT_EQ(record.fewestTriangles(), 40'000U);
    EXPECT_EQ(record.collapses(), 0U);
}

TEST(Record, any_cut_of_a_closed_mesh_is_closed_and_sound) {
    for (unsigned seed = 1; seed <= 4; ++seed) {
        const Mesh mesh = shapes::bumpy(14, seed);
        const Record record = recordOf(mesh);
        std::mt19937 random(seed);
        for (int i = 0; i < 12; ++i) {
            const auto wanted = static_cast<std::uint32_t>(4 + random() % mesh.triangleCount());
            const Mesh level = cutRecord(record, wanted);
            SCOPED_TRACE("seed " + std::to_string(seed) + ", cut " + std::to_string(wanted));
            EXPECT_LE(level.triangleCount(), wanted);
            EXPECT_TRUE(shapes::isClosed(level));
            shapes::expectSound(level);
        }
        const Mesh last = cutRecord(record, 0);
        EXPECT_EQ(last.triangleCount(), record.fewestTriangles());
        EXPECT_TRUE(shapes::isClosed(last));
    }
}

TEST(Record, genus_is_kept) {
    const Record record = recordOf(shapes::torus(48, 24, 3, 1));
    const Mesh last = cutRecord(record, 0);
    const Weld weld = weldPositions(last);
    // Euler: V - E + F = 0 on a torus, and E = 3 F / 2 when closed.
    EXPECT_TRUE(shapes::isClosed(last));
    EXPECT_EQ(2 * weld.pointCount, last.triangleCount());
}

TEST(Record, seams_stay_closed_in_position_and_attributes_stay_unit) {
    const Mesh mesh = shapes::texturedSphere(60, 30);
    const Record record = recordOf(mesh);
    for (const std::uint32_t wanted : {1500U, 600U, 200U}) {
        const Mesh level = cutRecord(record, wanted);
        EXPECT_LE(level.triangleCount(), wanted);
        EXPECT_TRUE(shapes::isClosed(level));
        shapes::expectSound(level);
        for (std::size_t v = 0; v < level.positions.size(); ++v) {
            EXPECT_NEAR(level.normals[v].norm(), 1, 1e-4);
            EXPECT_GT(level.normals[v].dot(level.positions[v].normalized()), 0.9F);
            // The texture has not drifted: u follows the angle round the axis, except at the poles.
            const Vec3f& p = level.positions[v];
            if (std::abs(p.y()) > 0.9F)
                continue;
            double turn = std::atan2(-static_cast<double>(p.z()), static_cast<double>(p.x())) / (2 * std::numbers::pi);
            const double off = turn - static_cast<double>(level.uvs[v].x());
            EXPECT_LT(std::abs(off - std::round(off)), 0.03) << wanted;
        }
    }
}

TEST(Record, dense_box_becomes_twelve_exact_triangles) {
    const Mesh mesh = shapes::box(24, {1, 2, 3});
    const Mesh level = cutRecord(recordOf(mesh), 12);
    EXPECT_EQ(level.triangleCount(), 12U);
    EXPECT_LT(measureDeviation(mesh, level, {}, {})->max(), 1e-6);
}

TEST(Record, plate_keeps_its_outline_and_its_holes) {
    const Mesh mesh = shapes::plateWithHoles(32);
    const Record record = recordOf(mesh);
    // 16 square holes and an outline of four corners need 98 triangles at the least; half as many again are enough for
    // us.
    const Mesh level = cutRecord(record, 150);
    EXPECT_LE(level.triangleCount(), 150U);
    EXPECT_LT(measureDeviation(mesh, level, {}, {})->max(), 1e-4);
    double flat = 0;
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t)
        flat += shapes::area(level, t);
    EXPECT_NEAR(flat, 32 * 32 - 16 * 9, 1e-2);
}

TEST(Record, sphere_quality_is_within_its_stated_figure) {
    const Mesh mesh = shapes::sphere(100);
    const Record record = recordOf(mesh);
    EXPECT_LT(sphereRatio(cutRecord(record, 1000)), 2.8);
    EXPECT_LT(sphereRatio(cutRecord(record, 10000)), 2.9);
    const SurfaceQuery query(mesh);
    for (const std::uint32_t count : {300U, 1000U, 4000U}) {
        const auto polished = cutAndPolish(mesh, query, record, count, {});
        ASSERT_TRUE(polished);
        EXPECT_TRUE(shapes::isClosed(*polished));
        EXPECT_EQ(polished->triangleCount(), cutRecord(record, count).triangleCount());
        const double ratio = sphereRatio(*polished);
        ::testing::Test::RecordProperty("ratio at " + std::to_string(count), std::to_string(ratio));
        EXPECT_LT(ratio, 2.0) << count;
    }
}

TEST(Record, far_from_the_origin_levels_are_as_good) {
    // What floats can hold at 10,000 km: whole metres. The same mesh at the origin must give the same levels.
    Mesh near = shapes::bumpy(40, 2);
    for (Vec3f& p : near.positions)
        p = (2000 * p).array().round();
    Mesh far = near;
    for (Vec3f& p : far.positions)
        p += Vec3f(1e7F, -1e7F, 1e7F);
    const Record nearRecord = recordOf(near);
    const Record farRecord = recordOf(far);
    for (const std::uint32_t count : {4000U, 500U, 60U}) {
        const Mesh a = cutRecord(nearRecord, count);
        const Mesh b = cutRecord(farRecord, count);
        shapes::expectSound(b);
        EXPECT_TRUE(shapes::isClosed(b));
        const double nearOff = measureDeviation(near, a, {}, {})->max();
        const double farOff = measureDeviation(far, b, {}, {})->max();
        EXPECT_LT(farOff, 1.3 * nearOff + 2) << count; // vertices of levels are rounded to metres there
    }
}

TEST(Record, materials_keep_their_border) {
    // Half of a plate is one material, half another; the line between stays straight.
    Mesh mesh;
    const int n = 24;
    for (int z = 0; z <= n; ++z)
        for (int x = 0; x <= n; ++x)
            mesh.positions.emplace_back(static_cast<float>(x), 0.02F * static_cast<float>((x * 7 + z * 3) % 5),
                                        static_cast<float>(z));
    std::vector<std::uint32_t> halves[2];
    for (int z = 0; z < n; ++z)
        for (int x = 0; x < n; ++x) {
            const auto at = [&](int i, int j) { return static_cast<std::uint32_t>(j * (n + 1) + i); };
            auto& half = halves[x < n / 2 ? 0 : 1];
            half.insert(half.end(),
                        {at(x, z), at(x, z + 1), at(x + 1, z), at(x + 1, z), at(x, z + 1), at(x + 1, z + 1)});
        }
    for (std::uint32_t m = 0; m < 2; ++m) {
        mesh.parts.push_back({mesh.triangleCount(), static_cast<std::uint32_t>(halves[m].size() / 3), m});
        mesh.indices.insert(mesh.indices.end(), halves[m].begin(), halves[m].end());
    }
    const Mesh level = cutRecord(recordOf(mesh), 120);
    ASSERT_EQ(level.parts.size(), 2U);
    for (const MeshPart& part : level.parts)
        for (std::uint32_t c = 3 * part.firstTriangle; c < 3 * (part.firstTriangle + part.triangleCount); ++c) {
            const float x = level.positions[level.indices[c]].x();
            EXPECT_TRUE(part.material == 0 ? x < n / 2 + 0.2F : x > n / 2 - 0.2F) << x;
        }
}

TEST(Record, bad_triangles_are_dropped_and_counted) {
    Mesh mesh = shapes::sphere(8);
    const auto i = mesh.indices;
    const auto good = mesh.triangleCount();
    mesh.indices.insert(mesh.indices.end(), {i[0], i[0], i[1], i[9], i[10], i[11]});
    shapes::onePart(mesh);
    const Record record = recordOf(mesh);
    EXPECT_EQ(record.droppedDegenerate, 1U);
    EXPECT_EQ(record.droppedDuplicate, 1U);
    EXPECT_EQ(record.alive.front(), good);
    Mesh flat = shapes::sphere(2);
    for (auto& p : flat.positions)
        p = Vec3f(1, 1, 1);
    const auto none = recordCollapses(flat, {}, {});
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().what, "all triangles are without area");
}

TEST(Record, odd_inputs_are_reduced_and_not_refused) {
    // Two spheres, one inside the other, a fin on a shared edge, unwelded triangles, one lone triangle.
    Mesh mesh = shapes::sphere(8);
    const Mesh inner = shapes::sphere(8, 0.5);
    const auto base = mesh.vertexCount();
    mesh.positions.insert(mesh.positions.end(), inner.positions.begin(), inner.positions.end());
    for (const auto v : inner.indices)
        mesh.indices.push_back(base + v);
    for (int k = 0; k < 60; ++k) {
        const auto v = mesh.vertexCount();
        const auto f = static_cast<float>(k);
        mesh.positions.emplace_back(3 + f, 0.0F, 0.0F);
        mesh.positions.emplace_back(4 + f, 0.0F, 0.0F);
        mesh.positions.emplace_back(3 + f, 1.0F, 0.1F * static_cast<float>(k % 3));
        mesh.indices.insert(mesh.indices.end(), {v, v + 1, v + 2});
    }
    mesh.positions.emplace_back(0.0F, 3.0F, 0.0F);
    mesh.indices.insert(mesh.indices.end(), {0, 1, mesh.vertexCount() - 1});
    shapes::onePart(mesh);
    const Record record = recordOf(mesh);
    EXPECT_LT(record.fewestTriangles(), mesh.triangleCount() / 4);
    shapes::expectSound(cutRecord(record, mesh.triangleCount() / 2));
    Mesh one;
    one.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    one.indices = {0, 1, 2};
    shapes::onePart(one);
    EXPECT_EQ(recordOf(one).fewestTriangles(), 1U);
}

TEST(Record, is_the_same_every_time) {
    const Mesh mesh = shapes::bumpy(24, 9);
    const Record a = recordOf(mesh);
    const Record b = recordOf(mesh);
    EXPECT_EQ(a.parent, b.parent);
    EXPECT_EQ(a.death, b.death);
    EXPECT_TRUE(a.positions == b.positions);
}

TEST(Record, counts_and_errors_never_turn_back) {
    const Record record = recordOf(shapes::bumpy(20, 2));
    for (std::uint32_t k = 1; k <= record.collapses(); ++k) {
        EXPECT_LT(record.alive[k], record.alive[k - 1]);
        EXPECT_GE(record.error[k], record.error[k - 1]);
    }
    for (std::uint32_t n = 0; n < record.parent.size(); ++n)
        if (record.parent[n] != kNone) {
            EXPECT_GT(record.parent[n], n);
            EXPECT_GT(record.birth[record.parent[n]], record.birth[n]);
        }
}

TEST(Record, cancelling_at_any_point_gives_cancelled) {
    const Mesh mesh = shapes::bumpy(40, 1);
    for (const int after : {0, 1, 3, 5}) {
        std::stop_source stop;
        int calls = 0;
        JobContext job{stop.get_token(),
                       [&](double, std::string_view) {
                           if (calls++ >= after)
                               stop.request_stop();
                       },
                       0, 1};
        const auto record = recordCollapses(mesh, {}, job);
        if (stop.stop_requested() && !record) {
            EXPECT_EQ(record.error().code, ErrorCode::Cancelled);
        }
        if (after == 0) {
            EXPECT_FALSE(record);
        }
    }
}

TEST(Chain, levels_meet_their_targets) {
    const Mesh mesh = shapes::bumpy(20, 7);
    const SurfaceQuery query(mesh);
    const Record record = recordOf(mesh);
    const auto curve = measureCurve(mesh, query, record, {});
    ASSERT_TRUE(curve);
    const auto by = [&](TargetKind kind, double value, std::uint32_t lighter) {
        return cutLevel(mesh, query, record, *curve, {kind, value}, lighter, {});
    };
    EXPECT_EQ(by(TargetKind::Triangles, 1500, mesh.triangleCount())->mesh.triangleCount(), 1500U);
    EXPECT_EQ(by(TargetKind::ShareOfFirst, 0.25, mesh.triangleCount())->mesh.triangleCount(), 2000U);
    EXPECT_EQ(by(TargetKind::ShareOfPrevious, 0.5, 2000)->mesh.triangleCount(), 1000U);
    for (const double wanted : {0.002, 0.01, 0.05}) {
        const auto level = by(TargetKind::DeviationMetres, wanted, mesh.triangleCount());
        ASSERT_TRUE(level);
        EXPECT_LE(level->deviation.max(), wanted);
        // Twenty per cent fewer triangles would not hold: the level is about as light as it can be.
        const Mesh lighter = cutRecord(record, static_cast<std::uint32_t>(level->mesh.triangleCount() * 0.7));
        EXPECT_GT(measureDeviation(mesh, query, lighter, {}, {})->max(), wanted * 0.9) << wanted;
    }
}

TEST(Chain, a_level_that_cannot_be_lighter_is_refused_with_the_reason) {
    const Mesh mesh = shapes::box(1, {1, 1, 1});
    const SurfaceQuery query(mesh);
    const Record record = recordOf(mesh);
    const auto curve = measureCurve(mesh, query, record, {});
    const auto level = cutLevel(mesh, query, record, *curve, {TargetKind::Triangles, 1}, record.fewestTriangles(), {});
    ASSERT_FALSE(level);
    EXPECT_EQ(level.error().code, ErrorCode::CheckFailed);
}

TEST(Curve, falls_and_inverts) {
    const Mesh mesh = shapes::bumpy(30, 4);
    const SurfaceQuery query(mesh);
    const auto curve = measureCurve(mesh, query, recordOf(mesh), {});
    ASSERT_TRUE(curve);
    EXPECT_GE(curve->triangles.size(), 10U);
    double last = -1;
    for (double n = mesh.triangleCount(); n > curve->triangles.back(); n *= 0.8) {
        const double d = curve->at(n);
        EXPECT_GE(d, last);
        last = d;
        if (d > curve->deviation[1] && d < curve->deviation.back()) {
            EXPECT_NEAR(std::log(curve->at(curve->trianglesAt(d))), std::log(d), 0.05);
        }
    }
}

} // namespace thicket
