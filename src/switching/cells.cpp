#include "switching/cells.h"

#include "base/parallel.h"
#include "switching/thinning.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <limits>
#include <tuple>

namespace thicket {
namespace {

constexpr int kBits = 13; // an axis; with 24 bits of index they fill a word

std::uint64_t spread(std::uint64_t v) { // every third bit
    std::uint64_t out = 0;
    for (int i = 0; i < kBits; ++i)
        out |= ((v >> i) & 1U) << (3 * i);
    return out;
}

/// The nearest float that is not less, or not more.
float above(double value) {
    const auto out = static_cast<float>(value);
    return static_cast<double>(out) < value ? std::nextafter(out, std::numeric_limits<float>::infinity()) : out;
}
float below(double value) {
    return -above(-value);
}

struct Range {
    double least = 1e300;
    double most = 0;
    void add(double value) {
        least = std::min(least, value);
        most = std::max(most, value);
    }
    [[nodiscard]] std::pair<float, float> inFloats() const { return {below(least), above(most)}; }
};

class Builder {
public:
    Builder(CellTable& out, const std::vector<Vec3d>& centres) : m_out(out), m_centres(centres) {}

    /// Keys of slots first..end agree above `bits`.
    void split(const std::vector<std::uint64_t>& keys, std::uint32_t first, std::uint32_t end, int bits) {
        if (end - first <= kMostInCell) {
            close(first, end);
            return;
        }
        if (bits == 0) { // many in one place
            for (std::uint32_t at = first; at < end; at += kMostInCell)
                close(at, std::min(at + kMostInCell, end));
            return;
        }
        const int lower = bits - 3;
        for (std::uint32_t at = first; at < end;) {
            const std::uint64_t group = keys[at] >> lower;
            const auto next = std::partition_point(keys.begin() + at, keys.begin() + end,
                                                   [&](std::uint64_t k) { return (k >> lower) == group; });
            const auto to = static_cast<std::uint32_t>(next - keys.begin());
            split(keys, at, to, lower);
            at = to;
        }
    }

private:
    void close(std::uint32_t first, std::uint32_t end) {
        std::sort(m_out.placementOf.begin() + first, m_out.placementOf.begin() + end);
        CellTable::Cell cell;
        cell.first = first;
        cell.count = end - first;
        Vec3d low = m_centres[m_out.placementOf[first]];
        Vec3d high = low;
        Range scales;
        Range factors;
        Range products;
        double leans = 0;
        Vec3d offLow = Vec3d::Constant(1e300);
        Vec3d offHigh = -offLow;
        for (std::uint32_t slot = first; slot < end; ++slot) {
            const Placement& p = m_out.at(slot);
            const Vec3d off = p.rotation * m_out.bounds.centre();
            const Quatd& q = p.rotation; // the sine by half angles; what hangs head down leans all the way
            const double over = q.x() * q.x() + q.z() * q.z();
            const double about = q.y() * q.y() + q.w() * q.w();
            leans = std::max(leans, over < about ? over * about : 0.25 * (over + about) * (over + about));
            offLow = offLow.cwiseMin(off);
            offHigh = offHigh.cwiseMax(off);
            low = low.cwiseMin(m_centres[m_out.placementOf[slot]]);
            high = high.cwiseMax(m_centres[m_out.placementOf[slot]]);
            scales.add(p.scale);
            factors.add(p.importance);
            products.add(p.scale * p.importance);
        }
        std::tie(cell.leastScale, cell.mostScale) = scales.inFloats();
        std::tie(cell.leastFactor, cell.mostFactor) = factors.inFloats();
        std::tie(cell.leastProduct, cell.mostProduct) = products.inFloats();
        cell.lean = above(2 * std::sqrt(leans));
        cell.origin = (low + high) / 2;
        const Vec3d half = (high - low) / 2;
        cell.halfBox = {above(half.x()), above(half.y()), above(half.z())};
        cell.offPivot = ((offLow + offHigh) / 2).cast<float>();
        constexpr double kRounding = 1e-6;
        cell.offSlack =
            above((offHigh - offLow).norm() / 2 + kRounding * offHigh.cwiseAbs().cwiseMax(offLow.cwiseAbs()).norm());
        for (std::uint32_t slot = first; slot < end; ++slot) {
            const Vec3f from = (m_centres[m_out.placementOf[slot]] - cell.origin).cast<float>();
            m_out.x[slot] = from.x();
            m_out.y[slot] = from.y();
            m_out.z[slot] = from.z();
            m_out.scale[slot] = static_cast<float>(m_out.at(slot).scale);
        }
        m_out.cells.push_back(cell);
    }

