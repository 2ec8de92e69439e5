#include "scene/scene.h"

#include <algorithm>
#include <cmath>

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
    const std::size_t n = keys.size();
    const bool loops = route.loop && n > 1;
    const double length = route.length();
    if (loops && length > 0)
        seconds = std::fmod(std::fmod(seconds, length) + length, length);
    const auto after =
        std::upper_bound(keys.begin(), keys.end(), seconds, [](double t, const RouteKey& k) { return t < k.seconds; });
    if (after == keys.begin())
        return lookAt(like, keys.front().eye, keys.front().target);
    if (after == keys.end() && !loops)
        return lookAt(like, keys.back().eye, keys.back().target);
    const auto i = static_cast<std::size_t>(after - keys.begin());
    const auto at = [&](std::size_t k) -> const RouteKey& {
        return loops ? keys[(k + n) % n] : keys[std::min(k, n - 1)];
    };
    const RouteKey& k1 = keys[i - 1];
    const RouteKey& k2 = at(i);
    const RouteKey& k0 = i >= 2 ? keys[i - 2] : loops ? at(i + n - 2) : k1;
    const RouteKey& k3 = at(i + 1);
    const double until = i < n ? k2.seconds : length;
    const double span = std::max(until - k1.seconds, 1e-9);
    const double t = (seconds - k1.seconds) / span;
    // How long it is from the key before, and to the one after: so that the speed at a key is one, however far apart in
    // time its neighbours are.
    const double before = i >= 2 ? k1.seconds - k0.seconds : loops ? length - keys.back().seconds : span;
    const double beyond = i + 1 < n    ? k3.seconds - until
                          : !loops     ? span
                          : i + 1 == n ? length - until
                                       : keys[1].seconds;
    const auto curve = [&](const Vec3d& a, const Vec3d& p, const Vec3d& q, const Vec3d& d) -> Vec3d {
        const Vec3d from = (q - a) / (before + span) * span;
        const Vec3d to = (d - p) / (span + beyond) * span;
        return (2 * t * t * t - 3 * t * t + 1) * p + (t * t * t - 2 * t * t + t) * from +
               (3 * t * t - 2 * t * t * t) * q + (t * t * t - t * t) * to;
    };
    return lookAt(like, curve(k0.eye, k1.eye, k2.eye, k3.eye), curve(k0.target, k1.target, k2.target, k3.target));
}

double speedOnRoute(const Route& route, double seconds) {
    constexpr double kApart = 0.02;
    const double from = std::max(0.0, seconds - kApart / 2);
    const View like;
    return (viewOnRoute(route, like, from + kApart).eye - viewOnRoute(route, like, from).eye).norm() / kApart;
}

std::vector<RouteKey> fewerKeys(const std::vector<RouteKey>& keys, double metres) {
    if (keys.size() < 3)
        return keys;
    std::vector<bool> stays(keys.size(), false);
    stays.front() = stays.back() = true;
    for (bool more = true; more;) {
        Route route;
        for (std::size_t i = 0; i < keys.size(); ++i)
            if (stays[i])
                route.keys.push_back(keys[i]);
        // Between each two that stay the one that is farthest off joins them.
        more = false;
        double most = metres;
        std::size_t farthest = 0;
        for (std::size_t i = 1; i < keys.size(); ++i) {
            if (stays[i]) {
                if (farthest != 0)
                    stays[farthest] = more = true;
                most = metres;
                farthest = 0;
                continue;
            }
            const View at = viewOnRoute(route, View(), keys[i].seconds);
            const Vec3d ahead = keys[i].target - keys[i].eye;
            const double off =
                std::max((at.eye - keys[i].eye).norm(), (at.forward - ahead.normalized()).norm() * ahead.norm());
            if (off > most) {
                most = off;
                farthest = i;
            }
        }
    }
    std::vector<RouteKey> out;
    for (std::size_t i = 0; i < keys.size(); ++i)
        if (stays[i])
            out.push_back(keys[i]);
    return out;
}

RolePreset presetFor(Role role, std::uint32_t triangles, const RoleRules& rules) {
    const RoleRule& rule = rules.of[static_cast<std::size_t>(role)];
    RolePreset preset;
    preset.allowPx = rule.allowPx;
    preset.cards = rule.cards;
    preset.unseen = rule.unseen;
    if (rule.spread) {
        // Seen to be off by what is allowed: at first where it is as tall as the screen, at last where it is this tall.
        constexpr double kScreen = 1080;
        constexpr double kFewPixels = 16;
        for (int i = 0; i < rule.levels; ++i) {
            const double along = rule.levels > 1 ? i / (rule.levels - 1.0) : 0.5; // one alone comes in half-way
            const double tall = kScreen * std::pow(kFewPixels / kScreen, along);
            preset.targets.push_back({TargetKind::VisibleOfRadius, 2 * rule.allowPx / tall});
        }
        return preset;
    }
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
