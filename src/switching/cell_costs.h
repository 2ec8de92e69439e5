#pragma once
// What cells cost: one counted anew, or brought up to date by what changed in it. Internal to the selector.

#include "switching/batch_pass.h"

namespace thicket::detail {

/// One cell, counted anew.
class Recount {
public:
    CellCost cost;
    float cover = 0; ///< these as SelectState::OfBatch has them
    float deviation = 0;
    std::uint64_t crossed = 0; ///< as SubjectCost has it

    Recount(const BatchPass& pass, std::uint32_t cell);

private:
    void addAll(const CellTable::Cell& cell, const CopyMemory& memory);
    void addEach(const CellTable::Cell& cell, const CopyMemory* copies);
    void draw(const CopyMemory& memory, std::uint32_t first, std::uint32_t count, float squares);
    void payForStrands(std::int8_t at, std::uint32_t first, std::uint32_t count);
    void payFor(std::size_t at, std::uint32_t copies);

    const BatchPass& m_pass;
    std::size_t m_levels;
    std::uint16_t* m_showing;
};

/// What single copies of a cell that become something else change in what it costs.
class CellTally {
public:
    CellTally(const BatchPass& pass, std::uint32_t cell);
    void replace(std::uint32_t k, const CopyMemory& was, const CopyMemory& is);
    /// Where that cannot be told from them, the cell is counted anew.
    void finish();

private:
    void add(std::uint32_t slot, const CopyMemory& memory, int by);
    void show(std::uint32_t slot, std::int8_t level, int by);

    const BatchPass& m_pass;
    std::uint32_t m_cell;
    CellCost m_cost;
    std::uint64_t m_crossed = 0;
    bool m_follows; ///< it can be told from them
};

} // namespace thicket::detail
