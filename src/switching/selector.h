#pragma once
// The selector: the one function that says what is drawn. The viewport, the audit and every count call it.
//
//   SelectInput + View + time + SelectState --select()--> Selection
//
// Copies lie in cells. A cell that is wholly out of view, too far or too small is one decision; one in which the
// nearest and the farthest place give the same level to its largest and its smallest copy is one run; only in the
// others is each copy looked at. The outcome is that of looking at every copy by itself: bounds are conservative, and
// what they leave open is decided exactly.

#include "base/big_vector.h"
#include "switching/cells.h"
#include "switching/copy_distance.h"
#include "switching/ground_cover.h"
#include "switching/select_tiles.h"
#include "switching/thinning.h"

#include <array>
#include <functional>
#include <memory>

namespace thicket {

enum class Culled : std::uint8_t { No, OutOfView, BeyondReach, TooSmall, NoLevels, Hidden, Thinned };
constexpr std::size_t kCullReasons = 7;

/// What copies cost that are strands: each has points of its own. Never changed once made.
struct StrandCosts {
    /// A level: the triangles of all slots before this one; one entry more than there are slots.
    std::vector<std::vector<std::uint32_t>> before;
    std::vector<bool> carded; ///< a level: it is drawn by cards, which some of the strands have
    double meanLength = 0;    ///< metres
    double meanWidth = 0;

    [[nodiscard]] std::uint64_t triangles(std::size_t level, std::uint32_t first, std::uint32_t count) const {
        return before[level][first + count] - before[level][first];
    }
    /// Of copies with so many triangles: of a ribbon two more than those, of a card twice as many.
    [[nodiscard]] std::uint64_t vertices(std::size_t level, std::uint64_t triangles, std::uint32_t count) const {
        return carded[level] ? 2 * triangles : triangles + std::uint64_t{2} * count;
    }
};

/// All copies of one thing that are drawn by one chain. Never changed once made, but for occluders that are made later.
struct Batch {
    std::uint32_t subject = 0; ///< who pays: index into SelectInput::subjects
    std::uint32_t asset = 0;   ///< whose levels are drawn: index too, another one in a field
    ResolvedChain chain;
    std::shared_ptr<const CellTable> copies;
    bool instanced = false;                                 ///< the engine draws all copies of a level at once
    Thinning thinning;                                      ///< of a field: how it thins out
    std::vector<std::shared_ptr<const Occluder>> occluders; ///< one a level or none; null: it hides nothing
    std::shared_ptr<const StrandCosts> strands = {};        ///< null: copies of a mesh
};

/// A terrain, drawn by tiles. Never changed once made.
struct GroundBatch {
    std::uint32_t subject = 0; ///< index into SelectInput::subjects
    std::shared_ptr<const TileTree> tree;
    TileRule rule;        ///< for a camera at rest; reach without what the camera's height adds
    SwitchRule switching; ///< what it was made from
};

struct SelectInput {
    std::vector<std::uint32_t> subjects; ///< ids, in the order of the scene
    std::vector<Batch> batches;          ///< in that order too
    std::vector<GroundBatch> grounds;
    [[nodiscard]] std::size_t copies() const;
};

struct SelectOptions {
    double allowanceFactor = 1; ///< 1: exact; larger: every switch comes nearer by this factor (the viewport in motion)
    double smallFactor = 1;     ///< what is too small on screen may be so many times as tall (the viewport in motion)
    double keepFactor = 1; ///< of a field so much of the share that is kept is drawn (the viewport in motion); 0..1
    double speed = 0;      ///< of the camera, metres a second
    double halfSpeed = 0;  ///< at this speed switches come in half as far, at twice it a third; 0: speed is nothing
    bool fades = true;     ///< false: switches of copies are sudden
    bool cullView = true;
    bool cullReach = true;
    bool cullSmall = true;
    bool cullHidden = true;   ///< where batches have occluders
    bool thinOut = true;      ///< fields thin out and grow
    bool switchLevels = true; ///< false: everything is drawn at its finest
    bool listRuns = true;     ///< false: only costs are wanted, no runs
};

/// When, from where and how is selected.
struct SelectMoment {
    View view;
    double seconds = 0; ///< any clock that does not run back
    SelectOptions options;
};

/// What a copy remembers from frame to frame, or all copies of a cell that agree. Eight bytes.
struct CopyMemory {
    using LeftAsItIs = void; ///< a copy's own is written when its cell's stop to agree
    float switched = -1e9F;  ///< when it last changed its level, which is when its fade began; seconds from the epoch
    std::int8_t level = -1;  ///< -1: not drawn
    std::int8_t fadingFrom = -1;
    Culled culled = Culled::OutOfView;
    std::int8_t cameFrom = -1; ///< the level of the frame before, where it is another one; else -1

