#pragma once
// Parallel loops whose result does not depend on the number of threads.

#include "base/big_vector.h"
#include "base/job.h"

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>

namespace thicket {

/// Calls body(begin, end) for consecutive chunks of [0, count), each of `chunk` entries but the last.
/// Chunks begin in order, each on whatever thread is free: those that take long belong first.
/// Chunk borders depend on `chunk` alone, so sums kept per chunk and joined in order are the same on any machine.
/// THREADS  body runs on several threads at once and must touch only its own entries. No thread begins a chunk within
///          another of the same loop, be it that it waits there for a loop of its own.
void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body);

/// The same until the job is cancelled: chunks that have not begun by then are left out. Returns whether all were done.
bool parallelChunks(std::size_t count, std::size_t chunk, const JobContext& job,
                    const std::function<void(std::size_t, std::size_t)>& body);

/// While it lives, this thread and those that help it with parallel loops give way to all others: what someone waits for
/// at the screen goes first. Threads that helped once go on to do so.
class GiveWay {
public:
    GiveWay();
    ~GiveWay();
    GiveWay(const GiveWay&) = delete;
    GiveWay& operator=(const GiveWay&) = delete;

private:
    class Helpers;
    std::unique_ptr<Helpers> m_helpers;
};

/// Sorts on all cores. When the job is cancelled it ends within some milliseconds, leaves `keys` in any order, and
/// returns false.
bool sortKeys(BigVector<std::uint64_t>& keys, const JobContext& job);

} // namespace thicket
