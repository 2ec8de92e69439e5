#include "io/import/import_strands.h"

#include "io/import/read_strands.h"
#include "scene/strand_subject.h"

namespace thicket {

Result<ImportedStrands> importStrands(const std::filesystem::path& file, const std::string& name, Role role,
                                      StrandsBody body, const JobContext& job) {
    constexpr double kReading = 0.6;
    auto read = readStrands(file, {body.width, false, body.unit, body.up}, job.part(0, kReading));
    if (!read)
        return read.error();
    body.ownWidths = read->widths;
    body.strands = std::make_shared<const StrandSet>(std::move(read->set));
    auto made = makeStrands(name.empty() ? file.stem().string() : name, role, std::move(body), job.part(kReading, 1));
    if (!made)
        return made.error();
    made->source = {std::filesystem::absolute(file).lexically_normal(), read->hash, {}};
    return ImportedStrands{std::move(*made), std::move(read->notes)};
}

} // namespace thicket
