#pragma once
// Fields of copies in a scene: what they are scattered on, how they thin out to begin with, what they hold.

#include "scatter/scatter.h"
#include "scene/edits.h"
#include "scene/scene.h"

namespace thicket {

/// The triangles a recipe is scattered on, with what it keeps its distance from. Of a surface all copies count, at their
/// finest; where nobody has placed it, it stands at the origin.
/// mask      the bytes of the recipe's picture; empty: none.
/// ERRORS    NotFound when surface, route or subject is gone; BadInput when the mask is no picture that is read.
Result<ScatterGround> groundOf(const Scene& scene, const ScatterRecipe& recipe, const std::vector<std::byte>& mask);

/// A curve by shares of the reach: where, and which value.
DistanceCurve sharesOver(double reach, std::initializer_list<std::pair<double, double>> shares);

/// How a field of a role thins out to begin with, and the rule its copies are switched by.
Thinning usualThinning(Role role, double reachMetres);
SwitchRule usualFieldRule(Role role, double tallestMetres);

/// A field of copies that name assets by their place in `assets`. `copies` are in their progressive order.
Subject makeField(const Scene& scene, std::string name, Role role, std::vector<std::uint32_t> assets,
                  Placements copies);

/// Copies keep their ids where no other copy of the project has one of them; else all are to get fresh ones. Returns
/// whether they kept them.
bool keepFreeIds(const Scene& scene, Placements& copies);

/// The tallest of copies, metres, as large as they stand.
double tallestOf(const Scene& scene, const std::vector<std::uint32_t>& assets, const Placements& copies);

/// Takes one copy out of a field.
Edit removeCopy(const Scene& scene, std::uint32_t placement);

} // namespace thicket
