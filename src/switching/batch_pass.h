#pragma once
// One batch in one selection: deciding about its cells, hiding, counting. Internal to the selector.

#include "switching/cell_ahead.h"

#include <algorithm>

namespace thicket::detail {

/// Relative; what rounding may take from bounds worked out in double precision.
constexpr double kSlack = 1e-9;
constexpr float kFarAway = 1e30F; ///< metres; further than anything moves

/// How fast things change for the copies of a cell, a metre that the eye goes, while it goes no farther than `within`.
struct Rates {
    double within = 0;      ///< metres
    double aShare = 0;      ///< metres at least in which the kept share changes by all of it
    double grow = 0;        ///< of how many times their size copies are
    double place = 1;       ///< of the distance to anything of a copy, metres
    double small = 1;       ///< of the distance, beside that at which it is too small
    double smallBeyond = 0; ///< that distance, in radii
};

/// Nothing about it depends on time.
inline bool settled(const CopyMemory& memory) {
    return memory.cameFrom < 0 && memory.fadingFrom < 0 && memory.switched == CopyMemory().switched;
}

/// A batch that is being selected from, with what does not change from cell to cell.
struct BatchPass {
    const Batch& batch;
    const CellTable& table;
    SelectState::OfBatch& own;
    const View& view;
    const Frustum& frustum;
    const SelectOptions& options;
    float now;          ///< seconds from the epoch
    bool due;           ///< levels are decided in this frame, not only where there is none yet
    double pixelScale;  ///< of the view
    double context;     ///< how many times as far switches come in, but for the copy's own importance
    double cullBelowPx; ///< what is less tall is too small; 0: nothing is
    double boxRadius;   ///< of the sphere round the middle that holds the whole box, at scale 1
    double innerRadius; ///< of the one that the box holds
    Vec3d decidedFrom;  ///< the camera, or the target
    bool thins;         ///< copies come in sizes of their own, or not at all
    double offPivot;    ///< of the middle of the thing from what it is turned and grown about, at scale 1
    double keepSlope;   ///< how much the kept share changes a metre at most
    double growSlope;
    double reach; ///< metres; 0: no such limit
    double soft;  ///< the width of the soft band
    double moved; ///< of the state, with this view
    double turned;
    double stepped;    ///< metres that the eye went since the selection before
    bool anew = false; ///< more than the camera changed since then

    BatchPass(const Batch& of, SelectState& state, std::size_t index, const View& from, const Frustum& planes,
              const SelectOptions& how, double seconds);

    /// Levels that may be drawn at all.
    [[nodiscard]] std::size_t chainLevels() const { return std::min(batch.chain.levels.size(), kMostLevels); }
    /// Of a cell, as SelectState has it: by level copies that show it, and after those of all levels such as fade from it.
    [[nodiscard]] std::uint16_t* showingIn(std::uint32_t cell) const { return &own.showing[cell * 2 * chainLevels()]; }
    /// The memories of a cell's copies; null where `all` speaks for them.
    [[nodiscard]] CopyMemory* mixedOf(std::uint32_t cell) const {
        return own.cells[cell].mixed ? &own.memories[table.cells[cell].first] : nullptr;
    }
    /// Gives every copy of a cell a memory of its own.
    CopyMemory* expand(std::uint32_t cell) const;
    /// Takes the copies' own memories away where all are alike.
    void collapse(std::uint32_t cell) const { own.collapse(cell); }
    void setAll(std::uint32_t cell, const CopyMemory& memory) const;
    /// A copy that is drawn is hidden, and else remembers what it did.
    void hide(std::uint32_t cell, std::uint32_t k) const;

    /// Decides about cells: levels and reasons, without what is hidden.
    /// THREADS  cells may be decided beside each other after `prepare`.
    void decide(std::size_t from, std::size_t to) const;
    /// The same for one cell; with `ahead` so that the next moments may go on from there.
    void decideCell(std::uint32_t index, CellAhead* ahead = nullptr) const;
    /// Nothing about a cell may be otherwise from when it was last decided until now, but for what time is left for.
    [[nodiscard]] bool stays(std::uint32_t index) const {
        const SelectState::Cell& memory = own.cells[index];
        const auto [went, withTurns] = movedBy(memory);
        return memory.kept && (memory.turning ? withTurns : went) < static_cast<double>(memory.room) &&
               withTurns < static_cast<double>(memory.planeRoom);
    }
    /// Forgets what a cell was decided to be before more than the camera changed.
    void startAnew(std::uint32_t index) const;
    /// Makes room for what copies remember.
    void prepare() const;

