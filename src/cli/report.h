#pragma once
// What commands print and measure alike.

#include "cli/commands.h"

#include <chrono>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {

inline void print(const Console& console, const nlohmann::ordered_json& value) {
    console.out << value.dump(1, ' ', false, nlohmann::ordered_json::error_handler_t::replace) << '\n';
}

inline double msSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
}

} // namespace thicket::cli
