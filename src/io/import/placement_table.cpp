#include "io/import/placement_table.h"

#include "base/file.h"
#include "base/parallel.h"
#include "base/text.h"
#include "io/json/fields.h"
#include "io/project/placements_file.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <numbers>
#include <numeric>
#include <optional>

namespace thicket {
namespace {

constexpr std::uintmax_t kMostBytes = std::uintmax_t{4} << 30;
constexpr std::size_t kLongestLine = std::size_t{1} << 16;
constexpr std::uint32_t kLargestId = 0x7FFFFFFF;
constexpr double kFarthestPlace = 1e7; // metres from the origin: beyond, a field is a mistake in units

enum Column { Asset, X, Y, Z, Qx, Qy, Qz, Qw, Rx, Ry, Rz, Scale, Id, Importance, kColumns };
constexpr const char* kColumnNames[kColumns] = {"asset", "x",  "y",  "z",  "qx",    "qy", "qz",
                                                "qw",    "rx", "ry", "rz", "scale", "id", "importance"};

std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return out;
}

std::optional<Column> columnOf(std::string_view heading) {
    static const std::map<std::string, Column> kOther{
        {"name", Asset},    {"mesh", Asset},    {"type", Asset},    {"px", X},         {"py", Y},
        {"pz", Z},          {"position_x", X},  {"position_y", Y},  {"position_z", Z}, {"rotation_x", Qx},
        {"rotation_y", Qy}, {"rotation_z", Qz}, {"rotation_w", Qw}, {"euler_x", Rx},   {"euler_y", Ry},
        {"euler_z", Rz},    {"size", Scale}};
    const std::string name = lower(heading);
    for (int i = 0; i < kColumns; ++i)
        if (name == kColumnNames[i])
            return static_cast<Column>(i);
    const auto found = kOther.find(name);
    return found == kOther.end() ? std::nullopt : std::optional(found->second);
}

bool toNumber(std::string_view text, double& out) {
    while (!text.empty() && (text.front() == ' ' || text.front() == '+'))
        text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ')
        text.remove_suffix(1);
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
    return error == std::errc() && end == text.data() + text.size() && !text.empty();
}

/// About which axes, in turn.
std::optional<std::array<int, 3>> axesOf(const std::string& order) {
    std::array<int, 3> out{};
    if (order.size() != 3)
        return std::nullopt;
    for (std::size_t i = 0; i < 3; ++i) {
        const int axis = std::toupper(static_cast<unsigned char>(order[i])) - 'X';
        if (axis < 0 || axis > 2)
            return std::nullopt;
        out[i] = axis;
    }
    if (out[0] == out[1] || out[1] == out[2] || out[0] == out[2])
        return std::nullopt;
    return out;
}

Quatd fromEuler(const std::array<double, 3>& degrees, const std::array<int, 3>& axes) {
    Quatd out(1, 0, 0, 0);
    for (const int axis : axes)
        out = out * Quatd(Eigen::AngleAxisd(degrees[static_cast<std::size_t>(axis)] * std::numbers::pi / 180,
                                            Vec3d::Unit(axis)));
    return out;
}

/// What a row says, before it is a placement.
struct Row {
    std::string_view asset;
    std::array<double, kColumns> value{};
    std::uint32_t has = 0; ///< bits by Column
    [[nodiscard]] bool holds(Column c) const { return (has >> c & 1U) != 0; }
    void set(Column c, double v) {
        value[c] = v;
        has |= 1U << c;
    }
};

/// Empty when it can be placed.
std::string toPlacement(const Row& row, const std::array<int, 3>& axes, Placement& out) {
    for (const Column c : {X, Y, Z}) {
        if (!row.holds(c))
            return fmt::format("has no {}", kColumnNames[c]);
        if (!std::isfinite(row.value[c]))
            return fmt::format("{} is not a number", kColumnNames[c]);
        if (std::abs(row.value[c]) > kFarthestPlace)
            return fmt::format("{} is {:g} km from the origin", kColumnNames[c], row.value[c] / 1000);
    }
    out.position = {row.value[X], row.value[Y], row.value[Z]};
    if (row.holds(Qx) || row.holds(Qy) || row.holds(Qz) || row.holds(Qw)) {
        out.rotation = Quatd(row.holds(Qw) ? row.value[Qw] : 0, row.value[Qx], row.value[Qy], row.value[Qz]);
        const double length = out.rotation.norm();
        if (!(length > 1e-6 && length < 1e6))
            return "its rotation has no length";
        if (std::abs(length - 1) > 1e-12)
            out.rotation.coeffs() /= length;
    } else if (row.holds(Rx) || row.holds(Ry) || row.holds(Rz)) {
        out.rotation = fromEuler({row.value[Rx], row.value[Ry], row.value[Rz]}, axes);
        if (!std::isfinite(out.rotation.norm()))
            return "its angles are not numbers";
    }
    if (row.holds(Scale)) {
        if (!(row.value[Scale] >= 1e-6 && row.value[Scale] <= 1e6))
            return std::isfinite(row.value[Scale]) ? fmt::format("scale is {:g}", row.value[Scale])
                                                   : "scale is not a number";
        out.scale = row.value[Scale];
    }
    if (row.holds(Importance)) {
        if (!(row.value[Importance] >= 0.1 && row.value[Importance] <= 10))
            return fmt::format("importance is {:g}, not 0.1 to 10", row.value[Importance]);
        out.importance = row.value[Importance];
    }
    if (row.holds(Id)) {
        const double id = row.value[Id];
        if (!(id >= 1 && id <= kLargestId && id == std::floor(id)))
            return "id is not a whole number above 0";
        out.id = static_cast<std::uint32_t>(id);
    }
    return {};
}

/// Rows that were read, with their assets by the order of `names`.
struct Rows {
    std::vector<std::string> names;
    Placements copies;
    std::vector<std::uint64_t> lines;
    std::vector<BadRow> bad;
    std::uint64_t badRows = 0;
    std::uint64_t linesRead = 0;

