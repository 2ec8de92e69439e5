// Terrain at the command line: what a file of heights holds, and what it becomes.

#include "base/file.h"
#include "base/text.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "io/import/heights_file.h"
#include "io/ship/ship_terrain.h"
#include "io/ship/write_glb.h"
#include "io/ship/write_obj.h"
#include "terrain/build_tree.h"
#include "terrain/ground_meshes.h"
#include "terrain/make_heights.h"
#include "terrain/tile_study.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <numbers>
#include <ostream>

namespace thicket::cli {
namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

Result<ImportedHeights> heightsOf(const Console& console, const TerrainOptions& options) {
    if (options.trial > 0) {
        GroundRecipe recipe;
        recipe.columns = recipe.rows = options.trial;
        recipe.spacing = options.spacing > 0 ? options.spacing : 1;
        ImportedHeights out;
        out.heights = makeHeights(recipe);
        out.info = {"made up", options.trial, options.trial, 32, false, recipe.spacing, {}};
        return out;
    }
    if (options.file.empty())
        return Error{ErrorCode::BadInput, "terrain", "no heights were named", "name a file, or --trial SIDE"};
    HeightOptions how;
    how.spacing = options.spacing;
    how.noData = options.noData;
    how.bigEndian = options.bigEndian;
    how.samples = options.rawKind == "f32"   ? RawSamples::Float32
                  : options.rawKind == "s16" ? RawSamples::Signed16
                                             : RawSamples::Unsigned16;
    if (options.heights.size() == 2) {
        how.low = options.heights[0];
        how.high = options.heights[1];
    }
    if (options.rawSize.size() == 2) {
        how.columns = options.rawSize[0];
        how.rows = options.rawSize[1];
    }
    return readHeights(options.file, how, console.job);
}

View viewOf(const TerrainOptions& options) {
    View view;
    view.fovY = options.fovDegrees * std::numbers::pi / 180;
    view.lines = options.heightPx;
    view.farMetres = 1e6;
    return view;
}

std::string sizeText(const Heights& h) {
    return fmt::format("{} x {}", length(h.width()), length(h.depth()));
}

ordered_json groundJson(const ImportedHeights& in, const TileTree* tree) {
    const Heights& h = in.heights;
    ordered_json out{{"format", in.info.format},    {"columns", h.columns},         {"rows", h.rows},
                     {"spacing_metres", h.spacing}, {"width_metres", h.width()},    {"depth_metres", h.depth()},
                     {"step_metres", in.step},      {"without_ground", in.missing}, {"notes", in.notes}};
    if (tree != nullptr) {
        out["low_metres"] = tree->low;
        out["high_metres"] = tree->high;
    }
    return out;
}

int inspectTerrain(const Console& console, const TerrainOptions& options, const ImportedHeights& in,
                   const TileTree& tree, double ms) {
    const View view = viewOf(options);
    TileRule rule;
    rule.allowPx = options.allowPx;
    ordered_json levels = ordered_json::array();
    std::string lines;
    for (std::uint32_t l = 0; l < tree.levels.size(); ++l) {
        const TileTree::Level& row = tree.levels[l];
        std::uint64_t triangles = 0;
        for (std::uint32_t i = row.first; i < row.first + row.across * row.down; ++i)
            triangles += tree.trianglesOf(tree.refOf(i), 0);
        const double side = static_cast<double>(std::uint64_t{tree.cells} << l) * tree.spacing;
        const double from = tileSwitchDistance(tree, l, rule, view);
        levels.push_back({{"level", l},
                          {"tiles", row.across * row.down},
                          {"tile_metres", side},
                          {"error_metres", row.worst},
                          {"triangles", triangles},
                          {"from_metres", from}});
        lines +=
            fmt::format("  L{}  {:>7} tiles of {:<8} {:>12} triangles   off by {:<8} everywhere from {}\n", l,
                        grouped(row.across * row.down), length(side), grouped(static_cast<std::int64_t>(triangles)),
                        length(static_cast<double>(row.worst)), length(from));
    }
    if (console.json) {
        ordered_json out = groundJson(in, &tree);
        out["cells"] = tree.cells;
        out["levels"] = std::move(levels);
        out["ms"] = ms;
        print(console, out);
        return 0;
    }
    console.out << fmt::format("{} x {} heights, {}, from {} to {}\n", in.heights.columns, in.heights.rows,
                               sizeText(in.heights), length(static_cast<double>(tree.low)),
                               length(static_cast<double>(tree.high)))
                << lines;
    return 0;
}

int staticMeshes(const Console& console, const TerrainOptions& options, ImportedHeights in) {
    const auto heights = std::make_shared<const Heights>(std::move(in.heights));
    in.heights = {};
    if (options.out.empty() && !options.forecast)
        return fail(console, {ErrorCode::BadInput, "--static", "there is no file to write to",
                              "name one with -o, or use --forecast"});
    GroundMeshAsk ask;
    ask.errors = options.errors;
    for (const double distance : options.distances)
        ask.errors.push_back(deviationForPixels(viewOf(options), options.allowPx, distance));
    std::sort(ask.errors.begin(), ask.errors.end());
    ask.keepBorder = options.keepBorder;
    ask.fewest = options.fewest;
    if (const std::vector<double>& f = options.falloff; f.size() >= 5)
        ask.falloff = MeshFalloff{{f[0], f[1], f[2]}, f[3], f[4], f.size() > 5 ? f[5] : 1};
    const auto failAsFile = [&](Error problem) {
        if (problem.where.empty())
            problem.where = options.file.string();
        return fail(console, problem);
    };
    if (auto good = checkAsk(ask); !good)
        return failAsFile(good.error());
    const auto start = std::chrono::steady_clock::now();
    std::vector<std::shared_ptr<const Mesh>> meshes;
    std::vector<RightTriangles::Count> counts;
    if (options.forecast) {
        auto forecast = forecastMeshes(heights, ask, console.job);
        if (!forecast)
            return failAsFile(forecast.error());
        counts = std::move(*forecast);
    } else {
        auto made = makeGroundMeshes(heights, ask, options.most, console.job);
        if (!made)
            return failAsFile(made.error());
        meshes = std::move(*made);
        for (const auto& mesh : meshes)
            counts.push_back({mesh->triangleCount(), mesh->vertexCount()});
    }
    ordered_json rows = ordered_json::array();
    std::string lines;
    for (std::size_t i = 0; i < counts.size(); ++i) {
        const RightTriangles::Count& count = counts[i];
        rows.push_back({{"error_metres", ask.errors[i]},
                        {"triangles", count.triangles},
                        {"vertices", count.vertices},
                        {"bytes", bytesOf(count)}});
        lines += fmt::format("  off by at most {:<9} {:>12} triangles {:>12} vertices  {}\n", length(ask.errors[i]),
                             grouped(static_cast<std::int64_t>(count.triangles)),
                             grouped(static_cast<std::int64_t>(count.vertices)), memorySize(bytesOf(count)));
    }
    if (!options.forecast) {
        Surfaces surfaces;
        surfaces.materials.emplace_back();
        surfaces.materials.back().name = "Ground";
        surfaces.materials.back().baseColor = {0.42F, 0.38F, 0.28F, 1};
        surfaces.materials.back().roughness = 0.95F;
        const std::string name = options.file.empty() ? "ground" : options.file.stem().string();
        if (options.out.extension() == ".obj") {
            if (meshes.size() > 1)
                return fail(console, {ErrorCode::BadInput, options.out.string(), "an OBJ file holds one mesh",
                                      "give one error, or a GLB"});
            if (auto done = writeObj(options.out, name, *meshes.front(), surfaces, {}); !done)
                return fail(console, done.error());
        } else {
            const auto bytes = encodeGlb(name, meshes, surfaces, GlbLevels::Named, {});
            if (auto done = writeFile(options.out, bytes); !done)
                return fail(console, done.error());
        }
    }
    if (console.json) {
        ordered_json out = groundJson({*heights, in.info, in.step, in.missing, in.notes, {}, {}}, nullptr);
        out["meshes"] = std::move(rows);
        out["out"] = options.forecast ? ordered_json(nullptr) : ordered_json(options.out.string());
        out["ms"] = msSince(start);
        print(console, out);
    } else {
        console.out << fmt::format("{}, {} x {} heights\n", sizeText(*heights), heights->columns, heights->rows)
                    << lines;
        if (!options.forecast)
            console.out << "  " << options.out.string() << '\n';
    }
    return 0;
}

int report(const Console& console, const ImportedHeights& in, const TileTree& tree, const ShippedTiles& shipped,
           ordered_json extra) {
    if (console.json) {
        ordered_json out = groundJson(in, &tree);
        out["tiles"] = shipped.tiles;
        out["triangles"] = shipped.triangles;
        out["edges_checked"] = shipped.cracks.edges;
        out["cracks"] = shipped.cracks.cracks;
        ordered_json files = ordered_json::array();
        for (const fs::path& file : shipped.files)
            files.push_back(file.string());
        out["files"] = std::move(files);
        if (!extra.is_null())
            out.update(extra);
        print(console, out);
        return 0;
    }
    console.out << fmt::format("{} tiles, {} triangles; {} shared edges looked at, {} cracks\n",
                               grouped(static_cast<std::int64_t>(shipped.tiles)),
                               grouped(static_cast<std::int64_t>(shipped.triangles)),
                               grouped(static_cast<std::int64_t>(shipped.cracks.edges)), shipped.cracks.cracks);
    for (const fs::path& file : shipped.files)
        console.out << "  " << file.string() << '\n';
    return 0;
}

int study(const Console& console, const TerrainOptions& options, const ImportedHeights& in, const TileRule& rule) {
    auto scene = openWhole(options.study, console.job);
    if (!scene)
        return fail(console, scene.error());
    const Route* route = nullptr;
    for (const Route& r : scene->settings.routes)
        if (route == nullptr && (options.route.empty() || r.name == options.route))
            route = &r;
    if (route == nullptr)
        return fail(console, {ErrorCode::BadInput, options.study.string(),
                              "has no route " + (options.route.empty() ? "" : "called " + options.route),
                              "name one of the project's routes"});
    std::vector<View> views;
    const View like = viewOf(options);
    for (double t = 0; t <= route->length(); t += std::max(1.0 / 60, route->length() / 1000))
        views.push_back(viewOnRoute(*route, like, t));
    const auto sizes = usualTileSizes(in.heights);
    const Device* device = scene->currentDevice();
    const TilePrices prices = device != nullptr ? TilePrices{device->nsPerTriangle, device->usPerDraw} : TilePrices();
    auto result = studyTileSizes(in.heights, rule, views, sizes, prices, console.job);
    if (!result)
        return fail(console, result.error());
    if (console.json) {
        ordered_json rows = ordered_json::array();
        for (const TileSizeCost& c : result->sizes)
            rows.push_back({{"cells", c.cells},
                            {"tile_metres", c.cells * in.heights.spacing},
                            {"draws", c.tiles},
                            {"triangles", c.triangles},
                            {"update_us", c.updateUs},
                            {"worst_update_us", c.worstUs},
                            {"edit_ms", c.editMs},
                            {"frame_ms", frameMs(c, prices)},
                            {"bytes", c.memory}});
        print(console, {{"route", route->name},
                        {"views", views.size()},
                        {"sizes", std::move(rows)},
                        {"recommended_cells", result->sizes[result->recommended].cells},
                        {"why", result->why}});
        return 0;
    }
    console.out << fmt::format("{} views along {}\n", views.size(), route->name);
    for (const TileSizeCost& c : result->sizes)
        console.out << fmt::format(
            "  {:>8}  {:>6.0f} draws {:>11} triangles   update {:>6.1f} µs (worst {:.0f})   edit {:.2f} ms   "
            "{:.2f} ms of a frame\n",
            length(c.cells * in.heights.spacing), c.tiles, grouped(static_cast<std::int64_t>(c.triangles)), c.updateUs,
            c.worstUs, c.editMs, frameMs(c, prices));
    console.out << fmt::format("recommended {}: {}\n",
                               length(result->sizes[result->recommended].cells * in.heights.spacing), result->why);
    return 0;
}

} // namespace

