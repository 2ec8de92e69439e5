#pragma once
// Switches of a field: of each level the copies that give way to it, and what is seen of that across the ground.

#include "bake/band.h"
#include "scene/scene.h"
#include "switching/thinning.h"

namespace thicket {

/// One asset of a field at the switch to a level.
struct BandAsset {
    std::uint32_t place = 0; ///< in the field's list
    std::shared_ptr<const Mesh> finer;
    std::shared_ptr<const Mesh> coarser;
    std::shared_ptr<const Surfaces> finerSurfaces;
    std::shared_ptr<const Surfaces> coarserSurfaces;
    ViewGrid finerViews;
    ViewGrid coarserViews;
    double metres = 0; ///< where the switch is for a copy of scale 1
    bool growsWithScale = true;
    double radius = 1; ///< of the asset
    Thinning thinning; ///< in force
    bool operator==(const BandAsset&) const = default;
};

/// All of a field's assets that switch to a level of the same number.
struct FieldBand {
    SharedPlacements copies; ///< null: no field
    std::vector<BandAsset> assets;
    double width = 0; ///< of the soft band, 0..0.5
    MeasureFrom measureFrom = MeasureFrom::NearestPoint;
    int finer = 0; ///< the level that most of them show before
    bool operator==(const FieldBand&) const = default;

    [[nodiscard]] bool none() const { return copies == nullptr; }
    /// Where the first of them switches, without the soft band.
    [[nodiscard]] double metres() const;
    /// The same switches so that the first of them is there.
    [[nodiscard]] FieldBand movedTo(double metres) const;
};

/// The switch of a field to a level; none where no asset has one within reach.
FieldBand bandOf(const Scene& scene, const Subject& field, std::size_t level, const View& view);
/// The most levels that one of its assets has.
std::size_t mostLevels(const Scene& scene, const Subject& field);

/// Looks at the copies round the place where most of them switch, and at a copy of each asset by itself, as near as any
/// of them switches.
/// ERRORS     Cancelled.
Result<PopScore> scoreBand(const FieldBand& band, double pixelsPerMetre, const PopOptions& options,
                           const JobContext& job);

} // namespace thicket
