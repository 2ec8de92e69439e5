#include "base/file.h"

#include <atomic>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>
#include <xxhash.h>

namespace thicket {
namespace fs = std::filesystem;

Result<std::vector<std::byte>> readFile(const fs::path& path) {
    std::error_code ec;
    if (!fs::exists(path, ec))
        return Error{ErrorCode::NotFound, path.string(), "no such file", "check the path"};
    if (fs::is_directory(path, ec))
        return Error{ErrorCode::BadInput, path.string(), "this is a folder, not a file", "name a file in it"};
    std::ifstream in(path, std::ios::binary | std::ios::ate);
    if (!in)
        return Error{ErrorCode::BadInput, path.string(), "cannot be read", "check the permissions"};
    const auto size = in.tellg();
    if (size < 0)
        return Error{ErrorCode::BadInput, path.string(), "cannot be read", "name a regular file"};
    std::vector<std::byte> data(static_cast<std::size_t>(size));
    in.seekg(0);
    in.read(reinterpret_cast<char*>(data.data()), size);
    if (in.gcount() != size)
        return Error{ErrorCode::BadInput, path.string(), "reading stopped half-way", "check the disk and try again"};
    return data;
}

Result<std::string> readTextFile(const fs::path& path) {
    auto data = readFile(path);
    if (!data)
        return data.error();
    return std::string(reinterpret_cast<const char*>(data->data()), data->size());
}

Result<void> writeFile(const fs::path& path, std::span<const std::byte> data) {
    static std::atomic<unsigned> serial{0};
    std::error_code ec;
    if (path.has_parent_path())
        fs::create_directories(path.parent_path(), ec);
    const fs::path temporary =
        path.parent_path() / fmt::format(".{}.{}-{}.part", path.filename().string(), getpid(), serial++);
    const auto fail = [&](const char* what) {
        std::error_code ignored;
        fs::remove(temporary, ignored);
        return Error{ErrorCode::Unwritable, path.string(), what,
                     "check that the folder exists, is writable and has space"};
    };
    {
        std::ofstream out(temporary, std::ios::binary);
        if (!out)
            return fail("cannot be written");
        out.write(reinterpret_cast<const char*>(data.data()), static_cast<std::streamsize>(data.size()));
        out.flush();
        if (!out)
            return fail("writing stopped half-way");
    }
    fs::rename(temporary, path, ec);
    if (ec)
        return fail("cannot be replaced");
    return {};
}

Result<void> writeTextFile(const fs::path& path, const std::string& text) {
    return writeFile(path, std::as_bytes(std::span(text)));
}

std::string contentHash(std::span<const std::byte> data) {
    const XXH128_hash_t hash = XXH3_128bits(data.data(), data.size());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

} // namespace thicket
