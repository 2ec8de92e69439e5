#include "strands/thin_points.h"

#include "strands/strand_cards.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace thicket {
namespace {

constexpr float kEnd = std::numeric_limits<float>::infinity();

/// How far a line from `a` to `b` without the points between is off at one of them: by its place, and half of what its
/// width is off.
float offBetween(const StrandSet& set, std::uint32_t a, std::uint32_t b, std::uint32_t at) {
    const Vec3f along = set.points[b] - set.points[a];
    const Vec3f to = set.points[at] - set.points[a];
    const float length2 = along.squaredNorm();
    const float t = length2 > 0 ? std::clamp(to.dot(along) / length2, 0.0F, 1.0F) : 0.0F;
    const float width = set.widths[a] + t * (set.widths[b] - set.widths[a]);
    return (to - t * along).norm() + std::abs(set.widths[at] - width) / 2;
}

struct Piece {
    std::uint32_t from, to;
    float most; ///< what its points are worth at most
};

void weighStrand(const StrandSet& set, std::size_t strand, std::vector<Piece>& pieces, std::vector<float>& worth) {
    const std::uint32_t first = set.first[strand];
    const std::uint32_t last = set.first[strand + 1] - 1;
    worth[first] = worth[last] = kEnd;
    pieces.assign(1, {first, last, kEnd});
    while (!pieces.empty()) {
        const Piece piece = pieces.back();
        pieces.pop_back();
        if (piece.to - piece.from < 2)
            continue;
        float most = -1;
        std::uint32_t split = piece.from + 1;
        for (std::uint32_t i = piece.from + 1; i < piece.to; ++i)
            if (const float off = offBetween(set, piece.from, piece.to, i); off > most) {
                most = off;
                split = i;
            }
        worth[split] = std::min(most, piece.most);
        pieces.push_back({split, piece.to, worth[split]});
        pieces.push_back({piece.from, split, worth[split]});
    }
}

} // namespace

Result<std::vector<float>> weighPoints(const StrandSet& set, const JobContext& job) {
    std::vector<float> worth(set.points.size());
    constexpr std::size_t kChunk = 2048;
    const bool whole = parallelChunks(set.size(), kChunk, job, [&](std::size_t begin, std::size_t end) {
        std::vector<Piece> pieces;
        for (std::size_t s = begin; s < end; ++s)
            weighStrand(set, s, pieces, worth);
    });
    if (!whole)
        return cancelledError();
    return worth;
}

StrandLevel levelWithin(const StrandSet& set, std::span<const float> worth, double metres) {
    StrandLevel out;
    const auto off = static_cast<float>(metres);
    std::uint64_t kept = 0;
    float most = 0;
    for (const float w : worth) {
        if (w > off)
            ++kept;
        else
            most = std::max(most, w);
    }
    out.deviation = static_cast<double>(most);
    out.segments = kept - set.size();
    return out;
}

StrandLevel levelWithShare(const StrandSet& set, std::span<const float> worth, double share) {
    std::vector<float> inner;
    inner.reserve(worth.size());
    for (const float w : worth)
        if (w != kEnd)
            inner.push_back(w);
    const auto keep = static_cast<std::size_t>(std::clamp(share, 0.0, 1.0) * static_cast<double>(inner.size()));
    if (keep >= inner.size())
        return levelWithin(set, worth, 0);
    std::nth_element(inner.begin(), inner.begin() + static_cast<std::ptrdiff_t>(keep), inner.end(),
                     [](float a, float b) { return a > b; });
    return levelWithin(set, worth, static_cast<double>(inner[keep]));
}

std::vector<StrandLevel> usualLevels(const StrandSet& set, std::span<const float> worth, std::size_t most) {
    std::vector<StrandLevel> out(1);
    out.front().segments = set.segments();
    const auto inner = static_cast<double>(set.segments() - set.size());
    double share = 0.5;
    while (out.size() < most) {
        constexpr double kFew = 0.2; // inner points a strand: straight lines are next
        const bool straight = share * inner < kFew * static_cast<double>(set.size()) || out.size() + 1 == most;
        const StrandLevel level = levelWithShare(set, worth, straight ? 0 : share);
        share /= 2;
        // A level that saves little is not worth a switch.
        constexpr double kLeastStep = 0.85;
        if (static_cast<double>(level.segments) <= kLeastStep * static_cast<double>(out.back().segments))
            out.push_back(level);
        if (straight)
            break;
    }
    return out;
}

StrandLayout layOut(const StrandSet& set, std::span<const float> worth, const StrandPlaces& places,
                    std::span<const StrandLevel> levels, const StrandLayout* before,
                    std::shared_ptr<const StrandCards> cards) {
    StrandLayout out;
    if (before != nullptr && before->cells && before->cells->placements == places.places)
        out.cells = before->cells;
    else
        out.cells = makeCells(places.places, 0, places.bounds, places.radius);
    auto costs = std::make_shared<StrandCosts>();
    costs->meanLength = places.meanLength;
    costs->meanWidth = places.meanWidth;
    costs->before.resize(levels.size());
    for (const StrandLevel& level : levels) {
        out.deviations.push_back(level.deviation);
        costs->carded.push_back(level.perCard > 0);
    }
    const std::size_t slots = out.cells->size();
    for (std::size_t l = 0; l < levels.size(); ++l) {
        std::vector<std::uint32_t>& sums = costs->before[l];
        sums.resize(slots + 1);
        const auto off = static_cast<float>(levels[l].deviation);
        for (std::size_t slot = 0; slot < slots; ++slot) {
            const std::uint32_t strand = out.cells->placementOf[slot];
            std::uint32_t kept = set.countOf(strand);
            if (levels[l].perCard > 0) {
                kept = cards && strand < cards->count() ? 2 : 1;
            } else if (l > 0) {
                kept = 0;
                eachKept(set, worth, strand, off, [&kept](std::uint32_t) { ++kept; });
            }
            sums[slot + 1] = sums[slot] + 2 * (kept - 1);
        }
    }
    out.costs = std::move(costs);
    out.cards = std::move(cards);
    return out;
}

StrandSet cutStrands(const StrandSet& set, std::span<const float> worth, double deviation, double keep, double grow) {
    StrandSet out;
    out.origin = set.origin;
    out.first.push_back(0);
    // The source's own points stay all, those on a straight line too.
    const float off = deviation > 0 ? static_cast<float>(deviation) : -1;
    for (std::size_t s = 0; s < set.size() && rankOf(static_cast<std::uint32_t>(s), set.size()) < keep; ++s) {
        eachKept(set, worth, s, off, [&](std::uint32_t i) {
            out.points.push_back(set.points[i]);
            out.widths.push_back(set.widths[i] * static_cast<float>(grow));
        });
        out.first.push_back(static_cast<std::uint32_t>(out.points.size()));
    }
    return out;
}

} // namespace thicket
