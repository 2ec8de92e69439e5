#pragma once
// Which triangles meet at each point of a surface in the making.

#include "base/big_vector.h"
#include "base/job.h"

#include <span>

namespace thicket::reduce {

/// Corners at each point: runs of one array.
struct CornerLists {
    std::vector<std::uint32_t> start; ///< one more than points
    BigVector<std::uint32_t> list;

    [[nodiscard]] std::span<const std::uint32_t> of(std::uint32_t p) const {
        return {list.data() + start[p], start[p + 1] - start[p]};
    }
};

/// `corners`: four a triangle, as in `Surface`. When the job is cancelled, of no use.
CornerLists listsOf(const BigVector<std::uint32_t>& corners, std::size_t points, const JobContext& job);

} // namespace thicket::reduce
