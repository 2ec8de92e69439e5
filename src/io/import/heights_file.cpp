#include "io/import/heights_file.h"

#include "base/memory.h"
#include "base/parallel.h"
#include "io/import/heights_parts.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <fstream>

namespace thicket {
namespace detail {

Result<void> checkHeightSize(std::uint64_t columns, std::uint64_t rows, const std::string& where) {
    if (columns < 2 || rows < 2)
        return Error{ErrorCode::BadInput, where,
                     fmt::format("is {} x {} heights; a terrain needs at least 2 x 2", columns, rows),
                     "give a larger one"};
    constexpr std::uint64_t kMostSide = 1'000'000;
    if (columns > kMostSide || rows > kMostSide)
        return Error{ErrorCode::BadInput, where, fmt::format("says it is {} x {} heights", columns, rows),
                     "check whether the file is damaged"};
    // The heights, the file's own values beside them for a moment, and the tree.
    const double bytes = static_cast<double>(columns) * static_cast<double>(rows) * 9;
    return checkMemory(bytes, availableMemory(), where);
}

} // namespace detail

namespace {

std::string endingOf(const std::filesystem::path& path) {
    std::string e = path.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return e;
}

Result<detail::RawHeights> readValues(const std::filesystem::path& path, const HeightOptions& options, bool headOnly,
                                      const JobContext& job) {
    std::error_code ignored;
    if (!std::filesystem::exists(path, ignored))
        return Error{ErrorCode::NotFound, path.string(), "there is no such file", "check its name"};
    if (!std::filesystem::is_regular_file(path, ignored))
        return Error{ErrorCode::BadInput, path.string(), "is no file", "name a file of heights"};
    // By content where that says it, by name where it cannot.
    std::array<unsigned char, 8> head{};
    {
        std::ifstream in(path, std::ios::binary);
        in.read(reinterpret_cast<char*>(head.data()), static_cast<std::streamsize>(head.size()));
    }
    const auto begins = [&head](std::initializer_list<unsigned char> bytes) {
        return std::equal(bytes.begin(), bytes.end(), head.begin());
    };
    if (begins({0x89, 'P', 'N', 'G'}))
        return detail::readPngHeights(path, headOnly, job);
    if (begins({'I', 'I', 42, 0}) || begins({'M', 'M', 0, 42}) || begins({'I', 'I', 43, 0}) ||
        begins({'M', 'M', 0, 43}))
        return detail::readTiffHeights(path, headOnly, job);
    const std::string ending = endingOf(path);
    if (ending == ".asc" || ending == ".grd")
        return detail::readGridHeights(path, headOnly, job);
    if (ending == ".r16" || ending == ".r32" || ending == ".raw" || options.columns > 0) {
        HeightOptions stated = options;
        if (ending == ".r32")
            stated.samples = RawSamples::Float32;
        return detail::readRawHeights(path, stated, headOnly, job);
    }
    return Error{ErrorCode::BadInput, path.string(), "holds no heights that can be read",
                 "give a PNG, a TIFF, an ASCII grid, or raw samples with their width"};
}

} // namespace

bool isHeightsName(const std::filesystem::path& path) {
    const std::string e = endingOf(path);
    return e == ".png" || e == ".tif" || e == ".tiff" || e == ".asc" || e == ".r16" || e == ".r32" || e == ".raw";
}

Result<HeightFileInfo> inspectHeights(const std::filesystem::path& path, const HeightOptions& options) {
    auto read = readValues(path, options, true, {});
    if (!read)
        return read.error();
    return read->info;
}

Result<ImportedHeights> readHeights(const std::filesystem::path& path, const HeightOptions& options,
                                    const JobContext& job) {
    const std::string where = path.string();
    if (options.spacing < 0 || !std::isfinite(options.spacing))
        return Error{ErrorCode::BadInput, where, fmt::format("a spacing of {:g} m was asked for", options.spacing),
                     "state one above 0"};
    if (options.low.has_value() != options.high.has_value() ||
        (options.low && !(*options.low < *options.high && std::isfinite(*options.low) && std::isfinite(*options.high))))
        return Error{ErrorCode::BadInput, where, "the range of heights is no range",
                     "state the lowest and then the highest, in metres"};
    auto read = readValues(path, options, false, job);
    if (!read)
        return read.error();
    ImportedHeights out;
    out.info = read->info;
    out.notes = std::move(read->notes);
    Heights& h = out.heights;
    h.columns = read->info.columns;
    h.rows = read->info.rows;
    h.spacing = options.spacing > 0 ? options.spacing : read->info.spacing.value_or(0);
    if (h.spacing <= 0)
        return Error{ErrorCode::BadInput, where, "does not say how far its heights lie apart",
                     "state the spacing in metres"};
    std::vector<bool> missing;
    const std::optional<double> inFile = read->info.noData;
    const std::optional<double> asked = options.noData;
    if (inFile || asked)
        for (std::size_t i = 0; i < read->values.size(); ++i) {
            const float v = read->values[i];
            if ((inFile && v == static_cast<float>(*inFile)) || (asked && v == static_cast<float>(*asked))) {
                if (missing.empty())
                    missing.assign(read->values.size(), false);
                missing[i] = true;
            }
        }
    if (read->info.whole) {
        out.step = 1;
        if (options.low) {
            out.step = (*options.high - *options.low) / (read->highest - read->lowest);
            const double from = *options.low - read->lowest * out.step;
            parallelChunks(read->values.size(), 65536, [&](std::size_t a, std::size_t b) {
                for (std::size_t i = a; i < b; ++i)
                    read->values[i] = static_cast<float>(from + static_cast<double>(read->values[i]) * out.step);
            });
        } else {
            out.notes.emplace_back("its values are taken as metres; state the range of heights where they are not");
        }
        if (read->info.bits == 8)
            out.notes.push_back(fmt::format(
                "has 8 bits a height: slopes become steps of {:g} m; 16 bits or floating point avoid that", out.step));
    } else if (options.low) {
        out.notes.emplace_back("its values are metres as they stand: the range that was stated is not used");
    }
    h.grid = HeightGrid(h.columns, h.rows);
    for (std::uint32_t y = 0; y < h.rows; ++y)
        std::copy_n(read->values.begin() + static_cast<std::ptrdiff_t>(std::size_t{y} * h.columns), h.columns,
                    h.grid.edit(y));
    auto holes = makeHoles(h, missing, where);
    if (!holes)
        return holes.error();
    out.missing = *holes;
    centreHeights(h);
    if (auto good = checkHeights(h, where); !good)
        return good.error();
    return out;
}

} // namespace thicket
