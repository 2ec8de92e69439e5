#include "mesh/findings.h"

#include "base/text.h"
#include "mesh/mesh_checks.h"

#include <algorithm>
#include <fmt/format.h>
#include <tbb/parallel_invoke.h>

namespace thicket {

std::string Finding::text() const {
    const std::string n = grouped(count);
    switch (kind) {
    case FindingKind::DegenerateTriangles:
        return n + " triangles without area";
    case FindingKind::DuplicateTriangles:
        return n + " duplicate triangles";
    case FindingKind::NonManifoldEdges:
        return n + " edges with more than two triangles";
    case FindingKind::OpenBorders:
        return n + " open border edges";
    case FindingKind::UnweldedPoints:
        return n + " border points that lie on others unwelded";
    case FindingKind::FlippedTriangles:
        return n + " triangles that face the wrong way";
    case FindingKind::LooseSpecks:
        return n + " triangles in loose specks";
    case FindingKind::Needles:
        return n + " needles, 200 times as long as thin";
    case FindingKind::UnusualSize:
        return length(across) + " across; was it made in another unit?";
    case FindingKind::MissingNormals:
        return "no normals; drawn with flat shading";
    case FindingKind::MissingUvs:
        return "no UVs; textures cannot show";
    case FindingKind::LevelsOutOfOrder:
        return fmt::format("L{} is not lighter than the level before", level);
    case FindingKind::LevelBoundsDisagree:
        return fmt::format("L{} differs from L0 in size or origin", level);
    case FindingKind::TooLight:
        return "too light for levels to pay";
    case FindingKind::SeveralThings:
        return n + " things of its file are one subject here";
    }
    return {};
}

std::vector<Finding> findMeshProblems(const Mesh& mesh) {
    const Weld weld = weldPositions(mesh);
    std::vector<Finding> findings;

    const auto note = [&](FindingKind kind, const auto& where, bool serious) {
        if (!where.empty())
            findings.push_back({kind, static_cast<std::uint32_t>(where.size()), 0, 0, serious});
    };

    const double across = boundsOf(mesh).diagonal();
    const std::vector<MeshSide> sides = sidesOf(mesh, weld);
    // Asked beside each other, said in order.
    TriangleList flat, twice, flipped, specks, needles;
    EdgeFindings edges;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> apart;
    tbb::parallel_invoke([&] { flipped = flippedTriangles(mesh, weld, sides); },
                         [&] { twice = duplicateTriangles(mesh, weld); },
                         [&] { apart = unweldedPoints(mesh, weld, sides, kUnweldedShare * across); },
                         [&] { specks = speckTriangles(mesh, weld, kSpeckShare); },
                         [&] { needles = needleTriangles(mesh, weld, kNeedleShare); },
                         [&] { flat = trianglesWithoutArea(mesh, weld); }, [&] { edges = findEdges(sides); });
    note(FindingKind::DegenerateTriangles, flat, true);
    note(FindingKind::DuplicateTriangles, twice, true);
    note(FindingKind::NonManifoldEdges, edges.crowded, true);
    note(FindingKind::OpenBorders, edges.open, false);
    note(FindingKind::FlippedTriangles, flipped, true);
    note(FindingKind::UnweldedPoints, apart, true);
    note(FindingKind::LooseSpecks, specks, false);
    note(FindingKind::Needles, needles, false);

    const auto whole = [&](FindingKind kind, bool serious) { findings.push_back({kind, 1, across, 0, serious}); };
    if (mesh.normals.empty())
        whole(FindingKind::MissingNormals, true);
    if (mesh.uvs.empty())
        whole(FindingKind::MissingUvs, false);
    constexpr double kLeast = 0.01;
    constexpr double kMost = 1000;
    if (across < kLeast || across > kMost)
        whole(FindingKind::UnusualSize, true);
    constexpr std::uint32_t kTooLight = 200;
    if (mesh.triangleCount() < kTooLight)
        whole(FindingKind::TooLight, false);
    return findings;
}

} // namespace thicket
