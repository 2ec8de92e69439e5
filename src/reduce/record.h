#pragma once
// The complete, ordered list of collapses of one mesh, from which any level is cut.

#include "base/job.h"
#include "mesh/mesh.h"

#include <optional>
#include <span>

namespace thicket {

constexpr std::uint32_t kNone = 0xFFFFFFFFU;

/// Collapse k (counted from 1) moves two points of the surface to one place and makes one node for each vertex there.
///
/// Nodes: the input's distinct vertices first, then the made ones in order of birth. Arrays of one entry a node hold
/// what a level's vertex needs, so a cut gathers and never computes. `parent` of a node is the one that replaced it and
/// is always larger, so the representative of every node at a time falls out of one sweep from the top. Triangles keep
/// the input's order (and so its materials and its locality); `death` says which collapse removes each.
struct Record {
    std::vector<Vec3f> positions;
    std::vector<Vec3f> normals;
    std::vector<Vec2f> uvs;
    std::vector<Vec4f> colors;
    VertexExtras extras;
    std::vector<std::uint32_t> parent; ///< kNone at the roots
    std::vector<std::uint32_t> birth;  ///< the collapse that made the node, 0 for the input's; never falls
    std::vector<std::uint32_t>
        standsFor; ///< the input's node that each is a copy of; empty: made ones are new vertices

    std::vector<std::uint32_t> indices; ///< three nodes of the input a triangle
    std::vector<std::uint32_t> death;   ///< the collapse that removes it; kNone: never
    std::vector<MeshPart> parts;

    std::vector<std::uint32_t> alive; ///< triangles left after collapse k; alive[0] is the input's count; never rises
    std::vector<float> error;         ///< estimate from the quadrics, metres, made never to fall; error[0] = 0

    std::vector<std::uint32_t> pieceOf; ///< a triangle each: its loose piece; empty when no piece is ever dropped
    /// Whole pieces that go, by rising time, with the share that is left then of the area of all pieces that grow.
    struct PieceDrop {
        std::uint32_t time = 0;
        float keptShare = 1;
    };
    std::vector<PieceDrop> drops;
    std::uint32_t pieces = 1;
    bool asCut = false;     ///< points of its levels are where they have to be: nothing is to move them afterwards
    bool aggregate = false; ///< many alike pieces: the kept ones grow as others go, so that cover holds
    struct Piece {
        bool grows = true; ///< one of the many; else it is another thing, as a trunk among leaves
        /// Where nothing of the kind stands: away from its neighbours, 1 long where they all stand on one side, 0 in
        /// their midst.
        Vec3f outward{0, 0, 0};
    };
    std::vector<Piece> pieceKinds; ///< of an aggregate: a piece each
    double area = 0;               ///< of an aggregate: the surface of the pieces that grow, square metres

    /// The surface as it is at some times, so that a cut to few triangles need not begin with all. Empty, or made by
    /// `addCheckpoints`; each has three fifths of the triangles of the one before.
    struct Checkpoint {
        std::uint32_t time = 0;
        std::uint32_t born = 0;               ///< nodes made by then, the input's counted
        std::vector<std::uint32_t> nodes;     ///< those in use
        std::vector<std::uint32_t> triangles; ///< rising
        std::vector<std::uint32_t> corners;   ///< three a triangle, counted in `nodes`
    };
    std::vector<Checkpoint> checkpoints;

    std::uint32_t droppedDegenerate = 0; ///< triangles of the input that had no area or stood twice
    std::uint32_t droppedDuplicate = 0;

    [[nodiscard]] std::uint32_t collapses() const { return static_cast<std::uint32_t>(alive.size() - 1); }
    [[nodiscard]] std::uint32_t fewestTriangles() const { return alive.back(); }
    [[nodiscard]] std::size_t bytes() const;
};

/// A plane x, y or z = `at` (axis 0, 1 or 2), metres.
struct MirrorPlane {
    int axis = 0;
    double at = 0;
};

/// What matters beside the shape. Attribute weights turn a change into metres of a unit-sized mesh.
struct ReduceOptions {
    double normalWeight = 0.002; ///< 0..0.05; a turn by 57 degrees counts as this share of the mesh's diagonal
    double uvWeight = 0.05;      ///< 0..1; texture drift against deviation, both in metres on the surface
    double colorWeight = 0.01;   ///< 0..0.1; black to white counts as this share of the diagonal
    double borderWeight = 6.0;   ///< 0.1..100; open and material borders against surface
    double seamWeight = 0.3;     ///< 0..10; UV seams and hard edges against surface
    double valenceWeight = 0.03; ///< 0..0.5; a new point of 6 + n edges costs 1 + this times n^2 as much
    double unevenWeight = 0.6;   ///< 0..3; the same for each time its longest edge squared exceeds the usual
    double farWeight = 0.4;    ///< 0..1; squared distance of the farthest forgotten place against the mean squared one
    double skinWeight = 0.05;  ///< 0..1; how much moving with other joints counts, as a share of the diagonal
    double morphWeight = 1;    ///< 0..10; deviation of morphed shapes against that of the mesh at rest
    double areaExponent = 0.5; ///< 0: mass of the error counts (mean); 1: only its height (maximum)
    std::span<const float> care; ///< one a vertex, 0..1, or empty: deviation counts up to 1 + careGain times as much
    double careGain = 15;        ///< 0..100
    /// Every vertex of every level is one of the input's, so that all levels can share one vertex buffer. Levels of the
    /// same weight are then about twice as far off.
    bool reuseVertices = false;
    /// Points on this plane never leave it, so that both halves of what is mirrored meet there.
    std::optional<MirrorPlane> mirror;
};

/// Records all collapses of a mesh.
/// REQUIRES   checkMesh has passed.
/// ERRORS     Cancelled (looked at every 1,024 collapses, and every few milliseconds of the passes over the whole
///            mesh);
///         BadInput when nothing is left without degenerate triangles.
/// COST       about O(T log T) time; peak about 200 bytes a triangle, with normals and UVs 400, the mesh itself
///            counted.
/// THREADS    the result does not depend on how many run.
/// SOURCE     Garland & Heckbert 1997 (quadrics), Hoppe 1999 (attributes by wedge), Hoppe 1996 (record), Lindstrom &
///            Turk
///         1998 (volume). Ours keeps each edge with its younger end, so a collapse weighs only the new point's own
///         edges, and collapses large meshes by regions.
Result<Record> recordCollapses(const Mesh& mesh, const ReduceOptions& options, const JobContext& job);

/// Loose pieces that a level of so many triangles still has.
std::uint32_t piecesLeft(const Record& record, std::uint32_t triangles);

/// The collapse count after which at most `triangles` are left (or the last, when so few cannot be reached).
std::uint32_t collapsesForTriangles(const Record& record, std::uint32_t triangles);

/// Makes later cuts take time in proportion to their size.
/// COST       about two full cuts; 24 bytes an input triangle.
void addCheckpoints(Record& record);

/// The level with at most `triangles` triangles; fewestTriangles() when that is more. Pieces of an aggregate are grown
/// (`growPieces`) to hold the cover of those that are gone. Checkpoints change nothing but the time.
/// COST       O(nodes + triangles) of the last checkpoint before, or of the input.
Mesh cutRecord(const Record& record, std::uint32_t triangles);

} // namespace thicket