    bool operator==(const CopyMemory&) const = default;
};

/// What the copies of one cell cost, as long as nothing is decided anew about them.
struct CellCost {
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    std::uint64_t shown = 0; ///< levels that are drawn, a bit each
    std::uint32_t draws = 0; ///< where each copy has draws of its own
    std::uint16_t culledBy[kCullReasons] = {};
    std::uint16_t switches = 0;
    std::uint16_t fading = 0;
};

/// What all cells of a batch cost, added up.
struct CellSums {
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    std::uint64_t draws = 0;
    std::uint32_t culledBy[kCullReasons] = {};
    std::uint32_t switches = 0;
    std::uint32_t fading = 0;
    std::array<std::uint32_t, 64> showing{}; ///< cells that show a level

    /// A cell that cost what it did costs something else now.
    void replace(const CellCost& was, const CellCost& is);
    [[nodiscard]] std::uint64_t shown() const;
};

/// What is remembered from selection to selection. Copies of a cell that agree remember one thing; where they do not,
/// each has an entry of its own. What belongs to a batch that is in the next input too stays, wherever it stands there.
/// Beside each decision stands how far the camera may go until it could be another; before that nothing is asked anew.
struct SelectState {
    /// What is hidden: beside what was decided about it, which stays. It is looked for again in every selection; what
    /// came to be hidden since is looked for everywhere a few times a second, behind copies less often while nothing is
    /// found there, and at once where the camera rests or leaps, or anything else changed.
    struct HiddenPlaces {
        static constexpr std::uint32_t kAll = 0xffffffff;
        struct Place {
            std::uint32_t batch = 0;
            std::uint32_t cell = 0;
            std::uint32_t copy = kAll; ///< of the cell, or all of them at once
            bool behindGround = false; ///< else behind copies
            [[nodiscard]] bool inCellOf(const Place& o) const { return batch == o.batch && cell == o.cell; }
        };
        struct Look {
            double seconds = -1e18; ///< when it was
            double moved = 0;       ///< and SelectState::moved and turned then
            double turned = 0;
        };
        std::vector<Place> places; ///< in order
        Look everywhere;           ///< the last
        Look behindCopies;
        unsigned inVain = 0;                    ///< looks behind copies, of late, that found nothing new; up to a few
        std::vector<const Occluder*> occluders; ///< of all batches
    };
    /// What moves a cell is counted in metres since it was last decided: those that the eye went, and what
    /// its turning makes at the cell's far side.
    struct Cell {
        CopyMemory all;
        float far = 0;              ///< how far its copies were from the eye at most
        float room = 0;             ///< metres until something may change
        float planeRoom = 0;        ///< and until it may cross a plane of the view that it was clear of
        bool mixed : 1 = false;     ///< `memories` speaks for its copies, not `all`
        bool kept : 1 = false;      ///< nothing may change before `room` and `planeRoom` are used up
        bool singly : 1 = false;    ///< `codes` says what was found out about each copy
        bool turning : 1 = false;   ///< `room` is used up by turning too
        bool unsettled : 1 = false; ///< what some of its copies remember depends on time
        bool goesOn : 1 = false;    ///< it was decided before: what depends on more than the camera stayed as it was
        double moved = 0;           ///< SelectState::moved and turned when it was last decided
        double turned = 0;
    };
    struct OfBatch {
        std::shared_ptr<const CellTable> copies;
        std::vector<Cell> cells;
        BigVector<CopyMemory> memories;     ///< one a slot, of use where its cell is mixed; empty until one is
        std::vector<CellCost> costs;        ///< a cell
        std::vector<std::uint8_t> counted;  ///< a cell: 1 where that is what it costs, else it is what it did
        CellSums sums;                      ///< of `costs`
        std::vector<float> covers;          ///< a cell: squareOf what is drawn, added up; of strands how many there are
        std::vector<float> deviations;      ///< a cell: the largest of the levels that are drawn, metres
        std::vector<std::uint16_t> showing; ///< a cell: by level copies that show it, then those that fade from it
        struct Crossed {
            std::uint32_t cell;
            std::uint64_t levels; ///< as SubjectCost has them
        };
        std::vector<Crossed> crossed; ///< by copies that were told one by one since it was counted; of no account where
                                      ///< the cell is counted anew after all
        BigVector<std::uint8_t> codes;   ///< one a slot, of use where they are looked at singly; empty until they are
        std::vector<double> decidedWith; ///< all that decisions depend on but for the camera's place and direction

