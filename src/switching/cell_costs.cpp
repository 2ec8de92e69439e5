#include "switching/cell_costs.h"

#include <algorithm>
#include <bit>

namespace thicket {

void CellSums::replace(const CellCost& was, const CellCost& is) {
    triangles += is.triangles - was.triangles; // what wraps round comes back
    vertices += is.vertices - was.vertices;
    draws += std::uint64_t{is.draws} - was.draws;
    for (std::size_t i = 0; i < kCullReasons; ++i)
        culledBy[i] += std::uint32_t{is.culledBy[i]} - was.culledBy[i];
    switches += std::uint32_t{is.switches} - was.switches;
    fading += std::uint32_t{is.fading} - was.fading;
    for (std::uint64_t left = was.shown & ~is.shown; left != 0; left &= left - 1)
        --showing[static_cast<std::size_t>(std::countr_zero(left))];
    for (std::uint64_t left = is.shown & ~was.shown; left != 0; left &= left - 1)
        ++showing[static_cast<std::size_t>(std::countr_zero(left))];
}

std::uint64_t CellSums::shown() const {
    std::uint64_t out = 0;
    for (std::size_t level = 0; level < showing.size(); ++level)
        out |= static_cast<std::uint64_t>(showing[level] != 0) << level;
    return out;
}

namespace detail {
namespace {

/// Switches to the finer of whose levels a copy went, a bit each.
std::uint64_t crossedBy(const CopyMemory& memory) {
    const auto [finer, coarser] = std::minmax(memory.cameFrom, memory.level);
    return (std::uint64_t{1} << static_cast<unsigned>(coarser)) - (std::uint64_t{1} << static_cast<unsigned>(finer));
}

/// From how many copies show its levels.
void fillLevels(const BatchPass& pass, std::uint32_t c, CellCost& cost, float& deviation) {
    double most = 0;
    cost.shown = 0;
    const std::size_t levels = pass.chainLevels();
    const std::uint16_t* const showing = pass.showingIn(c);
    for (std::size_t level = 0; level < levels; ++level) {
        if (showing[level] > 0)
            most = std::max(most, pass.batch.chain.levels[level].deviationMetres);
        if (showing[level] + showing[levels + level] > 0)
            cost.shown |= std::uint64_t{1} << level;
    }
    deviation = static_cast<float>(most * 1.000001);
}

} // namespace

Recount::Recount(const BatchPass& pass, std::uint32_t c)
    : m_pass(pass), m_levels(pass.chainLevels()), m_showing(pass.showingIn(c)) {
    const CellTable::Cell& cell = pass.table.cells[c];
    std::fill_n(m_showing, 2 * m_levels, std::uint16_t{0});
    if (const CopyMemory* copies = pass.mixedOf(c); copies != nullptr)
        addEach(cell, copies);
    else
        addAll(cell, pass.own.cells[c].all);
    fillLevels(pass, c, cost, deviation);
    for (std::size_t level = 0; level < m_levels; ++level)
        payFor(level, std::uint32_t{m_showing[level]} + m_showing[m_levels + level]);
}

void Recount::addAll(const CellTable::Cell& cell, const CopyMemory& memory) {
    cost.culledBy[static_cast<std::size_t>(memory.culled)] = static_cast<std::uint16_t>(cell.count);
    if (memory.culled == Culled::No)
        draw(memory, cell.first, cell.count, cell.squares);
}

void Recount::addEach(const CellTable::Cell& cell, const CopyMemory* copies) {
    constexpr unsigned kBits = 9; // a count of each reason, side by side, since most copies have the same
    static_assert(kBits * kCullReasons <= 64 && kMostInCell < (1U << kBits));
    std::uint64_t reasons = 0;
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const CopyMemory& memory = copies[k];
        reasons += std::uint64_t{1} << (kBits * static_cast<unsigned>(memory.culled));
        if (memory.culled == Culled::No)
            draw(memory, cell.first + k, 1, m_pass.table.squareOf(cell.first + k));
    }
    for (unsigned i = 0; i < kCullReasons; ++i)
        cost.culledBy[i] = static_cast<std::uint16_t>(reasons >> (kBits * i) & ((1U << kBits) - 1));
}

void Recount::draw(const CopyMemory& memory, std::uint32_t first, std::uint32_t count, float squares) {
    const auto more = [count](std::uint16_t& to) { to = static_cast<std::uint16_t>(to + count); };
    if (memory.cameFrom >= 0) {
        more(cost.switches);
        crossed |= crossedBy(memory);
    }
    cover += m_pass.batch.strands ? static_cast<float>(count) : squares;
    more(m_showing[memory.level]);
    payForStrands(memory.level, first, count);
    if (memory.fadingFrom >= 0) {
        more(cost.fading);
        more(m_showing[m_levels + static_cast<std::size_t>(memory.fadingFrom)]);
        payForStrands(memory.fadingFrom, first, count);
    }
}

void Recount::payForStrands(std::int8_t at, std::uint32_t first, std::uint32_t count) {
    if (const auto& strands = m_pass.batch.strands) {
        const auto level = static_cast<std::size_t>(at);
        const std::uint64_t triangles = strands->triangles(level, first, count);
        cost.triangles += triangles;
        cost.vertices += strands->vertices(level, triangles, count);
    }
}

void Recount::payFor(std::size_t at, std::uint32_t copies) {
    const LevelCost& level = m_pass.batch.chain.levels[at];
    if (!m_pass.batch.strands) {
        cost.triangles += std::uint64_t{level.triangles} * copies;
        cost.vertices += std::uint64_t{level.vertices} * copies;
    }
    if (!m_pass.batch.instanced)
        cost.draws += level.draws * copies;
}

CellTally::CellTally(const BatchPass& pass, std::uint32_t cell)
    : m_pass(pass), m_cell(cell), m_cost(pass.own.costs[cell]),
      m_follows(!pass.anew && pass.own.counted[cell] != 0 &&
                m_cost.culledBy[static_cast<std::size_t>(Culled::Hidden)] == 0) {}

void CellTally::replace(std::uint32_t k, const CopyMemory& was, const CopyMemory& is) {
    if (!m_follows)
        return;
    const std::uint32_t slot = m_pass.table.cells[m_cell].first + k;
    add(slot, was, -1);
    add(slot, is, 1);
    if (is.culled == Culled::No && is.cameFrom >= 0)
        m_crossed |= crossedBy(is);
}

void CellTally::add(std::uint32_t slot, const CopyMemory& memory, int by) {
    const auto more = [by](std::uint16_t& to) { to = static_cast<std::uint16_t>(to + by); };
    more(m_cost.culledBy[static_cast<std::size_t>(memory.culled)]);
    if (memory.culled != Culled::No)
        return;
    std::uint16_t* const showing = m_pass.showingIn(m_cell);
    more(showing[memory.level]);
    show(slot, memory.level, by);
    if (memory.fadingFrom >= 0) {
        more(m_cost.fading);
        more(showing[m_pass.chainLevels() + static_cast<std::size_t>(memory.fadingFrom)]);
        show(slot, memory.fadingFrom, by);
    }
    if (memory.cameFrom >= 0)
        more(m_cost.switches);
    m_pass.own.covers[m_cell] += static_cast<float>(by) * (m_pass.batch.strands ? 1.0F : m_pass.table.squareOf(slot));
}

void CellTally::show(std::uint32_t slot, std::int8_t level, int by) {
    const auto at = static_cast<std::size_t>(level);
    const LevelCost& cost = m_pass.batch.chain.levels[at];
    const auto& strands = m_pass.batch.strands;
    const std::uint64_t triangles = strands ? strands->triangles(at, slot, 1) : cost.triangles;
    const std::uint64_t vertices = strands ? strands->vertices(at, triangles, 1) : cost.vertices;
    const auto sign = static_cast<std::uint64_t>(by); // what wraps round comes back
    m_cost.triangles += sign * triangles;
    m_cost.vertices += sign * vertices;
    if (!m_pass.batch.instanced)
        m_cost.draws += static_cast<std::uint32_t>(by) * cost.draws;
}

void CellTally::finish() {
    SelectState::OfBatch& own = m_pass.own;
    own.counted[m_cell] = m_follows ? 1 : 0;
    if (!m_follows)
        return;
    fillLevels(m_pass, m_cell, m_cost, own.deviations[m_cell]);
    own.sums.replace(own.costs[m_cell], m_cost);
    own.costs[m_cell] = m_cost;
    if (m_crossed != 0)
        own.crossed.push_back({m_cell, m_crossed});
}

} // namespace detail
} // namespace thicket
