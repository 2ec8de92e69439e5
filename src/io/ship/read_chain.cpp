#include "io/ship/read_chain.h"

#include "base/file.h"
#include "io/json/level_json.h"
#include "io/json/switching_json.h"
#include "io/ship/chain_json.h"

#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

ChainFile decode(const ordered_json& in) {
    if (!in.is_object() || json::string(in, "format", "", "") != "lean-thicket-chain")
        throw json::FieldError("format: this is not a chain description");
    if (json::integer<int>(in, "version", "", 1, std::numeric_limits<int>::max()) > kChainVersion)
        throw json::FieldError("version: was made by a newer program");
    ChainFile out;
    out.subject = json::string(in, "subject", "");
    out.rule = json::decodeRule(json::object(in, "rule", ""), "rule.");
    out.rule.target = 0; // an id of the project that it came from
    const ordered_json& bounds = json::object(in, "bounds", "");
    out.bounds = {json::vector3(bounds, "low", "bounds."), json::vector3(bounds, "high", "bounds.")};
    const ordered_json& levels = json::list(in, "levels", "");
    if (levels.empty())
        throw json::FieldError("levels: is not a list of at least one");
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const std::string at = fmt::format("levels[{}].", i);
        out.levels.push_back(json::decodeLevel(levels[i], at));
        out.shapes.push_back(json::hash(levels[i], "shape", at));
    }
    return out;
}

} // namespace

Result<ChainFile> readChain(const fs::path& file) {
    auto text = readTextFile(file);
    if (!text)
        return text.error();
    return json::decoded(file.string(), "ship the subject again, or mend the field",
                         [&] { return decode(json::parse(*text)); });
}

Result<Subject> withChain(const Subject& subject, const ChainFile& chain) {
    const auto differs = [&](const std::string& what) {
        return Error{ErrorCode::CheckFailed, subject.name, "is not what the chain description is of: " + what,
                     "bring in the meshes that were shipped with it"};
    };
    if (subject.mesh().levels.size() != chain.levels.size())
        return differs(fmt::format("it has {} levels, not {}", subject.mesh().levels.size(), chain.levels.size()));
    for (std::size_t i = 0; i < chain.levels.size(); ++i)
        if (subject.mesh().levels[i].triangles != chain.levels[i].triangles)
            return differs(fmt::format("its L{} has {} triangles, not {}", i, subject.mesh().levels[i].triangles,
                                       chain.levels[i].triangles));
    constexpr double kSame = 1e-5; // of the size: positions are single floats
    const double slack = kSame * (chain.bounds.diagonal() + chain.bounds.high.norm());
    if ((subject.bounds.low - chain.bounds.low).norm() > slack ||
        (subject.bounds.high - chain.bounds.high).norm() > slack)
        return differs("it is of another size, or stands elsewhere");
    Subject out = subject;
    out.rule = chain.rule;
    // What was measured is believed only of the very meshes that it was measured of.
    bool same = true;
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const auto& mesh = out.mesh().levels[i].mesh;
        same &= !chain.shapes[i].empty() && mesh && shapeOf(*mesh) == chain.shapes[i];
    }
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const Level& from = chain.levels[i];
        Level& to = out.mesh().levels[i];
        to.fixed = from.fixed;
        if (same)
            takeMeasures(to, from);
    }
    return out;
}

fs::path chainBeside(const fs::path& mesh) {
    std::string stem = mesh.stem().string();
    for (const std::string part : {".lod", ".levels"})
        if (stem.ends_with(part))
            stem.resize(stem.size() - part.size());
    const fs::path chain = mesh.parent_path() / (stem + kChainSuffix);
    std::error_code ec;
    return fs::is_regular_file(chain, ec) ? chain : fs::path();
}

} // namespace thicket
