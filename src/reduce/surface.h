#pragma once
// The working state of a record in the making: the surface as it is now, in arrays that follow its place in space.

#include "base/big_vector.h"
#include "reduce/quadric.h"
#include "reduce/record.h"

#include <array>

namespace thicket::reduce {

/// A *point* is a place on the surface; a *wedge* is one of the vertices there (same position, other normal, UV or
/// material). Places are moved and scaled so that the mesh's box has its centre at 0 and a diagonal of 1.
///
/// Points stand in the order of a space-filling curve and wedges in the order of their points, so a run of points is a
/// compact region, and a region's collapses touch one stretch of each array.
struct Surface {
    Vec3d origin{0, 0, 0};
    double scale = 1;     ///< metres of one working unit
    bool careful = false; ///< some planes count more than their areas

    // a point each
    BigVector<Vec3d> places; ///< apart from the quadrics: most that is looked at needs only them
    BigVector<Quadric> quadrics;
    BigVector<std::uint8_t> flags;
    /// Of the places that a point stands for the one that was farthest from the surface when it was looked for last.
    BigVector<Vec3f> farthest;

    /// Four a triangle: its points, and its number in the record. So a place in this array, a *corner*, tells both the
    /// triangle and the point's place in it. Of a triangle that has gone: kNone first.
    BigVector<std::uint32_t> corners;
    BigVector<std::uint32_t> cornerWedge; ///< three a triangle; see wedgeAt

    // a wedge each: the record's node that stands there now, and that node's attributes
    BigVector<std::uint32_t> wedgePoint; ///< never falls
    BigVector<std::uint32_t> wedgeNode;
    BigVector<Vec3f> wedgeNormal;
    BigVector<Vec2f> wedgeUv;
    BigVector<Vec4f> wedgeColor;
    BigVector<Vec2f> wedgeUv2;
    int attributes = 0;
    BigVector<double> attributeQuadric; ///< AttributeSpan::stride(attributes) doubles a wedge
    double normalScale = 0;
    double uvScale = 0;
    double uv2Scale = 0;
    double colorScale = 0;
    int mirrorAxis = -1;                         ///< across which the surface is mirrored; -1: it is not
    double mirrorAt = 0;                         ///< working units
    BigVector<std::array<float, 6>> wedgeMotion; ///< stand-ins for skinning and morphing; of the input alone

    static constexpr std::uint8_t kBorder = 1;    ///< touches an edge with one triangle
    static constexpr std::uint8_t kIrregular = 2; ///< touches an edge that has not exactly one triangle a side
    static constexpr std::uint8_t kLocked = 4;    ///< has a triangle that reaches out of its region
    static constexpr std::uint8_t kGone = 8;
    static constexpr std::uint8_t kOnMirror = 16; ///< stays on the plane across which the whole is mirrored

    [[nodiscard]] std::size_t triangles() const { return corners.size() / 4; }
    [[nodiscard]] double* attributesOf(std::uint32_t wedge) {
        return attributeQuadric.data() +
               std::size_t{wedge} * static_cast<std::size_t>(AttributeSpan::stride(attributes));
    }
};

/// The corners of the same triangle that follow and precede one.
constexpr std::uint32_t cornerAfter(std::uint32_t c) {
    return (c & 3U) == 2 ? c - 2 : c + 1;
}
constexpr std::uint32_t cornerBefore(std::uint32_t c) {
    return (c & 3U) == 0 ? c + 2 : c - 1;
}
/// Where a corner's wedge stands in `cornerWedge`.
constexpr std::uint32_t wedgeAt(std::uint32_t corner) {
    return corner - corner / 4;
}
/// Where a triangle's number stands in `corners`, from any of its corners.
constexpr std::uint32_t sourceAt(std::uint32_t corner) {
    return corner | 3U;
}

/// Welds, drops degenerate and duplicate triangles (counted in `record`), fills the record's source half and all
/// quadrics.
Result<void> prepareSurface(const Mesh& mesh, const ReduceOptions& options, const JobContext& job, Surface& surface,
                            Record& record);

/// Order of places along a space-filling curve, as indices into `places`. `turn` shifts and turns the curve, so that
/// regions cut from it have other borders.
/// When the job is cancelled, nothing.
BigVector<std::uint32_t> curveOrder(const BigVector<Vec3d>& places, unsigned turn, const JobContext& job = {});

/// A run of points, with the triangles that lie wholly in it.
struct Region {
    std::uint32_t firstPoint = 0;
    std::uint32_t points = 0;
    std::uint32_t firstTriangle = 0;
    std::uint32_t triangles = 0;
    std::uint32_t firstWedge = 0;
};

/// Closes up what has gone and puts the rest in the order of the curve (not at turn 0, when it is fresh), then cuts it
/// into regions of about `pointsEach` points. Triangles of a region stand together and name points and wedges counted
/// from its first ones; those that lie in more than one region stand last, with numbers of the whole surface, and their
/// points are locked. When the job is cancelled, nothing, and the surface is of no more use.
std::vector<Region> arrange(Surface& surface, unsigned turn, std::uint32_t pointsEach, const JobContext& job = {});

/// Gives the triangles of all regions numbers of the whole surface again.
void release(Surface& surface, const std::vector<Region>& regions);

} // namespace thicket::reduce
