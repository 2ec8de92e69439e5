#pragma once
// Heights that are too large to hold, kept as a file that is mapped into memory: read from their source once, with the
// tiles made of them, and opened from then on. docs/formats/README.md has the layout.

#include "base/mapped_file.h"
#include "io/import/heights_file.h"

namespace thicket {

/// Tiles that a store holds are of this many cells a side; other sizes are made when they are asked for.
constexpr std::uint32_t kStoredCells = 64;

constexpr const char* kHeightStoreSuffix = ".heights";

/// NAME.heights for what a source holds, read as stated: another name once the source has changed.
/// ERRORS     NotFound when there is no such source.
Result<std::string> heightStoreName(const std::filesystem::path& source, const HeightOptions& options);

/// Where stores are kept that belong to no project yet: lean-thicket in the person's folder for what can be made again.
std::filesystem::path storeCacheFolder();

/// A store in the making: its room on the disk is taken at once, it has its name only when it is whole.
class HeightStoreWriter {
public:
    /// ERRORS     Unwritable: no such folder and none can be made, or no room.
    static Result<HeightStoreWriter> begin(const std::filesystem::path& file, std::uint32_t columns,
                                           std::uint32_t rows);
    HeightStoreWriter(HeightStoreWriter&& other) noexcept;
    HeightStoreWriter& operator=(HeightStoreWriter&&) = delete;
    HeightStoreWriter(const HeightStoreWriter&) = delete;
    HeightStoreWriter& operator=(const HeightStoreWriter&) = delete;
    /// What is not finished leaves nothing behind.
    ~HeightStoreWriter();

    [[nodiscard]] const std::filesystem::path& file() const { return m_file; }
    /// The heights in the file, to write to.
    [[nodiscard]] HeightGrid grid() const;
    /// Makes the tiles, writes all that is not heights, and gives the file its name.
    /// REQUIRES   `read` has grid()'s heights and is checked.
    /// ERRORS     Cancelled, Unwritable.
    Result<void> finish(const ImportedHeights& read, const JobContext& job);

private:
    HeightStoreWriter(std::filesystem::path file, std::filesystem::path part, std::shared_ptr<MappedFile> heights,
                      std::uint32_t columns, std::uint32_t rows);
    std::filesystem::path m_file;
    std::filesystem::path m_part;
    std::shared_ptr<MappedFile> m_heights;
    std::uint32_t m_columns;
    std::uint32_t m_rows;
};

/// Whether a store, as it is now, was made or looked through on this machine; others may have heights that are none.
bool isKnownStore(const std::filesystem::path& file);
void rememberStore(const std::filesystem::path& file);

/// Opens a store: its heights stay in the file until they are looked at.
/// Its heights are not looked at: of one that is not known they are to be checked before they are used.
/// ERRORS     NotFound; BadInput when it was cut short, is damaged or no store.
/// COST       O(tiles), whatever the size of the heights.
Result<ImportedHeights> openHeightStore(const std::filesystem::path& file);

} // namespace thicket
