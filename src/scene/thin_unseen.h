#pragma once
// Levels for a role that nobody sees come in.

#include "scene/thin_subject.h"

namespace thicket {

/// Thins to a role's targets so that switches go unseen where the role wants them: a level that is seen from farther than
/// its surface is off by is cut again, heavier by as much, and looked at again. The lightest stays where it is worth
/// having far away.
/// REQUIRES   as thinSubject.
/// ERRORS     as thinSubject.
Result<Subject> thinUnseen(const Subject& mesh, const ThinState& state, const std::vector<LevelTarget>& targets,
                           const Scene& scene, const JobContext& job);

} // namespace thicket
