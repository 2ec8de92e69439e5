#include "base/memory.h"

#include "base/text.h"

#include <fstream>

namespace thicket {

std::optional<std::uint64_t> availableMemory() {
    std::ifstream in("/proc/meminfo");
    std::string name;
    std::uint64_t kilobytes = 0;
    std::string unit;
    while (in >> name >> kilobytes && std::getline(in, unit))
        if (name == "MemAvailable:")
            return kilobytes * 1024;
    return std::nullopt;
}

Result<void> checkMemory(double needed, std::optional<std::uint64_t> available, const std::string& what) {
    if (!available || needed <= static_cast<double>(*available))
        return {};
    return Error{ErrorCode::TooLarge, "",
                 what + " needs about " + memorySize(needed) + ", and " + memorySize(static_cast<double>(*available)) +
                     " are free",
                 "split the mesh, or close what else is open"};
}

} // namespace thicket
