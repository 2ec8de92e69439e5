#pragma once
// One subject's levels for another one of its kind.

#include "scene/scene.h"

namespace thicket {

/// A subject with the rule of another one, and what its kind has besides: of a field and of strands how they thin out
/// and where levels come in, of strands how far their levels may be off, of an emitter its levels for parts of the same
/// names, of ground whether and where its levels switch. Of a mesh the rule and the switches set by hand, for as many
/// levels as it has. What it is, where it stands and its role stay.
/// ERRORS     BadInput: another kind, itself, or an emitter with no part of any such name; Cancelled.
Result<Subject> takeLevels(const Subject& subject, const Subject& from, const JobContext& job);

} // namespace thicket
