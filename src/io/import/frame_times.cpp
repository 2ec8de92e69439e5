#include "io/import/frame_times.h"

#include "base/file.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <fmt/format.h>
#include <optional>
#include <string_view>

namespace thicket {
namespace {

constexpr std::uintmax_t kMostTimesBytes = 256'000'000;
constexpr const char* kHeadings[] = {"triangles", "vertices", "draws", "pixels", "ms"};

std::string_view trimmed(std::string_view text) {
    const auto from = text.find_first_not_of(" \t\r\"");
    if (from == std::string_view::npos)
        return {};
    return text.substr(from, text.find_last_not_of(" \t\r\"") - from + 1);
}

std::vector<std::string_view> cellsOf(std::string_view line, char delimiter) {
    std::vector<std::string_view> out;
    for (std::size_t from = 0;;) {
        const auto to = std::min(line.find(delimiter, from), line.size());
        out.push_back(trimmed(line.substr(from, to - from)));
        if (to == line.size())
            return out;
        from = to + 1;
    }
}

} // namespace

Result<std::vector<FrameTime>> readFrameTimes(const std::filesystem::path& file) {
    const auto data = readFile(file, kMostTimesBytes);
    if (!data)
        return data.error();
    std::string_view text(reinterpret_cast<const char*>(data->data()), data->size());
    const auto bad = [&](std::size_t line, const std::string& what) {
        return Error{ErrorCode::BadInput, file.string(), fmt::format("line {}: {}", line, what),
                     "give a table with the headings triangles, draws and ms, and vertices and pixels where known"};
    };
    if (text.starts_with("\xEF\xBB\xBF"))
        text.remove_prefix(3);
    if (text.find('\0') != std::string_view::npos)
        return bad(1, "it is no plain text");
    std::array<std::optional<std::size_t>, 5> column;
    std::vector<FrameTime> out;
    char delimiter = ',';
    std::size_t number = 0;
    while (!text.empty()) {
        const auto end = std::min(text.find('\n'), text.size());
        const std::string_view line = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        ++number;
        if (trimmed(line).empty())
            continue;
        if (!column[4]) {
            for (const char c : {'\t', ';', ','})
                if (line.find(c) != std::string_view::npos) {
                    delimiter = c;
                    break;
                }
            const auto headings = cellsOf(line, delimiter);
            for (std::size_t h = 0; h < headings.size(); ++h) {
                std::string name(headings[h]);
                std::transform(name.begin(), name.end(), name.begin(),
                               [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
                for (std::size_t k = 0; k < column.size(); ++k)
                    if (name == kHeadings[k])
                        column[k] = h;
            }
            for (const std::size_t needed : {std::size_t{0}, std::size_t{2}, std::size_t{4}})
                if (!column[needed])
                    return bad(number, fmt::format("there is no column {}", kHeadings[needed]));
            continue;
        }
        const auto cells = cellsOf(line, delimiter);
        std::array<double, 5> values{};
        for (std::size_t k = 0; k < column.size(); ++k) {
            if (!column[k])
                continue;
            if (*column[k] >= cells.size())
                return bad(number, fmt::format("has no {}", kHeadings[k]));
            const std::string_view cell = cells[*column[k]];
            const auto [at, error] = std::from_chars(cell.data(), cell.data() + cell.size(), values[k]);
            if (error != std::errc() || at != cell.data() + cell.size())
                return bad(number, fmt::format("{} is no number of {}", cell.substr(0, 40), kHeadings[k]));
        }
        out.push_back({values[0], column[1] ? values[1] : values[0], values[2], values[3], values[4]});
    }
    if (!column[4])
        return bad(1, "it is empty");
    return out;
}

} // namespace thicket
