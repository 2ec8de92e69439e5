// From what was decided to runs and costs.

#include "switching/batch_pass.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::detail {
namespace {

/// Pixels of a bounding disc, of which a thing fills some three tenths.
double discPixels(double heightShare, const View& view, double screen) {
    const double tall = std::min(1.5, heightShare) * view.lines;
    return std::min(screen, 0.3 * std::numbers::pi * tall * tall / 4);
}

class Counter {
public:
    explicit Counter(const BatchPass& pass)
        : m_pass(pass), m_screen(static_cast<double>(pass.view.lines) * pass.view.lines * pass.view.aspect) {}

    SubjectCost count(std::uint32_t from, std::uint32_t to) {
        for (std::uint32_t c = from; c < to; ++c) {
            SelectState::Cell& memory = m_pass.own.cells[c];
            if (!memory.cost.known)
                memory.cost = costOf(c);
            add(memory.cost);
            if (memory.cost.shown != 0)
                addPixels(c, memory.cost, m_pass.mixedOf(c));
        }
        return m_cost;
    }

private:
    /// What switches makes the cell be counted anew in each frame.
    [[nodiscard]] CellCost costOf(std::uint32_t c) {
        const CellTable::Cell& cell = m_pass.table.cells[c];
        CellCost cost;
        cost.known = true;
        const CopyMemory* copies = m_pass.mixedOf(c);
        if (copies == nullptr)
            addTo(cost, m_pass.own.cells[c].all, cell.first, cell.count, cell.scaleSquares);
        else
            for (std::uint32_t k = 0; k < cell.count; ++k) {
                const auto scale = static_cast<double>(m_pass.table.scale[cell.first + k]);
                addTo(cost, copies[k], cell.first + k, 1, scale * scale);
            }
        return cost;
    }

    void addTo(CellCost& cost, const CopyMemory& memory, std::uint32_t first, std::uint32_t count, double squares) {
        const auto add = [](std::uint16_t& to, std::uint32_t n) { to = static_cast<std::uint16_t>(to + n); };
        add(cost.culledBy[static_cast<std::size_t>(memory.culled)], count);
        if (memory.culled != Culled::No)
            return;
        if (memory.cameFrom >= 0) {
            add(cost.switches, count);
            const auto [finer, coarser] = std::minmax(memory.cameFrom, memory.level);
            m_cost.crossed |= (std::uint64_t{1} << static_cast<unsigned>(coarser)) -
                              (std::uint64_t{1} << static_cast<unsigned>(finer));
        }
        add(cost.fading, memory.fadingFrom >= 0 ? count : 0);
        cost.squares += static_cast<float>(squares);
        cost.deviation = std::max(cost.deviation, static_cast<float>(deviationOf(memory) * 1.000001));
        for (const std::int8_t at : {memory.level, memory.fadingFrom}) {
            if (at < 0)
                continue;
            const LevelCost& level = m_pass.batch.chain.levels[static_cast<std::size_t>(at)];
            if (const auto& strands = m_pass.batch.strands) {
                cost.triangles += strands->triangles(static_cast<std::size_t>(at), first, count);
                cost.vertices += strands->vertices(static_cast<std::size_t>(at), first, count);
            } else {
                cost.triangles += std::uint64_t{level.triangles} * count;
                cost.vertices += std::uint64_t{level.vertices} * count;
            }
            if (!m_pass.batch.instanced)
                cost.draws += level.draws * count;
            cost.shown |= std::uint64_t{1} << static_cast<unsigned>(at);
        }
    }

    void add(const CellCost& cost) {
        m_cost.triangles += cost.triangles;
        m_cost.vertices += cost.vertices;
        m_cost.draws += cost.draws;
        for (std::size_t i = 0; i < kCullReasons; ++i)
            m_cost.culledBy[i] += cost.culledBy[i];
        m_cost.drawn += cost.culledBy[static_cast<std::size_t>(Culled::No)];
        m_cost.switches += cost.switches;
        m_cost.fading += cost.fading;
        m_cost.shown |= cost.shown;
    }

