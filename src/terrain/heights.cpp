#include "terrain/heights.h"

#include "base/file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {

std::optional<double> Heights::heightAt(double x, double z) const {
    const double u = (x - origin.x()) / spacing;
    const double v = (z - origin.z()) / spacing;
    if (!(u >= 0 && v >= 0 && u <= columns - 1 && v <= rows - 1))
        return std::nullopt;
    const auto i = std::min(static_cast<std::uint32_t>(u), columns - 2);
    const auto j = std::min(static_cast<std::uint32_t>(v), rows - 2);
    if (holeAt(i, j))
        return std::nullopt;
    const double a = u - i;
    const double b = v - j;
    const double east = static_cast<double>(at(i + 1, j));
    const double south = static_cast<double>(at(i, j + 1));
    if (a + b <= 1) {
        const double corner = static_cast<double>(at(i, j));
        return origin.y() + corner + (east - corner) * a + (south - corner) * b;
    }
    const double corner = static_cast<double>(at(i + 1, j + 1));
    return origin.y() + corner + (south - corner) * (1 - a) + (east - corner) * (1 - b);
}

Vec3d Heights::normalAt(double x, double z) const {
    const auto clampTo = [](double v, std::uint32_t count) {
        return static_cast<std::uint32_t>(std::clamp(std::lround(v), 0L, static_cast<long>(count) - 1));
    };
    const std::uint32_t i = clampTo((x - origin.x()) / spacing, columns);
    const std::uint32_t j = clampTo((z - origin.z()) / spacing, rows);
    const std::uint32_t west = i > 0 ? i - 1 : i;
    const std::uint32_t east = std::min(i + 1, columns - 1);
    const std::uint32_t north = j > 0 ? j - 1 : j;
    const std::uint32_t south = std::min(j + 1, rows - 1);
    return Vec3d(static_cast<double>(at(west, j) - at(east, j)) / ((east - west) * spacing), 1,
                 static_cast<double>(at(i, north) - at(i, south)) / ((south - north) * spacing))
        .normalized();
}

std::string hashOf(const Heights& heights) {
    std::string all;
    for (std::uint32_t y = 0; y < heights.rows; ++y)
        all += contentHash(std::as_bytes(std::span(heights.row(y), heights.columns)));
    if (heights.holes)
        for (const bool hole : *heights.holes)
            all += hole ? '1' : '0';
    return contentHash(std::as_bytes(std::span(all)));
}

void centreHeights(Heights& heights) {
    heights.origin.x() = -heights.width() / 2;
    heights.origin.z() = -heights.depth() / 2;
}

Result<std::uint64_t> makeHoles(Heights& heights, const std::vector<bool>& missing, const std::string& where) {
    const std::uint32_t columns = heights.columns;
    const std::uint32_t rows = heights.rows;
    std::vector<bool> none;
    std::uint64_t count = 0;
    for (std::uint32_t y = 0; y < rows; ++y) {
        const float* row = heights.row(y);
        for (std::uint32_t x = 0; x < columns; ++x) {
            const std::size_t i = std::size_t{y} * columns + x;
            if (std::isfinite(row[x]) && (missing.empty() || !missing[i]))
                continue;
            if (none.empty())
                none.assign(heights.grid.size(), false);
            none[i] = true;
            ++count;
        }
    }
    if (count == 0)
        return count;
    if (count == heights.grid.size())
        return Error{ErrorCode::BadInput, where, "holds no ground, only cells without data", "check its no-data value"};
    std::vector<bool> cells(std::size_t{columns - 1} * (rows - 1), false);
    for (std::uint32_t y = 0; y < rows; ++y)
        for (std::uint32_t x = 0; x < columns; ++x)
            if (none[std::size_t{y} * columns + x])
                for (std::uint32_t k = 0; k < 4; ++k) {
                    const std::uint32_t cx = x - (k & 1U);
                    const std::uint32_t cy = y - (k >> 1U);
                    if (cx < columns - 1 && cy < rows - 1)
                        cells[std::size_t{cy} * (columns - 1) + cx] = true;
                }
    // Along rows first, then along columns for rows that have no ground at all.
    std::vector<bool> emptyRow(rows, false);
    for (std::uint32_t y = 0; y < rows; ++y) {
        float* row = heights.grid.edit(y);
        std::int64_t known = -1;
        for (std::uint32_t x = 0; x < columns; ++x) {
            if (none[std::size_t{y} * columns + x])
                continue;
            for (std::int64_t k = known + 1; k < x; ++k)
                row[k] = row[known >= 0 && k - known < x - k ? known : static_cast<std::int64_t>(x)];
            known = x;
        }
        if (known < 0)
            emptyRow[y] = true;
        else
            std::fill(row + known + 1, row + columns, row[known]);
    }
    std::int64_t known = -1;
    const auto copyRow = [&](std::int64_t from, std::int64_t to) {
        std::copy_n(heights.row(static_cast<std::uint32_t>(from)), columns,
                    heights.grid.edit(static_cast<std::uint32_t>(to)));
    };
    for (std::int64_t y = 0; y < rows; ++y) {
        if (emptyRow[static_cast<std::size_t>(y)])
            continue;
        for (std::int64_t k = known + 1; k < y; ++k)
            copyRow(known >= 0 && k - known < y - k ? known : y, k);
        known = y;
    }
    for (std::int64_t k = known + 1; k < rows; ++k)
        copyRow(known, k);
    if (std::all_of(cells.begin(), cells.end(), [](bool hole) { return hole; }))
        return Error{ErrorCode::BadInput, where, "holds no whole cell of ground", "check its no-data value"};
    heights.holes = std::make_shared<const std::vector<bool>>(std::move(cells));
    return count;
}

Result<void> checkHeights(const Heights& heights, const std::string& where) {
    constexpr float kTallest = 1e6F;
    if (heights.columns < 2 || heights.rows < 2)
        return Error{ErrorCode::BadInput, where,
                     fmt::format("is {} x {} heights; a terrain needs at least 2 x 2", heights.columns, heights.rows),
                     "give a larger one"};
    if (!(heights.spacing > 0 && heights.spacing <= 1e5))
        return Error{ErrorCode::BadInput, where,
                     fmt::format("has a spacing of {:g} m between its heights", heights.spacing),
                     "state one above 0, up to 100 km"};
    for (std::uint32_t y = 0; y < heights.rows; ++y) {
        const float* row = heights.row(y);
        for (std::uint32_t x = 0; x < heights.columns; ++x)
            if (!(std::abs(row[x]) <= kTallest))
                return Error{ErrorCode::BadInput, where,
                             fmt::format("the height in column {}, row {} is no height: {}", x, y, row[x]),
                             "state its no-data value or mend it"};
    }
    return {};
}

} // namespace thicket
