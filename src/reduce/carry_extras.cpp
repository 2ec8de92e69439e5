#include "reduce/carry_extras.h"

#include <algorithm>

namespace thicket::reduce {

void carryExtras(Record& record) {
    if (record.extras.empty() || !record.standsFor.empty())
        return; // a cut takes what the input's vertices carry
    const std::size_t nodes = record.positions.size();
    // Second UVs that the collapses solved already are left as they are.
    std::vector<Vec2f> solved;
    if (record.extras.uvs2.size() == nodes)
        solved.swap(record.extras.uvs2);
    const auto inputs =
        static_cast<std::size_t>(std::upper_bound(record.birth.begin(), record.birth.end(), 0U) - record.birth.begin());
    // Children of each made node, as runs of one array.
    std::vector<std::uint32_t> start(nodes - inputs + 1, 0);
    for (const std::uint32_t parent : record.parent)
        if (parent != kNone)
            ++start[parent - inputs + 1];
    for (std::size_t i = 1; i < start.size(); ++i)
        start[i] += start[i - 1];
    std::vector<std::uint32_t> children(start.back());
    std::vector<std::uint32_t> fill(start.begin(), start.end() - 1);
    for (std::uint32_t n = 0; n < nodes; ++n)
        if (record.parent[n] != kNone)
            children[fill[record.parent[n] - inputs]++] = n;

    record.extras.each([nodes](auto& values) {
        if (!values.empty())
            values.reserve(nodes);
    });
    std::vector<double> shares;
    for (std::size_t n = inputs; n < nodes; ++n) {
        const std::uint32_t* own = children.data() + start[n - inputs];
        const std::size_t count = start[n - inputs + 1] - start[n - inputs];
        shares.assign(count, 0);
        double sum = 0;
        for (std::size_t i = 0; i < count; ++i) {
            const double away = static_cast<double>((record.positions[own[i]] - record.positions[n]).norm());
            sum += shares[i] = 1 / (away + 1e-30);
        }
        for (double& share : shares)
            share /= sum;
        record.extras.addMean(record.extras, own, shares.data(), count);
    }
    if (!solved.empty())
        record.extras.uvs2.swap(solved);
}

} // namespace thicket::reduce