    /// What is drawn lies in many layers, which all count.
    void addLayers(const CellTable::Cell& cell, const CopyMemory& all, const CopyMemory* copies) {
        const Vec3f eye = (m_pass.view.eye - cell.origin).cast<float>();
        for (std::uint32_t k = 0; k < cell.count; ++k) {
            const CopyMemory& memory = copies != nullptr ? copies[k] : all;
            if (memory.culled != Culled::No)
                continue;
            const std::uint32_t slot = cell.first + k;
            const auto distance = static_cast<double>(
                (Vec3f(m_pass.table.x[slot], m_pass.table.y[slot], m_pass.table.z[slot]) - eye).norm());
            const double metre = static_cast<double>(m_pass.table.scale[slot]) * m_pass.pixelScale /
                                 std::max(distance, m_pass.batch.chain.radius / 2);
            for (const std::int8_t at : {memory.level, memory.fadingFrom})
                if (at >= 0)
                    m_cost.pixels += m_pass.batch.chain.levels[static_cast<std::size_t>(at)].area * metre * metre;
        }
    }

    void addPixels(std::uint32_t c, const CellCost& cost, const CopyMemory* copies) {
        constexpr double kFar = 4; // times a cell's size: there its copies are as good as in one place
        const CellTable::Cell& cell = m_pass.table.cells[c];
        const View& view = m_pass.view;
        const double away = (view.eye - cell.origin).norm();
        // What they have grown to at the middle of the cell; those on their way out cover less, by the cover's share.
        const double far = (m_pass.decidedFrom - cell.origin).norm();
        if (m_pass.batch.strands) {
            addRibbons(cell, cost, away, far);
            return;
        }
        if (m_pass.batch.chain.levels.front().area > 0) {
            addLayers(cell, m_pass.own.cells[c].all, copies);
            return;
        }
        const double radius = m_pass.batch.chain.radius * m_pass.sizeAt(far);
        const double size = cell.half.norm() + radius * cell.mostScale;
        if (away > kFar * size) {
            const double tall = 2 * radius * m_pass.pixelScale / away;
            // The mean of 1/d^2 over places spread evenly in the cell's box, to the second order.
            const Vec3d spread = cell.half.cwiseAbs2() / 3;
            const Vec3d towards = (view.eye - cell.origin) / away;
            const double more = (4 * towards.cwiseAbs2().dot(spread) - spread.sum()) / (away * away);
            m_cost.pixels += 0.3 * std::numbers::pi / 4 * tall * tall * static_cast<double>(cost.squares) * (1 + more);
            return;
        }
        const Vec3f eye = (view.eye - cell.origin).cast<float>();
        for (std::uint32_t k = 0; k < cell.count; ++k) {
            if (copies != nullptr && copies[k].culled != Culled::No)
                continue;
            const std::uint32_t slot = cell.first + k;
            const double distance = static_cast<double>(
                (Vec3f(m_pass.table.x[slot], m_pass.table.y[slot], m_pass.table.z[slot]) - eye).norm());
            const double scale = static_cast<double>(m_pass.table.scale[slot]);
            m_cost.pixels +=
                discPixels(screenHeight(m_pass.pixelScale, view.lines, radius * scale, distance), view, m_screen);
        }
    }

    /// Ribbons are never thinner than a pixel; seen from anywhere they are as long as from the side, on the safe side.
    void addRibbons(const CellTable::Cell& cell, const CellCost& cost, double away, double far) {
        const auto drawn = cost.culledBy[static_cast<std::size_t>(Culled::No)];
        const StrandCosts& strands = *m_pass.batch.strands;
        const double near = std::max(away, cell.half.norm() / 2 + 0.1); // inside of a cell: its strands' mean distance
        const double metre = m_pass.pixelScale / near;
        const double growth = m_pass.thins ? m_pass.batch.thinning.growAt(far) : 1;
        m_cost.pixels +=
            static_cast<double>(drawn) * strands.meanLength * metre * std::max(1.0, strands.meanWidth * growth * metre);
    }

