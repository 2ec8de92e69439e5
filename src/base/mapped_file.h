#pragma once
// Files as memory: what is larger than the memory there is lies in a file, and the system holds what is looked at.

#include "base/job.h"
#include "base/result.h"

#include <cstddef>
#include <filesystem>
#include <memory>
#include <span>

namespace thicket {

/// A regular file in memory. What another program changes in it meanwhile is seen; one that is cut short while it is
/// open takes the program with it, so only files of the program's own making are opened this way.
class MappedFile {
public:
    /// To read.
    /// ERRORS     NotFound; BadInput when it is empty or no regular file.
    static Result<std::shared_ptr<const MappedFile>> open(const std::filesystem::path& path);
    /// A new file of `size` bytes, all 0, to write. Its room on the disk is taken at once, so that writing cannot fail.
    /// ERRORS     Unwritable: its folder cannot be written to, or has no room for it; nothing is left behind then.
    static Result<std::shared_ptr<MappedFile>> create(const std::filesystem::path& path, std::uint64_t size);

    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;
    ~MappedFile();

    /// Waits until all that was written to it is on the disk.
    /// ERRORS     Unwritable; Cancelled, soon after it was asked for.
    Result<void> flush(const JobContext& job);
    [[nodiscard]] std::span<const std::byte> bytes() const { return {m_at, m_size}; }
    [[nodiscard]] std::span<std::byte> bytes() { return {m_at, m_size}; }

private:
    MappedFile(std::byte* at, std::size_t size) : m_at(at), m_size(size) {}
    std::byte* m_at;
    std::size_t m_size;
};

} // namespace thicket
