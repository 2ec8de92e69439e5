// From what was decided to costs.

#include "base/parallel.h"
#include "switching/cell_lanes.h"

#include <algorithm>
#include <bit>
#include <cmath>

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

double deviationIn(const BatchPass& pass, const CopyMemory& copy) {
    return pass.batch.chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
}

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

/// One cell, counted anew.
class Recount {
public:
    CellCost cost;
    float cover = 0;
    float deviation = 0;
    std::uint64_t crossed = 0;

    Recount(const BatchPass& pass, std::uint32_t c)
        : m_pass(pass), m_levels(pass.chainLevels()), m_showing(pass.showingIn(c)) {
        const CellTable::Cell& cell = pass.table.cells[c];
        cost.known = true;
        std::fill_n(m_showing, 2 * m_levels, std::uint16_t{0});
        if (const CopyMemory* copies = pass.mixedOf(c); copies != nullptr)
            addEach(cell, copies);
        else
            addAll(cell, pass.own.cells[c].all);
        fillLevels(pass, c, cost, deviation);
        for (std::size_t level = 0; level < m_levels; ++level)
            payFor(level, std::uint32_t{m_showing[level]} + m_showing[m_levels + level]);
    }

private:
    void addAll(const CellTable::Cell& cell, const CopyMemory& memory) {
        cost.culledBy[static_cast<std::size_t>(memory.culled)] = static_cast<std::uint16_t>(cell.count);
        if (memory.culled == Culled::No)
            draw(memory, cell.first, cell.count, cell.squares);
    }
    void addEach(const CellTable::Cell& cell, const CopyMemory* copies) {
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
    void draw(const CopyMemory& memory, std::uint32_t first, std::uint32_t count, float squares) {
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
    void payForStrands(std::int8_t at, std::uint32_t first, std::uint32_t count) {
        if (const auto& strands = m_pass.batch.strands) {
            const auto level = static_cast<std::size_t>(at);
            const std::uint64_t triangles = strands->triangles(level, first, count);
            cost.triangles += triangles;
            cost.vertices += strands->vertices(level, triangles, count);
        }
    }
    void payFor(std::size_t at, std::uint32_t copies) {
        const LevelCost& level = m_pass.batch.chain.levels[at];
        if (!m_pass.batch.strands) {
            cost.triangles += std::uint64_t{level.triangles} * copies;
            cost.vertices += std::uint64_t{level.vertices} * copies;
        }
        if (!m_pass.batch.instanced)
            cost.draws += level.draws * copies;
    }

    const BatchPass& m_pass;
    std::size_t m_levels;
    std::uint16_t* m_showing;
};

/// Brings what cells cost up to date. Returns the switches that were made.
std::uint64_t recount(const BatchPass& pass) {
    SelectState::OfBatch& own = pass.own;
    own.showing.resize(own.cells.size() * 2 * pass.chainLevels()); // of another chain no cell is known
    std::vector<std::uint32_t> unknown;
    for (std::uint32_t c = 0; c < own.cells.size(); ++c)
        if (!own.cells[c].cost.known)
            unknown.push_back(c);
    std::uint64_t crossed = 0;
    for (const SelectState::OfBatch::Crossed& by : own.crossed)
        crossed |= own.cells[by.cell].cost.known ? by.levels : 0;
    own.crossed.clear();
    const auto take = [&](std::uint32_t c, const Recount& now) {
        own.sums.replace(own.cells[c].cost, now.cost);
        own.cells[c].cost = now.cost;
        own.covers[c] = now.cover;
        own.deviations[c] = now.deviation;
        crossed |= now.crossed;
    };
    constexpr std::size_t kMany = 512; // fewer are counted sooner than threads are woken
    if (unknown.size() < kMany) {
        for (const std::uint32_t c : unknown)
            take(c, Recount(pass, c));
        return crossed;
    }
    std::vector<std::optional<Recount>> counts(unknown.size());
    parallelChunks(unknown.size(), 64, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            counts[i].emplace(pass, unknown[i]);
    });
    for (std::size_t i = 0; i < unknown.size(); ++i)
        take(unknown[i], *counts[i]);
    return crossed;
}

/// What is drawn lies in many layers, which all count.
double pixelsOfLayers(const BatchPass& pass, std::uint32_t c) {
    const CellTable::Cell& cell = pass.table.cells[c];
    const CopyMemory* copies = pass.mixedOf(c);
    const Vec3f eye = (pass.view.eye - cell.origin).cast<float>();
    double pixels = 0;
    for (std::uint32_t k = 0; k < cell.count; ++k) {
        const CopyMemory& memory = copies != nullptr ? copies[k] : pass.own.cells[c].all;
        if (memory.culled != Culled::No)
            continue;
        const std::uint32_t slot = cell.first + k;
        const auto distance =
            static_cast<double>((Vec3f(pass.table.x[slot], pass.table.y[slot], pass.table.z[slot]) - eye).norm());
        const double metre = static_cast<double>(pass.table.scale[slot]) * pass.pixelScale /
                             std::max(distance, pass.batch.chain.radius / 2);
        for (const std::int8_t at : {memory.level, memory.fadingFrom})
            if (at >= 0)
                pixels += pass.batch.chain.levels[static_cast<std::size_t>(at)].area * metre * metre;
    }
    return pixels;
}

/// Pixels that copies cover. What they have grown to is that at the middle of their cell; those on their way out cover
/// less, by the cover's share.
double pixelsOf(const BatchPass& pass, CellLanes& lanes) {
    if (pass.batch.strands) {
        pixelsOfStrands(pass, lanes);
        return sumOf(lanes.values);
    }
    double pixels = 0;
    const bool layers = !pass.batch.chain.levels.empty() && pass.batch.chain.levels.front().area > 0;
    if (!layers)
        pixelsOfFar(pass, lanes);
    std::array<float, kMostInCell> masks;
    for (std::uint32_t c = 0; c < pass.table.cells.size(); ++c) {
        if (layers) {
            pixels += pass.own.covers[c] > 0 ? pixelsOfLayers(pass, c) : 0;
            continue;
        }
        if (lanes.values[c] >= 0)
            continue;
        lanes.values[c] = 0;
        const CopyMemory* copies = pass.mixedOf(c);
        for (std::uint32_t k = 0; k < pass.table.cells[c].count; ++k)
            masks[k] = copies == nullptr || copies[k].culled == Culled::No ? 1.0F : 0.0F;
        pixels += pixelsOfDiscs(pass, c, pass.batch.chain.radius * static_cast<double>(lanes.growths[c]), masks.data());
    }
    return pixels + (layers ? 0 : sumOf(lanes.values));
}

/// The largest error of all that are drawn, exactly: cells in order of what theirs can be at most, until no other can be
/// larger.
class Worst {
public:
    explicit Worst(const BatchPass& pass) : m_pass(pass) {}

