#include "io/ship/ship_devices.h"

#include "base/file.h"
#include "io/json/fields.h"

#include <algorithm>

namespace thicket {

std::string encodeDeviceFactors(const Scene& scene, const std::map<std::uint32_t, std::string>& names) {
    json::ordered_json devices = json::ordered_json::array();
    for (const Device& device : scene.settings.devices) {
        json::ordered_json subjects = json::ordered_json::array();
        for (const auto& [id, times] : device.fitted)
            if (const auto name = names.find(id); name != names.end())
                subjects.push_back({{"name", name->second}, {"times", times}});
        devices.push_back(
            {{"name", device.name}, {"detail", device.detail}, {"tier", device.tier}, {"subjects", subjects}});
    }
    return json::text(
               json::ordered_json{{"format", "lean-thicket-device-factors"}, {"version", 1}, {"devices", devices}}, 2) +
           "\n";
}

Result<void> shipDevices(const Scene& scene, const std::map<std::uint32_t, std::string>& names,
                         const std::filesystem::path& folder, ShipReport& report) {
    const auto& devices = scene.settings.devices;
    if (std::none_of(devices.begin(), devices.end(),
                     [](const Device& d) { return !d.fitted.empty() || d.detail != 1 || d.tier != 0; }))
        return {};
    const std::filesystem::path file = folder / "devices.json";
    const std::string text = encodeDeviceFactors(scene, names);
    if (auto done = writeTextFile(file, text); !done)
        return done;
    const auto back = readTextFile(file);
    if (!back || *back != text)
        return Error{ErrorCode::CheckFailed, file.string(), "read back, it differs", "check the disk"};
    report.files.push_back({file, text.size(), true});
    return {};
}

} // namespace thicket
