#include "io/ship/ship_field.h"

#include "base/file.h"
#include "io/import/import.h"
#include "io/json/field_json.h"
#include "io/json/switching_json.h"
#include "io/ship/read_back.h"
#include "io/ship/ship_tables.h"
#include "io/ship/write_glb.h"
#include "io/ship/write_table.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kFieldVersion = 1;

/// Copies of an asset in blocks that are near each other, so that an engine can leave whole ones out.
std::vector<InstanceBlock> blocksOf(const InstancesBody& body, std::uint32_t asset, const Subject& thing) {
    constexpr std::size_t kMostInBlock = 2048;
    const auto cells = makeCells(body.copies, asset, thing.bounds, thing.radius);
    std::vector<InstanceBlock> out;
    for (const CellTable::Cell& cell : cells->cells) {
        if (out.empty() || out.back().copies.size() + cell.count > kMostInBlock)
            out.push_back({cell.origin.array().round(), {}});
        for (std::uint32_t k = 0; k < cell.count; ++k)
            out.back().copies.push_back(cells->at(cell.first + k));
    }
    return out;
}

Result<void> compareBlocks(const fs::path& file, const Subject& asset, const std::vector<InstanceBlock>& blocks,
                           const JobContext& job) {
    const auto back = readModel(file, job);
    if (!back)
        return back.error();
    if (back->size() != 1 || back->front().levels.size() != asset.mesh().levels.size())
        return readBackDiffers(file, "it holds another number of levels");
    for (std::size_t i = 0; i < asset.mesh().levels.size(); ++i)
        if (back->front().levels[i].mesh.indices.size() != asset.mesh().levels[i].mesh->indices.size())
            return readBackDiffers(file, fmt::format("level {} differs", i));
    std::size_t at = 0;
    const Placements& placed = back->front().placed;
    for (const InstanceBlock& block : blocks)
        for (const Placement& copy : block.copies) {
            if (at >= placed.size())
                return readBackDiffers(file, "copies are missing");
            const Placement& is = placed[at++];
            const double near = 1e-6 * (1 + (copy.position - block.origin).norm());
            if ((is.position - copy.position).norm() > near || std::abs(is.scale - copy.scale) > 1e-5 * copy.scale ||
                is.rotation.angularDistance(copy.rotation) > 1e-3)
                return readBackDiffers(file, fmt::format("copy {} stands elsewhere", copy.id));
        }
    return at == placed.size() ? Result<void>() : readBackDiffers(file, "it holds more copies");
}

} // namespace

std::string encodeField(const Scene& scene, const Subject& field, const View& view) {
    const InstancesBody& body = *field.instances();
    const auto names = assetNames(scene, body);
    ordered_json assets = ordered_json::array();
    for (std::size_t i = 0; i < body.assets.size(); ++i) {
        ordered_json one{{"asset", names[i]}};
        if (const Subject* asset = scene.findMesh(body.assets[i])) {
            const ResolvedChain chain = chainIn(field, *asset, view);
            one["levels"] = ordered_json::array();
            for (std::size_t k = 0; k < chain.fromMetres.size(); ++k)
                one["levels"].push_back({{"fromMetres", chain.fromMetres[k]},
                                         {"growsWithScale", static_cast<bool>(chain.growsWithScale[k])},
                                         {"triangles", chain.levels[k].triangles},
                                         {"promised", chain.levels[k].deviationMetres}});
        }
        assets.push_back(std::move(one));
    }
    const ordered_json out{
        {"format", "lean-thicket-field"},
        {"version", kFieldVersion},
        {"field", field.name},
        {"copies", body.copies->size()},
        {"view", {{"fovDegrees", view.fovY * 180 / std::numbers::pi}, {"lines", view.lines}, {"detail", view.detail}}},
        {"rule", json::encode(field.rule)},
        {"thinning", json::encode(body.thinning)},
        {"formulas",
         {{"rank", "(row + 0.5) / copies, rows of the table from 0: it is in the progressive order"},
          {"drawn", "rank < keep(d) * (1 + band), d from the camera to the copy's middle, over view.detail"},
          {"shrink", "smoothstep of clamp((keep(d) * (1 + band) - rank) / (keep(d) * band), 0, 1)"},
          {"cover", "c = keep(d) * (1 + 0.3714 * band), at most 1"},
          {"grow", "where the cover is held min(growAtMost, 1 / sqrt(c)), else the curve"},
          {"size", "scale * grow * shrink, about the copy's position"},
          {"switch",
           "fromMetres * importance * (1 + softBand * (2 * u - 1)), u in 0..1 a hash of its id; times scale * "
           "grow where growsWithScale"}}},
        {"assets", assets}};
    return json::text(out, 2) + "\n";
}

Result<void> shipField(const Scene& scene, const Subject& field, const fs::path& folder, const std::string& base,
                       const ShipOptions& options, const JobContext& job, ShipReport& report) {
    const InstancesBody& body = *field.instances();
    const auto names = assetNames(scene, body);
    if (options.tables)
        if (auto done = shipTables(*body.copies, names, folder, base, job, report); !done)
            return done;
    if (options.chainJson) {
        const std::string rule = encodeField(scene, field, scene.settings.view);
        const fs::path file = folder / (base + ".field.json");
        if (auto done = writeTextFile(file, rule); !done)
            return done;
        if (const auto back = readTextFile(file); !back || *back != rule)
            return readBackDiffers(file, "it differs");
        report.files.push_back({file, rule.size(), true});
    }
    for (std::uint32_t i = 0; options.extensionGlb && i < body.assets.size(); ++i) {
        const Subject* asset = scene.findMesh(body.assets[i]);
        if (asset == nullptr || std::any_of(asset->mesh().levels.begin(), asset->mesh().levels.end(),
                                            [](const Level& l) { return !l.mesh; })) {
            report.skipped.push_back(field.name + ": " + names[i] + " is missing, or a level of it");
            continue;
        }
        const auto blocks = blocksOf(body, i, *asset);
        if (blocks.empty())
            continue;
        if (job.cancelled())
            return cancelledError();
        const LevelSet set = joinLevels(*asset);
        const fs::path file = folder / fmt::format("{}.{}.instances.glb", base, fileNameFor(names[i]));
        const auto bytes = encodeGlb(asset->name, set.meshes, set.surfaces, GlbLevels::Extension, {}, nullptr, false,
                                     viewsOf(*asset), blocks);
        if (auto done = writeFile(file, bytes); !done)
            return done;
        if (auto same = compareBlocks(file, *asset, blocks, job); !same)
            return same;
        report.files.push_back({file, bytes.size(), true});
    }
    return {};
}

} // namespace thicket