    /// REQUIRES `lanes.values` as mostErrors() has them.
    double find(const CellLanes& lanes) {
        const std::vector<float>& most = lanes.values;
        const auto first = std::max_element(most.begin(), most.end());
        if (first == most.end() || *first <= 0)
            return 0;
        lookInto(static_cast<std::uint32_t>(first - most.begin()));
        std::vector<std::pair<float, std::uint32_t>> others;
        for (std::uint32_t c = 0; c < most.size(); ++c)
            if (static_cast<double>(most[c]) > m_worst && most.begin() + c != first)
                others.emplace_back(most[c], c);
        std::sort(others.rbegin(), others.rend());
        for (const auto& [bound, c] : others)
            if (static_cast<double>(bound) > m_worst)
                lookInto(c);
        return m_worst;
    }

private:
    void lookInto(std::uint32_t c) {
        const ResolvedChain& chain = m_pass.batch.chain;
        const CellTable::Cell& cell = m_pass.table.cells[c];
        const Vec3f eye = (m_pass.view.eye - cell.origin).cast<float>();
        const float slack = 4e-6F * (eye.norm() + cell.halfBox.norm());
        const CopyMemory* copies = m_pass.mixedOf(c);
        const double size = m_pass.thins ? std::max(1.0, m_pass.sizesIn(cell).second * 1.000001) : 1;
        for (std::uint32_t k = 0; k < cell.count; ++k) {
            const CopyMemory& copy = copies != nullptr ? copies[k] : m_pass.own.cells[c].all;
            if (copy.culled != Culled::No)
                continue;
            const std::uint32_t slot = cell.first + k;
            const auto own = static_cast<double>(m_pass.table.scale[slot]);
            const double scale = own * size;
            const float centre = (Vec3f(m_pass.table.x[slot], m_pass.table.y[slot], m_pass.table.z[slot]) - eye).norm();
            const double most = errorAt(deviationIn(m_pass, copy), scale * 1.000001,
                                        static_cast<double>(centre - slack) - m_pass.boxRadius * scale * 1.000001 -
                                            (scale - own) * m_pass.offPivot);
            if (most <= m_worst)
                continue;
            const Placement p = m_pass.grown(slot);
            const double nearest = copyDistance(chain, p, m_pass.view, MeasureFrom::NearestPoint);
            m_worst = std::max(m_worst, errorAt(deviationIn(m_pass, copy), p.scale, nearest));
        }
    }

    [[nodiscard]] double errorAt(double deviation, double scale, double nearest) const {
        return deviation * scale * m_pass.pixelScale / std::max(nearest, 1e-9);
    }

    const BatchPass& m_pass;
    double m_worst = 0;
};

} // namespace

CellTally::CellTally(const BatchPass& pass, std::uint32_t cell)
    : m_pass(pass), m_cell(cell), m_cost(pass.own.cells[cell].cost),
      m_follows(!pass.anew && m_cost.known && m_cost.culledBy[static_cast<std::size_t>(Culled::Hidden)] == 0) {}

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
    CellCost& known = own.cells[m_cell].cost;
    known.known = m_follows;
    if (!m_follows)
        return;
    fillLevels(m_pass, m_cell, m_cost, own.deviations[m_cell]);
    own.sums.replace(known, m_cost);
    known = m_cost;
    if (m_crossed != 0)
        own.crossed.push_back({m_cell, m_crossed});
}

SubjectCost countBatch(const BatchPass& pass) {
    SubjectCost out;
    out.crossed = recount(pass);
    const CellSums& sums = pass.own.sums;
    out.triangles = sums.triangles;
    out.vertices = sums.vertices;
    out.draws = sums.draws;
    std::copy(std::begin(sums.culledBy), std::end(sums.culledBy), std::begin(out.culledBy));
    out.drawn = out.culledBy[static_cast<std::size_t>(Culled::No)];
    out.switches = sums.switches;
    out.fading = sums.fading;
    out.shown = sums.shown();
    const auto& levels = pass.batch.chain.levels;
    for (std::size_t level = 0; pass.batch.instanced && level < levels.size(); ++level)
        if ((out.shown >> level & 1U) != 0)
            out.draws += levels[level].draws;
    if (out.drawn == 0)
        return out;
    thread_local CellLanes lanes; // kept, since a route asks thousands of times
    lookOver(pass, lanes);
    out.pixels = pixelsOf(pass, lanes);
    mostErrors(pass, lanes);
    out.worstErrorPx = Worst(pass).find(lanes);
    return out;
}

} // namespace detail
} // namespace thicket
