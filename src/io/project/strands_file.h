#pragma once
// Strands as bytes: what a project keeps beside its JSON of those that were grown. docs/formats/README.md has the layout.

#include "strands/strand_set.h"

#include <cstddef>
#include <span>

namespace thicket {

constexpr const char* kStrandsSuffix = ".strands";

/// A header, then the columns one after the other, little-endian.
std::vector<std::byte> encodeStrands(const StrandSet& set);

/// ERRORS  BadInput when the bytes are no strands, are cut short or too long for the counts they name, or what
///         checkStrands says. Sizes are checked before anything is allocated.
Result<StrandSet> decodeStrands(std::span<const std::byte> data, const std::string& where);

} // namespace thicket
