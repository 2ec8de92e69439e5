#include "io/ship/write_table.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace thicket {

std::string encodeCsv(const Placements& copies, const std::vector<std::string>& names) {
    std::vector<std::string> quoted;
    for (const std::string& name : names) {
        std::string plain = name;
        std::replace_if(
            plain.begin(), plain.end(), [](char c) { return c == '"' || c == '\n' || c == '\r'; }, '\'');
        quoted.push_back(plain.find_first_of(",;\t| ") != std::string::npos ? '"' + plain + '"' : plain);
    }
    fmt::memory_buffer out;
    fmt::format_to(std::back_inserter(out), "asset,x,y,z,qx,qy,qz,qw,scale,id,importance\n");
    for (const Placement& p : copies)
        fmt::format_to(std::back_inserter(out), "{},{},{},{},{},{},{},{},{},{},{}\n",
                       p.asset < quoted.size() ? quoted[p.asset] : std::string(), p.position.x(), p.position.y(),
                       p.position.z(), p.rotation.x(), p.rotation.y(), p.rotation.z(), p.rotation.w(), p.scale, p.id,
                       p.importance);
    return fmt::to_string(out);
}

std::string encodeTableJson(const Placements& copies, const std::vector<std::string>& names) {
    fmt::memory_buffer out;
    const auto quoted = [&names](std::uint32_t asset) {
        return nlohmann::json(asset < names.size() ? names[asset] : std::string())
            .dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    };
    fmt::format_to(std::back_inserter(out),
                   "{{\"format\": \"lean-thicket-placements\", \"version\": 1, \"placements\": [");
    const char* before = "\n";
    for (const Placement& p : copies) {
        fmt::format_to(std::back_inserter(out),
                       "{}{{\"asset\": {}, \"position\": [{}, {}, {}], \"rotation\": [{}, {}, {}, {}], \"scale\": {}, "
                       "\"id\": {}, \"importance\": {}}}",
                       before, quoted(p.asset), p.position.x(), p.position.y(), p.position.z(), p.rotation.x(),
                       p.rotation.y(), p.rotation.z(), p.rotation.w(), p.scale, p.id, p.importance);
        before = ",\n";
    }
    fmt::format_to(std::back_inserter(out), "\n]}}\n");
    return fmt::to_string(out);
}

std::vector<std::string> assetNames(const Scene& scene, const InstancesBody& field) {
    std::vector<std::string> out;
    for (const std::uint32_t id : field.assets) {
        const Subject* asset = scene.find(id);
        const std::string name = asset != nullptr ? asset->name : std::string("gone");
        std::string own = name;
        for (int n = 2; std::find(out.begin(), out.end(), own) != out.end(); ++n)
            own = fmt::format("{} {}", name, n);
        out.push_back(own);
    }
    return out;
}

} // namespace thicket
