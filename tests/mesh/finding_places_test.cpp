#include "mesh/finding_places.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

void turnRound(Mesh& mesh, std::uint32_t t) {
    std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
}

Vec3d middleOf(const Mesh& mesh, std::uint32_t t) {
    return (mesh.positions[mesh.indices[3 * t]] + mesh.positions[mesh.indices[3 * t + 1]] +
            mesh.positions[mesh.indices[3 * t + 2]])
               .cast<double>() /
           3;
}

/// Every element in one spot, and within it.
void expectWhole(const FindingPlaces& places) {
    std::uint32_t next = 0;
    std::uint32_t before = 0xFFFFFFFFU;
    for (const FindingSpot& spot : places.spots) {
        EXPECT_EQ(spot.first, next);
        EXPECT_GT(spot.count, 0U);
        EXPECT_LE(spot.count, before) << "those of most elements first";
        before = spot.count;
        next += spot.count;
        double farthest = 0;
        for (std::uint32_t i = spot.first; i < next; ++i)
            for (const Vec3f& corner : places.elements[i])
                farthest = std::max(farthest, (corner.cast<double>() - spot.centre).norm());
        EXPECT_DOUBLE_EQ(farthest, spot.radius);
        const double outward = spot.outward.norm();
        EXPECT_TRUE(outward == 0 || std::abs(outward - 1) < 1e-12);
    }
    EXPECT_EQ(next, places.elements.size());
}

} // namespace

TEST(FindingPlaces, the_rim_of_a_plate_and_its_hole_are_two_places) {
    constexpr std::uint32_t kSide = 8;
    const auto places = placesOf(shapes::plateWithHoles(kSide), FindingKind::OpenBorders);
    ASSERT_TRUE(places);
    expectWhole(*places);
    EXPECT_FALSE(places->areas);
    ASSERT_EQ(places->spots.size(), 2U);
    EXPECT_EQ(places->spots[0].count, 4 * kSide);
    EXPECT_EQ(places->spots[1].count, 12U);
    for (const auto& edge : places->elements)
        EXPECT_EQ(edge[1], edge[2]);
}

TEST(FindingPlaces, what_faces_the_wrong_way_is_looked_at_from_where_it_should_face) {
    Mesh mesh = shapes::sphere(12);
    turnRound(mesh, 5);
    turnRound(mesh, mesh.triangleCount() - 1);
    const auto places = placesOf(mesh, FindingKind::FlippedTriangles);
    ASSERT_TRUE(places);
    expectWhole(*places);
    EXPECT_TRUE(places->areas);
    ASSERT_EQ(places->spots.size(), 2U);
    for (const FindingSpot& spot : places->spots) {
        EXPECT_EQ(spot.count, 1U);
        EXPECT_GT(spot.outward.dot(spot.centre.normalized()), 0.99) << "out of the sphere";
    }
    const Vec3d first = middleOf(mesh, 5);
    EXPECT_LT((places->spots[0].centre - first).norm(), places->spots[0].radius);
}

TEST(FindingPlaces, what_goes_all_round_faces_nowhere) {
    Mesh mesh = shapes::sphere(6);
    const std::uint32_t all = mesh.triangleCount();
    mesh.indices.insert(mesh.indices.end(), mesh.indices.begin(), mesh.indices.end()); // each triangle twice
    shapes::onePart(mesh);
    const auto places = placesOf(mesh, FindingKind::DuplicateTriangles);
    ASSERT_TRUE(places);
    expectWhole(*places);
    ASSERT_EQ(places->spots.size(), 1U);
    EXPECT_EQ(places->spots[0].count, all);
    EXPECT_EQ(places->spots[0].outward.norm(), 0);
    EXPECT_NEAR(places->spots[0].radius, 1, 0.01);
}

TEST(FindingPlaces, of_every_kind_as_many_are_marked_as_are_counted) {
    std::mt19937 random(5);
    for (unsigned seed = 1; seed <= 6; ++seed) {
        Mesh mesh = shapes::bumpy(10, seed);
        std::uniform_int_distribution<std::uint32_t> any(0, mesh.triangleCount() - 1);
        std::uniform_int_distribution<std::uint32_t> vertex(0, mesh.vertexCount() - 1);
        for (int i = 0; i < 8; ++i) {
            turnRound(mesh, any(random));
            const std::uint32_t t = any(random);
            const auto from = mesh.indices.begin() + 3 * t;
            const std::array<std::uint32_t, 3> corners{from[0], from[1], from[2]};
            mesh.indices.insert(mesh.indices.end(), corners.begin(), corners.end());
            mesh.indices.insert(mesh.indices.end(), {corners[0], corners[1], corners[1]});
            mesh.indices.insert(mesh.indices.end(), {vertex(random), vertex(random), vertex(random)});
            mesh.indices.erase(mesh.indices.begin(), mesh.indices.begin() + 3);
        }
        shapes::onePart(mesh);
        const auto findings = findMeshProblems(mesh);
        std::size_t marked = 0;
        for (const Finding& finding : findings) {
            const auto places = placesOf(mesh, finding.kind);
            EXPECT_EQ(places.has_value(), liesSomewhere(finding.kind)) << finding.text();
            if (!places)
                continue;
            expectWhole(*places);
            EXPECT_EQ(places->elements.size(), finding.count) << finding.text();
            ++marked;
        }
        EXPECT_GE(marked, 4U);
    }
}

TEST(FindingPlaces, a_mesh_as_a_whole_is_no_place) {
    for (const FindingKind kind : {FindingKind::MissingNormals, FindingKind::UnusualSize, FindingKind::TooLight})
        EXPECT_FALSE(placesOf(shapes::sphere(2), kind));
    std::stop_source stop;
    stop.request_stop();
    JobContext cancelled;
    cancelled.stop = stop.get_token();
    EXPECT_FALSE(placesOf(shapes::sphere(4), FindingKind::OpenBorders, cancelled));
    const auto none = placesOf(shapes::sphere(4), FindingKind::OpenBorders);
    ASSERT_TRUE(none);
    EXPECT_TRUE(none->spots.empty());
}

} // namespace thicket
