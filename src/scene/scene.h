#pragma once
// The whole of a project's state: subjects with their chains, placed copies, routes, devices. Plain values; meshes are
// shared and never changed once made, so copying a subject (for undo, for a job) is cheap.

#include "bake/impostor.h"
#include "bake/lighten.h"
#include "mesh/care.h"
#include "mesh/findings.h"
#include "mesh/rig.h"
#include "reduce/chain.h"
#include "switching/selector.h"

#include <array>
#include <filesystem>
#include <memory>
#include <string>

namespace thicket {

enum class Role { Landmark, WorkingPiece, Dressing, GroundCover, Horizon };
constexpr Role kRoles[] = {Role::Landmark, Role::WorkingPiece, Role::Dressing, Role::GroundCover, Role::Horizon};
std::string roleName(Role role); ///< "Working piece"
std::string roleKey(Role role);  ///< "working-piece", for files and the command line
std::optional<Role> roleFromKey(const std::string& key);

enum class LevelOrigin { Source, Collapsed, HandMade, Cards, Rebuilt, Impostor };
/// Made of pictures of the subject: judged by outlines, not by distances between surfaces.
constexpr bool ofPictures(LevelOrigin origin) {
    return origin == LevelOrigin::Cards || origin == LevelOrigin::Impostor;
}
std::string originKey(LevelOrigin origin); ///< "collapsed", for files
std::optional<LevelOrigin> originFromKey(const std::string& key);

struct Level {
    std::shared_ptr<const Mesh> mesh; ///< null until cut again after a project was opened
    std::string
        content; ///< hash of the mesh and of surfaces of its own: names the file it is kept in beside the project
    std::shared_ptr<const Surfaces> surfaces; ///< its own, in place of the subject's; usually none
    ViewGrid views;           ///< of an impostor: what its one rectangle turns through; `mesh` is its front
    MaterialChoice materials; ///< how `surfaces` of a cut level came about
    std::uint32_t triangles = 0;
    std::uint32_t vertices = 0;
    std::uint32_t draws = 0;
    std::uint32_t pieces = 0; ///< loose pieces it still has; 0: not counted
    LevelOrigin origin = LevelOrigin::Collapsed;
    bool locked = false;
    double deviation = 0; ///< largest found, metres, two-sided; of cards: of the outlines seen from all round
    double promised = 0;  ///< what switching relies on: deviation and a little more
    double p99 = 0;
    double rms = 0;
    double posed = 0;                   ///< largest found at moments of its animations; `promised` covers it
    std::optional<double> driftTexels;  ///< 99 % of the surface shows its texture closer to its place than that
    std::optional<double> driftDegrees; ///< 99 % of its normals turn less
    std::optional<FixedSwitch> fixed;
};

/// What every cut of a subject holds to. Changing it takes another record.
struct CutRules {
    bool keepPieces = false;    ///< loose pieces stay in every level, however small they get on screen
    bool reuseVertices = false; ///< all levels use the source's own vertices; loose pieces then stay
    bool symmetric = false;     ///< levels of a symmetric source are symmetric; loose pieces then stay
    bool operator==(const CutRules&) const = default;
};

struct SourceFile {
    std::filesystem::path path; ///< absolute while running; relative to the project in its file
    std::string hash;           ///< of the file's bytes when it was read
    std::string family;         ///< which of the file's level families, empty when it holds one
};

struct Subject {
    std::uint32_t id = 0;
    std::string name;
    Role role = Role::WorkingPiece;
    SourceFile source;
    std::shared_ptr<const Surfaces> surfaces;
    std::shared_ptr<const Rig> rig; ///< null: it does not move
    std::vector<Level> levels;      ///< finest first
    SwitchRule rule;
    std::uint32_t pieces = 1; ///< loose pieces of L0, as its record found them
    bool aggregate = false;   ///< far levels have fewer of them, grown to hold the cover
    CutRules cutRules;
    std::shared_ptr<const Care> care;    ///< what is painted; null: nothing
    std::shared_ptr<const Care> careCut; ///< as it was when the levels were cut
    Bounds bounds;                       ///< of L0, own space
    double radius = 1;
    DeviationCurve curve;
    std::vector<Finding> findings;
};

struct Placement {
    std::uint32_t id = 0;
    std::uint32_t subject = 0;
    Vec3d position{0, 0, 0};
    Quatd rotation{1, 0, 0, 0};
    double scale = 1;
    double importance = 1; ///< 0.1..10; this copy's switches come in so many times as far
};

struct RouteKey {
    double seconds = 0;
    Vec3d eye{0, 2, 0};
    Vec3d target{0, 2, -1};
};

struct Route {
    std::string name;
    std::vector<RouteKey> keys; ///< by rising time
    [[nodiscard]] double length() const { return keys.empty() ? 0 : keys.back().seconds; }
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
    double detail = 1; ///< 0.1..10; on this machine every switch comes in so many times as far
    std::string source = "entered";
};

/// What a role asks for, as a person may change it.
struct RoleRule {
    int levels = 4;     ///< 1..7 coarser levels at most
    double share = 0.2; ///< 0.02..0.9; triangles of each against the one before
    double allowPx = 1; ///< 0.05..64
    int cards = 0;      ///< 0..4 crossed cards as one more level
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

struct Scene {
    std::string name = "Untitled";
    std::vector<Subject> subjects;
    std::vector<Placement> placements;
    std::vector<Route> routes;
    std::vector<Device> devices;
    std::size_t device = 0;
    RoleRules roles;
    View view;                       ///< the stated view: field, lines; and where the shot camera stands
    std::vector<NamedView> ownViews; ///< added by hand to those that are always offered
    double halfSpeed = 0;            ///< at this speed of the camera, m/s, switches come in half as far; 0: no matter
    bool cullHidden = true;          ///< copies that are certainly hidden behind others are not drawn

