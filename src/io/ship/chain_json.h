#pragma once
// What a chain description says of a level; the whole of it is encodeChain in io/ship/ship.h.

#include "io/json/fields.h"
#include "scene/subject.h"

namespace thicket {

/// 2: levels name the shape that was measured.
constexpr int kChainVersion = 2;

/// A level as it is handed over: the one way to write a level, with its pictures' bytes and where it comes in.
json::ordered_json shippedLevel(const Subject& subject, const ResolvedChain& chain, std::size_t level,
                                const View& view);

} // namespace thicket