    void refuse(std::uint64_t line, std::string reason) {
        ++badRows;
        if (bad.size() < kMostBadRows)
            bad.push_back({line, std::move(reason)});
    }
};

class RowReader {
public:
    RowReader(const TableOptions& options, const std::array<int, 3>& axes) : m_options(options), m_axes(axes) {}

    void add(const Row& row, std::uint64_t line, Rows& out) {
        Placement copy;
        if (std::string reason = toPlacement(row, m_axes, copy); !reason.empty()) {
            out.refuse(line, std::move(reason));
            return;
        }
        const std::string_view name = !row.asset.empty() || row.holds(Asset) ? row.asset : plain();
        if (m_last >= out.names.size() || out.names[m_last] != name) {
            const auto known = std::find(out.names.begin(), out.names.end(), name);
            m_last = static_cast<std::size_t>(known - out.names.begin());
            if (known == out.names.end()) {
                if (!m_options.assets.empty() &&
                    std::find(m_options.assets.begin(), m_options.assets.end(), name) == m_options.assets.end()) {
                    out.refuse(line, fmt::format("asset “{}” is not known", validUtf8(name.substr(0, 60))));
                    return;
                }
                if (name != validUtf8(name)) {
                    out.refuse(line, "asset's name is not UTF-8");
                    return;
                }
                if (out.names.size() >= kMostNames) {
                    out.refuse(line, "is of yet another asset");
                    return;
                }
                out.names.emplace_back(name);
            }
        }
        copy.asset = static_cast<std::uint32_t>(m_last);
        out.copies.push_back(copy);
        out.lines.push_back(line);
    }

private:
    [[nodiscard]] std::string_view plain() const {
        return !m_options.plainAsset.empty() ? std::string_view(m_options.plainAsset)
               : !m_options.assets.empty()   ? std::string_view(m_options.assets.front())
                                             : std::string_view();
    }
    static constexpr std::size_t kMostNames = 1000;
    const TableOptions& m_options;
    std::array<int, 3> m_axes;
    std::size_t m_last = ~std::size_t{0};
};

// ---- CSV

struct Layout {
    char delimiter = ',';
    bool heading = false;
    std::vector<std::optional<Column>> columns;
};

/// The fields of a line. Quotes hold a delimiter together.
void splitLine(std::string_view line, char delimiter, std::vector<std::string_view>& out) {
    out.clear();
    if (!line.empty() && line.back() == '\r')
        line.remove_suffix(1);
    for (std::size_t at = 0;;) {
        std::size_t next = line.find(delimiter, at);
        std::string_view field = line.substr(at, next == std::string_view::npos ? next : next - at);
        while (!field.empty() && field.front() == ' ')
            field.remove_prefix(1);
        if (!field.empty() && field.front() == '"') {
            const std::size_t from = static_cast<std::size_t>(field.data() - line.data()) + 1;
            const std::size_t end = std::min(line.find('"', from), line.size());
            field = line.substr(from, end - from);
            next = line.find(delimiter, end);
        }
        while (!field.empty() && field.back() == ' ')
            field.remove_suffix(1);
        out.push_back(field);
        if (next == std::string_view::npos)
            return;
        at = next + 1;
    }
}

char delimiterOf(std::string_view line) {
    char best = ',';
    std::ptrdiff_t most = 0;
    for (const char c : {',', ';', '\t', '|'})
        if (const auto n = std::count(line.begin(), line.end(), c); n > most) {
            most = n;
            best = c;
        }
    return best;
}

/// What the columns of a table without headings are, by how many there are.
std::vector<Column> usualColumns(std::size_t count) {
    switch (count) {
    case 3:
        return {X, Y, Z};
    case 4:
        return {Asset, X, Y, Z};
    case 5:
        return {Asset, X, Y, Z, Scale};
    case 8:
        return {Asset, X, Y, Z, Qx, Qy, Qz, Qw};
    case 9:
        return {Asset, X, Y, Z, Qx, Qy, Qz, Qw, Scale};
    case 10:
        return {Asset, X, Y, Z, Qx, Qy, Qz, Qw, Scale, Id};
    default:
        return {};
    }
}

Result<Layout> layoutOf(std::string_view first, const std::string& where, std::vector<std::string>& notes) {
    Layout out;
    out.delimiter = delimiterOf(first);
    std::vector<std::string_view> fields;
    splitLine(first, out.delimiter, fields);
    const auto bad = [&where](std::string what) {
        return Error{ErrorCode::BadInput, where, std::move(what),
                     "a table needs columns x, y, z, and may have asset, qx qy qz qw or rx ry rz, scale, id, "
                     "importance"};
    };
    for (const std::string_view field : fields)
        out.heading |= columnOf(field).has_value();
    if (!out.heading) {
        for (const Column c : usualColumns(fields.size()))
            out.columns.emplace_back(c);
        double number = 0;
        if (out.columns.empty() || !toNumber(fields.back(), number))
            return bad(fmt::format("has no headings, and {} columns mean nothing by themselves", fields.size()));
        return out;
    }
    std::uint32_t seen = 0;
    for (const std::string_view field : fields) {
        const auto column = columnOf(field);
        if (column && (seen >> *column & 1U) != 0)
            return bad(fmt::format("has the column {} twice", kColumnNames[*column]));
        seen |= column ? 1U << *column : 0;
        out.columns.push_back(column);
        if (!column)
            notes.push_back(fmt::format("the column “{}” is passed over", validUtf8(field.substr(0, 40))));
    }
    for (const Column c : {X, Y, Z})
        if ((seen >> c & 1U) == 0)
            return bad(fmt::format("has no column {}", kColumnNames[c]));
    return out;
}

/// All rows of one piece of the text, which begins and ends with lines. Lines count from 1 in it.
void readPiece(std::string_view text, const Layout& layout, RowReader reader, Rows& out) {
    std::vector<std::string_view> fields;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        const std::string_view line = text.substr(at, end - at);
        at = end + 1;
        ++out.linesRead;
        if (line.empty() || line == "\r" || line.front() == '#')
            continue;
        if (line.size() > kLongestLine) {
            out.refuse(out.linesRead, fmt::format("is {} bytes long", line.size()));
            continue;
        }
        splitLine(line, layout.delimiter, fields);
        if (fields.size() != layout.columns.size()) {
            out.refuse(out.linesRead, fmt::format("has {} columns, not {}", fields.size(), layout.columns.size()));
            continue;
        }
        Row row;
        std::string_view wrong;
        for (std::size_t i = 0; i < fields.size(); ++i) {
            if (!layout.columns[i])
                continue;
            const Column c = *layout.columns[i];
            double value = 0;
            if (c == Asset) {
                row.asset = fields[i];
                row.has |= 1U << Asset;
            } else if (toNumber(fields[i], value)) {
                row.set(c, value);
            } else if (!fields[i].empty() || c == X || c == Y || c == Z) {
                wrong = kColumnNames[c];
                break;
            }
        }
        if (!wrong.empty())
            out.refuse(out.linesRead, fmt::format("{} is not a number", wrong));
        else
            reader.add(row, out.linesRead, out);
    }
}

