#include "io/read_chain.h"

#include "base/file.h"
#include "io/json_fields.h"

#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr double kLargest = 1e12; // metres

Level decodeLevel(const ordered_json& in, const std::string& at) {
    Level level;
    level.triangles = static_cast<std::uint32_t>(json::number(in, "triangles", at, 1, 4e9));
    level.vertices = static_cast<std::uint32_t>(json::number(in, "vertices", at, 0, 4e9));
    const auto deviation = json::get<ordered_json>(in, "deviation", at);
    const std::string of = at + "deviation.";
    level.deviation = json::number(deviation, "max", of, 0, kLargest);
    level.promised = json::number(deviation, "promised", of, 0, kLargest);
    level.p99 = json::number(deviation, "p99", of, 0, kLargest);
    level.rms = json::number(deviation, "rms", of, 0, kLargest);
    level.posed = json::number(in, "posedDeviation", at, 0, kLargest, 0);
    if (in.contains("textureDriftTexels"))
        level.driftTexels = json::number(in, "textureDriftTexels", at, 0, kLargest);
    if (in.contains("normalDriftDegrees"))
        level.driftDegrees = json::number(in, "normalDriftDegrees", at, 0, 180);
    if (in.contains("fixed"))
        level.fixed = json::decodeFixed(in["fixed"], at + "fixed.");
    return level;
}

ChainFile decode(const ordered_json& in) {
    if (!in.is_object() || json::get<std::string>(in, "format", "", "") != "lean-thicket-chain")
        throw json::FieldError("format: this is not a chain description");
    if (json::get<int>(in, "version", "") != 1)
        throw json::FieldError("version: was made by a newer program");
    ChainFile out;
    out.subject = json::get<std::string>(in, "subject", "");
    out.rule = json::decodeRule(json::get<ordered_json>(in, "rule", ""), "rule.");
    out.rule.target = 0; // an id of the project that it came from
    const auto bounds = json::get<ordered_json>(in, "bounds", "");
    out.bounds = {json::vector3(bounds, "low", "bounds."), json::vector3(bounds, "high", "bounds.")};
    const auto levels = json::get<ordered_json>(in, "levels", "");
    if (!levels.is_array() || levels.empty())
        throw json::FieldError("levels: is not a list of at least one");
    for (std::size_t i = 0; i < levels.size(); ++i)
        out.levels.push_back(decodeLevel(levels[i], fmt::format("levels[{}].", i)));
    return out;
}

} // namespace

Result<ChainFile> readChain(const fs::path& file) {
    auto text = readTextFile(file);
    if (!text)
        return text.error();
    const auto bad = [&file](const std::string& what) {
        return Error{ErrorCode::BadInput, file.string(), what, "ship the subject again, or mend the field"};
    };
    try {
        return decode(ordered_json::parse(*text));
    } catch (const json::FieldError& e) {
        return bad(e.what());
    } catch (const nlohmann::json::parse_error& e) {
        return bad(fmt::format("is not whole JSON (byte {})", e.byte));
    } catch (const nlohmann::json::exception&) {
        return bad("has a field of the wrong kind");
    }
}

Result<Subject> withChain(const Subject& subject, const ChainFile& chain) {
    const auto differs = [&](const std::string& what) {
        return Error{ErrorCode::CheckFailed, subject.name, "is not what the chain description is of: " + what,
                     "bring in the meshes that were shipped with it"};
    };
    if (subject.levels.size() != chain.levels.size())
        return differs(fmt::format("it has {} levels, not {}", subject.levels.size(), chain.levels.size()));
    for (std::size_t i = 0; i < chain.levels.size(); ++i)
        if (subject.levels[i].triangles != chain.levels[i].triangles)
            return differs(fmt::format("its L{} has {} triangles, not {}", i, subject.levels[i].triangles,
                                       chain.levels[i].triangles));
    constexpr double kSame = 1e-5; // of the size: positions are single floats
    const double slack = kSame * (chain.bounds.diagonal() + chain.bounds.high.norm());
    if ((subject.bounds.low - chain.bounds.low).norm() > slack ||
        (subject.bounds.high - chain.bounds.high).norm() > slack)
        return differs("it is of another size, or stands elsewhere");
    Subject out = subject;
    out.rule = chain.rule;
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const Level& from = chain.levels[i];
        Level& to = out.levels[i];
        to.deviation = from.deviation;
        to.promised = from.promised;
        to.p99 = from.p99;
        to.rms = from.rms;
        to.posed = from.posed;
        to.driftTexels = from.driftTexels;
        to.driftDegrees = from.driftDegrees;
        to.fixed = from.fixed;
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
