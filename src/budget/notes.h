#pragma once
// What an audit says beyond its figures: what changes nothing on the route, and what the frame really waits for.

#include "budget/audit.h"

namespace thicket {

enum class BudgetNoteKind {
    NeverShown,   ///< a level that no frame of the route shows; without it no frame changes
    DrawBound,    ///< in frames that are over, draws take most: fewer triangles do not shorten them
    PixelBound,   ///< the same of pixels
    OneLevel,     ///< a subject takes much of the worst frame and has no coarser level
    LevelPays,    ///< the same, where all that is drawn of it then is its coarsest level
    OffScreen,    ///< levels that all show, but between which none of a mesh's own copies changes in view
    HidesNothing, ///< nothing is hidden behind anything in any frame
    ReachesAll    ///< a subject's reach ends nothing in any frame
};
constexpr Named<BudgetNoteKind> kBudgetNoteKinds[] = {
    {BudgetNoteKind::NeverShown, "never-shown"},     {BudgetNoteKind::DrawBound, "draw-bound"},
    {BudgetNoteKind::PixelBound, "pixel-bound"},     {BudgetNoteKind::OneLevel, "one-level"},
    {BudgetNoteKind::LevelPays, "level-pays"},       {BudgetNoteKind::OffScreen, "off-screen"},
    {BudgetNoteKind::HidesNothing, "hides-nothing"}, {BudgetNoteKind::ReachesAll, "reaches-all"}};
constexpr std::span<const Named<BudgetNoteKind>> namesOf(BudgetNoteKind /*any*/) {
    return kBudgetNoteKinds;
}

struct BudgetNote {
    BudgetNoteKind kind = BudgetNoteKind::NeverShown;
    std::uint32_t subject = 0; ///< id; 0: of the frame as a whole
    std::size_t level = 0;     ///< of NeverShown; of LevelPays the coarsest
    std::size_t frames = 0;    ///< that it is about
    double share = 0;          ///< of the frame's time, where it is about time
    std::string text;
    bool whole = false; ///< of OffScreen: none of the subject's switches is made in view
};

/// Notes on an audit of a scene, most weighty first.
/// REQUIRES   the audit is of this scene as it is.
std::vector<BudgetNote> notesOn(const Audit& audit, const Scene& scene);

/// The worst moments of a route by milliseconds, so far apart that they are different ones; indices of frames.
std::vector<std::size_t> worstMoments(const Audit& audit, std::size_t most, double secondsApart);

} // namespace thicket
