#include "strands/nearest_root.h"

#include <algorithm>
#include <numeric>

namespace thicket {
namespace {

constexpr std::uint32_t kLeaf = 8; // so few are looked at one by one

std::uint32_t middleOf(std::uint32_t first, std::uint32_t end) {
    return first + (end - first) / 2;
}

} // namespace

NearestRoot::NearestRoot(const StrandSet& set, std::uint32_t count) : m_set(set), m_order(count), m_axis(count) {
    std::iota(m_order.begin(), m_order.end(), 0U);
    halve(0, count);
}

void NearestRoot::halve(std::uint32_t first, std::uint32_t end) {
    if (end - first <= kLeaf)
        return;
    Vec3f low = rootOf(m_order[first]);
    Vec3f high = low;
    for (std::uint32_t i = first; i < end; ++i) {
        low = low.cwiseMin(rootOf(m_order[i]));
        high = high.cwiseMax(rootOf(m_order[i]));
    }
    int axis = 0;
    (high - low).maxCoeff(&axis);
    const std::uint32_t middle = middleOf(first, end);
    const auto at = [this](std::uint32_t i) { return m_order.begin() + static_cast<std::ptrdiff_t>(i); };
    std::nth_element(at(first), at(middle), at(end),
                     [&](std::uint32_t a, std::uint32_t b) { return rootOf(a)[axis] < rootOf(b)[axis]; });
    m_axis[middle] = static_cast<std::uint8_t>(axis);
    halve(first, middle);
    halve(middle + 1, end);
}

void NearestRoot::look(std::uint32_t first, std::uint32_t end, const Vec3f& place, Best& best) const {
    const auto ask = [&](std::uint32_t i) {
        const std::uint32_t strand = m_order[i];
        const float squared = (rootOf(strand) - place).squaredNorm();
        if (squared < best.squared || (squared == best.squared && strand < best.strand))
            best = {squared, strand};
    };
    if (end - first <= kLeaf) {
        for (std::uint32_t i = first; i < end; ++i)
            ask(i);
        return;
    }
    const std::uint32_t middle = middleOf(first, end);
    ask(middle);
    const float beyond = place[m_axis[middle]] - rootOf(m_order[middle])[m_axis[middle]];
    const auto side = [&](bool low) { look(low ? first : middle + 1, low ? middle : end, place, best); };
    side(beyond < 0);
    if (beyond * beyond <= best.squared)
        side(beyond >= 0);
}

std::uint32_t NearestRoot::of(const Vec3f& place) const {
    Best best;
    look(0, static_cast<std::uint32_t>(m_order.size()), place, best);
    return best.strand;
}

} // namespace thicket
