#pragma once
// Emitters as JSON (docs/formats/emitter.schema.json): files of their own, project files and what is shipped.

#include "emitters/emitter.h"
#include "io/json/fields.h"

namespace thicket::json {

/// What is said, and no more: levels name only what differs.
/// `folder`: what sprites are relative to.
ordered_json encode(const Emitter& emitter, const std::filesystem::path& folder);
/// The same with every level's parts filled in, as an engine without inheritance takes them.
ordered_json encodeResolved(const Emitter& emitter, const std::filesystem::path& folder);
/// Throws FieldError: a level that speaks of a part that there is not, and whatever is of the wrong kind or no range at
/// all. What the values make together is checkEmitter's to say.
Emitter decodeEmitter(const ordered_json& in, const std::filesystem::path& folder, const std::string& path);

} // namespace thicket::json
