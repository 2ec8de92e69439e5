#include "io/import/height_store.h"

#include "base/file.h"
#include "io/json/fields.h"
#include "terrain/build_tree.h"

#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>
#include <utility>

namespace thicket {
namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

constexpr std::size_t kHeadBytes = 4096;
constexpr const char* kStoreFormat = "lean-thicket heights";
constexpr const char* kMendStore = "remove it; it is made again";

std::size_t heightBytes(std::uint64_t columns, std::uint64_t rows) {
    return columns * rows * sizeof(float);
}

template <class T> std::span<const std::byte> bytesOfAll(const std::vector<T>& values) {
    static_assert(std::is_trivially_copyable_v<T>);
    return std::as_bytes(std::span(values));
}

/// What follows the heights: holes by bits, then the tree's tables.
std::vector<std::byte> tablesOf(const Heights& heights, const TileTree& tree) {
    std::vector<std::byte> out;
    if (heights.holes) {
        out.assign((heights.holes->size() + 7) / 8, std::byte{0});
        for (std::size_t i = 0; i < heights.holes->size(); ++i)
            if ((*heights.holes)[i])
                out[i / 8] |= std::byte{1} << (i % 8);
    }
    const auto add = [&out](std::span<const std::byte> bytes) { out.insert(out.end(), bytes.begin(), bytes.end()); };
    add(bytesOfAll(tree.levels));
    add(bytesOfAll(tree.tiles));
    add(bytesOfAll(tree.blockErrors));
    add(bytesOfAll(tree.holes));
    const auto addRows = [&](const SharedRows& rows) {
        for (std::uint32_t y = 0; y < rows.down(); ++y)
            add(std::as_bytes(std::span(rows.row(y), rows.across())));
    };
    for (const SharedRows& level : tree.lows.lows)
        addRows(level);
    addRows(tree.lows.highs);
    return out;
}

/// Takes bytes from the front, as many as a table has.
struct TableReader {
    std::span<const std::byte> left;
    bool whole = true;

    template <class T> void take(std::span<T> into) {
        if (into.size_bytes() > left.size()) {
            whole = false;
            return;
        }
        std::memcpy(into.data(), left.data(), into.size_bytes());
        left = left.subspan(into.size_bytes());
    }
    template <class T> void take(std::vector<T>& into) { take(std::span(into)); }
    void takeRows(SharedRows& into) {
        for (std::uint32_t y = 0; y < into.down(); ++y)
            take(std::span(into.edit(y), into.across()));
    }
};

/// Whether a tree's tables fit each other, so that what uses them needs no check.
bool isSound(const std::vector<TileTree::Level>& shape, const TileTree& tree) {
    for (std::size_t i = 0; i < shape.size(); ++i)
        if (shape[i].across != tree.levels[i].across || shape[i].down != tree.levels[i].down ||
            shape[i].first != tree.levels[i].first || !(tree.levels[i].worst >= 0) || !(tree.levels[i].typical >= 0))
            return false;
    for (const TileTree::Tile& tile : tree.tiles) {
        if (!(tile.error >= 0) || !(tile.low <= tile.high) || !(tile.reachLow <= tile.low) ||
            !(tile.reachHigh >= tile.high))
            return false;
        if ((tile.triangles & TileTree::kHoles) != 0 && (tile.triangles & ~TileTree::kHoles) >= tree.holes.size())
            return false;
    }
    return true;
}

/// What others left half done: programs that are no longer there.
void removeLeftovers(const fs::path& file) {
    std::error_code ignored;
    const std::string begins = file.filename().string() + ".part-";
    for (const auto& entry : fs::directory_iterator(file.parent_path(), ignored)) {
        const std::string name = entry.path().filename().string();
        if (!name.starts_with(begins))
            continue;
        int pid = 0;
        const auto [end, problem] = std::from_chars(name.data() + begins.size(), name.data() + name.size(), pid);
        if (problem == std::errc() && end == name.data() + name.size() && pid > 0 && ::kill(pid, 0) != 0 &&
            errno == ESRCH)
            fs::remove(entry.path(), ignored);
    }
}

/// Hash of some pages of a file, evenly spread over it.
std::string sampleOf(const fs::path& file, std::uintmax_t size) {
    constexpr std::uintmax_t kPages = 64;
    constexpr std::size_t kPage = 4096;
    std::ifstream in(file, std::ios::binary);
    std::vector<char> pages;
    for (std::uintmax_t i = 0; i < kPages; ++i) {
        const std::size_t before = pages.size();
        pages.resize(before + kPage);
        in.clear();
        in.seekg(static_cast<std::streamoff>((size > kPage ? size - kPage : 0) / (kPages - 1) * i));
        in.read(pages.data() + before, static_cast<std::streamsize>(kPage));
        pages.resize(before + static_cast<std::size_t>(in.gcount()));
    }
    return contentHash(std::as_bytes(std::span(pages)));
}

/// Where it is noted that a store was made, or looked through, on this machine: as it is now, and no other.
fs::path knownFile(const fs::path& store) {
    return storeCacheFolder() / "known" / store.filename();
}
std::string stateOf(const fs::path& store) {
    std::error_code problem;
    const std::uintmax_t size = fs::file_size(store, problem);
    const auto changed = problem ? fs::file_time_type() : fs::last_write_time(store, problem);
    std::string head(kHeadBytes, '\0');
    std::ifstream in(store, std::ios::binary);
    in.read(head.data(), static_cast<std::streamsize>(head.size()));
    return problem || !in ? std::string()
                          : fmt::format("{} {} {}", size, changed.time_since_epoch().count(),
                                        contentHash(std::as_bytes(std::span(head))));
}

} // namespace

