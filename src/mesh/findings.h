#pragma once
// What is wrong with a mesh, counted.

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
    TooLight,
    SeveralThings ///< its file holds more than one thing
};

struct Finding {
    FindingKind kind = FindingKind::DegenerateTriangles;
    std::uint32_t count = 0; ///< elements of that kind
    double across = 0;       ///< of UnusualSize: metres
    int level = 0;           ///< of those about levels
    bool serious = false;    ///< worth a dot in the subject list; the rest is for information
    [[nodiscard]] std::string text() const;
};

/// COST  O(T log T). Results in a fixed order, only kinds that occur.
std::vector<Finding> findMeshProblems(const Mesh& mesh);

} // namespace thicket
