// Heights in and terrain out: every format, and files that lie.

#include "base/file.h"
#include "io/import/heights_file.h"
#include "io/import/import.h"
#include "io/ship/ship_terrain.h"
#include "support/json_schema.h"
#include "support/temp_folder.h"
#include "terrain/build_tree.h"
#include "terrain/make_heights.h"

#include <array>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <png.h>
#include <random>
#include <tiffio.h>

namespace thicket {
namespace {

namespace fs = std::filesystem;

std::uint16_t valueAt(std::uint32_t x, std::uint32_t y) {
    return static_cast<std::uint16_t>(1000 + 37 * x + 211 * y);
}

void writePng(const fs::path& file, std::uint32_t columns, std::uint32_t rows, int bits, bool colours = false,
              bool woven = false) {
    std::FILE* out = std::fopen(file.c_str(), "wb");
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    png_init_io(png, out);
    png_set_IHDR(png, info, columns, rows, bits, colours ? PNG_COLOR_TYPE_RGB : PNG_COLOR_TYPE_GRAY,
                 woven ? PNG_INTERLACE_ADAM7 : PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
                 PNG_FILTER_TYPE_DEFAULT);
    png_write_info(png, info);
    if (bits == 16)
        png_set_swap(png);
    std::vector<std::vector<unsigned char>> data(rows);
    std::vector<png_bytep> pointers;
    for (std::uint32_t y = 0; y < rows; ++y) {
        for (std::uint32_t x = 0; x < columns * (colours ? 3 : 1); ++x) {
            data[y].push_back(static_cast<unsigned char>(valueAt(x, y)));
            if (bits == 16)
                data[y].push_back(static_cast<unsigned char>(valueAt(x, y) >> 8));
        }
        pointers.push_back(data[y].data());
    }
    png_write_image(png, pointers.data());
    png_write_end(png, nullptr);
    png_destroy_write_struct(&png, &info);
    std::fclose(out);
}

template <class T>
void writeTiff(const fs::path& file, std::uint32_t columns, std::uint32_t rows, std::uint16_t format, bool tiled) {
    TIFF* t = TIFFOpen(file.c_str(), "w");
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, columns);
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, rows);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, static_cast<int>(8 * sizeof(T)));
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, format);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
    TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_LZW);
    if (tiled) {
        TIFFSetField(t, TIFFTAG_TILEWIDTH, 16);
        TIFFSetField(t, TIFFTAG_TILELENGTH, 32);
        std::vector<T> tile(16 * 32);
        for (std::uint32_t y = 0; y < rows; y += 32)
            for (std::uint32_t x = 0; x < columns; x += 16) {
                for (std::uint32_t k = 0; k < tile.size(); ++k)
                    tile[k] = static_cast<T>(valueAt(x + k % 16, y + k / 16));
                TIFFWriteTile(t, tile.data(), x, y, 0, 0);
            }
    } else {
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, 5);
        std::vector<T> row(columns);
        for (std::uint32_t y = 0; y < rows; ++y) {
            for (std::uint32_t x = 0; x < columns; ++x)
                row[x] = static_cast<T>(valueAt(x, y));
            TIFFWriteScanline(t, row.data(), y, 0);
        }
    }
    TIFFClose(t);
}

void expectValues(const ImportedHeights& in, std::uint32_t columns, std::uint32_t rows) {
    ASSERT_EQ(in.heights.columns, columns);
    ASSERT_EQ(in.heights.rows, rows);
    for (std::uint32_t y = 0; y < rows; ++y)
        for (std::uint32_t x = 0; x < columns; ++x)
            ASSERT_EQ(in.heights.at(x, y), static_cast<float>(valueAt(x, y))) << x << ", " << y;
}

HeightOptions spaced(double metres) {
    HeightOptions o;
    o.spacing = metres;
    return o;
}

std::string refusal(const Result<ImportedHeights>& read) {
    return read ? "" : read.error().text();
}

} // namespace