bool isKnownStore(const fs::path& file) {
    const auto known = readTextFile(knownFile(file));
    return known && !known->empty() && *known == stateOf(file);
}

void rememberStore(const fs::path& file) {
    // Where that cannot be noted, the store is looked through again the next time.
    (void)writeTextFile(knownFile(file), stateOf(file));
}

Result<std::string> heightStoreName(const fs::path& source, const HeightOptions& options) {
    std::error_code problem;
    const std::uintmax_t size = fs::file_size(source, problem);
    const auto changed = problem ? fs::file_time_type() : fs::last_write_time(source, problem);
    if (problem)
        return Error{ErrorCode::NotFound, source.string(), "cannot be opened", "check its name and its rights"};
    // What another file of its name, size and time holds is told by parts of it from its beginning to its end.
    const std::string key = fmt::format("{} {} {} {} | {} {} {} {} | {} {} {} {}", source.filename().string(), size,
                                        changed.time_since_epoch().count(), sampleOf(source, size), options.spacing,
                                        options.low ? fmt::format("{}", *options.low) : "-",
                                        options.high ? fmt::format("{}", *options.high) : "-",
                                        options.noData ? fmt::format("{}", *options.noData) : "-", options.columns,
                                        options.rows, keyOf(options.samples), options.bigEndian);
    return contentHash(std::as_bytes(std::span(key))) + kHeightStoreSuffix;
}

fs::path storeCacheFolder() {
    const char* cache = std::getenv("XDG_CACHE_HOME");
    if (cache != nullptr && *cache == '/')
        return fs::path(cache) / "lean-thicket";
    const char* home = std::getenv("HOME");
    return (home != nullptr && *home == '/' ? fs::path(home) / ".cache" : fs::temp_directory_path()) / "lean-thicket";
}

HeightStoreWriter::HeightStoreWriter(fs::path file, fs::path part, std::shared_ptr<MappedFile> heights,
                                     std::uint32_t columns, std::uint32_t rows)
    : m_file(std::move(file)), m_part(std::move(part)), m_heights(std::move(heights)), m_columns(columns),
      m_rows(rows) {}

HeightStoreWriter::HeightStoreWriter(HeightStoreWriter&& other) noexcept
    : m_file(std::move(other.m_file)), m_part(std::exchange(other.m_part, {})), m_heights(std::move(other.m_heights)),
      m_columns(other.m_columns), m_rows(other.m_rows) {}

HeightStoreWriter::~HeightStoreWriter() {
    std::error_code ignored;
    if (!m_part.empty())
        fs::remove(m_part, ignored);
}

Result<HeightStoreWriter> HeightStoreWriter::begin(const fs::path& file, std::uint32_t columns, std::uint32_t rows) {
    std::error_code problem;
    fs::create_directories(file.parent_path(), problem);
    if (problem)
        return Error{ErrorCode::Unwritable, file.parent_path().string(), "cannot be made, to keep the heights in",
                     "check the rights of the folder that it lies in"};
    removeLeftovers(file);
    fs::path part = file;
    part += fmt::format(".part-{}", ::getpid());
    auto mapped = MappedFile::create(part, kHeadBytes + heightBytes(columns, rows));
    if (!mapped)
        return mapped.error();
    return HeightStoreWriter(file, std::move(part), std::move(*mapped), columns, rows);
}

HeightGrid HeightStoreWriter::grid() const {
    auto* first = reinterpret_cast<float*>(m_heights->bytes().data() + kHeadBytes);
    return HeightGrid::filling(m_columns, m_rows, {m_heights, first});
}

