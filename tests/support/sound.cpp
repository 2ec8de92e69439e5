#include "support/sound.h"

#include <algorithm>
#include <array>
#include <gtest/gtest.h>
#include <map>

namespace thicket::shapes {
double area(const Mesh& mesh, std::uint32_t t) {
    const Vec3d a = mesh.positions[mesh.indices[3 * t]].cast<double>();
    return (mesh.positions[mesh.indices[3 * t + 1]].cast<double>() - a)
               .cross(mesh.positions[mesh.indices[3 * t + 2]].cast<double>() - a)
               .norm() /
           2;
}
void expectSound(const Mesh& mesh) {
    EXPECT_TRUE(checkMesh(mesh, "level"));
    std::map<std::array<std::uint32_t, 3>, int> seen;
    const Weld weld = weldPositions(mesh);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        EXPECT_GT(area(mesh, t), 0) << "triangle " << t << " is degenerate";
        std::array<std::uint32_t, 3> p{};
        for (std::uint32_t k = 0; k < 3; ++k)
            p[k] = weld.pointOf[mesh.indices[3 * t + k]];
        std::rotate(p.begin(), std::min_element(p.begin(), p.end()), p.end());
        EXPECT_EQ(++seen[p], 1) << "triangle " << t << " stands twice";
    }
    std::vector<bool> used(mesh.vertexCount(), false);
    for (const auto v : mesh.indices)
        used[v] = true;
    EXPECT_TRUE(std::all_of(used.begin(), used.end(), [](bool u) { return u; })) << "a cut carries unused vertices";
}

} // namespace thicket::shapes
