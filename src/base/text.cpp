#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <utf8.h>

namespace thicket {

std::string grouped(std::int64_t value) {
    std::string digits =
        std::to_string(value < 0 ? 0 - static_cast<std::uint64_t>(value) : static_cast<std::uint64_t>(value));
    for (int i = static_cast<int>(digits.size()) - 3; i > 0; i -= 3)
        digits.insert(static_cast<std::size_t>(i), ",");
    return value < 0 ? "-" + digits : digits;
}

std::string shortCount(double value) {
    if (value < 1000)
        return fmt::format("{:.0f}", value);
    if (value < 9950)
        return fmt::format("{:.1f} k", value / 1e3);
    if (value < 999500)
        return fmt::format("{:.0f} k", value / 1e3);
    return fmt::format("{:.2f} M", value / 1e6);
}

std::string figure(double value, int digits) {
    const double size = std::abs(value);
    if (!(size >= 1e-6))
        return "0";
    const int before = static_cast<int>(std::floor(std::log10(size) + 1e-12)) + 1;
    std::string text = fmt::format("{:.{}f}", value, std::clamp(digits - before, 0, 9));
    if (const auto point = text.find('.'); point != std::string::npos) {
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.')
            text.pop_back();
        return text;
    }
    return size < 1e15 ? grouped(std::llround(value)) : text;
}

std::string length(double metres) {
    const double size = std::abs(metres);
    if (size == 0)
        return "0 mm";
    if (size < 0.00095)
        return fmt::format("{:.2f} mm", metres * 1e3);
    if (size < 0.00995)
        return fmt::format("{:.1f} mm", metres * 1e3);
    if (size < 0.995)
        return fmt::format("{:.0f} mm", metres * 1e3);
    if (size < 9.95)
        return fmt::format("{:.2f} m", metres);
    if (size < 99.5)
        return fmt::format("{:.1f} m", metres);
    if (size < 1e6)
        return grouped(std::llround(metres)) + " m";
    return size < 1e18 ? grouped(std::llround(metres / 1e3)) + " km" : fmt::format("{:.3g} km", metres / 1e3);
}

std::string pixels(double px) {
    return px < 9.95 ? fmt::format("{:.2f} px", px) : fmt::format("{:.0f} px", px);
}

std::string memorySize(double bytes) {
    if (bytes < 1e3)
        return fmt::format("{:.0f} B", bytes);
    if (bytes < 1e6)
        return fmt::format("{:.1f} kB", bytes / 1e3);
    if (bytes < 1e9)
        return fmt::format("{:.1f} MB", bytes / 1e6);
    return fmt::format("{:.2f} GB", bytes / 1e9);
}

std::string validUtf8(std::string_view text) {
    std::string out;
    out.reserve(text.size());
    while (true) {
        const auto bad = static_cast<std::size_t>(utf8::find_invalid(text.begin(), text.end()) - text.begin());
        out += text.substr(0, bad);
        if (bad == text.size())
            return out;
        out += "\xEF\xBF\xBD";
        text.remove_prefix(bad + 1);
    }
}

std::uint32_t hashId(std::uint32_t id) {
    id ^= id >> 16;
    id *= 0x7feb352dU;
    id ^= id >> 15;
    id *= 0x846ca68bU;
    id ^= id >> 16;
    return id;
}

double hashShare(std::uint32_t id) {
    return hashId(id) / 4294967296.0;
}

} // namespace thicket
