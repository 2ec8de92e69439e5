#include "base/parallel.h"
#include "reduce/surface.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <utility>

namespace thicket::reduce {
namespace {

constexpr std::size_t kRegionChunk = 16384;

/// Spreads the low 10 bits so that two zeros follow each.
std::uint32_t spread(std::uint32_t v) {
    v = (v | v << 16) & 0x030000FFU;
    v = (v | v << 8) & 0x0300F00FU;
    v = (v | v << 4) & 0x030C30C3U;
    return (v | v << 2) & 0x09249249U;
}

/// When the job is cancelled, of no use.
template <class T>
BigVector<T> gathered(const BigVector<T>& from, const BigVector<std::uint32_t>& order, const JobContext& job) {
    BigVector<T> out(from.empty() ? 0 : order.size());
    parallelChunks(out.size(), kRegionChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            out[i] = from[order[i]];
    });
    return out;
}

/// Drops points that have gone and orders the rest; returns the new number of each old point.
BigVector<std::uint32_t> orderPoints(Surface& s, unsigned turn, const JobContext& job) {
    BigVector<std::uint32_t> living;
    for (std::uint32_t p = 0; p < s.places.size(); ++p)
        if ((s.flags[p] & Surface::kGone) == 0)
            living.push_back(p);
    BigVector<Vec3d> places(living.size());
    parallelChunks(places.size(), kRegionChunk, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            places[i] = s.places[living[i]];
    });
    living = gathered(living, curveOrder(places, turn, job), job);
    if (job.cancelled())
        return {};
    BigVector<std::uint32_t> numberOf(s.places.size(), kNone);
    for (std::uint32_t i = 0; i < living.size(); ++i)
        numberOf[living[i]] = i;
    s.places = gathered(s.places, living, job);
    s.quadrics = gathered(s.quadrics, living, job);
    s.flags = gathered(s.flags, living, job);
    s.farthest = gathered(s.farthest, living, job);
    return numberOf;
}

/// Drops wedges that no living triangle uses and orders the rest by point; returns the new number of each old wedge.
BigVector<std::uint32_t> orderWedges(Surface& s, const BigVector<std::uint32_t>& pointNumber, const JobContext& job) {
    std::vector<std::uint8_t> used(s.wedgeNode.size(), 0);
    parallelChunks(s.triangles(), kRegionChunk, job, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t)
            if (s.corners[4 * t] != kNone)
                for (std::size_t k = 0; k < 3; ++k)
                    std::atomic_ref(used[s.cornerWedge[3 * t + k]]).store(1, std::memory_order_relaxed);
    });
    if (job.cancelled())
        return {};
    std::vector<std::uint32_t> start(s.places.size() + 1, 0);
    for (std::uint32_t w = 0; w < used.size(); ++w)
        if (used[w] != 0)
            ++start[pointNumber[s.wedgePoint[w]] + 1];
    for (std::size_t p = 1; p < start.size(); ++p)
        start[p] += start[p - 1];
    if (job.cancelled())
        return {};
    BigVector<std::uint32_t> order(start.back());
    BigVector<std::uint32_t> numberOf(used.size(), kNone);
    for (std::uint32_t w = 0; w < used.size(); ++w)
        if (used[w] != 0) {
            const std::uint32_t at = start[pointNumber[s.wedgePoint[w]]]++;
            order[at] = w;
            numberOf[w] = at;
        }
    if (job.cancelled())
        return {};
    for (std::uint32_t& point : s.wedgePoint)
        point = pointNumber[point];
    s.wedgePoint = gathered(s.wedgePoint, order, job);
    s.wedgeNode = gathered(s.wedgeNode, order, job);
    s.wedgeNormal = gathered(s.wedgeNormal, order, job);
    s.wedgeUv = gathered(s.wedgeUv, order, job);
    s.wedgeUv2 = gathered(s.wedgeUv2, order, job);
    s.wedgeColor = gathered(s.wedgeColor, order, job);
    if (s.attributes > 0) {
        const auto stride = static_cast<std::size_t>(AttributeSpan::stride(s.attributes));
        BigVector<double> rows(order.size() * stride);
        parallelChunks(order.size(), kRegionChunk, job, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                std::copy_n(s.attributesOf(order[i]), stride, rows.begin() + static_cast<std::ptrdiff_t>(i * stride));
        });
        s.attributeQuadric = std::move(rows);
    }
    return numberOf;
}

} // namespace

BigVector<std::uint32_t> curveOrder(const BigVector<Vec3d>& places, unsigned turn, const JobContext& job) {
    // Places lie within half a unit of 0; a shift by up to a quarter moves every border of the curve's cells.
    const double shift = 0.25 * std::fmod(turn * 0.6180339887498949, 1.0);
    const auto cell = [shift](double v) {
        return spread(static_cast<std::uint32_t>(std::clamp((v + 0.5 + shift) * (1024 / 1.25), 0.0, 1023.0)));
    };
    BigVector<std::uint64_t> keys(places.size());
    parallelChunks(places.size(), kRegionChunk, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Vec3d& p = places[i];
            const std::uint32_t code = cell(p[turn % 3]) << 2 | cell(p[(turn + 1) % 3]) << 1 | cell(p[(turn + 2) % 3]);
            keys[i] = std::uint64_t{code} << 32 | i;
        }
    });
    if (!sortKeys(keys, job))
        return {};
    BigVector<std::uint32_t> order(keys.size());
    for (std::size_t i = 0; i < keys.size(); ++i)
        order[i] = static_cast<std::uint32_t>(keys[i]);
    return order;
}

