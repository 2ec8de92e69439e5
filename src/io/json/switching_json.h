#pragma once
// Rules and switches as JSON: what project files and chain descriptions share.

#include "io/json/fields.h"
#include "switching/chain_rule.h"

namespace thicket::json {

ordered_json encode(const FixedSwitch& fixed);
FixedSwitch decodeFixed(const ordered_json& in, const std::string& path);
ordered_json encode(const SwitchRule& rule);
SwitchRule decodeRule(const ordered_json& in, const std::string& path);

} // namespace thicket::json
