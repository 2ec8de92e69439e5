#include "io/ship/ship_terrain.h"

#include "base/file.h"
#include "io/import/heights_file.h"
#include "io/ship/write_glb.h"
#include "scene/grounds.h"
#include "terrain/tile_grid.h"

#include <fmt/format.h>
#include <memory>
#include <nlohmann/json.hpp>
#include <tiffio.h>

namespace thicket {
namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

Surfaces groundSurfaces() {
    Surfaces s;
    Material ground;
    ground.name = "Ground";
    ground.baseColor = {0.42F, 0.38F, 0.28F, 1};
    ground.roughness = 0.95F;
    s.materials.push_back(ground);
    return s;
}

/// Writes a text and reads it back.
Result<void> writeChecked(const fs::path& file, const std::string& text) {
    if (auto done = writeTextFile(file, text); !done)
        return done;
    const auto back = readTextFile(file);
    if (!back || *back != text)
        return Error{ErrorCode::CheckFailed, file.string(), "read back, it differs", "check the disk"};
    return {};
}

std::string nameOf(TileTree::Ref r) {
    return fmt::format("{}_{}_{}", r.level, r.x, r.y);
}

Result<void> sound(const CrackReport& cracks, const fs::path& where) {
    if (cracks.cracks == 0)
        return {};
    return Error{ErrorCode::CheckFailed, where.string(),
                 fmt::format("{} cracks between tiles, the first {}; nothing was written", cracks.cracks, cracks.first),
                 "this is a fault of the program: please report it"};
}

/// A TIFF page in memory's byte order, tiles of 256 a side.
bool writePage(TIFF* tiff, const Heights& heights, std::uint32_t step, bool reduced, const JobContext& job) {
    constexpr std::uint32_t kTile = 256;
    constexpr float kNothing = -32768;
    const std::uint32_t columns = (heights.columns - 1) / step + 1;
    const std::uint32_t rows = (heights.rows - 1) / step + 1;
    TIFFSetField(tiff, TIFFTAG_SUBFILETYPE, reduced ? FILETYPE_REDUCEDIMAGE : 0);
    TIFFSetField(tiff, TIFFTAG_IMAGEWIDTH, columns);
    TIFFSetField(tiff, TIFFTAG_IMAGELENGTH, rows);
    TIFFSetField(tiff, TIFFTAG_BITSPERSAMPLE, 32);
    TIFFSetField(tiff, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(tiff, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_IEEEFP);
    TIFFSetField(tiff, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
    TIFFSetField(tiff, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tiff, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
    TIFFSetField(tiff, TIFFTAG_PREDICTOR, PREDICTOR_FLOATINGPOINT);
    TIFFSetField(tiff, TIFFTAG_ZIPQUALITY, 1);
    TIFFSetField(tiff, TIFFTAG_TILEWIDTH, kTile);
    TIFFSetField(tiff, TIFFTAG_TILELENGTH, kTile);
    std::vector<float> tile(std::size_t{kTile} * kTile);
    const auto hole = [&](std::uint32_t x, std::uint32_t y) {
        if (!heights.holes)
            return false;
        // A height without ground has none in any of its cells.
        for (std::uint32_t k = 0; k < 4; ++k) {
            const std::uint32_t cx = x - (k & 1U);
            const std::uint32_t cy = y - (k >> 1U);
            if (cx < heights.columns - 1 && cy < heights.rows - 1 && !heights.holeAt(cx, cy))
                return false;
        }
        return true;
    };
    for (std::uint32_t y = 0; y < rows; y += kTile) {
        if (job.cancelled())
            return false;
        for (std::uint32_t x = 0; x < columns; x += kTile) {
            for (std::uint32_t j = 0; j < kTile; ++j)
                for (std::uint32_t i = 0; i < kTile; ++i) {
                    const std::uint32_t sx = std::min((x + i) * step, heights.columns - 1);
                    const std::uint32_t sy = std::min((y + j) * step, heights.rows - 1);
                    tile[std::size_t{j} * kTile + i] =
                        hole(sx, sy) ? kNothing : static_cast<float>(heights.origin.y()) + heights.at(sx, sy);
                }
            if (TIFFWriteTile(tiff, tile.data(), x, y, 0, 0) < 0)
                return false;
        }
    }
    return TIFFWriteDirectory(tiff) != 0;
}

/// GeoTIFF's size of a pixel and the no-data text, which libtiff does not know by itself.
void nameGeoTags(TIFF* tiff) {
    static char scale[] = "ModelPixelScale";
    static char nothing[] = "NoData";
    static const TIFFFieldInfo fields[] = {
        {33550, TIFF_VARIABLE, TIFF_VARIABLE, TIFF_DOUBLE, FIELD_CUSTOM, 1, 1, scale},
        {42113, TIFF_VARIABLE, TIFF_VARIABLE, TIFF_ASCII, FIELD_CUSTOM, 1, 0, nothing}};
    TIFFMergeFieldInfo(tiff, fields, 2);
}

int passOver(TIFF* /*tiff*/, void* /*user*/, const char* /*module*/, const char* /*format*/, va_list /*arguments*/) {
    return 1;
}

} // namespace

Result<ShippedTiles> shipCut(const Heights& heights, const TileTree& tree, const TileCut& cut, double skirt,
                             const fs::path& file) {
    ShippedTiles out;
    std::vector<Mesh> meshes;
    meshes.reserve(cut.tiles.size());
    for (const DrawnTile& tile : cut.tiles) {
        meshes.push_back(tileMesh(heights, tree, tile.ref, tile.stitch));
        out.triangles += meshes.back().triangleCount();
    }
    out.cracks = findCracks(meshes);
    if (auto good = sound(out.cracks, file); !good)
        return good.error();
    std::vector<NamedMesh> named;
    for (std::size_t i = 0; i < meshes.size(); ++i) {
        if (skirt > 0)
            meshes[i] = tileMesh(heights, tree, cut.tiles[i].ref, cut.tiles[i].stitch, skirt);
        if (!meshes[i].indices.empty())
            named.push_back({nameOf(cut.tiles[i].ref), &meshes[i]});
    }
    if (named.empty())
        return Error{ErrorCode::BadInput, file.string(), "no tile is drawn from there", "look from elsewhere"};
    out.tiles = named.size();
    const auto bytes = encodeNodes(named, groundSurfaces());
    if (!bytes)
        return bytes.error();
    if (auto done = writeFile(file, *bytes); !done)
        return done.error();
    out.files = {file};
    return out;
}

Result<ShippedTiles> shipTiles(const Heights& heights, const TileTree& tree, const TileRule& rule,
                               const fs::path& folder, bool withMeshes, const JobContext& job) {
    ShippedTiles out;
    ordered_json levels = ordered_json::array();
    for (std::uint32_t level = 0; level < tree.levels.size(); ++level) {
        if (job.cancelled())
            return cancelledError();
        job.report(level / static_cast<double>(tree.levels.size() + 1), "Writing tiles");
        const TileTree::Level& row = tree.levels[level];
        std::vector<Mesh> meshes;
        meshes.reserve(withMeshes ? std::size_t{row.across} * row.down : 0);
        std::vector<NamedMesh> named;
        ordered_json tiles = ordered_json::array();
        for (std::uint32_t y = 0; y < row.down; ++y)
            for (std::uint32_t x = 0; x < row.across; ++x) {
                const TileTree::Ref r{level, x, y};
                const std::uint32_t triangles = tree.trianglesOf(r, 0);
                if (triangles == 0)
                    continue;
                if (withMeshes) {
                    meshes.push_back(tileGridMesh(heights, tree, r, 0));
                    named.push_back({nameOf(r), &meshes.back()});
                }
                ++out.tiles;
                const TileTree::Tile& tile = tree.tiles[tree.index(r)];
                tiles.push_back({{"x", x},
                                 {"y", y},
                                 {"error_metres", tile.error},
                                 {"low_metres", tree.origin.y() + static_cast<double>(tile.reachLow)},
                                 {"high_metres", tree.origin.y() + static_cast<double>(tile.reachHigh)},
                                 {"triangles", triangles}});
                out.triangles += triangles;
            }
        levels.push_back({{"level", level},
                          {"tile_metres", static_cast<double>(std::uint64_t{tree.cells} << level) * tree.spacing},
                          {"error_metres", row.worst},
                          {"tiles", std::move(tiles)}});
        if (!withMeshes)
            continue;
        const CrackReport cracks = findCracks(meshes);
        out.cracks.edges += cracks.edges;
        out.cracks.cracks += cracks.cracks;
        if (auto good = sound(cracks, folder); !good)
            return good.error();
        const std::string name = fmt::format("level_{}.glb", level);
        const auto bytes = encodeNodes(named, groundSurfaces());
        if (!bytes)
            return bytes.error();
        if (auto done = writeFile(folder / name, *bytes); !done)
            return done.error();
        out.files.push_back(folder / name);
        levels.back()["file"] = name;
    }
    ordered_json patterns = ordered_json::array();
    for (std::uint8_t stitch = 0; stitch < 16; ++stitch)
        patterns.push_back({{"stitch", stitch}, {"triangles", stitchedTriangles(tree.cells, stitch)}});
    if (auto done = writeChecked(folder / "patterns.json",
                                 ordered_json{{"format", "thicket-terrain-patterns"},
                                              {"version", 1},
                                              {"cells", tree.cells},
                                              {"sides", {{"north", 1}, {"east", 2}, {"south", 4}, {"west", 8}}},
                                              {"patterns", std::move(patterns)}}
                                     .dump());
        !done)
        return done.error();
    out.files.push_back(folder / "patterns.json");
    ordered_json rules{{"split_while", "error_metres * pixels_per_metre(distance) > allow_px / (1 + morph_band)"},
                       {"distance", "to the tile's box, made wider by half a cell of its level"},
                       {"pixels_per_metre", "lines / (2 * distance * tan(fov / 2)) * factor"},
                       {"neighbours", "split a tile while one beside it is two levels finer"},
                       {"allow_px", rule.allowPx},
                       {"morph_band", rule.band},
                       {"between", rule.crossFade  ? "cross-fade"
                                   : rule.band > 0 ? "morph"
                                                   : "sudden"},
                       {"factor", rule.factor},
                       {"reach_metres", rule.reach}};
    if (auto done = writeChecked(folder / "terrain.json",
                                 ordered_json{{"format", "thicket-terrain"},
                                              {"version", 1},
                                              {"columns", tree.columns},
                                              {"rows", tree.rows},
                                              {"spacing_metres", tree.spacing},
                                              {"origin", {tree.origin.x(), tree.origin.y(), tree.origin.z()}},
                                              {"cells", tree.cells},
                                              {"patterns", "patterns.json"},
                                              {"heights", "heights.tif"},
                                              {"rule", std::move(rules)},
                                              {"levels", std::move(levels)}}
                                     .dump(1));
        !done)
        return done.error();
    out.files.push_back(folder / "terrain.json");
    if (auto done = writeHeightsTiff(heights, folder / "heights.tif", job); !done)
        return done.error();
    out.files.push_back(folder / "heights.tif");
    return out;
}

Result<void> shipTerrain(const Scene& scene, const Subject& terrain, const fs::path& folder, const ShipOptions& options,
                         const JobContext& job, ShipReport& report) {
    const TerrainBody& body = *terrain.terrain();
    if (!body.heights) {
        report.skipped.push_back(terrain.name + ": its heights are missing");
        return {};
    }
    const auto shipped =
        shipTiles(*body.heights, *body.tree, tileRuleOf(terrain, scene.statedView()), folder, options.tiles, job);
    if (!shipped)
        return shipped.error();
    // What is too large to hold is read back beside what is shipped, and nothing of that is left there.
    const fs::path check = folder / "reading-back";
    const auto back = readHeights(folder / "heights.tif", {}, job, {check});
    std::error_code none;
    fs::remove_all(check, none);
    if (!back)
        return back.error();
    for (std::uint32_t y = 0; y < body.heights->rows; ++y)
        for (std::uint32_t x = 0; x < body.heights->columns; ++x)
            if (back->heights.at(x, y) != static_cast<float>(body.heights->origin.y()) + body.heights->at(x, y) &&
                !body.heights->holes)
                return Error{ErrorCode::CheckFailed, (folder / "heights.tif").string(), "read back, it differs",
                             "check the disk"};
    for (const fs::path& file : shipped->files) {
        std::error_code ignored;
        report.files.push_back({file, fs::file_size(file, ignored), file.extension() != ".glb"});
    }
    return {};
}

Result<void> writeHeightsTiff(const Heights& heights, const fs::path& file, const JobContext& job) {
    const auto fails = [&] {
        return Error{ErrorCode::Unwritable, file.string(), "could not be written",
                     "check the disk and the folder's rights"};
    };
    std::error_code error;
    if (file.has_parent_path())
        fs::create_directories(file.parent_path(), error);
    const fs::path part = file.string() + ".part";
    {
        const std::unique_ptr<TIFFOpenOptions, void (*)(TIFFOpenOptions*)> options(TIFFOpenOptionsAlloc(),
                                                                                   TIFFOpenOptionsFree);
        TIFFOpenOptionsSetErrorHandlerExtR(options.get(), passOver, nullptr);
        TIFFOpenOptionsSetWarningHandlerExtR(options.get(), passOver, nullptr);
        const bool large = heights.grid.size() > 700'000'000;
        const std::unique_ptr<TIFF, void (*)(TIFF*)> tiff(TIFFOpenExt(part.c_str(), large ? "w8" : "w", options.get()),
                                                          TIFFClose);
        if (!tiff)
            return fails();
        nameGeoTags(tiff.get());
        for (std::uint32_t step = 1;; step *= 2) {
            const double scale[3] = {heights.spacing * step, heights.spacing * step, 0};
            TIFFSetField(tiff.get(), 33550, 3, scale);
            if (heights.holes)
                TIFFSetField(tiff.get(), 42113, "-32768");
            if (!writePage(tiff.get(), heights, step, step > 1, job)) {
                fs::remove(part, error);
                return job.cancelled() ? cancelledError() : fails();
            }
            if (std::max(heights.columns, heights.rows) / step <= 256)
                break;
        }
        if (TIFFFlush(tiff.get()) == 0) {
            fs::remove(part, error);
            return fails();
        }
    }
    fs::rename(part, file, error);
    if (error) {
        fs::remove(part, error);
        return fails();
    }
    return {};
}

} // namespace thicket
