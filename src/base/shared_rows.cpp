#include "base/shared_rows.h"

#include <algorithm>

namespace thicket {
namespace {

std::shared_ptr<float> blockOf(BigVector<float> values) {
    auto owner = std::make_shared<BigVector<float>>(std::move(values));
    float* first = owner->data();
    return {std::move(owner), first};
}

} // namespace

SharedRows::SharedRows(std::uint32_t across, std::uint32_t down) : m_across(across), m_down(down) {
    for (std::uint32_t y = 0; y < down; y += kRows)
        m_blocks.push_back(blockOf(BigVector<float>(std::size_t{std::min(kRows, down - y)} * across, 0.0F)));
}

SharedRows SharedRows::filling(std::uint32_t across, std::uint32_t down, std::shared_ptr<float> first) {
    SharedRows out;
    out.m_across = across;
    out.m_down = down;
    out.m_filling = true;
    for (std::uint32_t y = 0; y < down; y += kRows)
        out.m_blocks.emplace_back(first, first.get() + std::size_t{y} * across);
    return out;
}

SharedRows SharedRows::over(std::uint32_t across, std::uint32_t down, std::shared_ptr<const float> first) {
    // Nothing is written through it: each block is shared, at least with `held`, when an edit comes.
    SharedRows out = filling(across, down, std::const_pointer_cast<float>(first));
    out.m_filling = false;
    out.m_held = std::move(first);
    return out;
}

float* SharedRows::edit(std::uint32_t y) {
    auto& block = m_blocks[y / kRows];
    if (!m_filling && block.use_count() > 1) {
        const std::uint32_t rows = std::min(kRows, m_down - y / kRows * kRows);
        block = blockOf(BigVector<float>(block.get(), block.get() + std::size_t{rows} * m_across));
    }
    return block.get() + std::size_t{y % kRows} * m_across;
}

bool SharedRows::operator==(const SharedRows& other) const {
    if (m_across != other.m_across || m_down != other.m_down)
        return false;
    for (std::uint32_t y = 0; y < m_down; ++y)
        if (row(y) != other.row(y) && !std::equal(row(y), row(y) + m_across, other.row(y)))
            return false;
    return true;
}

} // namespace thicket
