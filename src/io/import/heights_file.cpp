#include "io/import/heights_file.h"

#include "base/memory.h"
#include "io/import/height_store.h"
#include "io/import/heights_parts.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <fstream>
#include <utility>

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
    return {};
}

} // namespace detail

namespace {

std::string endingOf(const std::filesystem::path& path) {
    std::string e = path.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return e;
}

Result<detail::RawHeights> readValues(const std::filesystem::path& path, const HeightOptions& options,
                                      const detail::HeightRoom& room, const JobContext& job) {
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
        return detail::readPngHeights(path, room, job);
    if (begins({'I', 'I', 42, 0}) || begins({'M', 'M', 0, 42}) || begins({'I', 'I', 43, 0}) ||
        begins({'M', 'M', 0, 43}))
        return detail::readTiffHeights(path, room, job);
    const std::string ending = endingOf(path);
    if (ending == ".asc" || ending == ".grd")
        return detail::readGridHeights(path, room, job);
    if (ending == ".r16" || ending == ".r32" || ending == ".raw" || options.columns > 0) {
        HeightOptions stated = options;
        if (ending == ".r32")
            stated.samples = RawSamples::Float32;
        return detail::readRawHeights(path, stated, room, job);
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
    auto read = readValues(path, options, {}, {});
    if (!read)
        return read.error();
    return read->info;
}

namespace {

/// Opens a store; one that came from elsewhere is looked through first, once.
Result<ImportedHeights> openChecked(const std::filesystem::path& file, const JobContext& job) {
    auto opened = openHeightStore(file);
    if (!opened || isKnownStore(file))
        return opened;
    job.report(0.1, "Looking through a store");
    if (!checkHeights(opened->heights, file.string()) || hashOf(opened->heights) != opened->hash)
        return Error{ErrorCode::BadInput, file.string(), "holds other heights than it says", "remove it"};
    rememberStore(file);
    return opened;
}

/// The store of a source, where there is one that can be used; else what is wrong with the one there is.
std::optional<ImportedHeights> alreadyStored(const std::string& name, const StorePlace& place, const JobContext& job,
                                             std::vector<std::string>& notes) {
    for (const std::filesystem::path& folder : {place.folder, storeCacheFolder()}) {
        const std::filesystem::path file = folder / name;
        if (std::error_code ignored; folder.empty() || !std::filesystem::exists(file, ignored))
            continue;
        auto opened = openChecked(file, job);
        if (opened)
            return std::move(*opened);
        notes.push_back(fmt::format("its store {} {}; it is made again", file.string(), opened.error().what));
    }
    return std::nullopt;
}

/// A store in the folder that was asked for, or where that cannot be written to in the person's own.
Result<HeightStoreWriter> beginStore(const std::string& name, const StorePlace& place, const HeightFileInfo& info) {
    auto begun = HeightStoreWriter::begin((place.folder.empty() ? storeCacheFolder() : place.folder) / name,
                                          info.columns, info.rows);
    if (begun || place.folder.empty())
        return begun;
    auto elsewhere = HeightStoreWriter::begin(storeCacheFolder() / name, info.columns, info.rows);
    return elsewhere ? std::move(elsewhere) : std::move(begun);
}

/// Marks the values that mean no ground; turns the others into metres.
std::vector<bool> toMetres(detail::RawHeights& read, const HeightOptions& options, ImportedHeights& out) {
    const std::uint32_t columns = read.info.columns;
    std::vector<bool> missing;
    const std::optional<double> inFile = read.info.noData;
    const std::optional<double> asked = options.noData;
    const bool ranged = read.info.whole && options.low.has_value();
    if (read.info.whole)
        out.step = ranged ? (*options.high - *options.low) / (read.highest - read.lowest) : 1;
    const double from = ranged ? *options.low - read.lowest * out.step : 0;
    for (std::uint32_t y = 0; y < read.info.rows; ++y) {
        const float* row = std::as_const(read.grid).row(y);
        if (inFile || asked)
            for (std::uint32_t x = 0; x < columns; ++x)
                if ((inFile && row[x] == static_cast<float>(*inFile)) ||
                    (asked && row[x] == static_cast<float>(*asked))) {
                    if (missing.empty())
                        missing.assign(read.grid.size(), false);
                    missing[std::size_t{y} * columns + x] = true;
                }
        if (!ranged)
            continue;
        float* to = read.grid.edit(y);
        for (std::uint32_t x = 0; x < columns; ++x)
            to[x] = static_cast<float>(from + static_cast<double>(to[x]) * out.step);
    }
    return missing;
}

} // namespace

Result<ImportedHeights> readHeights(const std::filesystem::path& path, const HeightOptions& options,
                                    const JobContext& job, const StorePlace& place) {
    const std::string where = path.string();
    if (options.spacing < 0 || !std::isfinite(options.spacing))
        return Error{ErrorCode::BadInput, where, fmt::format("a spacing of {:g} m was asked for", options.spacing),
                     "state one above 0"};
    if (options.low.has_value() != options.high.has_value() ||
        (options.low && !(*options.low < *options.high && std::isfinite(*options.low) && std::isfinite(*options.high))))
        return Error{ErrorCode::BadInput, where, "the range of heights is no range",
                     "state the lowest and then the highest, in metres"};
    ImportedHeights out;
    const auto name = heightStoreName(path, options);
    if (name)
        if (auto stored = alreadyStored(*name, place, job, out.notes))
            return std::move(*stored);
    std::optional<HeightStoreWriter> store;
    const detail::HeightRoom room = [&](const HeightFileInfo& info) -> Result<HeightGrid> {
        if (options.spacing <= 0 && !info.spacing)
            return Error{ErrorCode::BadInput, where, "does not say how far its heights lie apart",
                         "state the spacing in metres"};
        const double bytes = static_cast<double>(info.columns) * info.rows * sizeof(float);
        if (name && bytes >= static_cast<double>(place.from)) {
            auto begun = beginStore(*name, place, info);
            if (!begun)
                return begun.error();
            store.emplace(std::move(*begun));
            return store->grid();
        }
        // The heights, and the tree.
        if (auto fits = checkMemory(1.25 * bytes, availableMemory(), where); !fits)
            return fits.error();
        return HeightGrid(info.columns, info.rows);
    };
    auto read = readValues(path, options, room, job.part(0, 0.6));
    if (!read)
        return read.error();
    out.info = read->info;
    for (std::string& note : read->notes)
        out.notes.push_back(std::move(note));
    Heights& h = out.heights;
    h.columns = read->info.columns;
    h.rows = read->info.rows;
    h.spacing = options.spacing > 0 ? options.spacing : *read->info.spacing;
    const std::vector<bool> missing = toMetres(*read, options, out);
    if (read->info.whole && !options.low)
        out.notes.emplace_back("its values are taken as metres; state the range of heights where they are not");
    if (read->info.whole && read->info.bits == 8)
        out.notes.push_back(fmt::format(
            "has 8 bits a height: slopes become steps of {:g} m; 16 bits or floating point avoid that", out.step));
    if (!read->info.whole && options.low)
        out.notes.emplace_back("its values are metres as they stand: the range that was stated is not used");
    h.grid = std::move(read->grid);
    job.report(0.6, "Looking for holes");
    if (job.cancelled())
        return cancelledError();
    auto holes = makeHoles(h, missing, where);
    if (!holes)
        return holes.error();
    out.missing = *holes;
    centreHeights(h);
    if (auto good = checkHeights(h, where); !good)
        return good.error();
    if (!store)
        return out;
    if (job.cancelled())
        return cancelledError();
    if (auto done = store->finish(out, job.part(0.6, 1)); !done)
        return done.error();
    out.heights = {};
    auto opened = openHeightStore(store->file());
    if (opened)
        opened->notes = std::move(out.notes);
    return opened;
}

} // namespace thicket
