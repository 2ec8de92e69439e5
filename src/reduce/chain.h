#pragma once
// From one mesh to a measured chain of levels.

#include "measure/deviation.h"
#include "reduce/record.h"

#include <memory>

namespace thicket {

enum class TargetKind { Triangles, ShareOfFirst, ShareOfPrevious, DeviationMetres, VisibleMetres, VisibleOfRadius };

/// How heavy a level is to be. VisibleOfRadius is for who knows the subject's radius: `cutLevel` takes metres. PixelError at a distance is DeviationMetres after `deviationForPixels`.
struct LevelTarget {
    TargetKind kind = TargetKind::ShareOfPrevious;
    double value = 0.25;
};

/// Deviation against triangle count: about a dozen measured counts, read between them on logarithmic scales.
struct DeviationCurve {
    std::vector<std::uint32_t> triangles; ///< falling, first the source's count
    std::vector<double> deviation;        ///< metres, never falling; first 0
    std::vector<double> careful;          ///< the same times the care where it is; empty: there is no care
    std::vector<double> visible;          ///< what of it a pixel can show, never falling; empty: not known

    [[nodiscard]] bool empty() const { return triangles.empty(); }
    /// Estimated two-sided maximum deviation at a count, metres.
    [[nodiscard]] double at(double triangleCount) const;
    /// The count whose estimated deviation is `metres`: the inverse of `at`.
    [[nodiscard]] double trianglesAt(double metres) const;
    /// The same of what is visible; of all that is off where that is not known.
    [[nodiscard]] double visibleAt(double triangleCount) const;
    [[nodiscard]] double trianglesForVisible(double metres) const;
};

struct CutLevel {
    Mesh mesh;
    Deviation deviation;
    std::uint32_t pieces = 1; ///< loose pieces it still has
    /// The heaviest count that was tried: asked to be lighter than anything heavier, it comes out the same.
    std::uint32_t heaviest = 0;
};

struct ChainTimings {
    double recordMs = 0;
    double cutMs = 0;
    double polishMs = 0;
    double measureMs = 0;
    double looksMs = 0; ///< looking at switches, and what is cut for that
};

/// Measures a dozen counts of a record against its source by sampled vertices. `care`: one a vertex of the source, or
/// empty.
/// ERRORS     Cancelled.
Result<DeviationCurve> measureCurve(const Mesh& source, const SurfaceQuery& query, const Record& record,
                                    const JobContext& job, std::span<const float> care = {});

/// A level of at most so many triangles with its points in their best places (`polishLevel`, `untangleLevel`), unless
/// the record says that they stay where they are, or pieces of an aggregate were grown.
/// ERRORS     Cancelled.
Result<Mesh> cutAndPolish(const Mesh& source, const SurfaceQuery& query, const Record& record, std::uint32_t triangles,
                          const JobContext& job);

/// Cuts and measures one level. A deviation target is met from below: of the counts tried, the lightest that holds. What
/// is to be visible is only aimed at.
/// `lighterThan`: the level before; the new one is strictly lighter.
/// ERRORS     Cancelled; CheckFailed when it cannot be lighter.
Result<CutLevel> cutLevel(const Mesh& source, const SurfaceQuery& query, const Record& record,
                          const DeviationCurve& curve, const LevelTarget& target, std::uint32_t lighterThan,
                          const JobContext& job, ChainTimings* timings = nullptr);

} // namespace thicket
