#pragma once
// Numbers in rows, in blocks of rows that copies share until one of them changes theirs: a copy costs next to nothing.

#include <algorithm>
#include <cstdint>
#include <memory>
#include <vector>

namespace thicket {

class SharedRows {
public:
    static constexpr std::uint32_t kRows = 16; ///< a block

    SharedRows() = default;
    SharedRows(std::uint32_t across, std::uint32_t down) : m_across(across), m_down(down) {
        for (std::uint32_t y = 0; y < down; y += kRows)
            m_blocks.push_back(
                std::make_shared<std::vector<float>>(std::size_t{across} * std::min(kRows, down - y), 0.0F));
    }
    [[nodiscard]] std::uint32_t across() const { return m_across; }
    [[nodiscard]] std::uint32_t down() const { return m_down; }
    [[nodiscard]] const float* row(std::uint32_t y) const {
        return m_blocks[y / kRows]->data() + std::size_t{y % kRows} * m_across;
    }
    /// A row to write to; a block that a copy holds too becomes this one's own first.
    /// THREADS    rows of one block are for one thread at a time.
    float* edit(std::uint32_t y) {
        auto& block = m_blocks[y / kRows];
        if (block.use_count() > 1)
            block = std::make_shared<std::vector<float>>(*block);
        return block->data() + std::size_t{y % kRows} * m_across;
    }
    bool operator==(const SharedRows& o) const {
        return m_across == o.m_across && m_down == o.m_down &&
               std::equal(m_blocks.begin(), m_blocks.end(), o.m_blocks.begin(),
                          [](const auto& a, const auto& b) { return a == b || *a == *b; });
    }

private:
    std::uint32_t m_across = 0;
    std::uint32_t m_down = 0;
    std::vector<std::shared_ptr<std::vector<float>>> m_blocks;
};

} // namespace thicket