std::vector<Region> arrange(Surface& s, unsigned turn, std::uint32_t pointsEach, const JobContext& job) {
    BigVector<std::uint32_t> pointNumber;
    BigVector<std::uint32_t> wedgeNumber;
    if (turn > 0) {
        pointNumber = orderPoints(s, turn, job);
        if (job.cancelled())
            return {};
        wedgeNumber = orderWedges(s, pointNumber, job);
        if (job.cancelled())
            return {};
    }
    const auto points = static_cast<std::uint32_t>(s.places.size());
    const std::uint32_t count = std::max(1U, (points + pointsEach / 2) / pointsEach);
    std::vector<Region> regions(count);
    BigVector<std::uint32_t> regionOf(points);
    for (std::uint32_t r = 0; r < count; ++r) {
        regions[r].firstPoint = static_cast<std::uint32_t>(std::uint64_t{points} * r / count);
        regions[r].points = static_cast<std::uint32_t>(std::uint64_t{points} * (r + 1) / count) - regions[r].firstPoint;
        std::fill_n(regionOf.begin() + regions[r].firstPoint, regions[r].points, r);
        regions[r].firstWedge = static_cast<std::uint32_t>(
            std::lower_bound(s.wedgePoint.begin(), s.wedgePoint.end(), regions[r].firstPoint) - s.wedgePoint.begin());
    }
    for (std::uint8_t& flags : s.flags)
        flags &= static_cast<std::uint8_t>(~Surface::kLocked);

    // A counting sort by region: each chunk counts its own, and so knows where its own go. Those in more than one
    // region come last, those that have gone nowhere.
    const std::size_t before = s.triangles();
    BigVector<std::uint32_t> home(before, kNone);
    const std::size_t homes = count + 1;
    std::vector<std::uint32_t> start((before / kRegionChunk + 1) * homes, 0);
    parallelChunks(before, kRegionChunk, job, [&](std::size_t begin, std::size_t end) {
        std::uint32_t* own = start.data() + begin / kRegionChunk * homes;
        for (std::size_t t = begin; t < end; ++t) {
            std::uint32_t* p = &s.corners[4 * t];
            if (p[0] == kNone)
                continue;
            for (std::size_t k = 0; k < 3 && turn > 0; ++k) {
                p[k] = pointNumber[p[k]];
                s.cornerWedge[3 * t + k] = wedgeNumber[s.cornerWedge[3 * t + k]];
            }
            const std::uint32_t r = regionOf[p[0]];
            const bool inside = r == regionOf[p[1]] && r == regionOf[p[2]];
            home[t] = inside ? r : count;
            ++own[home[t]];
            if (!inside)
                for (std::size_t k = 0; k < 3; ++k)
                    std::atomic_ref(s.flags[p[k]]).fetch_or(Surface::kLocked, std::memory_order_relaxed);
        }
    });
    if (job.cancelled())
        return {};
    std::uint32_t triangles = 0;
    for (std::size_t h = 0; h < homes; ++h) {
        const std::uint32_t first = triangles;
        for (std::size_t at = h; at < start.size(); at += homes)
            triangles += std::exchange(start[at], triangles);
        if (h < count) {
            regions[h].firstTriangle = first;
            regions[h].triangles = triangles - first;
        }
    }
    BigVector<std::uint32_t> corners(std::size_t{4} * triangles);
    BigVector<std::uint32_t> cornerWedge(std::size_t{3} * triangles);
    parallelChunks(before, kRegionChunk, job, [&](std::size_t begin, std::size_t end) {
        std::uint32_t* next = start.data() + begin / kRegionChunk * homes;
        for (std::size_t t = begin; t < end; ++t) {
            if (home[t] == kNone)
                continue;
            const std::size_t at = next[home[t]]++;
            const Region from = home[t] < count ? regions[home[t]] : Region{};
            for (std::size_t k = 0; k < 3; ++k) {
                corners[4 * at + k] = s.corners[4 * t + k] - from.firstPoint;
                cornerWedge[3 * at + k] = s.cornerWedge[3 * t + k] - from.firstWedge;
            }
            corners[4 * at + 3] = s.corners[4 * t + 3];
        }
    });
    s.corners = std::move(corners);
    s.cornerWedge = std::move(cornerWedge);
    return regions;
}

void release(Surface& s, const std::vector<Region>& regions) {
    parallelChunks(regions.size(), 1, [&](std::size_t i, std::size_t) {
        const Region& r = regions[i];
        for (std::size_t t = r.firstTriangle; t < std::size_t{r.firstTriangle} + r.triangles; ++t)
            if (s.corners[4 * t] != kNone)
                for (std::size_t k = 0; k < 3; ++k) {
                    s.corners[4 * t + k] += r.firstPoint;
                    s.cornerWedge[3 * t + k] += r.firstWedge;
                }
    });
}

} // namespace thicket::reduce
