#include "io/ship/ship_tables.h"

#include "base/file.h"
#include "io/import/placement_table.h"
#include "io/ship/read_back.h"
#include "io/ship/write_table.h"

#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
namespace {

Result<void> compareTable(const fs::path& file, const Placements& copies, const JobContext& job) {
    const auto back = readPlacementTable(file, {}, job);
    if (!back)
        return back.error();
    if (back->badRows > 0 || back->copies.size() != copies.size())
        return readBackDiffers(file, "rows are missing");
    for (std::size_t i = 0; i < copies.size(); ++i) {
        Placement is = back->copies[i];
        is.asset = copies[i].asset; // assets are in the order in which they come there
        if (!(is == copies[i]))
            return readBackDiffers(file, fmt::format("row {} differs", i + 1));
    }
    return {};
}

} // namespace

Result<void> shipTables(const Placements& copies, const std::vector<std::string>& names, const fs::path& folder,
                        const std::string& base, const JobContext& job, ShipReport& report) {
    for (const bool csv : {true, false}) {
        const fs::path file = folder / (base + (csv ? ".placements.csv" : ".placements.json"));
        const std::string text = csv ? encodeCsv(copies, names) : encodeTableJson(copies, names);
        if (auto done = writeTextFile(file, text); !done)
            return done;
        if (auto same = compareTable(file, copies, job); !same)
            return same;
        report.files.push_back({file, text.size(), true});
    }
    return {};
}

Result<void> shipPlaces(const Scene& scene, const std::map<std::uint32_t, std::string>& shipped, const fs::path& folder,
                        const std::string& base, const JobContext& job, ShipReport& report) {
    Placements all;
    std::vector<std::string> names;
    for (const Subject& subject : scene.subjects) {
        const auto name = shipped.find(subject.id);
        if (!subject.isMesh() || name == shipped.end() || !subject.mesh().placed || subject.mesh().placed->empty())
            continue;
        for (Placement copy : *subject.mesh().placed) {
            copy.asset = static_cast<std::uint32_t>(names.size());
            all.push_back(copy);
        }
        names.push_back(name->second);
    }
    return all.empty() ? Result<void>() : shipTables(all, names, folder, base, job, report);
}

} // namespace thicket
