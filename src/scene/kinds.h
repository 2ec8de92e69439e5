#pragma once
// What differs by kind of subject. To add a kind: a body in scene/subject.h, an overload of each of these, a page of
// JSON in io/project/project_body.cpp, a shipper in io/ship/ship.cpp; the compiler names what is missing. Anything else
// that asks which kind a subject is, is in the wrong place.

#include "scene/scene.h"

namespace thicket {

/// For std::visit: one function a kind.
template <class... Ts> struct Overload : Ts... { using Ts::operator()...; };
template <class... Ts> Overload(Ts...) -> Overload<Ts...>;

/// Its batches for the selector, for the stated view. Cells that `before` has for the same copies are used again.
/// `index` is the subject's place in the scene.
std::vector<Batch> batchesOf(const Scene& scene, std::uint32_t index, const View& view, const SelectInput* before);

/// The same for those that are drawn by tiles; empty where it is none or its heights are missing.
std::optional<GroundBatch> groundBatchOf(const Subject& subject, std::uint32_t index, const View& view);

/// The chain that it is switched by itself, for the stated view; empty for fields, whose assets have their own, and for
/// ground without heights.
std::optional<ResolvedChain> ownChainOf(const Subject& subject, const View& view);
/// Sets a level's switch by hand, or takes that away.
/// REQUIRES   a subject with a chain of its own that has the level.
void setFixed(Subject& subject, std::size_t level, const std::optional<FixedSwitch>& fixed);

/// How many levels its chain has; 0 where it has none of its own.
std::size_t levelCount(const Subject& subject);

/// How it thins out over distance; null for what does not.
const Thinning* thinningOf(const Subject& subject);
/// Where what it draws fills the picture's height: the largest of a field's assets, one of strands; metres, 0 where
/// there is none.
double fullHeightOf(const Scene& scene, const Subject& subject, const View& view);
/// How many times nearer the curves of a field or of strands come than they were typed: by the detail of the scene and
/// of the device, as switches do, and by what a fit loosened.
double nearerTimes(const View& view, std::uint32_t subject);
/// REQUIRES   a subject that thins out.
void setThinning(Subject& subject, Thinning thinning);

/// Its placements; null where it has none.
SharedPlacements placementsOf(const Subject& subject);
/// REQUIRES   a kind that has placements, where `placements` is not null.
void setPlacements(Subject& subject, SharedPlacements placements);
/// How many copies it has in the scene; 0: nobody has placed it. Terrain counts as one, of strands each does.
std::size_t copyCount(const Subject& subject);

/// Bytes of its meshes and placements while the program runs.
double memoryOf(const Subject& subject);

/// What the list is sorted by: triangles at its finest, of a field those of its assets' mean with all its copies.
/// COST       O(assets): asked for every comparison.
double weightOf(const Scene& scene, const Subject& subject);

/// Its line in the list: "484 k · 400 placed", "60,000 copies of 3 assets".
std::string weightText(const Subject& subject);

/// The mesh that stands for it in pictures, with its surfaces; null when there is none.
struct Likeness {
    std::shared_ptr<const Mesh> mesh;
    std::shared_ptr<const Surfaces> surfaces;
};
Likeness likenessOf(const Scene& scene, const Subject& subject);

/// Its source was not found, or a field has lost an asset.
bool isIncomplete(const Scene& scene, const Subject& subject);

/// Sets what is derived: counts and bounds of a mesh, the bounds of a field.
void refresh(const Scene& scene, Subject& subject);

} // namespace thicket
