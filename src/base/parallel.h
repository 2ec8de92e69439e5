#pragma once
// Parallel loops whose result does not depend on the number of threads.

#include <cstddef>
#include <functional>

namespace thicket {

/// Calls body(begin, end) for consecutive chunks of [0, count), each of `chunk` entries but the last.
/// Chunk borders depend on `chunk` alone, so sums kept per chunk and joined in order are the same on any machine.
/// THREADS  body runs on several threads at once and must touch only its own entries.
void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body);

} // namespace thicket
