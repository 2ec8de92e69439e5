#pragma once
// A subject whose file holds several things, as subjects of their own.

#include "base/job.h"
#include "scene/scene.h"

namespace thicket {

/// The things of a mesh's file that it is made of, each a subject without levels of its own, standing where it stands in the
/// file. In the unit that the mesh has; other mends, care and levels are of the whole and stay behind.
/// ERRORS     what readModel says; BadInput: its file holds one thing only, or is another one by now; Cancelled.
Result<std::vector<Subject>> takeApart(const Subject& whole, const JobContext& job);

/// Lets a thing stand in every copy of the whole as it stands in the file.
void standAsIn(const Subject& whole, Subject& thing);

} // namespace thicket
