#include "reduce/corner_lists.h"

namespace thicket::reduce {

CornerLists listsOf(const BigVector<std::uint32_t>& corners, std::size_t points, const JobContext& job) {
    CornerLists lists;
    lists.start.assign(points + 1, 0);
    for (std::size_t c = 0; c < corners.size(); c += 4) {
        if (c % 65536 == 0 && job.cancelled())
            return lists;
        for (std::size_t k = 0; k < 3; ++k)
            ++lists.start[corners[c + k] + 1];
    }
    for (std::size_t p = 0; p < points; ++p)
        lists.start[p + 1] += lists.start[p];
    lists.list.resize(corners.size() / 4 * 3);
    std::vector<std::uint32_t> fill(lists.start.begin(), lists.start.end() - 1);
    for (std::size_t c = 0; c < corners.size() && !(c % 65536 == 0 && job.cancelled()); c += 4)
        for (std::size_t k = 0; k < 3; ++k)
            lists.list[fill[corners[c + k]]++] = static_cast<std::uint32_t>(c + k);
    return lists;
}

} // namespace thicket::reduce
