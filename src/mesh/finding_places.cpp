#include "mesh/finding_places.h"

#include "mesh/joined.h"
#include "mesh/mesh_checks.h"

#include <algorithm>
#include <numeric>

namespace thicket {
namespace {

/// What is marked, with the points that it hangs together by.
struct Element {
    std::array<Vec3f, 3> corners;
    std::array<std::uint32_t, 3> points;
    Vec3d normal; ///< of its triangle, as long as twice its area; 0: none
};

class Elements {
public:
    Elements(const Mesh& mesh, const Weld& weld) : m_mesh(mesh), m_weld(weld) {}

    /// facing  1: as they face, -1: as they should.
    void addTriangles(const TriangleList& triangles, double facing) {
        for (const std::uint32_t t : triangles) {
            Element element;
            for (std::uint32_t k = 0; k < 3; ++k) {
                const std::uint32_t v = m_mesh.indices[3 * t + k];
                element.corners[k] = m_mesh.positions[v];
                element.points[k] = m_weld.pointOf[v];
            }
            element.normal = facing * normalOf(t);
            all.push_back(element);
        }
    }
    void addEdges(const std::vector<MeshSide>& sides) {
        const std::vector<Vec3f> places = placesOfPoints();
        for (const MeshSide& side : sides)
            all.push_back({{places[side.low], places[side.high], places[side.high]},
                           {side.low, side.high, side.high},
                           normalOf(side.triangle)});
    }
    void addPairs(const std::vector<std::pair<std::uint32_t, std::uint32_t>>& pairs) {
        const std::vector<Vec3f> places = placesOfPoints();
        for (const auto& [from, to] : pairs)
            all.push_back({{places[from], places[to], places[to]}, {from, to, to}, Vec3d::Zero()});
    }

    /// Those that share points beside each other, of each group in the order they are in.
    [[nodiscard]] FindingPlaces grouped() const {
        Joined joined(m_weld.pointCount);
        for (const Element& e : all) {
            joined.join(e.points[0], e.points[1]);
            joined.join(e.points[0], e.points[2]);
        }
        std::vector<std::uint32_t> of(all.size());
        std::vector<std::uint32_t> counts(m_weld.pointCount, 0);
        for (std::size_t i = 0; i < all.size(); ++i)
            ++counts[of[i] = joined.of(all[i].points[0])];
        std::vector<std::uint32_t> order(all.size());
        std::iota(order.begin(), order.end(), 0U);
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
            if (of[a] == of[b])
                return a < b;
            return counts[of[a]] != counts[of[b]] ? counts[of[a]] > counts[of[b]] : of[a] < of[b];
        });
        FindingPlaces out;
        for (const std::uint32_t i : order)
            out.elements.push_back(all[i].corners);
        for (std::uint32_t first = 0; first < order.size();) {
            const std::uint32_t count = counts[of[order[first]]];
            out.spots.push_back(spotOf(out, order, first, count));
            first += count;
        }
        return out;
    }

    std::vector<Element> all;

private:
    [[nodiscard]] Vec3d normalOf(std::uint32_t t) const {
        const auto corner = [&](std::uint32_t k) {
            return Vec3d(m_mesh.positions[m_mesh.indices[3 * t + k]].cast<double>());
        };
        return (corner(1) - corner(0)).cross(corner(2) - corner(0));
    }
    [[nodiscard]] std::vector<Vec3f> placesOfPoints() const {
        std::vector<Vec3f> out(m_weld.pointCount);
        for (std::size_t v = 0; v < m_weld.pointOf.size(); ++v)
            out[m_weld.pointOf[v]] = m_mesh.positions[v];
        return out;
    }
    [[nodiscard]] FindingSpot spotOf(const FindingPlaces& places, const std::vector<std::uint32_t>& order,
                                     std::uint32_t first, std::uint32_t count) const {
        FindingSpot spot{first, count};
        Bounds box{Vec3d::Constant(1e300), Vec3d::Constant(-1e300)};
        Vec3d sum = Vec3d::Zero();
        double length = 0;
        const auto each = [&](const auto& visit) {
            for (std::uint32_t i = first; i < first + count; ++i)
                for (const Vec3f& corner : places.elements[i])
                    visit(corner.cast<double>());
        };
        each([&box](const Vec3d& corner) {
            box.low = box.low.cwiseMin(corner);
            box.high = box.high.cwiseMax(corner);
        });
        spot.centre = box.centre();
        each([&spot](const Vec3d& corner) { spot.radius = std::max(spot.radius, (corner - spot.centre).norm()); });
        for (std::uint32_t i = first; i < first + count; ++i) {
            sum += all[order[i]].normal;
            length += all[order[i]].normal.norm();
        }
        constexpr double kOneWay = 0.2; // of their area faces one way more than any other
        if (sum.norm() > kOneWay * length)
            spot.outward = sum.normalized();
        return spot;
    }

    const Mesh& m_mesh;
    const Weld& m_weld;
};

} // namespace

bool liesSomewhere(FindingKind kind) {
    switch (kind) {
    case FindingKind::DegenerateTriangles:
    case FindingKind::DuplicateTriangles:
    case FindingKind::NonManifoldEdges:
    case FindingKind::OpenBorders:
    case FindingKind::UnweldedPoints:
    case FindingKind::FlippedTriangles:
    case FindingKind::LooseSpecks:
    case FindingKind::Needles:
        return true;
    case FindingKind::UnusualSize:
    case FindingKind::MissingNormals:
    case FindingKind::MissingUvs:
    case FindingKind::LevelsOutOfOrder:
    case FindingKind::LevelBoundsDisagree:
    case FindingKind::TooLight:
    case FindingKind::SeveralThings:
        return false;
    }
    return false;
}

std::optional<FindingPlaces> placesOf(const Mesh& mesh, FindingKind kind, const JobContext& job) {
    if (!liesSomewhere(kind))
        return std::nullopt;
    const Weld weld = weldPositions(mesh, job);
    if (job.cancelled())
        return std::nullopt;
    Elements elements(mesh, weld);
    bool areas = true;
    switch (kind) {
    case FindingKind::DegenerateTriangles:
        elements.addTriangles(trianglesWithoutArea(mesh, weld), 1);
        areas = false;
        break;
    case FindingKind::DuplicateTriangles:
        elements.addTriangles(duplicateTriangles(mesh, weld), 1);
        break;
    case FindingKind::NonManifoldEdges:
        elements.addEdges(findEdges(sidesOf(mesh, weld)).crowded);
        areas = false;
        break;
    case FindingKind::OpenBorders:
        elements.addEdges(findEdges(sidesOf(mesh, weld)).open);
        areas = false;
        break;
    case FindingKind::UnweldedPoints:
        elements.addPairs(unweldedPoints(mesh, weld, sidesOf(mesh, weld), kUnweldedShare * boundsOf(mesh).diagonal()));
        areas = false;
        break;
    case FindingKind::FlippedTriangles:
        elements.addTriangles(flippedTriangles(mesh, weld, sidesOf(mesh, weld)), -1);
        break;
    case FindingKind::LooseSpecks:
        elements.addTriangles(speckTriangles(mesh, weld, kSpeckShare), 1);
        break;
    case FindingKind::Needles:
        elements.addTriangles(needleTriangles(mesh, weld, kNeedleShare), 1);
        break;
    default:
        break;
    }
    if (job.cancelled())
        return std::nullopt;
    FindingPlaces out = elements.grouped();
    out.areas = areas;
    return out;
}

} // namespace thicket
