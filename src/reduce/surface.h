#pragma once
// The working state of a collapse run: welded points, wedges, incidence and quadrics, all in flat arrays.

#include "reduce/quadric.h"
#include "reduce/record.h"

namespace thicket::reduce {

/// A *point* is a place on the surface; a *wedge* is one of the vertices there (same position, other normal, UV or
/// material). Positions are moved and scaled so that the mesh's box has its centre at 0 and a diagonal of 1.
struct Surface {
    Vec3d origin{0, 0, 0};
    double scale = 1; ///< metres of one working unit

    // a point each
    std::vector<Vec3d> place;
    std::vector<Quadric> quadric;
    std::vector<std::uint32_t> listStart; ///< into `list`
    std::vector<std::uint32_t> listSize;
    std::vector<std::uint32_t> soleWedge; ///< the point's wedge when it has only one, else kNone
    std::vector<std::uint8_t> flags;      ///< kBorder, kIrregular

    // a triangle each, three entries
    std::vector<std::uint32_t> trianglePoint;
    std::vector<std::uint32_t> triangleNode;

    /// Triangles round each point, runs of `listSize` from `listStart`. Merged runs are appended; `compactLists` tidies
    /// up.
    std::vector<std::uint32_t> list;

    // a wedge slot each
    int attributes = 0;
    std::vector<double> attributeQuadric; ///< AttributeSpan::stride(attributes) doubles a slot
    double normalScale = 0;
    double uvScale = 0;
    double colorScale = 0;

    static constexpr std::uint8_t kBorder = 1;    ///< touches an edge with one triangle
    static constexpr std::uint8_t kIrregular = 2; ///< touches an edge that has not exactly one triangle a side

    [[nodiscard]] AttributeSpan slot(std::uint32_t s) {
        return {attributeQuadric.data() + std::size_t{s} * static_cast<std::size_t>(AttributeSpan::stride(attributes)),
                attributes};
    }
};

/// Welds, drops degenerate and duplicate triangles (counted in `record`), fills the record's source half and all
/// quadrics.
Result<void> prepareSurface(const Mesh& mesh, const ReduceOptions& options, const JobContext& job, Surface& surface,
                            Record& record);

} // namespace thicket::reduce
