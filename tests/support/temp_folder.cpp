#include "support/temp_folder.h"

#include <atomic>
#include <unistd.h>

namespace thicket {

TempFolder::TempFolder() {
    static std::atomic<int> serial{0};
    m_path = std::filesystem::temp_directory_path() /
             ("thicket-test-" + std::to_string(getpid()) + "-" + std::to_string(serial++));
    std::filesystem::create_directories(m_path);
}

TempFolder::~TempFolder() {
    std::error_code ec;
    std::filesystem::remove_all(m_path, ec);
}

} // namespace thicket
