#pragma once
// What is kept of an audit, as JSON.

#include "budget/compare.h"
#include "io/json/fields.h"

namespace thicket::json {

ordered_json encodeSummary(const AuditSummary& summary);
AuditSummary decodeSummary(const ordered_json& in, const std::string& path);

} // namespace thicket::json
