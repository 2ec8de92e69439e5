#pragma once
// Numbers in rows, in blocks of rows that copies share until one of them changes theirs: a copy costs next to nothing.

#include "base/big_vector.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace thicket {

class SharedRows {
public:
    SharedRows() = default;
    /// In memory, all 0.
    SharedRows(std::uint32_t across, std::uint32_t down);
    /// Over rows that lie one after the other somewhere else, such as in a file: they are never written to, and held as
    /// long as anything has them.
    static SharedRows over(std::uint32_t across, std::uint32_t down, std::shared_ptr<const float> first);
    /// Over such rows that are being filled: edits go into them, of all copies.
    static SharedRows filling(std::uint32_t across, std::uint32_t down, std::shared_ptr<float> first);

    [[nodiscard]] std::uint32_t across() const { return m_across; }
    [[nodiscard]] std::uint32_t down() const { return m_down; }
    [[nodiscard]] std::size_t size() const { return std::size_t{m_across} * m_down; }
    [[nodiscard]] const float* row(std::uint32_t y) const {
        return m_blocks[y / kRows].get() + std::size_t{y % kRows} * m_across;
    }
    [[nodiscard]] float at(std::uint32_t x, std::uint32_t y) const { return row(y)[x]; }
    /// Whether its rows lay somewhere else when it was made: looking at them may take as long as a disk does.
    [[nodiscard]] bool stored() const { return m_held != nullptr; }
    /// A row to write to. A block that a copy holds too becomes this one's own first.
    /// THREADS    rows of one block are for one thread at a time; see kRows.
    float* edit(std::uint32_t y);
    /// The same numbers, wherever they lie.
    bool operator==(const SharedRows& other) const;

    static constexpr std::uint32_t kRows = 32; ///< a block

private:
    std::uint32_t m_across = 0;
    std::uint32_t m_down = 0;
    bool m_filling = false;
    std::shared_ptr<const float> m_held;          ///< what is not to be written to
    std::vector<std::shared_ptr<float>> m_blocks; ///< each holds what it lies in: a vector, or all of a file
};

} // namespace thicket
