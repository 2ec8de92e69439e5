#include "io/json/device_json.h"

#include <fmt/format.h>

namespace thicket::json {

ordered_json encodeFigures(const Device& d) {
    return {{"name", d.name},
            {"frameMs", d.frameMs},
            {"frameRate", d.frameRate},
            {"triangleBudget", d.triangleBudget},
            {"drawBudget", d.drawBudget},
            {"nsPerTriangle", d.nsPerTriangle},
            {"nsPerVertex", d.nsPerVertex},
            {"usPerDraw", d.usPerDraw},
            {"nsPerPixel", d.nsPerPixel},
            {"overdraw", d.overdraw},
            {"baseMs", d.baseMs},
            {"memoryMb", d.memoryMb},
            {"aheadSeconds", d.aheadSeconds},
            {"detail", d.detail},
            {"tier", d.tier},
            {"source", d.source}};
}

ordered_json encode(const Device& d) {
    ordered_json out = encodeFigures(d);
    for (const auto& [subject, times] : d.fitted)
        out["fitted"].push_back({{"subject", subject}, {"times", times}});
    return out;
}

Device decodeDevice(const ordered_json& in, const std::string& path) {
    Device d;
    d.name = string(in, "name", path);
    d.frameMs = number(in, "frameMs", path, 0.01, 10000);
    d.frameRate = number(in, "frameRate", path, 1, 1000);
    constexpr std::uint64_t kMost = 1'000'000'000'000;
    d.triangleBudget = integer<std::uint64_t>(in, "triangleBudget", path, 1, kMost);
    d.drawBudget = integer<std::uint64_t>(in, "drawBudget", path, 1, kMost);
    d.nsPerTriangle = number(in, "nsPerTriangle", path, 0, 1e6);
    d.nsPerVertex = number(in, "nsPerVertex", path, 0, 1e6);
    d.usPerDraw = number(in, "usPerDraw", path, 0, 1e6);
    d.nsPerPixel = number(in, "nsPerPixel", path, 0, 1e6);
    d.overdraw = number(in, "overdraw", path, 0, 1000);
    d.baseMs = number(in, "baseMs", path, 0, 10000);
    d.detail = number(in, "detail", path, 0.01, 100, 1);
    d.memoryMb = number(in, "memoryMb", path, 0, 1e9, 0);
    d.aheadSeconds = number(in, "aheadSeconds", path, 0, 1e6, 0);
    d.tier = integer<int>(in, "tier", path, 0, 7, 0);
    d.source = string(in, "source", path, "entered");
    if (in.contains("fitted")) {
        const ordered_json& fitted = list(in, "fitted", path);
        for (std::size_t i = 0; i < fitted.size(); ++i) {
            const std::string at = fmt::format("{}fitted[{}].", path, i);
            d.fitted[integer<std::uint32_t>(fitted[i], "subject", at, 1, ~0U)] =
                number(fitted[i], "times", at, 1, 1000);
        }
    }
    return d;
}

} // namespace thicket::json