TEST(HeightFiles, every_format_gives_the_same_heights) {
    const TempFolder folder;
    const fs::path png = folder.path() / "a.png";
    writePng(png, 37, 22, 16);
    auto read = readHeights(png, spaced(2.5), {});
    ASSERT_TRUE(read) << refusal(read);
    expectValues(*read, 37, 22);
    EXPECT_EQ(read->heights.width(), 90);
    EXPECT_EQ(read->heights.origin.x(), -45);
    writePng(png, 37, 22, 16, false, true);
    expectValues(*readHeights(png, spaced(1), {}), 37, 22);
    const fs::path tif = folder.path() / "a.tif";
    for (const bool tiled : {false, true}) {
        writeTiff<std::uint16_t>(tif, 41, 70, SAMPLEFORMAT_UINT, tiled);
        expectValues(*readHeights(tif, spaced(1), {}), 41, 70);
        writeTiff<float>(tif, 41, 70, SAMPLEFORMAT_IEEEFP, tiled);
        expectValues(*readHeights(tif, spaced(1), {}), 41, 70);
        writeTiff<std::int16_t>(tif, 41, 70, SAMPLEFORMAT_INT, tiled);
        expectValues(*readHeights(tif, spaced(1), {}), 41, 70);
    }
    for (const bool big : {false, true}) {
        std::string raw;
        for (std::uint32_t y = 0; y < 9; ++y)
            for (std::uint32_t x = 0; x < 7; ++x) {
                const std::uint16_t v = valueAt(x, y);
                raw += static_cast<char>(big ? v >> 8 : v & 255);
                raw += static_cast<char>(big ? v & 255 : v >> 8);
            }
        ASSERT_TRUE(writeTextFile(folder.path() / "a.r16", raw));
        HeightOptions o = spaced(1);
        o.columns = 7;
        o.bigEndian = big;
        expectValues(*readHeights(folder.path() / "a.r16", o, {}), 7, 9);
    }
    std::string grid = "ncols 5\nnrows 4\nxllcorner 100\nyllcorner 2e3\ncellsize 30\nNODATA_value -9999\n";
    for (std::uint32_t y = 0; y < 4; ++y)
        for (std::uint32_t x = 0; x < 5; ++x)
            grid += std::to_string(valueAt(x, y)) + (x == 4 ? "\n" : " ");
    ASSERT_TRUE(writeTextFile(folder.path() / "a.asc", grid));
    auto asc = readHeights(folder.path() / "a.asc", {}, {});
    ASSERT_TRUE(asc) << refusal(asc);
    expectValues(*asc, 5, 4);
    EXPECT_EQ(asc->heights.spacing, 30) << "the file says it";
}

TEST(HeightFiles, a_range_turns_values_into_metres_and_eight_bits_are_warned_of) {
    const TempFolder folder;
    const fs::path file = folder.path() / "a.png";
    writePng(file, 8, 8, 16);
    HeightOptions o = spaced(1);
    o.low = -10;
    o.high = 90;
    auto read = readHeights(file, o, {});
    ASSERT_TRUE(read);
    EXPECT_NEAR(static_cast<double>(read->heights.at(3, 2)), -10 + 100.0 * valueAt(3, 2) / 65535, 1e-5);
    EXPECT_NEAR(read->step, 100.0 / 65535, 1e-9);
    writePng(file, 8, 8, 8);
    read = readHeights(file, o, {});
    ASSERT_TRUE(read);
    ASSERT_FALSE(read->notes.empty());
    EXPECT_NE(read->notes.front().find("steps"), std::string::npos);
}

TEST(HeightFiles, what_has_no_data_becomes_a_hole) {
    const TempFolder folder;
    const fs::path file = folder.path() / "a.asc";
    ASSERT_TRUE(
        writeTextFile(file, "ncols 4\nnrows 3\ncellsize 2\nNODATA_value -9999\n1 2 3 4\n5 -9999 7 8\n9 10 11 nan\n"));
    auto read = readHeights(file, {}, {});
    ASSERT_TRUE(read) << refusal(read);
    EXPECT_EQ(read->missing, 2U);
    for (std::uint32_t y = 0; y < 2; ++y)
        for (std::uint32_t x = 0; x < 3; ++x)
            EXPECT_EQ(read->heights.holeAt(x, y), !(x == 2 && y == 0)) << x << ", " << y;
    EXPECT_EQ(read->heights.at(1, 1), 7.0F) << "filled from beside";
    ASSERT_TRUE(writeTextFile(file, "ncols 2\nnrows 2\ncellsize 2\n-1 -1 -1 -1\n"));
    HeightOptions o;
    o.noData = -1;
    EXPECT_NE(refusal(readHeights(file, o, {})).find("no ground"), std::string::npos);
}

