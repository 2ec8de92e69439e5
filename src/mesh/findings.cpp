#include "mesh/findings.h"

#include "base/text.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

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
    }
    return {};
}

std::vector<Finding> findMeshProblems(const Mesh& mesh) {
    const Weld weld = weldPositions(mesh);
    const std::uint32_t triangles = mesh.triangleCount();
    std::vector<Finding> findings;

    const auto note = [&](FindingKind kind, const std::vector<std::uint32_t>& where, bool serious) {
        if (where.empty())
            return;
        const std::uint32_t t = where.front();
        Vec3d centre = Vec3d::Zero();
        for (std::uint32_t k = 0; k < 3; ++k)
            centre += mesh.positions[mesh.indices[3 * t + k]].cast<double>() / 3;
        double radius = 0;
        for (std::uint32_t k = 0; k < 3; ++k)
            radius = std::max(radius, (mesh.positions[mesh.indices[3 * t + k]].cast<double>() - centre).norm());
        findings.push_back({kind, static_cast<std::uint32_t>(where.size()), centre, radius, 0, serious});
    };

    std::vector<std::uint32_t> degenerate;
    std::vector<std::array<std::uint32_t, 4>> sorted;
    sorted.reserve(triangles);
    for (std::uint32_t t = 0; t < triangles; ++t) {
        std::array<std::uint32_t, 3> p{};
        for (std::uint32_t k = 0; k < 3; ++k)
            p[k] = weld.pointOf[mesh.indices[3 * t + k]];
        const Vec3f& a = mesh.positions[mesh.indices[3 * t]];
        const Vec3d ab = (mesh.positions[mesh.indices[3 * t + 1]] - a).cast<double>();
        const Vec3d ac = (mesh.positions[mesh.indices[3 * t + 2]] - a).cast<double>();
        const double longest = std::max({ab.squaredNorm(), ac.squaredNorm(), (ac - ab).squaredNorm()});
        if (p[0] == p[1] || p[1] == p[2] || p[0] == p[2] || ab.cross(ac).norm() <= 1e-9 * longest)
            degenerate.push_back(t);
        if (p[0] == p[1] || p[1] == p[2] || p[0] == p[2])
            continue;
        std::sort(p.begin(), p.end());
        sorted.push_back({p[0], p[1], p[2], t});
    }
    note(FindingKind::DegenerateTriangles, degenerate, true);

    std::sort(sorted.begin(), sorted.end());
    std::vector<std::uint32_t> duplicate;
    for (std::size_t i = 1; i < sorted.size(); ++i)
        if (std::equal(sorted[i].begin(), sorted[i].begin() + 3, sorted[i - 1].begin()))
            duplicate.push_back(sorted[i][3]);
    note(FindingKind::DuplicateTriangles, duplicate, true);

    std::vector<std::array<std::uint32_t, 3>> edges;
    edges.reserve(sorted.size() * 3);
    for (const auto& s : sorted) {
        edges.push_back({s[0], s[1], s[3]});
        edges.push_back({s[1], s[2], s[3]});
        edges.push_back({s[0], s[2], s[3]});
    }
    std::sort(edges.begin(), edges.end());
    std::vector<std::uint32_t> open;
    std::vector<std::uint32_t> crowded;
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t j = i;
        while (j < edges.size() && edges[j][0] == edges[i][0] && edges[j][1] == edges[i][1])
            ++j;
        if (j - i == 1)
            open.push_back(edges[i][2]);
        if (j - i > 2)
            crowded.push_back(edges[i][2]);
        i = j;
    }
    note(FindingKind::NonManifoldEdges, crowded, true);
    note(FindingKind::OpenBorders, open, false);

    const Bounds bounds = boundsOf(mesh);
    const auto whole = [&](FindingKind kind, bool serious) {
        findings.push_back({kind, 1, bounds.centre(), bounds.diagonal() / 2, 0, serious});
    };
    if (mesh.normals.empty())
        whole(FindingKind::MissingNormals, true);
    if (mesh.uvs.empty())
        whole(FindingKind::MissingUvs, false);
    constexpr std::uint32_t kTooLight = 200;
    if (triangles < kTooLight)
        whole(FindingKind::TooLight, false);
    return findings;
}

} // namespace thicket