    /// The size that the field's rule gives copies there; 1 where nothing thins.
    [[nodiscard]] double sizeAt(double metres) const { return thins ? batch.thinning.sizeAt(metres) : 1; }
    /// How many times as large as they are the copies of a cell are drawn, from and to.
    [[nodiscard]] std::pair<double, double> sizesIn(const CellTable::Cell& cell) const {
        if (!thins)
            return {1, 1};
        const Vec3d away = (decidedFrom - cell.origin).cwiseAbs();
        return batch.thinning.sizeBetween((away - cell.half()).cwiseMax(0).norm() * (1 - kSlack),
                                          (away + cell.half()).norm() * (1 + kSlack));
    }
    /// Upright cylinders round the box of the thing, and inside of it, however copies of a cell lean; all 0 where they lean
    /// too much for that.
    [[nodiscard]] LaneRule::Upright uprightIn(const CellTable::Cell& cell) const;
    /// Ranks from here on are not drawn.
    [[nodiscard]] double endOf(double kept) const { return batch.thinning.endOf(kept) * options.keepFactor; }
    [[nodiscard]] double rankOf(std::uint32_t slot) const {
        return thicket::rankOf(table.placementOf[slot], table.placements->size());
    }
    /// Levels that may be drawn: of a chain of more the finest.
    [[nodiscard]] int levelCount() const { return options.switchLevels ? static_cast<int>(chainLevels()) : 1; }
    /// How far a copy's curves are asked at: from what decides to its middle before it grows.
    [[nodiscard]] double curveDistance(const Placement& copy) const {
        return (centreOf(copy, batch.chain.bounds) - decidedFrom).norm();
    }