int terrain(const Console& console, const TerrainOptions& options) {
    if (!isTileSize(options.cells))
        return fail(console, {ErrorCode::BadInput, "--tile", fmt::format("{} cells are no tile", options.cells),
                              "give an even number from 2 to 256"});
    const auto start = std::chrono::steady_clock::now();
    auto in = heightsOf(console, options);
    if (!in)
        return fail(console, in.error());
    for (const std::string& note : in->notes)
        console.err << "thicket: " << options.file.string() << ": " << note << '\n';
    if (!options.errors.empty() || !options.distances.empty())
        return staticMeshes(console, options, std::move(*in));
    TileRule rule;
    rule.allowPx = options.allowPx;
    rule.reach = options.reach;
    rule.band = 0;
    if (!options.study.empty())
        return study(console, options, *in, rule);
    const bool stored = in->tree && in->tree->cells == options.cells;
    auto tree = stored ? Result(in->tree) : buildTileTree(in->heights, options.cells, console.job);
    if (!tree)
        return fail(console, tree.error());
    if (options.from.empty() && !options.tiles)
        return inspectTerrain(console, options, *in, **tree, msSince(start));
    if (options.out.empty())
        return fail(console, {ErrorCode::BadInput, options.tiles ? "--tiles" : "--from", "there is nothing to write to",
                              "name it with -o"});
    if (options.tiles) {
        auto shipped = shipTiles(in->heights, **tree, rule, options.out, true, console.job);
        return shipped ? report(console, *in, **tree, *shipped, {}) : fail(console, shipped.error());
    }
    View view = viewOf(options);
    view.eye = Vec3d(options.from[0], options.from[1], options.from[2]);
    rule.cullView = rule.horizon = false;
    TileState state;
    state.settle(*tree);
    TileCut cut;
    selectTiles(view, rule, state, cut);
    auto shipped = shipCut(in->heights, **tree, cut, options.skirt, options.out);
    if (!shipped)
        return fail(console, shipped.error());
    return report(console, *in, **tree, *shipped,
                  {{"eye", options.from}, {"worst_error_px", cut.worstErrorPx}, {"allow_px", options.allowPx}});
}

} // namespace thicket::cli
