#pragma once
// Terrain in a scene: made from heights, its rule for a view, its levels for charts, strokes laid on it.

#include "scene/kinds.h"

namespace thicket {

/// A terrain with the rule that ground has to begin with.
/// ERRORS     Cancelled; BadInput when a stroke or the size of tiles is of no use.
Result<Subject> makeTerrain(std::string name, TerrainBody body, const JobContext& job,
                            std::shared_ptr<const TileTree> tree = nullptr);

/// Gives a terrain its heights: lays its strokes on them and makes its tiles. The role and the rule stay.
/// tree       those of `source`, where they are there already.
/// ERRORS     Cancelled.
Result<Subject> withHeights(Subject terrain, std::shared_ptr<const Heights> source, const JobContext& job,
                            std::shared_ptr<const TileTree> tree = nullptr);

/// The same terrain with tiles of another size.
/// ERRORS     Cancelled; BadInput for a size that is none.
Result<Subject> withTileSize(Subject terrain, std::uint32_t cells, const JobContext& job);

/// A terrain after one more stroke; `replacing` takes the place of the last one (a stroke in the making).
/// `under` are the heights and the tree before that stroke.
struct GroundBefore {
    std::shared_ptr<const Heights> heights;
    std::shared_ptr<const TileTree> tree;
};
struct StrokeOutcome {
    Subject terrain;
    std::uint32_t tiles = 0; ///< that were done again, on all levels
    HeightRect touched{1, 1, 0, 0};
};
StrokeOutcome layStroke(const Subject& terrain, const GroundBefore& under, const GroundStroke& stroke, bool replacing);

/// What a terrain's levels cost a square kilometre, and how far half of their tiles are off at the most.
std::vector<LevelCost> groundCosts(const TerrainBody& body);
/// The chain of a terrain in force for a view: where each level comes in everywhere.
ResolvedChain groundChain(const Subject& terrain, const View& view);
/// Its rule for the selector, for a camera at rest; reach apart from what the camera's height adds.
TileRule tileRuleOf(const Subject& terrain, const View& view);

/// A small mesh of the whole ground with its materials, for its picture in the list.
std::pair<std::shared_ptr<const Mesh>, std::shared_ptr<const Surfaces>> groundLikeness(const Heights& heights);

/// Colour of the ground by height above the water and slope, linear; what the viewport and pictures show it in.
/// height     metres above the terrain's origin
/// up         of its unit normal
Vec3f groundColor(float height, float up);

/// Height of a scene's ground at a place: the highest terrain there.
std::optional<double> groundHeight(const Scene& scene, double x, double z);

/// Copies moved up or down to the ground under or above them; as they were where there is none.
struct StoodOnGround {
    Placements copies;
    std::size_t moved = 0;   ///< that stood elsewhere before
    std::size_t without = 0; ///< that have no ground under them
};
/// COST       O(copies * terrains), on all cores where there are many.
StoodOnGround standOnGround(const Scene& scene, Placements copies);

} // namespace thicket
