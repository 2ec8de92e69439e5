// From what was decided to costs.

#include "base/parallel.h"
#include "switching/cell_costs.h"
#include "switching/cell_lanes.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace thicket::detail {
namespace {

/// Brings what cells cost up to date. Returns the switches that were made.
std::uint64_t recount(const BatchPass& pass) {
    SelectState::OfBatch& own = pass.own;
    own.showing.resize(own.cells.size() * 2 * pass.chainLevels()); // of another chain no cell is known
    std::vector<std::uint32_t> unknown;
    const auto end = own.counted.end();
    for (auto at = std::find(own.counted.begin(), end, 0); at != end; at = std::find(at + 1, end, 0))
        unknown.push_back(static_cast<std::uint32_t>(at - own.counted.begin()));
    std::uint64_t crossed = 0;
    for (const SelectState::OfBatch::Crossed& by : own.crossed)
        crossed |= own.counted[by.cell] != 0 ? by.levels : 0;
    own.crossed.clear();
    const auto take = [&](std::uint32_t c, const Recount& now) {
        own.sums.replace(own.costs[c], now.cost);
        own.costs[c] = now.cost;
        own.counted[c] = 1;
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
        const float top = largestOf(most);
        if (!(top > 0))
            return 0;
        const auto first = std::find(most.begin(), most.end(), top);
        lookInto(static_cast<std::uint32_t>(first - most.begin()));
        const float least = std::nextafter(static_cast<float>(m_worst), 0.0F);
        std::vector<std::pair<float, std::uint32_t>> others;
        for (std::uint32_t c = 0; c < most.size(); ++c)
            if (most[c] > least && most.begin() + c != first)
                others.emplace_back(most[c], c);
        std::sort(others.rbegin(), others.rend());
        for (const auto& [bound, c] : others)
            if (static_cast<double>(bound) > m_worst)
                lookInto(c);
        return m_worst;
    }

private:
    /// How far from the middle of a copy of scale 1, that is drawn so many times as large, no more than the worst is seen.
    [[nodiscard]] double clearOf(double deviation, double size) const {
        return (deviation * m_pass.pixelScale / m_worst + m_pass.boxRadius) * size * (1 + kRounding) +
               (size - 1) * m_pass.offPivot;
    }

    void lookInto(std::uint32_t c) {
        const ResolvedChain& chain = m_pass.batch.chain;
        const CellTable::Cell& cell = m_pass.table.cells[c];
        const double slack = 4e-6 * ((m_pass.view.eye - cell.origin).norm() + cell.half().norm());
        const CopyMemory* copies = m_pass.mixedOf(c);
        const double size = m_pass.thins ? std::max(1.0, m_pass.sizesIn(cell).second * (1 + kRounding)) : 1;
        std::array<std::uint8_t, kMostInCell> near;
        copiesNearerThan(m_pass, c, clearOf(static_cast<double>(m_pass.own.deviations[c]), size), slack, near.data());
        const auto nextFrom = [&near, &cell](std::uint32_t k) -> std::uint32_t {
            const void* const at = k < cell.count ? std::memchr(&near[k], 1, cell.count - k) : nullptr;
            return at != nullptr ? static_cast<std::uint32_t>(static_cast<const std::uint8_t*>(at) - near.data())
                                 : cell.count;
        };
        for (std::uint32_t k = nextFrom(0); k < cell.count; k = nextFrom(k + 1)) {
            const CopyMemory& copy = copies != nullptr ? copies[k] : m_pass.own.cells[c].all;
            if (copy.culled != Culled::No)
                continue;
            const std::uint32_t slot = cell.first + k;
            const double deviation = chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
            const double clear = static_cast<double>(m_pass.table.scale[slot]) * clearOf(deviation, size) + slack;
            if (deviation <= 0 || (m_pass.table.middleOf(c, slot) - m_pass.view.eye).squaredNorm() >= clear * clear)
                continue;
            const Placement p = m_pass.grown(slot);
            const double nearest = copyDistance(chain, p, m_pass.view, MeasureFrom::NearestPoint);
            m_worst = std::max(m_worst, deviation * p.scale * m_pass.pixelScale / std::max(nearest, 1e-9));
        }
    }

    static constexpr double kRounding = 1e-6; // relative
    const BatchPass& m_pass;
    double m_worst = 0;
};

} // namespace

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

} // namespace thicket::detail
