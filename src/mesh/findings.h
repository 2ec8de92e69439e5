#pragma once
// What is wrong with a mesh, counted and with a place to look at.

#include "mesh/mesh.h"

namespace thicket {

enum class FindingKind {
    DegenerateTriangles,
    DuplicateTriangles,
    NonManifoldEdges,
    OpenBorders,
    UnweldedPoints,
    FlippedTriangles,
    LooseSpecks,
    Needles,
    UnusualSize,
    MissingNormals,
    MissingUvs,
    LevelsOutOfOrder,
    LevelBoundsDisagree,
    TooLight
};

/// `count` elements of one kind; `place` and `radius` hold the first ones, metres, in the subject's own space.
struct Finding {
    FindingKind kind = FindingKind::DegenerateTriangles;
    std::uint32_t count = 0;
    Vec3d place{0, 0, 0};
    double radius = 0;
    int level = 0;
    bool serious = false; ///< worth a dot in the subject list; the rest is for information
    [[nodiscard]] std::string text() const;
};

/// COST  O(T log T). Results in a fixed order, only kinds that occur.
std::vector<Finding> findMeshProblems(const Mesh& mesh);

} // namespace thicket