TEST(HeightFiles, bad_files_get_one_sentence) {
    const TempFolder folder;
    const auto text = [&](const char* name, const std::string& content, HeightOptions o = spaced(1)) {
        const fs::path file = folder.path() / name;
        EXPECT_TRUE(writeTextFile(file, content));
        const std::string said = refusal(readHeights(file, o, {}));
        EXPECT_EQ(said.rfind(file.string(), 0), 0U) << said;
        EXPECT_LT(said.size(), 400U);
        return said;
    };
    EXPECT_NE(text("a.asc", "ncols 0\nnrows 0\n").find("ncols"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 1\nnrows 1\ncellsize 1\n5\n").find("at least 2 x 2"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 9\nnrows 1\ncellsize 1\n1 2 3 4 5 6 7 8 9").find("at least 2 x 2"),
              std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 900000\nnrows 900000\ncellsize 1\n5 5").find("cut short"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 3\nnrows 3\ncellsize 1\n1 2 3 4 5 6").find("cut short"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 2\nnrows 2\ncellsize 1\n1 2 3 x").find("no number"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 2\nnrows 2\ncellsize -1\n1 2 3 4", {}).find("spacing"), std::string::npos);
    EXPECT_NE(text("a.asc", "ncols 2\nnrows 2\ncellsize 1\n1 2 3 1e30").find("no height"), std::string::npos);
    EXPECT_NE(text("a.r16", std::string(101, 'a')).find("width"), std::string::npos);
    HeightOptions raw = spaced(1);
    raw.columns = 30;
    raw.rows = 30;
    EXPECT_NE(text("a.r16", std::string(100, 'a'), raw).find("100 bytes"), std::string::npos);
    EXPECT_NE(text("a.txt", "hello").find("no heights"), std::string::npos);
    HeightOptions range = spaced(1);
    range.low = 5;
    range.high = 5;
    EXPECT_NE(text("a.asc", "ncols 2\nnrows 2\ncellsize 1\n1 2 3 4", range).find("no range"), std::string::npos);
    const fs::path png = folder.path() / "a.png";
    writePng(png, 16, 16, 8, true);
    EXPECT_NE(refusal(readHeights(png, spaced(1), {})).find("colours"), std::string::npos);
    EXPECT_NE(refusal(readHeights(folder.path() / "none.png", spaced(1), {})).find("no such file"), std::string::npos);
    writePng(png, 16, 16, 16);
    EXPECT_NE(refusal(readHeights(png, {}, {})).find("lie apart"), std::string::npos);
}

TEST(HeightFiles, files_that_lie_are_refused_or_read_and_never_worse) {
    const TempFolder folder;
    writePng(folder.path() / "a.png", 40, 30, 16);
    writeTiff<std::uint16_t>(folder.path() / "a.tif", 40, 30, SAMPLEFORMAT_UINT, true);
    writeTiff<float>(folder.path() / "b.tif", 40, 30, SAMPLEFORMAT_IEEEFP, false);
    Heights own = makeHeights({});
    ASSERT_TRUE(writeHeightsTiff(own, folder.path() / "c.tif", {}));
    std::mt19937 random(1);
    int refused = 0;
    for (const char* name : {"a.png", "a.tif", "b.tif", "c.tif"}) {
        const auto whole = *readFile(folder.path() / name);
        for (int round = 0; round < 60; ++round) {
            auto bytes = whole;
            if (round % 4 == 0)
                bytes.resize(random() % bytes.size());
            // Where the structure is: at the head, and at the tail of a TIFF.
            for (std::uint32_t k = 0; k < 1 + random() % 4 && !bytes.empty(); ++k) {
                const std::size_t near = random() % std::min<std::size_t>(bytes.size(), 400);
                bytes[round % 2 == 0 ? near : bytes.size() - 1 - near] = static_cast<std::byte>(random());
            }
            const fs::path file = folder.path() / (std::string("x_") + name);
            ASSERT_TRUE(writeFile(file, bytes));
            const auto read = readHeights(file, spaced(1), {});
            if (!read) {
                ++refused;
                EXPECT_EQ(read.error().where, file.string()) << read.error().text();
            } else {
                EXPECT_TRUE(checkHeights(read->heights, ""));
            }
        }
    }
    EXPECT_GT(refused, 40);
}

