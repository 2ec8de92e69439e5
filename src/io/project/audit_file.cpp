#include "io/project/audit_file.h"

#include "base/file.h"
#include "io/json/audit_json.h"
#include "io/project/project.h"

#include <algorithm>
#include <system_error>

namespace thicket {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kMostAuditFrames = 4'000'000;
constexpr std::uintmax_t kLargestAudit = std::uintmax_t{1} << 29; // bytes
constexpr double kLargestFigure = 1e15;

} // namespace

fs::path auditsFolder(const fs::path& project) {
    return levelsFolder(project).replace_extension(".audits");
}

fs::path auditFile(const fs::path& folder, const std::string& name) {
    std::string file;
    for (const char c : name)
        file += static_cast<unsigned char>(c) < 0x20 || std::string_view("/\\:*?\"<>|").find(c) != std::string::npos
                    ? '-'
                    : c;
    if (file.empty() || file.front() == '.')
        file.insert(0, "-");
    return folder / (file + kAuditSuffix);
}

std::vector<std::string> keptAudits(const fs::path& folder) {
    std::vector<std::string> names;
    std::error_code failed;
    for (fs::directory_iterator at(folder, failed), end; !failed && at != end; at.increment(failed)) {
        const std::string file = at->path().filename().string();
        const std::string_view suffix = kAuditSuffix;
        if (file.size() > suffix.size() && std::string_view(file).substr(file.size() - suffix.size()) == suffix)
            names.push_back(file.substr(0, file.size() - suffix.size()));
    }
    std::sort(names.begin(), names.end());
    return names;
}

Result<void> writeAudit(const AuditBaseline& audit, const fs::path& path) {
    json::ordered_json frames = json::ordered_json::array();
    for (const BaselineFrame& f : audit.frames)
        frames.push_back({{"seconds", f.seconds}, {"triangles", f.triangles}, {"draws", f.draws}, {"ms", f.ms}});
    return writeTextFile(path,
                         json::text({{"summary", json::encodeSummary(audit.summary)}, {"frames", frames}}, 1) + "\n");
}

Result<AuditBaseline> readAudit(const fs::path& path) {
    const auto bytes = readFile(path, kLargestAudit);
    if (!bytes)
        return bytes.error();
    const std::string text(reinterpret_cast<const char*>(bytes->data()), bytes->size());
    return json::decoded(path.string(), "give an audit that was kept, or that thicket audit --json wrote", [&text] {
        const json::ordered_json all = json::parse(text);
        AuditBaseline out;
        out.summary = json::decodeSummary(json::object(all, "summary", ""), "summary.");
        if (!all.contains("frames"))
            return out;
        const json::ordered_json& frames = json::list(all, "frames", "");
        if (frames.size() > kMostAuditFrames)
            throw json::FieldError("frames: are too many");
        double before = -1;
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const std::string at = "frames[" + std::to_string(i) + "].";
            const BaselineFrame f{json::number(frames[i], "seconds", at, 0, 1e6),
                                  json::number(frames[i], "ms", at, 0, kLargestFigure),
                                  json::number(frames[i], "triangles", at, 0, kLargestFigure),
                                  json::number(frames[i], "draws", at, 0, kLargestFigure)};
            if (f.seconds <= before)
                throw json::FieldError(at + "seconds: is not later than the frame before");
            before = f.seconds;
            out.frames.push_back(f);
        }
        out.summary.frames = frames.size();
        return out;
    });
}

} // namespace thicket