    [[nodiscard]] double deviationOf(const CopyMemory& copy) const {
        return m_pass.batch.chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
    }

    const BatchPass& m_pass;
    SubjectCost m_cost;
    double m_screen;
};

/// The largest error of all that are drawn, exactly: cells in order of what theirs can be at most, until no other can be
/// larger.
class Worst {
public:
    explicit Worst(const BatchPass& pass) : m_pass(pass) {}

    double find() {
        const ResolvedChain& chain = m_pass.batch.chain;
        const auto& cells = m_pass.table.cells;
        for (std::uint32_t c = 0; c < cells.size(); ++c) {
            const auto deviation = static_cast<double>(m_pass.own.cells[c].cost.deviation);
            if (deviation <= 0)
                continue;
            const double most = mostSize(cells[c]) * cells[c].mostScale;
            const double nearest = ((m_pass.view.eye - cells[c].origin).cwiseAbs() - cells[c].half).cwiseMax(0).norm() -
                                   m_pass.boxRadius * most - (most - cells[c].mostScale) * m_pass.offPivot;
            m_bounds.emplace_back(errorAt(deviation, most, nearest) * 1.000001, c);
        }
        std::make_heap(m_bounds.begin(), m_bounds.end());
        while (!m_bounds.empty() && m_bounds.front().first > m_worst) {
            const std::uint32_t c = m_bounds.front().second;
            std::pop_heap(m_bounds.begin(), m_bounds.end());
            m_bounds.pop_back();
            const Vec3f eye = (m_pass.view.eye - cells[c].origin).cast<float>();
            const float slack = 4e-6F * (eye.norm() + cells[c].half.cast<float>().norm());
            const CopyMemory* copies = m_pass.mixedOf(c);
            const double size = mostSize(cells[c]);
            for (std::uint32_t k = 0; k < cells[c].count; ++k) {
                const CopyMemory& copy = copies != nullptr ? copies[k] : m_pass.own.cells[c].all;
                if (copy.culled != Culled::No)
                    continue;
                const std::uint32_t slot = cells[c].first + k;
                const auto own = static_cast<double>(m_pass.table.scale[slot]);
                const double scale = own * size;
                const float centre =
                    (Vec3f(m_pass.table.x[slot], m_pass.table.y[slot], m_pass.table.z[slot]) - eye).norm();
                const double most = errorAt(deviationOf(copy), scale * 1.000001,
                                            static_cast<double>(centre - slack) - m_pass.boxRadius * scale * 1.000001 -
                                                (scale - own) * m_pass.offPivot);
                if (most <= m_worst)
                    continue;
                const Placement p = m_pass.grown(slot);
                const double nearest = copyDistance(chain, p, m_pass.view, MeasureFrom::NearestPoint);
                m_worst = std::max(m_worst, errorAt(deviationOf(copy), p.scale, nearest));
            }
        }
        return m_worst;
    }

private:
    /// How many times their own size the copies of a cell are at most, and at least 1.
    [[nodiscard]] double mostSize(const CellTable::Cell& cell) const {
        return m_pass.thins ? std::max(1.0, m_pass.sizesIn(cell).second * 1.000001) : 1;
    }
    [[nodiscard]] double deviationOf(const CopyMemory& copy) const {
        return m_pass.batch.chain.levels[static_cast<std::size_t>(copy.level)].deviationMetres;
    }
    [[nodiscard]] double errorAt(double deviation, double scale, double nearest) const {
        return deviation * scale * m_pass.pixelScale / std::max(nearest, 1e-9);
    }

    const BatchPass& m_pass;
    double m_worst = 0;
    std::vector<std::pair<double, std::uint32_t>> m_bounds;
};

} // namespace

SubjectCost countCells(const BatchPass& pass, std::uint32_t from, std::uint32_t to) {
    return Counter(pass).count(from, to);
}

double worstErrorOf(const BatchPass& pass) {
    return Worst(pass).find();
}

} // namespace thicket::detail
