#include "io/import/other_claims.h"

#include <cstdint>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <sstream>
#include <vector>

namespace thicket::detail {
namespace fs = std::filesystem;
namespace {

/// Whether some line has at least so many letters.
bool hasLongLine(std::istream& in, std::size_t least) {
    std::vector<char> block(std::size_t{1} << 20);
    std::size_t length = 0; // of the line so far
    while (in.read(block.data(), static_cast<std::streamsize>(block.size())) || in.gcount() > 0) {
        const char* at = block.data();
        const char* const end = at + in.gcount();
        while (const void* newline = std::memchr(at, '\n', static_cast<std::size_t>(end - at))) {
            if (length + static_cast<std::size_t>(static_cast<const char*>(newline) - at) >= least)
                return true;
            at = static_cast<const char*>(newline) + 1;
            length = 0;
        }
        length += static_cast<std::size_t>(end - at);
    }
    return length >= least;
}

/// Of an OBJ: the import library's triangles of a polygon take the square of its corners, so no face may have very many.
Result<void> checkFaces(std::istream& in, const fs::path& path) {
    constexpr std::size_t kMostCorners = 4096;
    if (!hasLongLine(in, 2 * kMostCorners))
        return {};
    in.clear();
    in.seekg(0);
    std::string line;
    for (std::size_t number = 1; std::getline(in, line); ++number) {
        if (line.size() < 2 * kMostCorners || line[0] != 'f')
            continue;
        std::size_t corners = 0;
        for (std::size_t i = 1; i < line.size(); ++i)
            corners += line[i] != ' ' && line[i] != '\t' && (line[i - 1] == ' ' || line[i - 1] == '\t') ? 1 : 0;
        if (corners > kMostCorners)
            return Error{ErrorCode::BadInput, path.string(),
                         fmt::format("line {} is a face of {} corners, more than the {} that are read", number, corners,
                                     kMostCorners),
                         "triangulate it before it is exported"};
    }
    return {};
}

} // namespace

Result<void> checkClaims(const fs::path& path, const std::string& suffix) {
    std::ifstream in(path, std::ios::binary | std::ios::ate);
    const auto size = static_cast<double>(in.tellg());
    in.seekg(0);
    const auto lying = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, path.string(), what, "the file is cut short or damaged; export it again"};
    };
    if (suffix == ".stl") {
        char head[84] = {};
        in.read(head, sizeof head);
        if (in.gcount() < 15)
            return lying("is too short for an STL file");
        const bool text = std::string(head, 5) == "solid";
        std::uint32_t count = 0;
        std::memcpy(&count, head + 80, 4);
        if (!text && in.gcount() == 84 && 84.0 + 50.0 * count > size)
            return lying(fmt::format("claims {} triangles, more than the file holds", count));
    }
    if (suffix == ".obj")
        return checkFaces(in, path);
    if (suffix == ".ply") {
        std::string line;
        double least = 0;
        double count = 0;
        bool ended = false;
        bool text = false;
        for (int i = 0; i < 256 && std::getline(in, line); ++i) {
            std::istringstream words(line);
            std::string first;
            std::string second;
            words >> first >> second;
            if (i == 0 && first != "ply")
                return lying("does not begin as a PLY file");
            if (first == "format")
                text = second == "ascii";
            if (first == "element") {
                words >> count;
                if (!(count >= 0) || count > 4e9)
                    return lying("claims an element count that cannot be");
            }
            if (first == "property")
                least +=
                    count *
                    (second == "list" || second == "char" || second == "uchar" || second == "int8" || second == "uint8"
                         ? 1
                     : second == "short" || second == "ushort" || second == "int16" || second == "uint16" ? 2
                     : second == "double" || second == "float64"                                          ? 8
                                                                                                          : 4) *
                    (text ? 0.25 : 1.0);
            if (first == "end_header") {
                ended = true;
                break;
            }
        }
        if (!ended)
            return lying("has no end of its header");
        if (least > size)
            return lying("claims more elements than the file holds");
    }
    return {};
}

} // namespace thicket::detail