    // In select_copy.cpp: one copy by itself, exactly
    /// The copy as large as it has grown; on its way out it counts as whole.
    [[nodiscard]] Placement grown(std::uint32_t slot) const;
    [[nodiscard]] Culled reasonFor(std::uint32_t slot) const;
    [[nodiscard]] int wantedLevel(std::uint32_t slot, int now) const;
    /// Goes on from what a copy remembers. `wanted()` is asked only when its level is to be decided now.
    template <class Wanted> void remember(CopyMemory& memory, const Wanted& wanted) const {
        const SwitchRule& rule = batch.chain.rule;
        const auto levels = static_cast<int>(chainLevels());
        memory.level = static_cast<std::int8_t>(std::min<int>(memory.level, levels - 1));
        int level = memory.level;
        if (memory.level < 0 || due) {
            level = wanted();
            // Only coarser waits: finer is a matter of the promise.
            if (memory.level >= 0 && level > memory.level &&
                static_cast<double>(now - memory.switched) < rule.dwellSeconds)
                level = memory.level;
        }
        memory.culled = Culled::No;
        memory.cameFrom = level != memory.level ? memory.level : std::int8_t{-1};
        if (memory.cameFrom >= 0) {
            memory.switched = now;
            memory.fadingFrom = options.fades && rule.fadeSeconds > 0 ? memory.level : std::int8_t{-1};
        }
        memory.level = static_cast<std::int8_t>(level);
        if (memory.fadingFrom >= 0) {
            const double share = static_cast<double>(now - memory.switched) / rule.fadeSeconds;
            if (share >= 1 || share < 0 || !options.fades || memory.fadingFrom >= levels)
                memory.fadingFrom = -1;
        }
        // What no longer matters is forgotten, so that copies agree again.
        if (memory.fadingFrom < 0 && static_cast<double>(now - memory.switched) >= rule.dwellSeconds &&
            memory.cameFrom < 0)
            memory.switched = CopyMemory().switched;
    }
    [[nodiscard]] float fadeOf(const CopyMemory& memory) const {
        return memory.fadingFrom < 0
                   ? 1.0F
                   : static_cast<float>(static_cast<double>(now - memory.switched) / batch.chain.rule.fadeSeconds);
    }

private:
    friend class CellAhead;
    /// Whether a copy of which that is known is another one in a while though nothing moves. What is decided at intervals
    /// is asked at intervals only.
    [[nodiscard]] bool goesOnInTime(std::uint8_t code, const CopyMemory& memory) const {
        return code >= kOfLevels && code != kNoCode && (!settled(memory) || batch.chain.rule.checkSeconds > 0);
    }
    /// Where the copies of a cell may be, and what that leaves open, while the eye goes up to some metres.
    struct CellBounds {
        bool outOfView = false;  ///< all of them
        unsigned planes = 0;     ///< those that some copies may be on either side of
        double clear = kFarAway; ///< metres until one may come to a plane that none is at
        double nearest = 0;      ///< by what levels are decided by
        double farthest = 0;
        double nearestCentre = 0;
        double farthestCentre = 0;
        double reachLeast = 0;
        double reachMost = 0;
        std::pair<double, double> keep{1, 1};
        std::pair<double, double> grow{1, 1};
    };
    /// Metres that a cell was moved by since it was decided as a whole, with the camera's turning or without.
    [[nodiscard]] std::pair<double, double> movedBy(const SelectState::Cell& memory) const {
        const double went = moved - memory.moved;
        return {went, went + (static_cast<double>(memory.far) + went) * (turned - memory.turned)};
    }
    /// How far from what depth is measured from a cell's copies are at most: by so much a turn of a radian moves them. 0
    /// where that is no more than from the eye.
    [[nodiscard]] double turnsAbout(const CellTable::Cell& cell) const {
        return batch.chain.rule.measureFrom == MeasureFrom::Depth && batch.chain.measuredFrom
                   ? ((decidedFrom - cell.origin).cwiseAbs() + cell.half()).norm() +
                         offPivot * cell.mostScale * Thinning::kMostGrowth
                   : 0;
    }
    [[nodiscard]] Rates ratesOf(const CellTable::Cell& cell) const;
    /// While the eye goes up to `room` metres, and planes of the view by up to `planeRoom`.
    [[nodiscard]] CellBounds boundsOf(const CellTable::Cell& cell, double room, double planeRoom) const;
    [[nodiscard]] bool decideWhole(std::uint32_t index, const CellBounds& bounds, double room) const;
    /// `lasts`: `bounds` hold for that way, and `ahead` may go on from here.
    void decideCopies(std::uint32_t index, const CellBounds& bounds, CellAhead* ahead,
                      const std::optional<CellAhead::Way>& lasts) const;
    [[nodiscard]] bool decideAhead(std::uint32_t index, CellAhead& ahead) const;
    /// What was decided about a whole cell lasts for so long.
    void keepWhole(std::uint32_t index, const CellBounds& bounds, double room, double planeRoom) const;
    /// Metres that the eye may go until one of a cell's copies may be out of reach; less than 0: one may be.
    [[nodiscard]] double untilReach(const CellBounds& bounds, const Rates& rates) const {
        return (bounds.reachLeast - bounds.farthest) / (rates.place + batch.chain.rule.reachGrows);
    }
    void settleCopies(std::uint32_t index, CellAhead* ahead) const;
    class News;
    [[nodiscard]] bool takeOver(std::uint32_t index, const KeptCodes& codes, CellAhead* ahead) const;
    void thinInLanes(const CellTable::Cell& cell, const Rates& rates, double metres, LaneRule& rule) const;
    void fill(const CellTable::Cell& cell, const CellBounds& bounds, const Rates& rates, double metres,
              LaneLook& look) const;
    /// A plane of the view, from the cell's middle.
    [[nodiscard]] LaneRule::Plane planeFrom(const CellTable::Cell& cell, std::size_t k) const {
        const Vec3d& n = frustum.normal[k];
        return {static_cast<float>(n.x()), static_cast<float>(n.y()), static_cast<float>(n.z()),
                static_cast<float>(n.dot(cell.origin) + frustum.offset[k])};
    }
    /// Takes a rule to where the eye is.
    void aim(const CellTable::Cell& cell, LaneLook& look) const;
    [[nodiscard]] std::span<const LaneRule::Switch> switchesIn(const CellTable::Cell& cell, const CellBounds& bounds,
                                                               const Rates& rates, LaneRule& rule,
                                                               std::array<LaneRule::Switch, kMostLevels>& out,
                                                               double& room) const;
    [[nodiscard]] std::pair<int, int> levelsBetween(const CellTable::Cell& cell, double nearest, double farthest,
                                                    std::pair<double, double> grow, int now) const;
};

inline CopyMemory notDrawn(Culled why) {
    CopyMemory memory;
    memory.culled = why;
    return memory;
}

/// Where what is hidden is looked for: only where something was hidden before, everywhere behind ground, or behind copies
/// too.
enum class LookFor : std::uint8_t { Again, BehindGround, Everywhere };

struct Hiding {
    std::uint32_t hiders = 0; ///< copies that may be looked behind
    bool found = false;       ///< something is hidden behind copies that was not before
};

/// Takes away what is certainly hidden behind other copies, or behind ground.
/// hidden      where something was hidden before; receives where something is hidden now.
Hiding hideCopies(std::vector<BatchPass>& passes, const View& view, const std::vector<const GroundCover*>& grounds,
                  LookFor what, std::vector<SelectState::HiddenPlaces::Place>& hidden);
/// Those that may be looked for behind ground.
std::vector<AskedOfGround> askedOfGround(const std::vector<BatchPass>& passes);
/// Those that were hidden behind ground.
std::vector<AskedOfGround> behindGround(const std::vector<BatchPass>& passes,
                                        const std::vector<SelectState::HiddenPlaces::Place>& hidden);

/// What a batch costs.
SubjectCost countBatch(const BatchPass& pass);
/// Adds what a batch draws to the runs. Asked after it was counted.
void listRuns(const BatchPass& pass, std::uint32_t index, Selection& out);

} // namespace thicket::detail
