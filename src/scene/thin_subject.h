#pragma once
// Thinning one subject: what the window's button, the command line and a reopened project all do.

#include "bake/cards.h"
#include "bake/impostor.h"
#include "scene/scene.h"

namespace thicket {

/// A record with what is needed to cut and measure from it. Shared by value; heavy, kept out of the scene.
struct ThinState {
    std::shared_ptr<const Mesh> source;
    std::shared_ptr<const Record> record;
    std::shared_ptr<const SurfaceQuery> query;
    DeviationCurve curve;
    double recordMs = 0;
    double curveMs = 0; ///< the curve, and which loose pieces go
    CutRules cutRules;  ///< as the subject said when it was recorded
    std::shared_ptr<const Care> care;

    [[nodiscard]] bool fits(const Subject& subject) const {
        return source == subject.mesh().source().mesh && cutRules == subject.mesh().cutRules &&
               care == subject.mesh().care;
    }
};

/// Bytes that recording a mesh takes at most, estimated.
double memoryFor(const Mesh& mesh);

/// Records a subject's L0, lets loose pieces go unless it keeps them, and measures its curve.
/// REQUIRES   L0 has its mesh.
/// ERRORS     Cancelled, BadInput; TooLarge, before anything is allocated, when there is not the memory for it.
Result<ThinState> recordSubject(const Subject& subject, const ReduceOptions& options, const JobContext& job);

/// Replaces all levels but L0 and those that are locked or hand-made by new ones for the targets. Targets that can no
/// longer be lighter than the level before are left out. Returns the subject with its new chain, ordered by triangles.
/// ERRORS  Cancelled; CheckFailed when not a single lighter level can be made.
Result<Subject> thinSubject(const Subject& subject, const ThinState& state, const std::vector<LevelTarget>& targets,
                            const JobContext& job, ChainTimings* timings = nullptr);

Level levelFrom(CutLevel cut);

/// Measures besides deviation: texture and normal drift, and the deviation while it moves, which `promised` then covers
/// too. Of levels that were cut from the record.
/// ERRORS     Cancelled.
Result<void> judgeLevels(const Subject& subject, const ThinState& state, std::span<Level> levels,
                         const JobContext& job);

/// Adds crossed cards as a level, in its place by triangles; unlocked cards that were there go. Its deviation is that
/// of the outlines, so the allowance decides about it as about any other.
/// REQUIRES   L0 has its mesh.
/// ERRORS     Cancelled.
Result<Subject> addCards(const Subject& subject, const CardOptions& options, const JobContext& job);

/// Adds a grid of views on one rectangle as a level; an unlocked one that was there goes. As for cards, its deviation
/// is that of the outlines.
/// REQUIRES   L0 has its mesh.
/// ERRORS     Cancelled.
Result<Subject> addImpostor(const Subject& subject, const ImpostorOptions& options, const JobContext& job);

/// Adds a level of about so many triangles of one size (`rebuildEven`), measured against L0, in its place by triangles.
/// ERRORS Cancelled, BadInput, and CheckFailed when what comes out is no lighter than L0.
Result<Subject> addRebuilt(const Subject& subject, const ThinState& state, std::uint32_t triangles,
                           const JobContext& job);

/// Adds a mesh made elsewhere as a level with its own materials, measured against L0, in its place by triangles. Unit and
/// axis of the subject's mends are its too, where that brings it to where L0 is.
/// ERRORS Cancelled; BadInput when it is not lighter than L0.
Result<Subject> addHandMade(const Subject& subject, Mesh mesh, Surfaces surfaces, const JobContext& job);

/// Gives a level cut from a record materials of its own, by its choice; with nothing chosen it has its subject's again.
/// `plain`: its mesh as it was cut, before materials were merged.
/// ERRORS     Cancelled, BadInput.
Result<void> dressLevel(const Subject& subject, Level& level, std::shared_ptr<const Mesh> plain, const JobContext& job);

/// A subject as it is now with what thinning made of an earlier copy of it: its levels, curve and pieces.
Subject withLevelsOf(const Subject& now, const Subject& thinned);
/// Whether both have the same meshes, locks and hand-set switches.
bool sameLevels(const Subject& a, const Subject& b);

/// Cuts and measures its levels again at the counts they have, from another record: the care or the pieces are others
/// now. Locked and hand-made ones stay.
/// ERRORS     Cancelled.
Result<Subject> recutLevels(const Subject& subject, const ThinState& state, const JobContext& job);

/// Cuts again the meshes of levels that have none (a project just opened). Deviations are kept as they were saved.
Subject restoreLevels(const Subject& subject, const ThinState& state);

/// Measures levels that came with a file (hand-made) against L0.
/// ERRORS     Cancelled.
Result<Subject> measureLevels(const Subject& subject, const JobContext& job);

/// Findings about the chain besides those of L0's mesh: order, bounds.
std::vector<Finding> findChainProblems(const Subject& subject);

} // namespace thicket
