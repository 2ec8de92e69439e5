#pragma once
// Copies to select from, and the slow obvious selector that the real one is compared with.

#include "switching/selector.h"

#include <cmath>
#include <gtest/gtest.h>
#include <memory>

namespace thicket::test {

/// What four levels of a chain cost and how far they are off.
inline std::vector<LevelCost> fourLevels() {
    return {{10000, 5000, 2, 0, {}}, {2500, 1300, 2, 0.002, {}}, {600, 320, 1, 0.01, {}}, {100, 60, 1, 0.06, {}}};
}

inline Batch batchOf(std::uint32_t subject, ResolvedChain chain, Placements copies,
                     std::optional<std::uint32_t> asset = std::nullopt) {
    Batch batch;
    batch.subject = batch.asset = subject;
    batch.copies = makeCells(std::make_shared<const Placements>(std::move(copies)), asset, chain.bounds, chain.radius);
    batch.chain = std::move(chain);
    return batch;
}

/// An input, what is remembered of it, and the last selection.
struct Chosen {
    SelectInput input;
    SelectOptions options;
    SelectState state;
    Selection out;
    View view;
    double seconds = 0;

    void add(ResolvedChain chain, Placements copies) {
        const auto subject = static_cast<std::uint32_t>(input.subjects.size());
        input.subjects.push_back(subject + 1);
        input.batches.push_back(batchOf(subject, std::move(chain), std::move(copies)));
    }
    /// A field of one asset.
    void addField(ResolvedChain chain, Placements copies, const Thinning& thinning) {
        add(std::move(chain), {});
        Batch& batch = input.batches.back();
        batch = batchOf(batch.subject, batch.chain, std::move(copies), 0);
        batch.thinning = thinning;
        batch.instanced = true;
    }
    const SubjectCost& at(const View& from, double when = 0) {
        view = from;
        seconds = when;
        select(input, view, seconds, options, state, out);
        return out.total;
    }
    /// Of the copy at that place in the array that was added.
    [[nodiscard]] CopyRef refOf(std::uint32_t batch, std::uint32_t placement) const {
        const auto& of = input.batches[batch].copies->placementOf;
        for (std::uint32_t slot = 0; slot < of.size(); ++slot)
            if (of[slot] == placement)
                return {batch, slot};
        return {batch, 0};
    }
    [[nodiscard]] Pick pick(std::uint32_t placement = 0, std::uint32_t batch = 0) const {
        return pickOf(input, view, seconds, options, state, refOf(batch, placement));
    }
    void forget() { state = {}; }
};

inline Placement placed(const Vec3d& at, double scale = 1, double importance = 1) {
    return {0, 0, at, Quatd::Identity(), scale, importance};
}

inline void expectSameCost(const SubjectCost& a, const SubjectCost& b) {
    EXPECT_EQ(a.triangles, b.triangles);
    EXPECT_EQ(a.vertices, b.vertices);
    EXPECT_EQ(a.draws, b.draws);
    EXPECT_EQ(a.shown, b.shown);
    EXPECT_EQ(a.crossed, b.crossed);
    EXPECT_EQ(a.pixels, b.pixels) << "to the last bit: sums are added up in one order";
    EXPECT_EQ(a.drawn, b.drawn);
    for (std::size_t i = 0; i < kCullReasons; ++i)
        EXPECT_EQ(a.culledBy[i], b.culledBy[i]) << "reason " << i;
    EXPECT_EQ(a.switches, b.switches);
    EXPECT_EQ(a.fading, b.fading);
    EXPECT_EQ(a.worstErrorPx, b.worstErrorPx);
}

/// What each copy remembers and what is chosen for it, one copy at a time, in double precision, by the definition.
struct BruteCopy {
    int level = -1;
    int fadingFrom = -1;
    Culled culled = Culled::OutOfView;
    bool switched = false;
    double switchedAt = -1e18;
    double errorPx = 0;
};

/// REQUIRES `copies` as the last call left it, or one fresh entry a placement. Nothing is culled for being hidden.
/// before  when the selection before this one was made.
inline void bruteSelect(const ResolvedChain& chain, const Placements& all, const View& view, double before,
                        double seconds, const SelectOptions& options, std::vector<BruteCopy>& copies,
                        const Thinning* field = nullptr) {
    const Frustum frustum = frustumOf(view);
    double lowest = 1e300;
    for (const Placement& p : all)
        lowest = std::min(lowest, centreOf(p, chain.bounds).y());
    for (std::size_t i = 0; i < all.size(); ++i) {
        Placement p = all[i];
        BruteCopy& c = copies[i];
        double end = 2;
        double soft = 1;
        if (field != nullptr) {
            const double metres =
                (p.position + p.rotation * (chain.bounds.centre() * p.scale) - chain.measuredFrom.value_or(view.eye))
                    .norm();
            end = field->keep.at(metres) * (1 + field->band) * options.keepFactor;
            p.scale *= field->growAt(metres);
            soft = 1 + chain.rule.softBand * (2 * (spreadOf(p.id) + 0.5) / 65536 - 1);
        }
        const Vec3d centre = p.position + p.rotation * (chain.centre * p.scale);
        const double radius = chain.radius * p.scale;
        const double distance = decidingDistance(chain, p, view);
        const double tall = screenHeight(view, radius, (centre - view.eye).norm()) * view.lines;
        Culled culled = Culled::No;
        if (options.cullView && !frustum.touches(centre, radius, chain.rule.marginMetres))
            culled = Culled::OutOfView;
        else if (options.cullReach && chain.rule.reachMetres > 0 &&
                 distance > chain.rule.reachMetres + chain.rule.reachGrows * std::max(0.0, view.eye.y() - lowest))
            culled = Culled::BeyondReach;
        else if ((static_cast<double>(i) + 0.5) / static_cast<double>(all.size()) >= end)
            culled = Culled::Thinned;
        else if (options.cullSmall && tall < chain.rule.cullBelowPx * options.smallFactor)
            culled = Culled::TooSmall;
        if (culled != Culled::No) {
            c = {};
            c.culled = culled;
            continue;
        }
        int wanted = 0;
        for (std::size_t k = 1; k < chain.levels.size(); ++k) {
            double from = chain.fromMetres[k] * (chain.growsWithScale[k] ? p.scale : 1.0) * p.importance * soft /
                          options.allowanceFactor;
            if (options.halfSpeed > 0)
                from /= 1 + options.speed / options.halfSpeed;
            if (c.level >= 0 && static_cast<int>(k) > c.level)
                from *= 1 + chain.rule.hysteresis;
            if (distance < from)
                break;
            wanted = static_cast<int>(k);
        }
        int level = c.level;
        const double every = chain.rule.checkSeconds;
        if (c.level < 0 || every <= 0 || std::floor(seconds / every) > std::floor(before / every)) {
            level = wanted;
            if (c.level >= 0 && level > c.level && seconds - c.switchedAt < chain.rule.dwellSeconds)
                level = c.level;
        }
        c.switched = c.level >= 0 && level != c.level;
        if (c.switched) {
            c.switchedAt = seconds;
            c.fadingFrom = options.fades && chain.rule.fadeSeconds > 0 ? c.level : -1;
        }
        if (c.fadingFrom >= 0 && (seconds - c.switchedAt >= chain.rule.fadeSeconds || !options.fades))
            c.fadingFrom = -1;
        c.level = level;
        c.culled = Culled::No;
        const double nearest = copyDistance(chain, p, view, MeasureFrom::NearestPoint);
        c.errorPx = chain.levels[static_cast<std::size_t>(level)].deviationMetres * p.scale * view.pixelScale() /
                    std::max(nearest, 1e-9);
    }
}

} // namespace thicket::test
