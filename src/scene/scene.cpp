#include "scene/scene.h"

#include <algorithm>

namespace thicket {

const Subject* Scene::find(std::uint32_t id) const {
    const auto found = std::find_if(subjects.begin(), subjects.end(), [id](const Subject& s) { return s.id == id; });
    return found == subjects.end() ? nullptr : &*found;
}

const Subject* Scene::findMesh(std::uint32_t id) const {
    const Subject* found = find(id);
    return found != nullptr && found->isMesh() ? found : nullptr;
}

const std::vector<NamedView>& usualViews() {
    static const std::vector<NamedView> views{{"Desk 1080", 60, 1080},
                                              {"Desk 2160", 60, 2160},
                                              {"Handheld 720", 50, 720},
                                              {"Living room 2160", 45, 2160},
                                              {"Headset 1800", 95, 1800}};
    return views;
}

View Scene::statedView(const Device* onDevice) const {
    View out = settings.view;
    if (onDevice != nullptr) {
        out.detail *= onDevice->detail;
        out.tier = onDevice->tier;
        if (!onDevice->fitted.empty())
            out.loosened = std::make_shared<const Loosened>(onDevice->fitted);
    }
    return out;
}

View viewOnRoute(const Route& route, const View& like, double seconds) {
    const auto& keys = route.keys;
    const auto after =
        std::upper_bound(keys.begin(), keys.end(), seconds, [](double t, const RouteKey& k) { return t < k.seconds; });
    if (after == keys.begin())
        return lookAt(like, keys.front().eye, keys.front().target);
    if (after == keys.end())
        return lookAt(like, keys.back().eye, keys.back().target);
    const auto i = static_cast<std::size_t>(after - keys.begin());
    const RouteKey& k1 = keys[i - 1];
    const RouteKey& k2 = keys[i];
    const RouteKey& k0 = i >= 2 ? keys[i - 2] : k1;
    const RouteKey& k3 = i + 1 < keys.size() ? keys[i + 1] : k2;
    const double t = (seconds - k1.seconds) / std::max(k2.seconds - k1.seconds, 1e-9);
    const auto spline = [t](const Vec3d& a, const Vec3d& b, const Vec3d& c, const Vec3d& d) -> Vec3d {
        return 0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t * t + (3 * b - a - 3 * c + d) * t * t * t);
    };
    return lookAt(like, spline(k0.eye, k1.eye, k2.eye, k3.eye), spline(k0.target, k1.target, k2.target, k3.target));
}

RolePreset presetFor(Role role, std::uint32_t triangles, const RoleRules& rules) {
    const RoleRule& rule = rules.of[static_cast<std::size_t>(role)];
    RolePreset preset;
    preset.allowPx = rule.allowPx;
    preset.cards = rule.cards;
    double count = triangles;
    for (int i = 0; i < rule.levels && count * rule.share >= 12; ++i) {
        count *= rule.share;
        preset.targets.push_back({TargetKind::ShareOfPrevious, rule.share});
    }
    if (preset.targets.empty())
        preset.targets.push_back({TargetKind::ShareOfPrevious, 0.5});
    return preset;
}

} // namespace thicket
