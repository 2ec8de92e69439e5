#include "reduce/record.h"

#include "base/parallel.h"
#include "reduce/carry_extras.h"
#include "reduce/region_collapse.h"
#include "reduce/region_scratch.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <fmt/format.h>
#include <numeric>
#include <tbb/enumerable_thread_specific.h>
#include <thread>

namespace thicket {
namespace {

using reduce::Region;
using reduce::RegionLog;
using reduce::RegionScratch;
using reduce::Surface;

// A surface larger than kWholePoints is collapsed by regions, each in a core's cache, as far as the cost that takes
// away kRoundShare of what may move; then the rest is cut into regions along other borders. What is left of points at
// the borders, 4 * sqrt(kRegionPoints) a region, is the price: they go first in the next round.
constexpr std::uint32_t kRegionPoints = 8192;
constexpr std::uint32_t kWholePoints = 24'576;
constexpr double kRoundShare = 0.6;
constexpr double kLeastProgress = 0.08; // of the points; a round that moves less is the last by regions
constexpr double kToldEnough = 0.2;     // of the points; a round that moves less does not tell how costs rise
constexpr double kForeseenShare = 0.5;  // what was locked before goes first: as much again as the costs foretell
constexpr std::uint32_t kEverything = 0x7FFFFFFF;
constexpr std::size_t kBatch = 16; // regions between reports

using Scratches = tbb::enumerable_thread_specific<RegionScratch>;

/// A region's own small surface, to try collapses on.
Surface copyOf(const Surface& s, const Region& region, std::uint32_t wedgesEnd) {
    Surface copy;
    const auto cut = [](const auto& from, std::size_t begin, std::size_t end) {
        using Array = std::decay_t<decltype(from)>;
        return from.empty() ? Array{}
                            : Array(from.begin() + static_cast<std::ptrdiff_t>(begin),
                                    from.begin() + static_cast<std::ptrdiff_t>(end));
    };
    copy.scale = s.scale;
    copy.places = cut(s.places, region.firstPoint, region.firstPoint + region.points);
    copy.quadrics = cut(s.quadrics, region.firstPoint, region.firstPoint + region.points);
    copy.flags = cut(s.flags, region.firstPoint, region.firstPoint + region.points);
    const std::size_t triangle = region.firstTriangle;
    copy.corners = cut(s.corners, 4 * triangle, 4 * (triangle + region.triangles));
    copy.cornerWedge = cut(s.cornerWedge, 3 * triangle, 3 * (triangle + region.triangles));
    copy.wedgePoint = cut(s.wedgePoint, region.firstWedge, wedgesEnd);
    copy.wedgeNode = cut(s.wedgeNode, region.firstWedge, wedgesEnd);
    copy.wedgeNormal = cut(s.wedgeNormal, region.firstWedge, wedgesEnd);
    copy.mirrorAxis = s.mirrorAxis;
    copy.mirrorAt = s.mirrorAt;
    copy.wedgeUv2 = cut(s.wedgeUv2, region.firstWedge, wedgesEnd);
    copy.wedgeUv = cut(s.wedgeUv, region.firstWedge, wedgesEnd);
    copy.wedgeColor = cut(s.wedgeColor, region.firstWedge, wedgesEnd);
    copy.attributes = s.attributes;
    copy.normalScale = s.normalScale;
    copy.uvScale = s.uvScale;
    copy.uv2Scale = s.uv2Scale;
    copy.colorScale = s.colorScale;
    const auto stride = static_cast<std::size_t>(reduce::AttributeSpan::stride(s.attributes));
    copy.attributeQuadric = cut(s.attributeQuadric, region.firstWedge * stride, wedgesEnd * stride);
    return copy;
}

/// The cost up to which a round is to go, from trying a few regions to their end.
float roundCost(const Surface& s, const std::vector<Region>& regions, const ReduceOptions& options,
                const JobContext& job, Scratches& scratches) {
    const std::size_t tried = regions.size() < 8 ? 1 : std::max<std::size_t>(4, regions.size() / 24);
    std::vector<std::vector<float>> costs(tried);
    std::vector<std::size_t> moving(tried, 0);
    parallelChunks(tried, 1, [&](std::size_t i, std::size_t) {
        const std::size_t r = (2 * i + 1) * regions.size() / (2 * tried);
        const Region& region = regions[r];
        const std::uint32_t wedgesEnd =
            r + 1 < regions.size() ? regions[r + 1].firstWedge : static_cast<std::uint32_t>(s.wedgeNode.size());
        Surface copy = copyOf(s, region, wedgesEnd);
        for (const std::uint8_t flags : copy.flags)
            moving[i] += (flags & Surface::kLocked) == 0 ? 1 : 0;
        RegionLog log;
        const auto enough = static_cast<std::uint32_t>(1.3 * kRoundShare * static_cast<double>(moving[i])) + 1;
        collapseRegion(copy, {0, region.points, 0, region.triangles, 0}, options, HUGE_VALF, enough, job,
                       scratches.local(), log);
        costs[i] = std::move(log.cost);
    });
    std::vector<float> all;
    std::size_t movable = 0;
    for (std::size_t i = 0; i < tried; ++i) {
        all.insert(all.end(), costs[i].begin(), costs[i].end());
        movable += moving[i];
    }
    if (all.empty())
        return 0;
    const auto wanted = std::min(all.size() - 1, static_cast<std::size_t>(kRoundShare * static_cast<double>(movable)));
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(wanted), all.end());
    return all[wanted];
}

/// The cost up to which the next round is to go, going by how costs rose in this one, whose collapses stand in `order`
/// by their cost; or nothing where that tells too little, as on flat surfaces. `left`: points before them.
std::optional<float> foreseenCost(const BigVector<std::uint64_t>& order, std::size_t left) {
    const auto made = static_cast<double>(order.size());
    const auto costAt = [&](std::size_t i) {
        return static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(order[i] >> 32)));
    };
    const auto before = static_cast<double>(left);
    if (order.empty() || made < kToldEnough * before)
        return {};
    const double half = costAt(order.size() / 2);
    const double whole = costAt(order.size() - 1);
    const double power = std::log(whole / half) / std::log((before - made / 2) / (before - made));
    if (!(half > 0) || !(power > 1 && power < 6))
        return {};
    return static_cast<float>(whole * std::pow(1 - kForeseenShare, -power));
}

