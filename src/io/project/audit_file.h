#pragma once
// Audits that were kept to compare with, as files that the window and the command line read alike.

#include "base/result.h"
#include "budget/compare.h"

#include <filesystem>

namespace thicket {

constexpr const char* kAuditSuffix = ".audit.json";

/// Where a project's own are, beside it: NAME.audits.
std::filesystem::path auditsFolder(const std::filesystem::path& project);

/// The file of one of that name in a folder. What a name may not hold in a file becomes a hyphen.
std::filesystem::path auditFile(const std::filesystem::path& folder, const std::string& name);

/// Names of those in a folder, in the order of the alphabet; none when there is no such folder.
std::vector<std::string> keptAudits(const std::filesystem::path& folder);

/// ERRORS     Unwritable.
Result<void> writeAudit(const AuditBaseline& audit, const std::filesystem::path& path);

/// One that was kept, or what `thicket audit --json` wrote.
/// ERRORS     NotFound; BadInput naming the field.
Result<AuditBaseline> readAudit(const std::filesystem::path& path);

} // namespace thicket
