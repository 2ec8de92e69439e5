#pragma once
// Placements from tables: CSV with any usual delimiter, or JSON (docs/formats/README.md has the columns).

#include "base/job.h"
#include "base/result.h"
#include "switching/placement.h"

#include <filesystem>
#include <string>
#include <vector>

namespace thicket {

struct TableOptions {
    std::string eulerOrder = "YXZ";  ///< of angles in degrees: about which own axis first, second, third
    std::vector<std::string> assets; ///< names that a row may have; none: any
    std::string plainAsset;          ///< of rows without a name; empty: the first of `assets`
};

/// A row that cannot be placed. Lines count from 1; in a JSON table they are entries.
struct BadRow {
    std::uint64_t line = 0;
    std::string reason;
};

struct PlacementTable {
    std::vector<std::string> assets; ///< as copies name them, by their order
    Placements copies;               ///< as they came; id 0 where the table has none
    std::vector<BadRow> bad;         ///< by lines; at most kMostBadRows
    std::uint64_t badRows = 0;       ///< all of them
    std::vector<std::string> notes;  ///< columns that were passed over
};
constexpr std::size_t kMostBadRows = 1000;

/// Bad rows are left out and listed: whether to go on without them is for the caller to say.
/// ERRORS     NotFound; BadInput when the whole is no table: another encoding, a line without end, no columns for a
///            position; TooLarge; Cancelled.
/// COST       a million rows of CSV in about a second.
Result<PlacementTable> readPlacementTable(const std::filesystem::path& path, const TableOptions& options,
                                          const JobContext& job);

/// "line 7: scale is 0; line 9: ..." for an error message: the first few, and how many more.
std::string badRowsText(const PlacementTable& table, std::size_t most = 5);

} // namespace thicket
