#pragma once
// Placements as bytes: what a project keeps beside its JSON when they are many. docs/formats/README.md has the layout.

#include "base/result.h"
#include "switching/placement.h"

#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace thicket {

/// A selector's cells count copies in 24 bits.
constexpr std::size_t kMostPlacements = (std::size_t{1} << 24) - 1;

/// A header and one column after the other, little-endian.
std::vector<std::byte> encodePlacements(const Placements& placements);

/// ERRORS  BadInput when the bytes are no placements, are cut short or too long for the count they name, or hold a
///         copy that cannot be: a position that is no number or beyond 1e12, a rotation without length, a scale of 0.
///         Sizes are checked before anything is allocated.
Result<Placements> decodePlacements(std::span<const std::byte> data, const std::string& where);

/// What is wrong with a placement; empty when it can be.
std::string problemOf(const Placement& placement);

} // namespace thicket