        /// Takes the own memories of a cell's copies away where all are alike.
        void collapse(std::uint32_t cell);
    };
    std::vector<OfBatch> batches;
    std::vector<TileState> grounds;
    std::vector<GroundCover> covers; ///< what each of them hides
    HiddenPlaces hidden;
    double epoch = 0;
    double before = -1e18; ///< when the last selection was made, seconds
    double moved = 0;      ///< metres that the eye went, of all selections
    double stepped = 0;    ///< of the last one
    double turned = 0;     ///< radians at least
    double turnedBy = 0;   ///< of the last one
    std::optional<View> last;

    /// What copy `k` of a cell remembers.
    [[nodiscard]] const CopyMemory& of(std::uint32_t batch, std::uint32_t cell, std::uint32_t k) const {
        const OfBatch& own = batches[batch];
        return own.cells[cell].mixed ? own.memories[own.copies->cells[cell].first + k] : own.cells[cell].all;
    }
    [[nodiscard]] std::size_t bytes() const;
};

/// What one subject costs in a frame. Both levels count while a copy fades. Of a terrain tiles count as copies.
struct SubjectCost {
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    std::uint64_t draws = 0;
    std::uint64_t shown = 0;   ///< levels that are drawn, a bit each; of a field those of all its assets
    std::uint64_t crossed = 0; ///< switches that were made in this frame, likewise, by the finer of their levels
    double pixels = 0;         ///< covered, by bounding discs; of cells far away for all of their copies at once
    std::uint32_t drawn = 0;
    std::uint32_t culledBy[kCullReasons] = {}; ///< copies by Culled; of Culled::No: those that are drawn
    std::uint32_t switches = 0;                ///< copies whose level differs from the frame before
    std::uint32_t fading = 0;
    double worstErrorPx = 0; ///< promised pixels off at the nearest point, of those that are drawn

