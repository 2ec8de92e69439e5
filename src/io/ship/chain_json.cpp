#include "io/ship/chain_json.h"

#include "io/json/level_json.h"
#include "io/json/switching_json.h"
#include "io/ship/ship.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
using json::ordered_json;

ordered_json shippedLevel(const Subject& subject, const ResolvedChain& chain, std::size_t level, const View& view) {
    const Level& of = subject.mesh().levels[level];
    ordered_json out = json::encode(of);
    for (const char* mine : {"locked", "materials"}) // how it was made is no matter of an engine's
        out.erase(mine);
    out["textureBytes"] = std::llround(textureBytesOf(subject, of));
    out["fromMetres"] = chain.fromMetres[level];
    if (level > 0)
        out["fromScreenHeight"] = heightWhere(subject.rule, subject.radius, chain.fromMetres[level], view);
    return out;
}

std::string encodeChain(const Subject& subject, const View& view) {
    const ResolvedChain chain = chainOf(subject, view);
    const std::vector<Level>& all = subject.mesh().levels;
    ordered_json levels = ordered_json::array();
    for (std::size_t i = 0; i < all.size(); ++i) {
        ordered_json out{{"name", fmt::format("{}_LOD{}", subject.name, i)}};
        out.update(shippedLevel(subject, chain, i, view));
        if (all[i].mesh)
            out["shape"] = shapeOf(*all[i].mesh);
        if (i > 0)
            out["pixelErrorThere"] = pixelError(view, all[i].decisive(subject.rule), chain.fromMetres[i]);
        levels.push_back(std::move(out));
    }
    const ordered_json out{
        {"format", "lean-thicket-chain"},
        {"version", kChainVersion},
        {"subject", subject.name},
        {"view", {{"fovDegrees", view.fovY * 180 / std::numbers::pi}, {"lines", view.lines}, {"detail", view.detail}}},
        {"bounds",
         {{"low", json::array3(subject.bounds.low)},
          {"high", json::array3(subject.bounds.high)},
          {"radius", subject.radius}}},
        {"rule", json::encode(subject.rule)},
        {"levels", levels}};
    return json::text(out, 2) + "\n";
}

} // namespace thicket
