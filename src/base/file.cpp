#include "base/file.h"

#include <atomic>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>
#include <xxhash.h>

namespace thicket {
namespace fs = std::filesystem;

std::filesystem::path fullPath(const std::filesystem::path& path) {
    return path.empty() ? std::filesystem::current_path() : std::filesystem::absolute(path).lexically_normal();
}

Result<std::vector<std::byte>> readFile(const fs::path& path, std::uintmax_t most) {
    std::error_code ec;
    if (!fs::exists(path, ec))
        return Error{ErrorCode::NotFound, path.string(), "no such file", "check the path"};
    if (fs::is_directory(path, ec))
        return Error{ErrorCode::BadInput, path.string(), "this is a folder, not a file", "name a file in it"};
    if (!fs::is_regular_file(path, ec))
        return Error{ErrorCode::BadInput, path.string(), "this is a pipe or a device, not a file",
                     "name a regular file"};
    if (const auto bytes = fs::file_size(path, ec); !ec && bytes > most)
        return Error{ErrorCode::TooLarge, path.string(),
                     fmt::format("is {:.1f} GB large, more than the {:.1f} GB that can be read",
                                 static_cast<double>(bytes) * 1e-9, static_cast<double>(most) * 1e-9),
                     "split it"};
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

Result<fs::path> referencedFile(const fs::path& folder, const std::string& reference, std::uintmax_t most) {
    const auto refused = [&](ErrorCode code, const char* what) {
        return Error{code, reference, what, "put it beside the file that names it"};
    };
    const fs::path asked(reference);
    if (reference.empty() || asked.is_absolute())
        return refused(ErrorCode::BadInput, "is not a file inside the folder of the file that names it");
    std::error_code ec;
    const fs::path root = fs::canonical(folder.empty() ? fs::path(".") : folder, ec);
    if (ec)
        return refused(ErrorCode::NotFound, "its folder was not found");
    const fs::path whole = fs::canonical(root / asked, ec);
    if (ec) {
        const fs::path meant = (root / asked).lexically_normal().lexically_relative(root);
        return *meant.begin() == ".."
                   ? refused(ErrorCode::BadInput, "leads out of the folder of the file that names it")
                   : refused(ErrorCode::NotFound, "was not found");
    }
    const fs::path inside = whole.lexically_relative(root);
    if (inside.empty() || *inside.begin() == "..")
        return refused(ErrorCode::BadInput, "leads out of the folder of the file that names it");
    if (!fs::is_regular_file(whole, ec))
        return refused(ErrorCode::BadInput, "is no regular file");
    if (const auto bytes = fs::file_size(whole, ec); ec || bytes > most)
        return refused(ErrorCode::TooLarge, "is larger than what can be read");
    return whole;
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
