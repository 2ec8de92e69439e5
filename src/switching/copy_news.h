#pragma once
// What was found out about copies of a cell, brought to what they remember. Internal to the selector.

#include "switching/batch_pass.h"

#include <utility>

namespace thicket::detail {

/// Brings what copies of a cell remember up to date with what was found out about them.
class BatchPass::News {
public:
    /// `ahead`: is told which copies become something else; null: nobody asks.
    News(const BatchPass& pass, std::uint32_t index, CellAhead* ahead)
        : m_pass(pass), m_ahead(ahead), m_index(index), m_cell(pass.own.cells[index]),
          m_first(pass.table.cells[index].first), m_known(&pass.own.codes[m_first]), m_inTime(m_cell.unsettled),
          m_wasMixed(m_cell.mixed), m_memories(pass.expand(index)) {
        m_cell.unsettled = false;
    }

    /// Something was decided about copy `k`, or may go on in time.
    void take(std::uint32_t k, CopyCode code) {
        CopyMemory& memory = m_memories[k];
        if (code == m_known[k] && !(m_inTime && m_pass.goesOnInTime(m_known[k], memory)))
            return;
        const std::uint32_t slot = m_first + k;
        const CopyMemory was = memory;
        Culled reason = Culled::No;
        if (code == kLeftOpen)
            reason = m_pass.reasonFor(slot);
        else if (code < kOfLevels)
            reason = reasonOf(code);
        if (reason != Culled::No)
            memory = notDrawn(reason);
        else
            m_pass.remember(memory,
                            [&] { return code == kLeftOpen ? m_pass.wantedLevel(slot, memory.level) : levelOf(code); });
        note(k, was);
        m_known[k] = code == kLeftOpen ? kNoCode : static_cast<std::uint8_t>(code);
        m_all &= code != kLeftOpen;
        m_cell.unsettled |= m_pass.goesOnInTime(m_known[k], memory);
    }
    /// Nothing new was found out about copy `k`, but it may go on in time.
    void settle(std::uint32_t k) {
        CopyMemory& memory = m_memories[k];
        if (!m_pass.goesOnInTime(m_known[k], memory))
            return;
        const CopyMemory was = memory;
        m_pass.remember(memory, [code = m_known[k]] { return levelOf(code); });
        note(k, was);
        m_cell.unsettled |= m_pass.goesOnInTime(m_known[k], memory);
    }
    /// Returns whether all of them could be decided: else they are looked at again in the next frame, wherever the eye
    /// goes.
    bool finish() {
        if (m_changed)
            m_pass.own.counted[m_index] = 0;
        if (m_changed || !m_wasMixed)
            m_pass.collapse(m_index);
        return m_all;
    }
    [[nodiscard]] bool inTime() const { return m_inTime; }

private:
    void note(std::uint32_t k, const CopyMemory& was) {
        if (m_memories[k] == was)
            return;
        m_changed = true;
        if (m_ahead != nullptr)
            m_ahead->note(k);
    }

    const BatchPass& m_pass;
    CellAhead* m_ahead;
    std::uint32_t m_index;
    SelectState::Cell& m_cell;
    std::uint32_t m_first;
    std::uint8_t* m_known;
    bool m_inTime;
    bool m_wasMixed;
    CopyMemory* m_memories;
    bool m_changed = false;
    bool m_all = true;
};

} // namespace thicket::detail
