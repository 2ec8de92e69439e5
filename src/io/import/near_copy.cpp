#include "io/import/near_copy.h"

#include "base/text.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <sstream>
#include <string_view>
#include <vector>

namespace thicket::detail {
namespace {
namespace fs = std::filesystem;

/// What can be read of it: nothing where the file has gone meanwhile.
std::string wholeFile(const fs::path& path) {
    std::error_code ec;
    const auto size = fs::file_size(path, ec);
    std::string data(ec ? 0 : static_cast<std::size_t>(size), '\0');
    std::ifstream in(path, std::ios::binary);
    in.read(data.data(), static_cast<std::streamsize>(data.size()));
    data.resize(static_cast<std::size_t>(in.gcount()));
    return data;
}

bool isBlank(char c) {
    return c == ' ' || c == '\t' || c == '\r';
}

/// The number at `at`, which then stands behind it; nothing where there is none on this line.
std::optional<double> numberAt(const char*& at, const char* end) {
    while (at < end && (isBlank(*at) || *at == '+'))
        ++at;
    double value = 0;
    const auto [behind, fault] = std::from_chars(at, end, value);
    if (fault != std::errc{})
        return std::nullopt;
    at = behind;
    return value;
}

std::optional<Vec3d> shiftFor(const Vec3d& first) {
    if (!first.allFinite() || first.norm() <= kFarFromOrigin)
        return std::nullopt;
    return Vec3d(-first.array().round());
}

/// A line's end in the text: at its newline or the text's end.
const char* lineEnd(const char* at, const char* end) {
    const void* newline = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
    return newline == nullptr ? end : static_cast<const char*>(newline);
}

/// Writes a line with three of its numbers moved: those that begin at token `axis[k]`.
void writeMoved(const char* line, const char* end, const std::array<int, 3>& axis, const Vec3d& shift,
                std::string& out) {
    int token = 0;
    const char* at = line;
    while (at < end) {
        const char* begin = at;
        while (at < end && isBlank(*at))
            ++at;
        out.append(begin, at);
        begin = at;
        while (at < end && !isBlank(*at))
            ++at;
        const auto place = std::find(axis.begin(), axis.end(), token++);
        const char* number = begin;
        const auto value = place == axis.end() ? std::nullopt : numberAt(number, at);
        if (value)
            fmt::format_to(std::back_inserter(out), "{:.9g}", *value + shift[place - axis.begin()]);
        else
            out.append(begin, at);
    }
}

bool isPoint(const char* line, const char* end) {
    while (line < end && isBlank(*line))
        ++line;
    return end - line > 2 && line[0] == 'v' && isBlank(line[1]);
}

std::optional<NearCopy> nearObj(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::string line;
    std::optional<Vec3d> shift;
    while (std::getline(in, line))
        if (isPoint(line.data(), line.data() + line.size())) {
            const char* at = line.data() + line.find('v') + 1;
            const char* end = line.data() + line.size();
            Vec3d first;
            for (int k = 0; k < 3; ++k)
                first[k] = numberAt(at, end).value_or(0);
            shift = shiftFor(first);
            break;
        }
    if (!shift)
        return std::nullopt;
    in.close();
    const std::string data = wholeFile(path);
    NearCopy copy{{}, *shift};
    copy.data.reserve(data.size());
    const char* end = data.data() + data.size();
    for (const char* at = data.data(); at < end;) {
        const char* stop = lineEnd(at, end);
        if (isPoint(at, stop))
            writeMoved(at, stop, {1, 2, 3}, *shift, copy.data);
        else
            copy.data.append(at, stop);
        if (stop < end)
            copy.data += '\n';
        at = stop + 1;
    }
    return copy;
}

struct PlyPoints {
    std::string format;
    std::size_t count = 0;
    std::size_t begin = 0;           ///< of the data, in bytes
    std::array<int, 3> token{};      ///< of x, y, z in a line
    std::array<std::size_t, 3> at{}; ///< bytes into a point
    std::size_t stride = 0;
    bool asDouble = true; ///< all three
};

/// Nothing where the points are not the file's first element or are not described as they should be.
std::optional<PlyPoints> plyPoints(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    PlyPoints p;
    std::string line;
    std::string element;
    int tokens = 0;
    int found = 0;
    while (std::getline(in, line)) {
        std::istringstream words(line);
        std::string first;
        std::string second;
        std::string name;
        words >> first >> second >> name;
        if (first == "format")
            p.format = second;
        if (first == "element") {
            if (element.empty() && second != "vertex")
                return std::nullopt;
            if (second == "vertex")
                std::from_chars(name.data(), name.data() + name.size(), p.count);
            element = second;
        }
        if (first == "property" && element == "vertex") {
            const bool wide = second == "double" || second == "float64";
            const std::size_t bytes =
                wide                                                                                 ? 8
                : second == "char" || second == "uchar" || second == "int8" || second == "uint8"     ? 1
                : second == "short" || second == "ushort" || second == "int16" || second == "uint16" ? 2
                : second == "list"                                                                   ? 0
                                                                                                     : 4;
            if (bytes == 0)
                return std::nullopt;
            if (const std::size_t k = std::string_view("xyz").find(name); name.size() == 1 && k < 3) {
                p.token[k] = tokens;
                p.at[k] = p.stride;
                p.asDouble &= wide;
                ++found;
            }
            p.stride += bytes;
            ++tokens;
        }
        if (first == "end_header") {
            const auto begin = static_cast<std::streamoff>(in.tellg()); // negative at the file's end
            p.begin = static_cast<std::size_t>(begin);
            return found == 3 && p.count > 0 && begin > 0 ? std::optional(p) : std::nullopt;
        }
    }
    return std::nullopt;
}

double doubleAt(const char* at, bool swapped) {
    std::array<char, 8> bytes{};
    std::copy_n(at, 8, bytes.begin());
    if (swapped)
        std::reverse(bytes.begin(), bytes.end());
    double value = 0;
    std::memcpy(&value, bytes.data(), 8);
    return value;
}

void writeDouble(double value, char* at, bool swapped) {
    std::memcpy(at, &value, 8);
    if (swapped)
        std::reverse(at, at + 8);
}

std::optional<NearCopy> nearPly(const fs::path& path) {
    const auto points = plyPoints(path);
    if (!points)
        return std::nullopt;
    const bool text = points->format == "ascii";
    const bool swapped = points->format == "binary_big_endian";
    if (!text && !points->asDouble)
        return std::nullopt;
    std::ifstream in(path, std::ios::binary);
    in.seekg(static_cast<std::streamoff>(points->begin));
    Vec3d first = Vec3d::Zero();
    if (text) {
        std::string line;
        std::getline(in, line);
        const char* at = line.data();
        const char* end = line.data() + line.size();
        for (int token = 0; at < end; ++token) {
            const auto value = numberAt(at, end);
            if (!value)
                break;
            for (std::size_t k = 0; k < 3; ++k)
                if (points->token[k] == token)
                    first[static_cast<int>(k)] = *value;
        }
    } else {
        std::vector<char> point(points->stride);
        in.read(point.data(), static_cast<std::streamsize>(point.size()));
        for (std::size_t k = 0; k < 3 && in; ++k)
            first[static_cast<int>(k)] = doubleAt(point.data() + points->at[k], swapped);
    }
    const auto shift = shiftFor(first);
    if (!shift)
        return std::nullopt;
    in.close();
    NearCopy copy{wholeFile(path), *shift};
    if (copy.data.size() < points->begin)
        return std::nullopt;
    if (!text) {
        const std::size_t whole = std::min(points->count, (copy.data.size() - points->begin) / points->stride);
        for (std::size_t i = 0; i < whole; ++i)
            for (std::size_t k = 0; k < 3; ++k) {
                char* at = copy.data.data() + points->begin + i * points->stride + points->at[k];
                writeDouble(doubleAt(at, swapped) + (*shift)[static_cast<int>(k)], at, swapped);
            }
        return copy;
    }
    const std::string data = std::move(copy.data);
    copy.data.assign(data, 0, points->begin);
    copy.data.reserve(data.size());
    const char* end = data.data() + data.size();
    const char* at = data.data() + points->begin;
    for (std::size_t i = 0; i < points->count && at < end; ++i) {
        const char* stop = lineEnd(at, end);
        writeMoved(at, stop, points->token, *shift, copy.data);
        if (stop < end)
            copy.data += '\n';
        at = std::min(stop + 1, end);
    }
    copy.data.append(at, end);
    return copy;
}

} // namespace

std::string movedNote(const Vec3d& shift) {
    return fmt::format("stood {} from the origin; moved by {:.0f}, {:.0f}, {:.0f} m so that nothing is rounded away",
                       length(shift.norm()), shift.x(), shift.y(), shift.z());
}

std::optional<NearCopy> nearCopyOf(const fs::path& path, const std::string& suffix) {
    return suffix == ".obj" ? nearObj(path) : suffix == ".ply" ? nearPly(path) : std::nullopt;
}

} // namespace thicket::detail
