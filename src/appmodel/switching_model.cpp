#include "appmodel/switching_model.h"

#include "appmodel/text.h"
#include "scene/kinds.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::app {

int SwitchingModel::overAllowance() const {
    constexpr double kSlack = 1.01; // what rounding a typed number may cost
    const View stated = scene().statedView();
    int over = 0;
    for (const Subject& s : scene().subjects) {
        if (!s.isMesh())
            continue;
        const ResolvedChain chain = chainOf(s, stated);
        for (std::size_t i = 1; i < chain.levels.size(); ++i)
            over += thicket::overAllowance(
                        chain.rule,
                        pixelError(stated, chain.levels[i].deviationMetres, chain.fromMetres[i]) * chain.detail, kSlack)
                        ? 1
                        : 0;
    }
    return over;
}

const Subject* SwitchingModel::withSwitch(std::uint32_t id, int level) const {
    const Subject* found = scene().find(id);
    const auto chain = found != nullptr ? ownChainOf(*found, scene().statedView()) : std::nullopt;
    return chain && level >= 1 && level < static_cast<int>(chain->levels.size()) ? found : nullptr;
}

void SwitchingModel::edit(const Subject& after, const std::string& label, const QString& mergeKey) {
    m_session.document.push(changeSubject(scene(), after, label, mergeKey.toStdString()));
}

void SwitchingModel::edit(const Settings& after, const std::string& label, const std::string& mergeKey) {
    m_session.document.push(changeSettings(scene(), after, label, mergeKey));
}

void SwitchingModel::setRule(std::uint32_t id, const SwitchRule& rule, const QString& label, const QString& mergeKey) {
    const Subject* found = scene().find(id);
    if (found == nullptr)
        return;
    Subject after = *found;
    after.rule = rule;
    edit(after, label.toStdString(), mergeKey);
}

void SwitchingModel::setSwitchDistance(std::uint32_t id, int level, double metres, const QString& mergeKey) {
    const Subject* found = withSwitch(id, level);
    if (found == nullptr)
        return;
    Subject after = *found;
    const View view = scene().statedView();
    const ResolvedChain chain = *ownChainOf(after, view);
    const auto at = static_cast<std::size_t>(level);
    const double low = at > 1 ? chain.fromMetres[at - 1] * 1.001 : 0.01;
    const double high = at + 1 < chain.fromMetres.size() ? chain.fromMetres[at + 1] * 0.999 : 1e7;
    // What is off by nothing, as smoke is, has no pixels to be decided by.
    const DecideBy unit = after.rule.decideBy == DecideBy::PixelError && chain.levels[at].deviationMetres <= 0
                              ? DecideBy::Distance
                              : after.rule.decideBy;
    setFixed(
        after, at,
        fixAt(unit, std::clamp(metres, std::min(low, high), high), chain.levels[at], after.rule, chain.radius, view));
    edit(after, "Move a switch of " + after.name, mergeKey);
}

void SwitchingModel::clearSwitch(std::uint32_t id, int level) {
    const Subject* found = withSwitch(id, level);
    if (found == nullptr)
        return;
    Subject after = *found;
    setFixed(after, static_cast<std::size_t>(level), std::nullopt);
    edit(after, "Follow the allowance again");
}

void SwitchingModel::setDecideBy(std::uint32_t id, DecideBy unit) {
    const Subject* found = scene().find(id);
    const View view = scene().statedView();
    const auto chain = found != nullptr ? ownChainOf(*found, view) : std::nullopt;
    if (!chain || found->rule.decideBy == unit)
        return;
    Subject after = *found;
    for (std::size_t i = 1; i < chain->levels.size(); ++i)
        if (unit != DecideBy::PixelError || chain->levels[i].fixed)
            setFixed(after, i, fixAt(unit, chain->fromMetres[i], chain->levels[i], after.rule, chain->radius, view));
    after.rule.decideBy = unit;
    edit(after, "Decide by another measure");
}

void SwitchingModel::setStatedView(double fovDegrees, int lines) {
    Settings settings = scene().settings;
    settings.view.fovY = fovDegrees * std::numbers::pi / 180;
    settings.view.lines = lines;
    edit(settings, "Change the stated view", "stated-view");
}

void SwitchingModel::setPixelsADegree(double pixels) {
    Settings settings = scene().settings;
    settings.view.pixelsADegree = pixels;
    edit(settings, "Change how pixels are told apart");
}

void SwitchingModel::setPlanes(double nearest, double farthest) {
    Settings settings = scene().settings;
    settings.view.nearMetres = nearest;
    settings.view.farMetres = std::max(farthest, 2 * nearest);
    edit(settings, "Change the near and far planes");
}

void SwitchingModel::keepStatedView(const QString& name) {
    Settings settings = scene().settings;
    const NamedView own{name.toStdString(), settings.view.fovY * 180 / std::numbers::pi, settings.view.lines};
    std::erase_if(settings.ownViews, [&own](const NamedView& v) { return v.name == own.name; });
    settings.ownViews.push_back(own);
    edit(settings, "Keep a view");
}

void SwitchingModel::dropStatedView(const QString& name) {
    Settings settings = scene().settings;
    if (std::erase_if(settings.ownViews, [&name](const NamedView& v) { return v.name == name.toStdString(); }) > 0)
        edit(settings, "Drop a view");
}

void SwitchingModel::setDetail(double factor) {
    Settings settings = scene().settings;
    settings.view.detail = factor;
    edit(settings, "Change the detail");
}

void SwitchingModel::setDeviceDetail(double factor) {
    Settings settings = scene().settings;
    if (settings.device >= settings.devices.size())
        return;
    settings.devices[settings.device].detail = factor;
    edit(settings, "Change the detail of a device");
}

void SwitchingModel::setCopyImportance(std::uint32_t placement, double factor) {
    const Placement* copy = findCopy(scene(), placement);
    if (copy == nullptr || copy->importance == factor)
        return;
    Placement after = *copy;
    after.importance = factor;
    m_session.document.push(changeCopy(scene(), placement, after, "Change the importance of a copy"));
}

void SwitchingModel::setHalfSpeed(double metresPerSecond) {
    Settings settings = scene().settings;
    settings.halfSpeed = metresPerSecond;
    edit(settings, "Change what speed does");
}

void SwitchingModel::setCullHidden(bool on) {
    Settings settings = scene().settings;
    settings.cullHidden = on;
    edit(settings, on ? "Cull what is hidden" : "Draw what is hidden");
}

} // namespace thicket::app
