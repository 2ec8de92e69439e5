#pragma once
// The reader: a program of its own that looks at what may be damaged or hostile. What goes wrong there ends that process
// and gives an error here.

#include "base/job.h"
#include "base/result.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace thicket::detail {

/// Starts the reader and returns what it wrote. It may read, and nothing else: memory, time on the processor and on the
/// clock are bounded by `inputBytes`, and where the kernel can filter calls it has neither network nor other programs nor
/// files to write.
/// arguments  besides its name.
/// input      what it reads from its standard input.
/// where      names what is read in errors.
/// ERRORS     Cancelled, at once; NotFound: it is not beside this program; TooLarge: the system has no room; BadInput: it
///            broke off, or took too long.
Result<std::vector<char>> askReader(const std::vector<std::string>& arguments, const std::vector<char>& input,
                                    std::uint64_t inputBytes, const std::filesystem::path& where,
                                    const JobContext& job);

/// Of the reader itself: takes from it what it needs no more.
void fenceIn(std::uint64_t inputBytes);
/// Everything to a file; false when it cannot be written.
bool sendAll(int fd, const char* data, std::size_t size);
/// Everything that a file holds from here on.
std::vector<char> receiveAll(int fd);

} // namespace thicket::detail
