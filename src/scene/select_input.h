#pragma once
// From a scene to what the selector takes.

#include "scene/scene.h"

namespace thicket {

/// All batches of a scene for its stated view (fields and lines; where the camera stands is no matter). What did not
/// change since `before` was made is used again: an edit orders only the copies that it touches anew.
/// Subjects that nobody has placed stand in a row from the origin on, so that none is lost from sight or inside
/// another; assets of a field do not.
SelectInput selectInput(const Scene& scene, const View& view, const SelectInput* before = nullptr);

/// What the scene asks of the selector, for a camera that moves so many metres a second.
SelectOptions selectOptions(const Scene& scene, double speed);

/// The index of a subject in an input; empty when it is not there.
std::optional<std::uint32_t> indexOf(const SelectInput& input, std::uint32_t subject);

} // namespace thicket
