#include "reduce/record.h"

#include "base/parallel.h"
#include "reduce/append_round.h"
#include "reduce/carry_extras.h"
#include "reduce/region_collapse.h"
#include "reduce/region_scratch.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <fmt/format.h>
#include <memory>
#include <numeric>
#include <system_error>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/task_group.h>
#include <thread>

namespace thicket {
namespace {

using reduce::Region;
using reduce::RegionLog;
using reduce::RegionScratch;
using reduce::RoundAppender;
using reduce::RoundLog;
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
    copy.careful = s.careful;
    copy.places = cut(s.places, region.firstPoint, region.firstPoint + region.points);
    copy.quadrics = cut(s.quadrics, region.firstPoint, region.firstPoint + region.points);
    copy.flags = cut(s.flags, region.firstPoint, region.firstPoint + region.points);
    copy.farthest = cut(s.farthest, region.firstPoint, region.firstPoint + region.points);
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

/// The cost up to which the next round is to go, going by how costs rose in this one; or nothing where that tells too
/// little, as on flat surfaces. `left`: points before it.
std::optional<float> foreseenCost(const RoundLog& round, std::size_t left) {
    std::vector<float> costs;
    for (const RegionLog& log : round.regions)
        costs.insert(costs.end(), log.cost.begin(), log.cost.end());
    const auto made = static_cast<double>(costs.size());
    const auto before = static_cast<double>(left);
    if (costs.empty() || made < kToldEnough * before)
        return {};
    const auto middle = costs.begin() + static_cast<std::ptrdiff_t>(costs.size() / 2);
    std::nth_element(costs.begin(), middle, costs.end());
    const auto half = static_cast<double>(*middle);
    const auto whole = static_cast<double>(*std::max_element(middle, costs.end()));
    const double power = std::log(whole / half) / std::log((before - made / 2) / (before - made));
    if (!(half > 0) || !(power > 1 && power < 6))
        return {};
    return static_cast<float>(whole * std::pow(1 - kForeseenShare, -power));
}

/// Gives memory back beside what goes on: for some gigabytes that takes the system longer than a cancel may take.
template <class... T> void discard(T&&... things) {
    try {
        std::thread([... kept = std::move(things)] {}).detach();
    } catch (const std::system_error&) { // no thread to be had: it was given back at once
    }
}

} // namespace

Result<Record> recordCollapses(const Mesh& mesh, const ReduceOptions& options, const JobContext& job) {
    Record record;
    Surface surface;
    if (auto ready = prepareSurface(mesh, options, job.part(0, 0.2), surface, record); !ready) {
        discard(std::move(surface), std::move(record));
        return ready.error();
    }
    const std::uint32_t total = record.alive.front();
    const auto report = [&](std::size_t left) {
        const double share = static_cast<double>(left) / std::max<double>(total, 1);
        job.report(0.2 + 0.8 * (1 - share), fmt::format("collapsing, {} triangles left", left));
    };
    record.asCut = options.reuseVertices || options.mirror || !options.care.empty();
    if (options.reuseVertices) {
        record.standsFor.resize(record.positions.size());
        std::iota(record.standsFor.begin(), record.standsFor.end(), 0U);
    }
    Scratches scratches;
    RoundAppender appender(record, surface);
    tbb::task_group appending; // of one round, beside the next one's collapses
    const auto cancelled = [&] {
        appending.wait();
        discard(std::move(surface), std::move(record));
        return cancelledError();
    };
    auto nodes = static_cast<std::uint32_t>(record.positions.size());
    std::size_t triangles = total;
    bool whole = false;
    bool stalled = false;
    std::optional<float> foreseen;
    for (unsigned turn = 0; !whole; ++turn) {
        const auto left =
            static_cast<std::size_t>(std::count_if(surface.flags.begin(), surface.flags.end(),
                                                   [](std::uint8_t flags) { return (flags & Surface::kGone) == 0; }));
        whole = left <= kWholePoints || stalled;
        const std::vector<Region> regions = arrange(surface, turn, whole ? kEverything : kRegionPoints, job);
        if (job.cancelled())
            return cancelled();
        const float cost = whole      ? HUGE_VALF
                           : foreseen ? *foreseen
                                      : roundCost(surface, regions, options, job, scratches);
        auto round = std::make_shared<RoundLog>();
        round->regions.resize(regions.size());
        std::atomic<std::size_t> gone = 0;
        const auto caller = std::this_thread::get_id();
        report(triangles);
        parallelChunks(regions.size(), 1, job, [&](std::size_t r, std::size_t) {
            collapseRegion(surface, regions[r], options, cost, kEverything, job, scratches.local(), round->regions[r]);
            gone += round->regions[r].deadTriangle.size();
            if (std::this_thread::get_id() == caller)
                report(triangles - gone);
        });
        if (job.cancelled())
            return cancelled();
        release(surface, regions);
        numberNodes(*round, regions, surface, nodes);
        triangles -= gone;
        stalled = static_cast<double>(round->collapses()) < kLeastProgress * static_cast<double>(left);
        foreseen = foreseenCost(*round, left);
        appending.wait();
        appending.run([&appender, round, &job] { appender.append(*round, job); });
    }
    appending.wait();
    if (job.cancelled())
        return cancelled();
    discard(std::move(surface));
    reduce::carryExtras(record);
    job.report(1, "recorded");
    return record;
}

} // namespace thicket
