#include "io/project/device_file.h"

#include "base/file.h"
#include "io/json/device_json.h"

#include <fmt/format.h>

namespace thicket {
namespace {

constexpr const char* kDevicesFormat = "lean-thicket-devices";
constexpr int kDevicesVersion = 1;
constexpr std::size_t kMostDevices = 1000;

} // namespace

Result<void> writeDevices(const std::vector<Device>& devices, const std::filesystem::path& path) {
    json::ordered_json out{
        {"format", kDevicesFormat}, {"version", kDevicesVersion}, {"devices", json::ordered_json::array()}};
    for (const Device& device : devices)
        out["devices"].push_back(json::encodeFigures(device));
    return writeTextFile(path, json::text(out, 2) + "\n");
}

Result<std::vector<Device>> readDevices(const std::filesystem::path& path) {
    auto text = readTextFile(path);
    if (!text)
        return text.error();
    return json::decoded(path.string(), "give a file of devices that was exported here", [&text] {
        const json::ordered_json in = json::parse(*text);
        if (json::string(in, "format", "") != kDevicesFormat)
            throw json::FieldError("format: is not that of devices");
        if (json::integer<int>(in, "version", "", 1, 1'000'000) > kDevicesVersion)
            throw json::FieldError("version: is from a later release");
        const json::ordered_json& list = json::list(in, "devices", "");
        if (list.empty() || list.size() > kMostDevices)
            throw json::FieldError(fmt::format("devices: holds {}; 1 to {} can be", list.size(), kMostDevices));
        std::vector<Device> out;
        for (std::size_t i = 0; i < list.size(); ++i) {
            out.push_back(json::decodeDevice(list[i], fmt::format("devices[{}].", i)));
            out.back().fitted.clear();
        }
        return out;
    });
}

} // namespace thicket
