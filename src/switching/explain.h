#pragma once
// Why a copy is drawn at the level it is, or not at all, in words. The selector says why; this only words it.

#include "switching/selector.h"

#include <string>

namespace thicket {

/// "L2, because L3 would be 1.4 px off (1 px allowed)", "culled, because 2.1 px tall is less than 3 px". After it, what
/// moves its switches: "importance × 2". `pick` as pickOf gave it.
std::string explainPick(const ResolvedChain& chain, const Placement& copy, const View& view,
                        const SelectOptions& options, const Pick& pick);

/// What moves the switches of a copy beside its rule: "detail × 0.5 · importance × 2 · moving × 0.7"; empty: nothing.
std::string contextText(const ResolvedChain& chain, const Placement& copy, const SelectOptions& options);

/// "out of view", "beyond reach", "too small", "hidden", "no level"; empty for Culled::No.
std::string culledName(Culled reason);

} // namespace thicket