    CellTable& m_out;
    const std::vector<Vec3d>& m_centres;
};

void addUpSquares(CellTable& table) {
    constexpr float kSteps = 65535; // of the largest copy: those of kMostInCell still fit into a float
    float most = 0;
    for (const CellTable::Cell& cell : table.cells)
        most = std::max(most, cell.mostScale);
    table.squareStep = most * most / kSteps;
    for (CellTable::Cell& cell : table.cells)
        for (std::uint32_t slot = cell.first; slot < cell.first + cell.count; ++slot)
            cell.squares += table.squareOf(slot);
}

CellTable::Boxes sideBySide(const std::vector<CellTable::Cell>& cells) {
    CellTable::Boxes out;
    for (auto* values : {&out.x, &out.y, &out.z})
        values->reserve(cells.size());
    for (auto* values : {&out.halfX, &out.halfY, &out.halfZ, &out.half, &out.mostScale})
        values->reserve(cells.size());
    for (const CellTable::Cell& cell : cells) {
        out.x.push_back(cell.origin.x());
        out.y.push_back(cell.origin.y());
        out.z.push_back(cell.origin.z());
        out.halfX.push_back(cell.halfBox.x());
        out.halfY.push_back(cell.halfBox.y());
        out.halfZ.push_back(cell.halfBox.z());
        out.half.push_back(static_cast<float>(cell.half().norm()));
        out.mostScale.push_back(cell.mostScale);
    }
    return out;
}

} // namespace

Vec3d centreOf(const Placement& p, const Bounds& bounds) {
    return p.position + p.rotation * (bounds.centre() * p.scale);
}

std::uint32_t CellTable::cellOf(std::uint32_t slot) const {
    const auto after =
        std::upper_bound(cells.begin(), cells.end(), slot, [](std::uint32_t s, const Cell& c) { return s < c.first; });
    return static_cast<std::uint32_t>(after - cells.begin()) - 1;
}

std::shared_ptr<const CellTable> makeCells(const SharedPlacements& placements, std::optional<std::uint32_t> asset,
                                           const Bounds& bounds, double radius) {
    auto out = std::make_shared<CellTable>();
    out->placements = placements;
    out->asset = asset;
    out->bounds = bounds;
    out->radius = radius;
    const Placements& all = *placements;
    assert(all.size() < (1U << 24));
    std::vector<Vec3d> centres(all.size());
    constexpr std::size_t kChunk = 16384;
    parallelChunks(all.size(), kChunk, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            centres[i] = centreOf(all[i], bounds);
    });
    std::vector<std::uint32_t> wanted;
    wanted.reserve(all.size());
    Vec3d low = Vec3d::Constant(1e300);
    Vec3d high = Vec3d::Constant(-1e300);
    for (std::uint32_t i = 0; i < all.size(); ++i)
        if (!asset || all[i].asset == *asset) {
            wanted.push_back(i);
            low = low.cwiseMin(centres[i]);
            high = high.cwiseMax(centres[i]);
        }
    if (wanted.empty())
        return out;
    // One measure for all axes, so that cells are cubes however flat the field is.
    const double side = std::max((high - low).maxCoeff(), 1e-9);
    const double steps = static_cast<double>((1U << kBits) - 1);
    BigVector<std::uint64_t> sorted(wanted.size());
    parallelChunks(wanted.size(), kChunk, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const Vec3d at = (centres[wanted[i]] - low) * (steps / side);
            const std::uint64_t key = spread(static_cast<std::uint64_t>(at.x())) |
                                      spread(static_cast<std::uint64_t>(at.y())) << 1 |
                                      spread(static_cast<std::uint64_t>(at.z())) << 2;
            sorted[i] = key << 24 | wanted[i];
        }
    });
    sortKeys(sorted, {});
    std::vector<std::uint64_t> keys(sorted.size());
    out->placementOf.resize(sorted.size());
    for (auto* values : {&out->x, &out->y, &out->z, &out->scale})
        values->resize(sorted.size() + kLaneGroup - 1, 1);
    bool plain = true;
    for (std::size_t i = 0; i < sorted.size(); ++i) {
        keys[i] = sorted[i] >> 24;
        out->placementOf[i] = static_cast<std::uint32_t>(sorted[i] & 0xFFFFFFU);
        plain &= all[out->placementOf[i]].importance == 1;
    }
    Builder(*out, centres).split(keys, 0, static_cast<std::uint32_t>(keys.size()), 3 * kBits);
    if (!plain) {
        out->factor.reserve(sorted.size());
        for (const std::uint32_t i : out->placementOf)
            out->factor.push_back(static_cast<float>(all[i].importance));
    }
    if (asset) {
        out->spread.reserve(sorted.size());
        for (const std::uint32_t i : out->placementOf)
            out->spread.push_back(spreadOf(all[i].id));
    }
    out->lowest = low.y();
    out->cells.shrink_to_fit();
    addUpSquares(*out);
    out->boxes = sideBySide(out->cells);
    return out;
}

} // namespace thicket