    [[nodiscard]] const Subject* find(std::uint32_t id) const;
    [[nodiscard]] const Device* currentDevice() const { return device < devices.size() ? &devices[device] : nullptr; }
    [[nodiscard]] std::uint32_t freshId() const; ///< larger than any id in use
    /// The stated view on a device: its detail with the device's.
    [[nodiscard]] View statedView(const Device* device) const;
    [[nodiscard]] View statedView() const { return statedView(currentDevice()); }
};

/// What a level is drawn with: its own surfaces, or its subject's.
std::shared_ptr<const Surfaces> surfacesOf(const Subject& subject, const Level& level);
/// Bytes of all pictures that a level's materials use, on the graphics card with mipmaps.
double textureBytesOf(const Subject& subject, const Level& level);

/// All levels with one set of materials and pictures: those of levels with surfaces of their own are added, pictures
/// that are the same bytes once. REQUIRES every level has its mesh.
struct LevelSet {
    Surfaces surfaces;
    std::vector<std::shared_ptr<const Mesh>> meshes;
};
LevelSet joinLevels(const Subject& subject);

/// One a level: the views of those that are impostors.
std::vector<ViewGrid> viewsOf(const Subject& subject);
/// Bytes of vertices that the levels of a subject need not have because they use the source's.
double sharedVertexBytes(const Subject& subject);

/// Costs of the levels as the selector needs them.
std::vector<LevelCost> costsOf(const Subject& subject);

/// What the selector takes: a chain a subject (same order) and the copies.
struct SelectScene {
    std::vector<ResolvedChain> chains;
    CopyArrays copies;
    std::vector<std::uint32_t> subjectOfChain;
    std::vector<std::uint32_t> placementOf; ///< id, a copy each; 0: of a subject that nobody has placed
    Occluders occluders;                    ///< empty until they are filled in
};
/// `view` as stated on the device that counts.
SelectScene selectScene(const Scene& scene, const View& view);

/// What the scene asks of the selector, for a camera that moves so many metres a second.
SelectOptions selectOptions(const Scene& scene, const SelectScene& selectable, double speed);

/// Where a route's camera stands: Catmull-Rom through the keys, ends held. REQUIRES at least one key.
View viewOnRoute(const Route& route, const View& like, double seconds);

/// The chain a role asks for, coarser levels after L0, for a mesh of so many triangles.
struct RolePreset {
    std::vector<LevelTarget> targets;
    double allowPx = 1;
    int cards = 0;
};
RolePreset presetFor(Role role, std::uint32_t triangles, const RoleRules& rules = {});

/// Something was painted or erased since the levels were cut from the record.
bool careIsNewer(const Subject& subject);

/// Fills counts, bounds, radius and findings from the level meshes.
void refreshSubject(Subject& subject);
/// A level made from a mesh and what was measured of it.
Level levelFrom(std::shared_ptr<const Mesh> mesh, const Deviation& deviation, LevelOrigin origin);
/// Hash of a level's mesh and of the pictures and materials that are its own.
std::string levelContent(const Level& level);

} // namespace thicket
