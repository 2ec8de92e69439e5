// What moves the switches of a whole scene: the stated view, detail, importance, speed, what the engine can hide.

#include "appmodel/workbench.h"

#include <algorithm>
#include <numbers>

namespace thicket::app {

void Workbench::setStatedView(double fovDegrees, int lines) {
    auto settings = settingsOf(scene());
    settings.view.fovY = fovDegrees * std::numbers::pi / 180;
    settings.view.lines = lines;
    document.push(changeSettings(scene(), settings, "Change the stated view", "stated-view"));
}

void Workbench::setPlanes(double nearest, double farthest) {
    auto settings = settingsOf(scene());
    settings.view.nearMetres = nearest;
    settings.view.farMetres = std::max(farthest, 2 * nearest);
    document.push(changeSettings(scene(), settings, "Change the near and far planes"));
}

void Workbench::keepStatedView(const QString& name) {
    const NamedView own{name.toStdString(), scene().view.fovY * 180 / std::numbers::pi, scene().view.lines};
    auto settings = settingsOf(scene());
    std::erase_if(settings.ownViews, [&own](const NamedView& v) { return v.name == own.name; });
    settings.ownViews.push_back(own);
    document.push(changeSettings(scene(), settings, "Keep a view"));
}

void Workbench::dropStatedView(const QString& name) {
    auto settings = settingsOf(scene());
    if (std::erase_if(settings.ownViews, [&name](const NamedView& v) { return v.name == name.toStdString(); }) > 0)
        document.push(changeSettings(scene(), settings, "Drop a view"));
}

void Workbench::setDetail(double factor) {
    auto settings = settingsOf(scene());
    settings.view.detail = factor;
    document.push(changeSettings(scene(), settings, "Change the detail"));
}

void Workbench::setDeviceDetail(double factor) {
    auto settings = settingsOf(scene());
    if (settings.device >= settings.devices.size())
        return;
    settings.devices[settings.device].detail = factor;
    document.push(changeSettings(scene(), settings, "Change the detail of a device"));
}

void Workbench::setCopyImportance(std::uint32_t placement, double factor) {
    PlacementsEdit edit{scene().placements, scene().placements};
    for (Placement& p : edit.after)
        if (p.id == placement)
            p.importance = factor;
    document.push({"Change the importance of a copy", {std::move(edit)}, {}});
}

void Workbench::setHalfSpeed(double metresPerSecond) {
    auto settings = settingsOf(scene());
    settings.halfSpeed = metresPerSecond;
    document.push(changeSettings(scene(), settings, "Change what speed does"));
}

void Workbench::setCullHidden(bool on) {
    auto settings = settingsOf(scene());
    settings.cullHidden = on;
    document.push(changeSettings(scene(), settings, on ? "Cull what is hidden" : "Draw what is hidden"));
}

} // namespace thicket::app
