#pragma once
// Strands in a scene: made from lines or grown, their levels and their chain for a view, how they thin out.

#include "scene/kinds.h"

namespace thicket {

/// Strands with the levels, rule and curves that a role has to begin with.
/// body      with `strands` in their progressive order, and what they came by.
/// ERRORS    Cancelled; what checkStrands says.
Result<Subject> makeStrands(std::string name, Role role, StrandsBody body, const JobContext& job);

/// Gives strands their lines, keeping role, rule, curves, look and switches. Levels keep their deviations.
/// ERRORS    Cancelled; what checkStrands says.
Result<Subject> withStrands(Subject subject, std::shared_ptr<const StrandSet> strands, const JobContext& job);

/// The same strands with other levels: their deviations, or how many strands a card stands for, count, and deviations
/// become true ones. The first is the source's; one of cards is the last, and there is at most one.
/// ERRORS    Cancelled.
Result<Subject> withStrandLevels(Subject subject, std::vector<StrandLevel> levels, const JobContext& job);

/// Strands of a file as they are when one of its lengths is so many metres, before it is read again: levels and distances
/// go along, rule and curves where they are still what the role gave.
Subject inUnit(Subject subject, double metres);

/// The same strands in other colours, in their picture too.
Subject withLook(Subject subject, const StrandLook& look);

/// What a recipe grows in a scene.
/// mask      the bytes of the recipe's picture; empty: none.
/// ERRORS    those of groundOf and growStrands.
Result<std::shared_ptr<const StrandSet>> growIn(const Scene& scene, const StrandRecipe& recipe,
                                                const std::vector<std::byte>& mask, const JobContext& job);

/// Costs of the levels of all strands together, and the chain in force for a view. Distances are those of one strand.
std::vector<LevelCost> strandCosts(const StrandsBody& body);
ResolvedChain strandChain(const Subject& subject, const View& view);

/// How they thin out as a view sees them, where that goes by the height of a strand on screen.
Thinning strandThinning(const Subject& subject, const View& view);

/// How strands of a role thin out to begin with: their widths hold the cover.
Thinning usualStrandThinning(Role role, double reachMetres);
SwitchRule usualStrandRule(Role role, double tallestMetres);

} // namespace thicket
