#pragma once
// Levels for a role that nobody sees come in.

#include "scene/thin_subject.h"

namespace thicket {

/// Thins to a role's targets so that switches go unseen where the role wants them: a level that is seen from farther than
/// its surface is off by is cut heavier, the lightest found that is not, and stays besides where it is less than half as
/// heavy; where none is worth having it comes in farther away, and another one half-way where the gap is wide. Where a
/// level comes in more than four times as far away as the one before (the source: as where it fills the screen) and is
/// less than half as heavy, one between them is tried too. Levels that never show, or are seen wherever they come in, are
/// left out, and those after which the next one comes in at once, as near without them. As thinSubject where the rule goes
/// by surfaces alone.
/// view       the stated one.
/// REQUIRES, ERRORS   as thinSubject.
Result<Subject> thinUnseen(const Subject& mesh, const ThinState& state, const std::vector<LevelTarget>& targets,
                           const View& view, const JobContext& job, ChainTimings* timings = nullptr);

} // namespace thicket