/// Puts the rows of pieces together, in their order.
Rows joined(std::vector<Rows>& pieces, std::uint64_t before) {
    Rows out;
    std::size_t count = 0;
    for (const Rows& piece : pieces)
        count += piece.copies.size();
    out.copies.reserve(count);
    out.lines.reserve(count);
    out.linesRead = before;
    for (Rows& piece : pieces) {
        std::vector<std::uint32_t> to;
        for (const std::string& name : piece.names) {
            const auto known = std::find(out.names.begin(), out.names.end(), name);
            to.push_back(static_cast<std::uint32_t>(known - out.names.begin()));
            if (known == out.names.end())
                out.names.push_back(name);
        }
        for (std::size_t i = 0; i < piece.copies.size(); ++i) {
            out.copies.push_back(piece.copies[i]);
            out.copies.back().asset = to[piece.copies[i].asset];
            out.lines.push_back(out.linesRead + piece.lines[i]);
        }
        for (BadRow& row : piece.bad)
            if (out.bad.size() < kMostBadRows)
                out.bad.push_back({out.linesRead + row.line, std::move(row.reason)});
        out.badRows += piece.badRows;
        out.linesRead += piece.linesRead;
        piece = {};
    }
    return out;
}

/// Takes out those whose id another row has already.
void refuseTwice(Rows& rows) {
    if (std::none_of(rows.copies.begin(), rows.copies.end(), [](const Placement& p) { return p.id != 0; }))
        return;
    BigVector<std::uint64_t> keys;
    for (std::size_t i = 0; i < rows.copies.size(); ++i)
        if (rows.copies[i].id != 0)
            keys.push_back(std::uint64_t{rows.copies[i].id} << 32 | i);
    sortKeys(keys, {});
    std::vector<bool> twice(rows.copies.size(), false);
    bool any = false;
    for (std::size_t k = 1; k < keys.size(); ++k)
        if (keys[k] >> 32 == keys[k - 1] >> 32)
            any = twice[keys[k] & 0xFFFFFFFFU] = true;
    if (!any)
        return;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < rows.copies.size(); ++i) {
        if (twice[i]) {
            rows.refuse(rows.lines[i], fmt::format("id {} is there already", rows.copies[i].id));
            continue;
        }
        rows.copies[kept] = rows.copies[i];
        rows.lines[kept++] = rows.lines[i];
    }
    rows.copies.resize(kept);
    rows.lines.resize(kept);
    std::stable_sort(rows.bad.begin(), rows.bad.end(),
                     [](const BadRow& a, const BadRow& b) { return a.line < b.line; });
}