TEST(TerrainOut, heights_come_back_with_their_holes_and_overviews) {
    const TempFolder folder;
    GroundRecipe recipe;
    recipe.columns = 700;
    recipe.rows = 530;
    recipe.spacing = 3;
    Heights h = makeHeights(recipe);
    std::vector<bool> missing(h.grid.size(), false);
    for (std::uint32_t y = 100; y < 140; ++y)
        for (std::uint32_t x = 200; x < 300; ++x)
            missing[std::size_t{y} * h.columns + x] = true;
    ASSERT_TRUE(makeHoles(h, missing, ""));
    const fs::path file = folder.path() / "h.tif";
    ASSERT_TRUE(writeHeightsTiff(h, file, {}));
    const auto back = readHeights(file, {}, {});
    ASSERT_TRUE(back) << refusal(back);
    EXPECT_EQ(back->heights.spacing, 3);
    EXPECT_EQ(*back->heights.holes, *h.holes);
    for (std::uint32_t y = 0; y < h.rows; ++y)
        for (std::uint32_t x = 0; x < h.columns; ++x)
            if (!missing[std::size_t{y} * h.columns + x]) {
                ASSERT_EQ(back->heights.at(x, y), h.at(x, y));
            }
    TIFF* t = TIFFOpen(file.c_str(), "r");
    int pages = 0;
    std::uint32_t width = 0;
    do {
        TIFFGetField(t, TIFFTAG_IMAGEWIDTH, &width);
        ++pages;
    } while (TIFFReadDirectory(t) != 0);
    TIFFClose(t);
    EXPECT_EQ(pages, 3);
    EXPECT_EQ(width, 175U);
}

TEST(TerrainOut, sets_of_tiles_are_whole_files_without_cracks) {
    const TempFolder folder;
    GroundRecipe recipe;
    recipe.columns = 300;
    recipe.rows = 260;
    const Heights h = makeHeights(recipe);
    const auto tree = *buildTileTree(h, 32, {});
    TileRule rule;
    rule.band = 0;
    rule.cullView = rule.horizon = false;
    TileState state;
    state.settle(tree);
    TileCut cut;
    View view;
    view.eye = {-120, 10, -100};
    selectTiles(view, rule, state, cut);
    const fs::path file = folder.path() / "set.glb";
    const auto shipped = shipCut(h, *tree, cut, 0, file);
    ASSERT_TRUE(shipped);
    EXPECT_GT(shipped->cracks.edges, 100U);
    const auto model = readModel(file, {});
    ASSERT_TRUE(model);
    std::uint64_t triangles = 0;
    for (const ImportedSubject& subject : *model)
        for (const auto& level : subject.levels)
            triangles += level.mesh.triangleCount();
    EXPECT_EQ(triangles, cut.triangles);
    const auto all = shipTiles(h, *tree, rule, folder.path() / "all", true, {});
    ASSERT_TRUE(all);
    EXPECT_EQ(all->tiles, tree->tiles.size());
    const auto said = nlohmann::json::parse(*readTextFile(folder.path() / "all" / "terrain.json"));
    const auto schema =
        nlohmann::json::parse(*readTextFile(fs::path(SOURCE_ROOT) / "docs" / "formats" / "terrain.schema.json"));
    EXPECT_TRUE(breaks(schema, said).empty());
    EXPECT_EQ(said["levels"].size(), tree->levels.size());
    EXPECT_FLOAT_EQ(said["levels"][2]["error_metres"].get<float>(), tree->levels[2].worst);
    const auto patterns = nlohmann::json::parse(*readTextFile(folder.path() / "all" / "patterns.json"));
    EXPECT_EQ(patterns["patterns"].size(), 16U);
    const auto heights = readHeights(folder.path() / "all" / "heights.tif", {}, {});
    ASSERT_TRUE(heights);
    EXPECT_EQ(heights->heights.grid.size(), h.grid.size());
}

} // namespace thicket