Result<void> HeightStoreWriter::finish(const ImportedHeights& read, const JobContext& job) {
    const Heights& h = read.heights;
    auto tree = buildTileTree(h, kStoredCells, job.part(0, 0.5));
    if (!tree)
        return tree.error();
    const std::vector<std::byte> tables = tablesOf(h, **tree);
    ordered_json head{{"format", kStoreFormat},
                      {"version", 1},
                      {"columns", h.columns},
                      {"rows", h.rows},
                      {"spacingMetres", h.spacing},
                      {"cells", kStoredCells},
                      {"holes", h.holes != nullptr},
                      {"tilesWithHoles", (*tree)->holes.size()},
                      {"lowMetres", (*tree)->low},
                      {"highMetres", (*tree)->high},
                      {"hash", hashOf(h)},
                      {"tables", contentHash(tables)},
                      {"tableBytes", tables.size()},
                      {"stepMetres", read.step},
                      {"withoutGround", read.missing},
                      {"source", {{"format", read.info.format}, {"bits", read.info.bits}, {"whole", read.info.whole}}}};
    std::string text = head.dump();
    text.resize(kHeadBytes - 1, ' ');
    text += '\n';
    const auto fails = [this] {
        return Error{ErrorCode::Unwritable, m_file.string(), "cannot be written to its end",
                     "make room, or keep the project on a larger disk"};
    };
    // The tables first: a head that can be read says that all of it is there.
    {
        const std::unique_ptr<std::FILE, int (*)(std::FILE*)> out(std::fopen(m_part.c_str(), "ab"), std::fclose);
        if (!out || std::fwrite(tables.data(), 1, tables.size(), out.get()) != tables.size() ||
            std::fflush(out.get()) != 0)
            return fails();
    }
    std::memcpy(m_heights->bytes().data(), text.data(), kHeadBytes);
    std::error_code problem;
    if (auto done = m_heights->flush(job.part(0.5, 1)); !done)
        return done.error().code == ErrorCode::Cancelled ? done.error() : fails();
    fs::rename(m_part, m_file, problem);
    if (problem)
        return fails();
    m_part.clear();
    rememberStore(m_file);
    return {};
}

namespace {

/// Throws FieldError with what is wrong.
ImportedHeights decodeStore(const std::shared_ptr<const MappedFile>& store) {
    const std::span<const std::byte> all = store->bytes();
    if (all.size() < kHeadBytes)
        throw json::FieldError("is cut short");
    const ordered_json head = json::parse(std::string(reinterpret_cast<const char*>(all.data()), kHeadBytes));
    if (json::string(head, "format", "") != kStoreFormat || json::integer<int>(head, "version", "", 0, 999'999) != 1)
        throw json::FieldError("is no store of heights, or one of another version");
    ImportedHeights out;
    Heights& h = out.heights;
    h.columns = json::integer<std::uint32_t>(head, "columns", "", 2, 1'000'000);
    h.rows = json::integer<std::uint32_t>(head, "rows", "", 2, 1'000'000);
    h.spacing = json::number(head, "spacingMetres", "", 1e-9, 1e5);
    centreHeights(h);
    if (json::integer<std::uint32_t>(head, "cells", "", 0, 1024) != kStoredCells)
        throw json::FieldError("has tiles of another size");
    const auto tableBytes = json::integer<std::uint64_t>(head, "tableBytes", "", 0, std::uint64_t{1} << 40);
    if (all.size() != kHeadBytes + heightBytes(h.columns, h.rows) + tableBytes)
        throw json::FieldError("is cut short");
    const auto tables = all.subspan(kHeadBytes + heightBytes(h.columns, h.rows));
    if (contentHash(tables) != json::hash(head, "tables", ""))
        throw json::FieldError("is damaged");
    h.grid = HeightGrid::over(h.columns, h.rows, {store, reinterpret_cast<const float*>(all.data() + kHeadBytes)});
    auto tree = std::make_shared<TileTree>(emptyTileTree(h, kStoredCells));
    const std::vector<TileTree::Level> shape = tree->levels;
    TableReader reader{tables};
    if (json::flag(head, "holes", "", false)) {
        std::vector<std::byte> bits((std::size_t{h.columns - 1} * (h.rows - 1) + 7) / 8);
        reader.take(bits);
        std::vector<bool> holes(std::size_t{h.columns - 1} * (h.rows - 1));
        for (std::size_t i = 0; i < holes.size(); ++i)
            holes[i] = (bits[i / 8] >> (i % 8) & std::byte{1}) != std::byte{0};
        h.holes = std::make_shared<const std::vector<bool>>(std::move(holes));
    }
    tree->holes.resize(json::integer<std::uint64_t>(head, "tilesWithHoles", "", 0, tree->tiles.size()));
    reader.take(tree->levels);
    reader.take(tree->tiles);
    reader.take(tree->blockErrors);
    reader.take(tree->holes);
    for (SharedRows& level : tree->lows.lows)
        reader.takeRows(level);
    reader.takeRows(tree->lows.highs);
    if (!reader.whole || !reader.left.empty() || !isSound(shape, *tree))
        throw json::FieldError("is damaged");
    tree->low = tree->tiles.back().low;
    tree->high = tree->tiles.back().high;
    out.tree = std::move(tree);
    out.hash = json::hash(head, "hash", "");
    out.step = json::number(head, "stepMetres", "", 0, 1e9);
    out.missing = json::integer<std::uint64_t>(head, "withoutGround", "", 0, std::uint64_t{1} << 40);
    const ordered_json& source = json::object(head, "source", "");
    out.info.format = json::string(source, "format", "source.");
    out.info.columns = h.columns;
    out.info.rows = h.rows;
    out.info.bits = json::integer<int>(source, "bits", "source.", 1, 64);
    out.info.whole = json::flag(source, "whole", "source.", false);
    return out;
}

} // namespace

Result<ImportedHeights> openHeightStore(const fs::path& file) {
    auto store = MappedFile::open(file);
    if (!store)
        return store.error();
    return json::decoded(file.string(), kMendStore, [&] { return decodeStore(*store); });
}

} // namespace thicket
