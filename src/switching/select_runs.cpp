// From what was decided to runs of copies that are drawn alike.

#include "switching/batch_pass.h"

#include <algorithm>
#include <array>

namespace thicket::detail {
namespace {

class RunLister {
public:
    RunLister(const BatchPass& pass, std::uint32_t index, Selection& out)
        : m_pass(pass), m_index(index), m_out(out), m_levels(pass.chainLevels()), m_lists(listsFor(m_levels)),
          m_sorted((m_levels + 1) * kMostInCell) {}

    void run() {
        const auto& cells = m_pass.table.cells;
        for (std::uint32_t c = 0; c < cells.size(); ++c) {
            if (m_pass.own.costs[c].shown == 0)
                continue;
            const SelectState::Cell& memory = m_pass.own.cells[c];
            if (const CopyMemory* copies = m_pass.mixedOf(c); copies == nullptr)
                addWhole(c, memory.all);
            else
                addEach(cells[c], copies);
        }
        putRuns();
    }

private:
    void addWhole(std::uint32_t c, const CopyMemory& memory) {
        const CellTable::Cell& cell = m_pass.table.cells[c];
        Run next{m_index, memory.level, memory.fadingFrom, false, m_pass.fadeOf(memory), cell.first, cell.count};
        if (!m_whole.empty()) {
            Run& last = m_whole.back();
            if (last.level == next.level && last.fadingFrom == next.fadingFrom && last.fade == next.fade &&
                last.first + last.count == next.first) {
                last.count += next.count;
                return;
            }
        }
        m_whole.push_back(next);
    }

    /// Lists of a thread, empty but with the room that they had, since a camera asks again and again.
    static std::vector<std::vector<std::uint32_t>>& listsFor(std::size_t levels) {
        thread_local std::vector<std::vector<std::uint32_t>> lists;
        lists.resize(std::max(lists.size(), levels));
        for (auto& list : lists)
            list.clear();
        return lists;
    }

    /// Which copies are drawn, and as what, is as good as random in a cell where they differ: they are sorted without a
    /// question that is guessed wrong half of the time.
    void addEach(const CellTable::Cell& cell, const CopyMemory* copies) {
        std::array<std::uint32_t, kMostLevels + 1> counts{}; // by level; the last: not, or not alone
        bool anyFades = false;
        for (std::uint32_t k = 0; k < cell.count; ++k) {
            const bool drawn = copies[k].culled == Culled::No;
            const bool fades = copies[k].fadingFrom >= 0;
            const std::size_t at = drawn && !fades ? static_cast<std::size_t>(copies[k].level) : m_levels;
            m_sorted[at * kMostInCell + counts[at]++] = cell.first + k;
            anyFades |= drawn && fades;
        }
        for (std::size_t level = 0; level < m_levels; ++level) {
            const auto from = m_sorted.begin() + static_cast<std::ptrdiff_t>(level * kMostInCell);
            m_lists[level].insert(m_lists[level].end(), from, from + counts[level]);
        }
        for (std::uint32_t k = 0; anyFades && k < cell.count; ++k)
            if (copies[k].culled == Culled::No && copies[k].fadingFrom >= 0)
                m_fading.push_back({m_index, copies[k].level, copies[k].fadingFrom, true, m_pass.fadeOf(copies[k]),
                                    cell.first + k, 1});
    }

    /// Whole cells first, then copies that stand out of theirs; of each level in turn.
    void putRuns() {
        const auto alike = [](const Run& a, const Run& b) {
            return a.level == b.level && a.fadingFrom == b.fadingFrom && a.fade == b.fade;
        };
        const auto before = [](const Run& a, const Run& b) {
            if (a.level != b.level)
                return a.level < b.level;
            if (a.fadingFrom != b.fadingFrom)
                return a.fadingFrom < b.fadingFrom;
            if (a.fade != b.fade)
                return a.fade < b.fade;
            return a.first < b.first;
        };
        std::sort(m_whole.begin(), m_whole.end(), before);
        m_out.runs.insert(m_out.runs.end(), m_whole.begin(), m_whole.end());
        for (std::size_t level = 0; level < m_levels; ++level) {
            const std::vector<std::uint32_t>& slots = m_lists[level];
            if (slots.empty())
                continue;
            m_out.runs.push_back({m_index, static_cast<std::int8_t>(level), -1, true, 1,
                                  static_cast<std::uint32_t>(m_out.listed.size()),
                                  static_cast<std::uint32_t>(slots.size())});
            m_out.listed.insert(m_out.listed.end(), slots.begin(), slots.end());
        }
        std::sort(m_fading.begin(), m_fading.end(), before);
        for (std::size_t i = 0; i < m_fading.size();) {
            Run run = m_fading[i];
            run.first = static_cast<std::uint32_t>(m_out.listed.size());
            run.count = 0;
            for (; i < m_fading.size() && alike(m_fading[i], run); ++i, ++run.count)
                m_out.listed.push_back(m_fading[i].first);
            m_out.runs.push_back(run);
        }
    }

    const BatchPass& m_pass;
    std::uint32_t m_index;
    Selection& m_out;
    std::vector<Run> m_whole;
    std::size_t m_levels;
    std::vector<std::vector<std::uint32_t>>& m_lists; ///< a level: slots of copies that stand out of their cells
    std::vector<std::uint32_t> m_sorted;              ///< of one cell: as many places a level as it may have copies
    std::vector<Run> m_fading;                        ///< one a copy
};

} // namespace

void listRuns(const BatchPass& pass, std::uint32_t index, Selection& out) {
    RunLister(pass, index, out).run();
}

} // namespace thicket::detail