    SubjectCost& operator+=(const SubjectCost& other);
};

/// Copies of one batch that show the same level in the same way.
struct Run {
    std::uint32_t batch = 0;
    std::int8_t level = 0;
    std::int8_t fadingFrom = -1; ///< drawn too, with the complement of `fade`
    bool listed = false;         ///< true: first .. first + count - 1 are places in Selection::listed, not slots
    float fade = 1;              ///< share of pixels that show `level`
    std::uint32_t first = 0;
    std::uint32_t count = 0;
};

struct Selection {
    std::vector<SubjectCost> subjects; ///< one a subject
    SubjectCost total;
    std::vector<std::uint64_t> levels; ///< one a subject: its levels that are drawn, in fields too, a bit each
    std::vector<Run> runs;             ///< by batches, in each by levels
    std::vector<std::uint32_t> listed; ///< slots
    std::vector<TileCut> grounds;      ///< one a terrain
    double groundSeconds = 0;          ///< what choosing their tiles took
    std::uint32_t occluders = 0;       ///< copies that others were looked for behind
};

/// Chooses a level, or a reason not to draw, for each copy.
/// state      of the selections before, or fresh; brought up to date.
/// seconds    any clock that does not run back.
/// COST       O(cells + copies of cells in which the camera's way may have changed a decision), and with runs those that
///            are listed.
/// THREADS    pure but for `state` and `out`, whose storage is reused.
void select(const SelectInput& input, const View& view, double seconds, const SelectOptions& options,
            SelectState& state, Selection& out);

/// Selects for moments in turn, as select() does for one after the other. What copies of the next moments are decided to
/// be is found out beside what is hidden and counted at this one: so no thread waits for another in each of them.
/// moment     of 0 .. count - 1; asked in turn.
/// each       is given the selections in turn, on any thread but never on two at once.
/// goesOn     is asked now and then, on this thread, with how many there have been; false: that is enough.
void selectInTurn(const SelectInput& input, std::size_t count, const std::function<SelectMoment(std::size_t)>& moment,
                  const std::function<void(std::size_t, const SelectMoment&, const Selection&)>& each,
                  const std::function<bool(std::size_t)>& goesOn);

/// One copy: a batch and a slot of its table.
struct CopyRef {
    std::uint32_t batch = 0;
    std::uint32_t slot = 0;
    bool operator==(const CopyRef&) const = default;
};

/// Why a copy is drawn as it is, or is not.
enum class Why : std::uint8_t {
    Culled,      ///< Pick::culled says why
    OnlyLevel,   ///< there is no other
    Coarsest,    ///< there is none coarser
    NextIsOff,   ///< the next would be off by more than is allowed
    NextIsSeen,  ///< the switch to the next would be seen, though its surface is off by less
    NextIsAt,    ///< the next comes in at a distance that is no matter of pixels
    NextIsFixed, ///< the next comes in where it was set by hand
    Dwells,      ///< it switched a moment ago
    Waits,       ///< the next waits for the end of the hysteresis
    NotLooked,   ///< it is looked at again later
    AllFinest    ///< switching is off
};

/// What is known of one copy after a selection.
struct Pick {
    Culled culled = Culled::No;
    Why why = Why::Culled;
    std::int8_t level = -1;
    std::int8_t fadingFrom = -1;
    bool switched = false;   ///< its level differs from the frame before
    float fade = 1;          ///< share of pixels that show `level`
    double distance = 0;     ///< metres, measured as the rule says
    double screenHeight = 0; ///< share of the viewport
    double errorPx = 0;      ///< promised pixels off, at the nearest point; 0 when it is not drawn
    double nextFrom = 0;     ///< where the next coarser level comes in for this copy, metres
    double nextErrorPx = 0;  ///< how far that would be off where the copy is
    double sinceSwitch = 0;  ///< seconds since it last changed its level
    double size = 1;         ///< times its own that it is drawn at: grown, or on its way out
    double kept = 1;         ///< share of its field that is kept where it is
    double rank = 0;         ///< 0..1; where it stands in the order of its field
    double reach = 0;        ///< metres; 0: no such limit
};

/// REQUIRES `state` as a selection for the same input, view, time and options left it.
Pick pickOf(const SelectInput& input, const View& view, double seconds, const SelectOptions& options,
            const SelectState& state, CopyRef copy);

/// The copy of a subject (an index) whose centre is nearest to `eye`, those in view before those that are not; empty
/// when it has none. `state` may be fresh: then all count as in view.
/// COST       O(cells + copies of a few cells).
std::optional<CopyRef> nearestCopy(const SelectInput& input, const SelectState& state, std::uint32_t subject,
                                   const Vec3d& eye);

/// The rule of a terrain in force for a view and options.
TileRule ruleOf(const GroundBatch& ground, const View& view, const SelectOptions& options);

/// Times its own size that a copy is drawn at, of those that are drawn: grown, or on its way out.
double drawnSize(const Batch& batch, const View& view, const SelectOptions& options, std::uint32_t slot);
/// Whether copies of a batch may be drawn at another size than their own, or not at all.
bool hasSizes(const Batch& batch, const SelectOptions& options);

/// Calls `each(slot)` for the copies of a run.
template <class Each> void eachOf(const Selection& selection, const Run& run, const Each& each) {
    for (std::uint32_t i = run.first; i < run.first + run.count; ++i)
        each(run.listed ? selection.listed[i] : i);
}

} // namespace thicket
