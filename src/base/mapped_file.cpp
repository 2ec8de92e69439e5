#include "base/mapped_file.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace thicket {
namespace {

/// Closes what it holds: a mapping outlives the descriptor that it was made of.
struct Descriptor {
    int number;
    ~Descriptor() {
        if (number >= 0)
            ::close(number);
    }
};

} // namespace

Result<std::shared_ptr<const MappedFile>> MappedFile::open(const std::filesystem::path& path) {
    const std::string where = path.string();
    const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
    struct stat info {};
    if (file.number < 0 || ::fstat(file.number, &info) != 0)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    if (!S_ISREG(info.st_mode) || info.st_size <= 0)
        return Error{ErrorCode::BadInput, where, "is empty or no file", "fetch or make it again"};
    const auto size = static_cast<std::size_t>(info.st_size);
    void* at = ::mmap(nullptr, size, PROT_READ, MAP_SHARED, file.number, 0);
    if (at == MAP_FAILED)
        return Error{ErrorCode::TooLarge, where, fmt::format("cannot be mapped ({})", std::strerror(errno)),
                     "close other programs"};
    return std::shared_ptr<const MappedFile>(new MappedFile(static_cast<std::byte*>(at), size));
}

Result<std::shared_ptr<MappedFile>> MappedFile::create(const std::filesystem::path& path, std::uint64_t size) {
    const std::string where = path.string();
    const Descriptor file{::open(path.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0644)};
    if (file.number < 0)
        return Error{ErrorCode::Unwritable, where, fmt::format("cannot be made ({})", std::strerror(errno)),
                     "check the rights of its folder"};
    const auto fails = [&](int why) {
        std::error_code ignored;
        std::filesystem::remove(path, ignored);
        return Error{
            ErrorCode::Unwritable, where,
            fmt::format("needs {:.1f} GB on the disk ({})", static_cast<double>(size) * 1e-9, std::strerror(why)),
            "make room, or keep the project on a larger disk"};
    };
    // Where a file system cannot set room aside, it is written full instead: not before it is known to be there.
    std::error_code unknown;
    const auto room = std::filesystem::space(path.has_parent_path() ? path.parent_path() : ".", unknown);
    if (!unknown && room.available < size)
        return fails(ENOSPC);
    if (const int problem = ::posix_fallocate(file.number, 0, static_cast<off_t>(size)); problem != 0)
        return fails(problem);
    void* at = ::mmap(nullptr, size, PROT_READ | PROT_WRITE, MAP_SHARED, file.number, 0);
    if (at == MAP_FAILED)
        return fails(errno);
    return std::shared_ptr<MappedFile>(new MappedFile(static_cast<std::byte*>(at), size));
}

Result<void> MappedFile::flush(const JobContext& job) {
    constexpr std::size_t kPiece = std::size_t{64} << 20; // whole pages
    for (std::size_t from = 0; from < m_size; from += kPiece) {
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(from) / static_cast<double>(m_size), "Writing to the disk");
        if (::msync(m_at + from, std::min(kPiece, m_size - from), MS_SYNC) != 0)
            return Error{ErrorCode::Unwritable, "", fmt::format("cannot be written ({})", std::strerror(errno)),
                         "check the disk"};
    }
    return {};
}

MappedFile::~MappedFile() {
    ::munmap(m_at, m_size);
}

} // namespace thicket