/// Puts the collapses of all regions in the order of their cost and appends them to the record. Returns that order: the
/// bits of each one's cost, and its number. When the job is cancelled, the record is of no more use.
BigVector<std::uint64_t> append(const std::vector<RegionLog>& logs, const std::vector<Region>& regions, Surface& s,
                                  Record& record, const JobContext& job) {
    std::vector<std::uint32_t> first(logs.size() + 1, 0);
    for (std::size_t r = 0; r < logs.size(); ++r)
        first[r + 1] = first[r] + logs[r].collapses();
    const std::uint32_t total = first.back();
    struct Event {
        std::uint32_t nodes;
        std::uint32_t deaths;
        float error;
    };
    std::vector<Event> event(total);
    BigVector<std::uint64_t> order(total);
    parallelChunks(logs.size(), 1, [&](std::size_t r, std::size_t) {
        const RegionLog& log = logs[r];
        for (std::uint32_t e = 0; e < log.collapses(); ++e) {
            const std::uint32_t g = first[r] + e;
            event[g] = {log.nodesUpTo[e] - (e > 0 ? log.nodesUpTo[e - 1] : 0),
                        log.deathsUpTo[e] - (e > 0 ? log.deathsUpTo[e - 1] : 0), log.error[e]};
            order[g] = std::uint64_t{std::bit_cast<std::uint32_t>(log.cost[e])} << 32 | g;
        }
    });
    if (!sortKeys(order, job))
        return {};

    std::vector<std::uint32_t> timeOf(total);
    std::vector<std::uint32_t> nodeOf(total);
    auto node = static_cast<std::uint32_t>(record.positions.size());
    for (const std::uint64_t key : order) {
        if (record.alive.size() % 65536 == 0 && job.cancelled())
            return {};
        const auto g = static_cast<std::uint32_t>(key);
        timeOf[g] = static_cast<std::uint32_t>(record.alive.size());
        nodeOf[g] = node;
        node += event[g].nodes;
        record.alive.push_back(record.alive.back() - event[g].deaths);
        record.error.push_back(std::max(record.error.back(), static_cast<float>(event[g].error * s.scale)));
    }
    const auto grow = [node](auto& array, bool used) {
        if (used)
            array.resize(node);
    };
    grow(record.positions, true);
    grow(record.normals, !s.wedgeNormal.empty());
    grow(record.uvs, !s.wedgeUv.empty());
    grow(record.colors, !s.wedgeColor.empty());
    grow(record.extras.uvs2, !s.wedgeUv2.empty());
    grow(record.standsFor, !record.standsFor.empty());
    record.parent.resize(node, kNone);
    record.birth.resize(node);
    parallelChunks(logs.size(), 1, job, [&](std::size_t r, std::size_t) {
        const RegionLog& log = logs[r];
        std::vector<std::uint32_t> numberOf(log.nodes());
        std::uint32_t made = 0;
        std::uint32_t dead = 0;
        std::uint32_t child = 0;
        const auto translated = [&](std::uint32_t n) {
            return (n & RegionLog::kMadeHere) != 0 ? numberOf[n & ~RegionLog::kMadeHere] : n;
        };
        for (std::uint32_t e = 0; e < log.collapses(); ++e) {
            const std::uint32_t time = timeOf[first[r] + e];
            std::uint32_t n = nodeOf[first[r] + e];
            for (; made < log.nodesUpTo[e]; ++made, ++n) {
                numberOf[made] = n;
                record.positions[n] = (log.place[made] * s.scale + s.origin).cast<float>();
                if (!log.normal.empty())
                    record.normals[n] = log.normal[made];
                if (!log.uv.empty())
                    record.uvs[n] = log.uv[made];
                if (!log.color.empty())
                    record.colors[n] = log.color[made];
                if (!log.uv2.empty())
                    record.extras.uvs2[n] = log.uv2[made];
                if (!log.original.empty()) {
                    const std::uint32_t input = record.standsFor[translated(log.original[made])];
                    record.standsFor[n] = input;
                    record.positions[n] = record.positions[input];
                }
                record.birth[n] = time;
                for (; child < log.childrenUpTo[made]; ++child)
                    record.parent[translated(log.child[child])] = n;
            }
            for (; dead < log.deathsUpTo[e]; ++dead)
                record.death[log.deadTriangle[dead]] = time;
        }
        const std::size_t wedgesEnd = r + 1 < regions.size() ? regions[r + 1].firstWedge : s.wedgeNode.size();
        for (std::size_t w = regions[r].firstWedge; w < wedgesEnd; ++w)
            s.wedgeNode[w] = translated(s.wedgeNode[w]);
    });
    return order;
}

