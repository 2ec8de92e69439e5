#pragma once
// Switches of a field: of each level the copies that give way to it, and what is seen of that across the ground.

#include "bake/band.h"
#include "scene/level_looks.h"
#include "scene/scene.h"
#include "switching/copy_distance.h"
#include "switching/thinning.h"

namespace thicket {

/// How a switch of a subject is judged for a view: PopOptions::blurPx. Of many pieces much alike, as leaves, it is never
/// seen which of them shows in a pixel: theirs are judged as where a degree of sight has 60 pixels at least, one a minute
/// of arc.
double judgedBlur(const Subject& subject, const View& view);

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
    double blurPx = 0;   ///< as judgedBlur says
    Thinning thinning;   ///< in force
    ResolvedChain chain; ///< by which distances are measured
    /// All that a score follows from. Of the chain that is the rest and the bounds, which are those of the meshes.
    bool operator==(const BandAsset& other) const;
};

/// All of a field's assets that switch to a level of the same number.
struct FieldBand {
    SharedPlacements copies; ///< null: no field
    std::vector<BandAsset> assets;
    double width = 0; ///< of the soft band, 0..0.5
    int finer = 0;    ///< the level that most of them show before
    bool operator==(const FieldBand&) const = default;

    [[nodiscard]] bool none() const { return copies == nullptr; }
    /// Where the first of them switches, without the soft band.
    [[nodiscard]] double metres() const;
    /// The same switches so that the first of them is there.
    [[nodiscard]] FieldBand movedTo(double metres) const;
};

/// A copy as it is drawn from a view.
struct BandDrawn {
    double size = 0;     ///< times its own; 0: it is not drawn
    double distance = 0; ///< that its level is decided by
    double from = 0;     ///< where it switches, if all did at one distance
    double softFrom = 0; ///< and where it does
};
/// slot   its place in the field's copies.
BandDrawn drawnFrom(const FieldBand& band, const BandAsset& asset, std::size_t slot, const View& view);

/// The switch of a field to a level; none where no asset has one within reach.
FieldBand bandOf(const Scene& scene, const Subject& field, std::size_t level, const View& view);
/// The most levels that one of its assets has.
std::size_t mostLevels(const Scene& scene, const Subject& field);

/// How both levels of each asset of a field look, wherever they switch.
struct BandLooks {
    LevelLooks finer;
    LevelLooks coarser;
};
std::vector<BandLooks> looksOf(const FieldBand& band);

/// Looks at the copies round the places where most of them switch, and at a copy of each asset by itself, as near as any
/// of them switches.
/// looks      of the band, at whatever distance.
/// view       the stated one: its lens and lines.
/// ERRORS     Cancelled.
/// COST       O(copies) for each of five places, and the looks at those that are seen there.
Result<PopScore> scoreBand(const FieldBand& band, std::vector<BandLooks>& looks, const View& view,
                           const PopOptions& options, const JobContext& job);

} // namespace thicket
