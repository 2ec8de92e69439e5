#pragma once
// The whole of a project's state: subjects with their chains and copies, routes, devices. Plain values; meshes and
// other large arrays are shared and never changed once made, so copying a scene (for undo, for a job) is cheap.

#include "scene/subject.h"

#include <array>

namespace thicket {

struct RouteKey {
    double seconds = 0;
    Vec3d eye{0, 2, 0};
    Vec3d target{0, 2, -1};
};

struct Route {
    std::string name;
    std::vector<RouteKey> keys; ///< by rising time
    bool loop = false;          ///< from the last key it goes on to the first one, in the mean time between keys
    [[nodiscard]] double length() const {
        if (keys.empty())
            return 0;
        const double last = keys.back().seconds;
        return loop && keys.size() > 1 ? last + last / static_cast<double>(keys.size() - 1) : last;
    }
};

/// What one frame may cost on a machine, and what things cost there. Every figure was entered by someone; none is
/// measured on the machine itself unless `source` says so.
struct Device {
    std::string name;
    double frameMs = 8;
    double frameRate = 60;
    std::uint64_t triangleBudget = 1'000'000;
    std::uint64_t drawBudget = 1000;
    double nsPerTriangle = 5;
    double nsPerVertex = 4;
    double usPerDraw = 5;
    double nsPerPixel = 0.5;
    double overdraw = 1.5;
    double baseMs = 0.5;
    double detail = 1;       ///< 0.1..10; on this machine every switch comes in so many times as far
    double memoryMb = 0;     ///< for what is drawn here, in millions of bytes; 0: nobody has said
    double aheadSeconds = 0; ///< levels are in memory so long before and after they show; 0: all are, always
    int tier = 0;            ///< 0..7; the level that emitters show on it which go by the device
    std::string source = "entered";
    Loosened fitted; ///< what a fit loosened so that the budget holds on this machine
};

/// What a role asks for, as a person may change it.
struct RoleRule {
    int levels = 4;     ///< 1..7 coarser levels at most
    double share = 0.2; ///< 0.02..0.9; triangles of each against the one before, where they are not spread
    double allowPx = 1; ///< 0.05..64
    int cards = 0;      ///< 0..4 crossed cards as one more level
    /// Levels come in at distances of one factor, from where it fills the screen to where it is a few pixels tall.
    bool spread = true;
    /// Switches are looked at: what would be seen to come in is heavier there, or comes in farther away.
    bool unseen = true;
    bool operator==(const RoleRule&) const = default;
};
struct RoleRules {
    std::array<RoleRule, 5> of{{{5, 0.25, 1, 0}, {4, 0.22, 1, 0}, {4, 0.18, 1.5, 0}, {3, 0.15, 2, 0}, {3, 0.08, 1, 0}}};
    bool operator==(const RoleRules&) const = default;
};

/// A field of view and a screen that switches are stated for, by name.
struct NamedView {
    std::string name;
    double fovDegrees = 60;
    int lines = 1080;
    bool operator==(const NamedView&) const = default;
};
/// Those that are always offered.
const std::vector<NamedView>& usualViews();

/// Everything but the subjects: small enough to be kept whole in an edit.
struct Settings {
    std::string name = "Untitled";
    std::vector<Route> routes;
    std::vector<Device> devices;
    std::size_t device = 0;
    std::size_t route = 0; ///< of `routes`: the one that is looked at
    RoleRules roles;
    View view;                       ///< the stated view: field, lines; and where the shot camera stands
    std::vector<NamedView> ownViews; ///< added by hand to those that are always offered
    double halfSpeed = 0;            ///< at this speed of the camera, m/s, switches come in half as far; 0: no matter
    bool cullHidden = true;          ///< copies that are certainly hidden behind others are not drawn
};

struct Scene {
    Settings settings;
    std::vector<Subject> subjects;
    std::uint32_t nextId = 1; ///< larger than any id that was ever in use; only rises

    [[nodiscard]] const Subject* find(std::uint32_t id) const;
    /// The same where it is a mesh; null otherwise.
    [[nodiscard]] const Subject* findMesh(std::uint32_t id) const;
    [[nodiscard]] const Device* currentDevice() const {
        return settings.device < settings.devices.size() ? &settings.devices[settings.device] : nullptr;
    }
    /// Null where there is none.
    [[nodiscard]] const Route* currentRoute() const {
        return settings.route < settings.routes.size() ? &settings.routes[settings.route] : nullptr;
    }
    /// The stated view on a device: its detail with the device's.
    [[nodiscard]] View statedView(const Device* device) const;
    [[nodiscard]] View statedView() const { return statedView(currentDevice()); }
};

/// Where a route's camera stands: a Catmull-Rom spline over time through the keys, ends held.
/// REQUIRES   at least one key.
View viewOnRoute(const Route& route, const View& like, double seconds);
/// Metres a second that its camera goes there.
/// REQUIRES   at least one key.
double speedOnRoute(const Route& route, double seconds);
/// Of keys that were taken one after the other, those that a route needs to come by all of them within so many metres, in
/// place and in what is looked at.
/// COST       O(keys) for each time that the number of those that stay doubles, about.
std::vector<RouteKey> fewerKeys(const std::vector<RouteKey>& keys, double metres);

/// The chain a role asks for, coarser levels after L0, for a mesh of so many triangles.
struct RolePreset {
    std::vector<LevelTarget> targets;
    double allowPx = 1;
    int cards = 0;
    bool unseen = true;
};
RolePreset presetFor(Role role, std::uint32_t triangles, const RoleRules& rules = {});

} // namespace thicket
