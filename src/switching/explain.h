#pragma once
// Why a copy is drawn at the level it is, or not at all, in words.

#include "switching/selector.h"

#include <string>

namespace thicket {

/// "L2, because L3 would be 1.4 px off (1 px allowed)", "culled, because 2.1 px tall is less than 3 px". After it, what
/// moves its switches: "importance × 2". `memory` as it is after the selection that made the pick, at `seconds`.
std::string explainPick(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy, const View& view,
                        const SelectOptions& options, const Pick& pick, const PickMemory& memory, double seconds);

/// What moves the switches of a copy beside its rule: "detail × 0.5 · importance × 2 · moving × 0.7"; empty: nothing.
std::string contextText(const ResolvedChain& chain, const CopyArrays& copies, std::size_t copy,
                        const SelectOptions& options);

} // namespace thicket
