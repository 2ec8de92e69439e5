#include "io/ship/ship_strands.h"

#include "base/file.h"
#include "io/import/import.h"
#include "io/import/read_strands.h"
#include "io/json/strand_json.h"
#include "io/json/switching_json.h"
#include "io/ship/read_back.h"
#include "io/ship/write_glb.h"
#include "scene/strand_subject.h"
#include "strands/ribbon_mesh.h"
#include "strands/strand_cards.h"

#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kStrandVersion = 1;

Result<void> compareLines(const fs::path& file, const StrandSet& was, const JobContext& job) {
    const auto back = readStrands(file, {0, true}, job);
    if (!back)
        return back.error();
    if (back->set.first != was.first)
        return readBackDiffers(file, "it holds other strands");
    for (std::size_t i = 0; i < was.points.size(); ++i) {
        const Vec3d a = was.origin + was.points[i].cast<double>();
        const Vec3d b = back->set.origin + back->set.points[i].cast<double>();
        if ((a - b).norm() > 1e-6 * (1 + static_cast<double>(was.points[i].norm())) ||
            std::abs(back->set.widths[i] - was.widths[i]) > 1e-6F * was.widths[i])
            return readBackDiffers(file, fmt::format("point {} lies elsewhere", i));
    }
    return {};
}

Result<void> shipCards(const Subject& strands, std::size_t level, const fs::path& file, const ShipOptions& options,
                       const JobContext& job, ShipReport& report) {
    const StrandsBody& body = *strands.strands();
    if (!(options.extensionGlb || options.namedGlb || options.ribbons) || !body.layout.cards)
        return {};
    Surfaces surfaces;
    surfaces.images = {cardPicture(*body.layout.cards, body.look)};
    Material& material = surfaces.materials.emplace_back();
    material.name = strands.name;
    material.doubleSided = true;
    material.baseColorImage = 0;
    material.alphaMode = AlphaMode::Mask;
    material.alphaCutoff = 0.5F;
    const Mesh mesh = cardMesh(*body.strands, *body.layout.cards, body.look);
    const auto bytes = encodeAt(fmt::format("{}_LOD{}", strands.name, level), mesh, surfaces, body.strands->origin);
    if (auto done = writeFile(file, bytes); !done)
        return done;
    const auto back = readModel(file, job);
    if (!back)
        return back.error();
    if (back->size() != 1 || back->front().levels.front().mesh.indices.size() != mesh.indices.size() ||
        back->front().surfaces->images.size() != 1)
        return readBackDiffers(file, "it holds other cards");
    report.files.push_back({file, bytes.size(), true});
    return {};
}

} // namespace

std::string encodeStrandRule(const Subject& strands, const View& view) {
    const StrandsBody& body = *strands.strands();
    const ResolvedChain chain = strandChain(strands, view);
    ordered_json levels = ordered_json::array();
    for (std::size_t l = 0; l < body.levels.size(); ++l) {
        levels.push_back({{"fromMetres", chain.fromMetres[l]},
                          {"deviation", body.levels[l].deviation},
                          {"segments", body.levels[l].segments},
                          {"triangles", 2 * body.levels[l].segments}});
        if (const auto& cards = body.layout.cards; cards && body.levels[l].perCard > 0)
            levels.back()["cards"] = {{"strandsPerCard", body.levels[l].perCard},
                                      {"count", cards->count()},
                                      {"width", 2 * cards->half},
                                      {"low", cards->low},
                                      {"high", cards->high}};
    }
    const ordered_json out{
        {"format", "lean-thicket-strands"},
        {"version", kStrandVersion},
        {"strands", strands.name},
        {"count", body.strands->size()},
        {"view", {{"fovDegrees", view.fovY * 180 / std::numbers::pi}, {"lines", view.lines}, {"detail", view.detail}}},
        {"rule", json::encode(strands.rule)},
        {"thinning", json::encode(body.thinning)},
        {"look", json::encode(body.look)},
        {"formulas",
         {{"rank", "(strand + 0.5) / count, strands from 0 in the order of the file: it is progressive"},
          {"drawn",
           "rank < keep(d) * (1 + band), d from the camera to the middle of the strand's box, over view.detail"},
          {"shrink", "smoothstep of clamp((keep(d) * (1 + band) - rank) / (keep(d) * band), 0, 1)"},
          {"cover", "c = keep(d) * (1 + 0.5 * band), at most 1"},
          {"grow", "where the cover is held min(growAtMost, 1 / c), else the curve"},
          {"width", "width * grow * shrink; below a pixel it stays a pixel, and opacity falls in its place"},
          {"card",
           "of strands < cards.count: cards.low to cards.high along the axis of its tuft, in the .cards.glb the edge "
           "from a card's first to its third corner, turned about it to the camera; its width * shrink, and where "
           "keep(d) < cards.count / count and the cover is held * min(growAtMost, 1 / cover of keep(d) * count / "
           "cards.count)"},
          {"switch", "fromMetres * (1 + softBand * (2 * u - 1)), u in 0..1 a hash of the strand"}}},
        {"levels", levels}};
    return json::text(out, 2) + "\n";
}

Result<void> shipStrands(const Scene& scene, const Subject& strands, const fs::path& folder, const std::string& base,
                         const ShipOptions& options, const JobContext& job, ShipReport& report) {
    const StrandsBody& body = *strands.strands();
    if (!body.strands) {
        report.skipped.push_back(strands.name + ": its strands are missing");
        return {};
    }
    for (std::size_t l = 0; l < body.levels.size(); ++l) {
        if (job.cancelled())
            return cancelledError();
        if (body.levels[l].perCard > 0) {
            if (auto done =
                    shipCards(strands, l, folder / fmt::format("{}.L{}.cards.glb", base, l), options, job, report);
                !done)
                return done;
            continue;
        }
        const StrandSet cut = cutStrands(*body.strands, *body.worth, body.levels[l].deviation, 1, 1);
        const std::string name = fmt::format("{}_LOD{}", strands.name, l);
        if (options.extensionGlb || options.namedGlb) {
            const fs::path file = folder / fmt::format("{}.L{}.lines.glb", base, l);
            const auto bytes = encodeLines(name, cut);
            if (!bytes)
                return bytes.error();
            if (auto done = writeFile(file, *bytes); !done)
                return done;
            if (auto same = compareLines(file, cut, job); !same)
                return same;
            report.files.push_back({file, bytes->size(), true});
        }
        if (options.ribbons) {
            const fs::path file = folder / fmt::format("{}.L{}.ribbons.glb", base, l);
            Surfaces surfaces;
            surfaces.materials.resize(1);
            surfaces.materials[0].name = strands.name;
            surfaces.materials[0].doubleSided = true;
            const Mesh mesh = ribbonMesh(cut, body.look);
            const auto bytes = encodeAt(name, mesh, surfaces, cut.origin);
            if (auto done = writeFile(file, bytes); !done)
                return done;
            const auto back = readModel(file, job);
            if (!back)
                return back.error();
            if (back->size() != 1 || back->front().levels.front().mesh.indices.size() != mesh.indices.size())
                return readBackDiffers(file, "it holds other ribbons");
            report.files.push_back({file, bytes.size(), true});
        }
    }
    if (options.chainJson) {
        const fs::path file = folder / (base + ".strands.json");
        const std::string text = encodeStrandRule(strands, scene.settings.view);
        if (auto done = writeTextFile(file, text); !done)
            return done;
        const auto back = readTextFile(file);
        if (!back || *back != text)
            return readBackDiffers(file, "it differs");
        report.files.push_back({file, text.size(), true});
    }
    return {};
}

} // namespace thicket