Result<Rows> readCsv(std::string_view text, const std::string& where, RowReader reader, std::vector<std::string>& notes,
                     const JobContext& job) {
    std::uint64_t before = 0;
    std::string_view first;
    while (!text.empty()) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        first = text.substr(0, end);
        if (first.size() > kLongestLine)
            return Error{ErrorCode::BadInput, where,
                         fmt::format("line {} is longer than {} bytes", before + 1, kLongestLine),
                         "check that it is a table of text with a row a line"};
        if (!first.empty() && first != "\r" && first.front() != '#')
            break;
        text.remove_prefix(std::min(end + 1, text.size()));
        ++before;
    }
    if (text.empty())
        return Error{ErrorCode::BadInput, where, "holds no rows", "check that it is the table that you mean"};
    auto layout = layoutOf(first, where, notes);
    if (!layout)
        return layout.error();
    if (layout->heading) {
        text.remove_prefix(std::min(first.size() + 1, text.size()));
        ++before;
    }
    constexpr std::size_t kPiece = std::size_t{1} << 20;
    std::vector<std::string_view> parts;
    while (!text.empty()) {
        std::size_t end = text.size() <= kPiece ? text.size() : text.find('\n', kPiece);
        end = end == std::string_view::npos ? text.size() : std::min(end + 1, text.size());
        parts.push_back(text.substr(0, end));
        text.remove_prefix(end);
    }
    std::vector<Rows> pieces(parts.size());
    const bool whole = parallelChunks(parts.size(), 1, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            readPiece(parts[i], *layout, reader, pieces[i]);
    });
    if (!whole)
        return cancelledError();
    return joined(pieces, before);
}

