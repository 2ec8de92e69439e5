#pragma once
// As much of JSON Schema as the schemas of the project's own formats use.

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace thicket {

/// What of a value breaks a schema, each with its path; empty when it holds. A keyword that is not known is a break
/// too, so that no rule of a schema is passed over.
std::vector<std::string> breaks(const nlohmann::json& schema, const nlohmann::json& value,
                                const std::string& path = "");

} // namespace thicket