/// Gives memory back beside what goes on: for some gigabytes that takes the system longer than a cancel may take.
template <class... T> void discard(T&&... things) {
    std::thread([... kept = std::move(things)] {}).detach();
}

} // namespace

Result<Record> recordCollapses(const Mesh& mesh, const ReduceOptions& options, const JobContext& job) {
    Record record;
    Surface surface;
    if (auto ready = prepareSurface(mesh, options, job.part(0, 0.2), surface, record); !ready) {
        discard(std::move(surface), std::move(record));
        return ready.error();
    }
    const double total = std::max<double>(record.alive.front(), 1);
    const auto report = [&](std::uint32_t left) {
        job.report(0.2 + 0.8 * (1 - left / total), fmt::format("collapsing, {} triangles left", left));
    };
    record.asCut = options.reuseVertices || options.mirror || !options.care.empty();
    if (options.reuseVertices) {
        record.standsFor.resize(record.positions.size());
        std::iota(record.standsFor.begin(), record.standsFor.end(), 0U);
    }
    Scratches scratches;
    bool whole = false;
    bool stalled = false;
    std::optional<float> foreseen;
    for (unsigned round = 0; !whole; ++round) {
        const auto left =
            static_cast<std::size_t>(std::count_if(surface.flags.begin(), surface.flags.end(),
                                                   [](std::uint8_t flags) { return (flags & Surface::kGone) == 0; }));
        whole = left <= kWholePoints || stalled;
        const std::vector<Region> regions = arrange(surface, round, whole ? kEverything : kRegionPoints, job);
        if (job.cancelled()) {
            discard(std::move(surface), std::move(record));
            return cancelledError();
        }
        const float cost = whole      ? HUGE_VALF
                           : foreseen ? *foreseen
                                      : roundCost(surface, regions, options, job, scratches);
        std::vector<RegionLog> logs(regions.size());
        std::uint32_t gone = 0;
        for (std::size_t batch = 0; batch < regions.size() && !job.cancelled(); batch += kBatch) {
            report(record.alive.back() - gone);
            const std::size_t end = std::min(batch + kBatch, regions.size());
            parallelChunks(end - batch, 1, [&](std::size_t i, std::size_t) {
                collapseRegion(surface, regions[batch + i], options, cost, kNone, job, scratches.local(),
                               logs[batch + i]);
            });
            for (std::size_t r = batch; r < end; ++r)
                gone += static_cast<std::uint32_t>(logs[r].deadTriangle.size());
        }
        BigVector<std::uint64_t> order;
        if (!job.cancelled()) {
            release(surface, regions);
            order = append(logs, regions, surface, record, job);
        }
        if (job.cancelled()) {
            discard(std::move(surface), std::move(record), std::move(logs));
            return cancelledError();
        }
        stalled = static_cast<double>(order.size()) < kLeastProgress * static_cast<double>(left);
        foreseen = foreseenCost(order, left);
    }
    reduce::carryExtras(record);
    job.report(1, "recorded");
    return record;
}

} // namespace thicket