// ---- JSON

Rows readJson(const json::ordered_json& in, RowReader reader) {
    const json::ordered_json* items = &in;
    if (in.is_object())
        items = &json::list(in, "placements", "");
    if (!items->is_array())
        throw json::FieldError("is neither a list of placements nor an object with one");
    Rows out;
    for (const json::ordered_json& item : *items) {
        ++out.linesRead;
        Row row;
        std::string wrong = item.is_object() ? std::string() : "is not an object";
        const auto put = [&](const char* name, std::initializer_list<Column> columns) {
            if (!wrong.empty() || !item.contains(name))
                return;
            const json::ordered_json& value = item[name];
            const bool single = columns.size() == 1;
            if (single ? !value.is_number() : !value.is_array() || value.size() != columns.size()) {
                wrong = single ? fmt::format("{} is not a number", name)
                               : fmt::format("{} needs {} numbers", name, columns.size());
                return;
            }
            std::size_t i = 0;
            for (const Column c : columns) {
                const json::ordered_json& one = single ? value : value[i++];
                if (one.is_number())
                    row.set(c, one.get<double>());
                else
                    wrong = fmt::format("{} is not made of numbers", name);
            }
        };
        put("position", {X, Y, Z});
        put("rotation", {Qx, Qy, Qz, Qw});
        put("euler", {Rx, Ry, Rz});
        put("scale", {Scale});
        put("id", {Id});
        put("importance", {Importance});
        std::string name;
        if (wrong.empty() && item.contains("asset")) {
            if (item["asset"].is_string())
                name = item["asset"].get<std::string>();
            else
                wrong = "asset is not a name";
            row.asset = name;
            row.has |= 1U << Asset;
        }
        if (!wrong.empty())
            out.refuse(out.linesRead, std::move(wrong));
        else
            reader.add(row, out.linesRead, out);
    }
    return out;
}

} // namespace

std::string badRowsText(const PlacementTable& table, std::size_t most) {
    std::string out;
    for (std::size_t i = 0; i < std::min(most, table.bad.size()); ++i)
        out += fmt::format("{}line {} {}", i == 0 ? "" : "; ", table.bad[i].line, table.bad[i].reason);
    if (table.badRows > most)
        out += fmt::format("; and {} more", table.badRows - most);
    return out;
}

Result<PlacementTable> readPlacementTable(const std::filesystem::path& path, const TableOptions& options,
                                          const JobContext& job) {
    const std::string where = path.string();
    const auto axes = axesOf(options.eulerOrder);
    if (!axes)
        return Error{ErrorCode::BadInput, where, "“" + validUtf8(options.eulerOrder) + "” is no order of angles",
                     "name each of X, Y and Z once, such as YXZ"};
    job.report(0, "reading");
    auto data = readFile(path, kMostBytes);
    if (!data)
        return data.error();
    std::string_view text(reinterpret_cast<const char*>(data->data()), data->size());
    if (text.starts_with("\xFF\xFE") || text.starts_with("\xFE\xFF") ||
        text.substr(0, 256).find('\0') != std::string_view::npos)
        return Error{ErrorCode::BadInput, where, "is not text in UTF-8", "save it as UTF-8 and read it again"};
    if (text.starts_with("\xEF\xBB\xBF"))
        text.remove_prefix(3);
    PlacementTable out;
    const RowReader reader(options, *axes);
    const std::size_t begin = text.find_first_not_of(" \t\r\n");
    Result<Rows> rows = Rows();
    if (begin != std::string_view::npos && (text[begin] == '{' || text[begin] == '['))
        rows = json::decoded(where, "mend the table, or write it as CSV",
                             [&] { return readJson(json::parse(std::string(text)), reader); });
    else
        rows = readCsv(text, where, reader, out.notes, job.part(0.1, 0.9));
    if (!rows)
        return rows.error();
    refuseTwice(*rows);
    if (rows->copies.size() > kMostPlacements)
        return Error{ErrorCode::TooLarge, where,
                     fmt::format("holds {} placements, more than {}", rows->copies.size(), kMostPlacements),
                     "divide it into several fields"};
    out.assets = std::move(rows->names);
    out.copies = std::move(rows->copies);
    out.bad = std::move(rows->bad);
    out.badRows = rows->badRows;
    job.report(1, "reading");
    return out;
}

} // namespace thicket
