#include "scene/scene.h"

#include "base/file.h"
#include "image/image.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>
#include <span>

namespace thicket {

std::string roleName(Role role) {
    switch (role) {
    case Role::Landmark:
        return "Landmark";
    case Role::WorkingPiece:
        return "Working piece";
    case Role::Dressing:
        return "Dressing";
    case Role::GroundCover:
        return "Ground cover";
    case Role::Horizon:
        return "Horizon";
    }
    return {};
}

std::string roleKey(Role role) {
    std::string key = roleName(role);
    for (char& c : key)
        c = c == ' ' ? '-' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return key;
}

std::optional<Role> roleFromKey(const std::string& key) {
    for (const Role role : kRoles)
        if (roleKey(role) == key)
            return role;
    return std::nullopt;
}

std::string originKey(LevelOrigin origin) {
    return origin == LevelOrigin::Source      ? "source"
           : origin == LevelOrigin::Collapsed ? "collapsed"
           : origin == LevelOrigin::Cards     ? "cards"
           : origin == LevelOrigin::Rebuilt   ? "rebuilt"
           : origin == LevelOrigin::Impostor  ? "impostor"
                                              : "hand-made";
}

std::optional<LevelOrigin> originFromKey(const std::string& key) {
    for (const LevelOrigin origin : {LevelOrigin::Source, LevelOrigin::Collapsed, LevelOrigin::HandMade,
                                     LevelOrigin::Cards, LevelOrigin::Rebuilt, LevelOrigin::Impostor})
        if (originKey(origin) == key)
            return origin;
    return std::nullopt;
}

const Subject* Scene::find(std::uint32_t id) const {
    const auto found = std::find_if(subjects.begin(), subjects.end(), [id](const Subject& s) { return s.id == id; });
    return found == subjects.end() ? nullptr : &*found;
}

std::uint32_t Scene::freshId() const {
    std::uint32_t largest = 0;
    for (const Subject& s : subjects)
        largest = std::max(largest, s.id);
    for (const Placement& p : placements)
        largest = std::max(largest, p.id);
    return largest + 1;
}

std::shared_ptr<const Surfaces> surfacesOf(const Subject& subject, const Level& level) {
    return level.surfaces ? level.surfaces : subject.surfaces;
}

std::string levelContent(const Level& level) {
    std::string hashes = contentOf(*level.mesh);
    if (level.surfaces)
        for (const Image& image : level.surfaces->images)
            hashes += contentHash(image.encoded);
    if (level.surfaces)
        for (const Material& m : level.surfaces->materials)
            hashes +=
                fmt::format("{} {} {} {} {} {} {}", static_cast<int>(m.alphaMode), m.alphaCutoff, m.baseColorImage,
                            m.metallicRoughnessImage, m.normalImage, m.occlusionImage, m.emissiveImage);
    return level.surfaces ? contentHash(std::as_bytes(std::span(hashes.data(), hashes.size()))) : hashes;
}

namespace {
std::vector<int*> picturesOf(Material& m) {
    return {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage};
}
} // namespace

double textureBytesOf(const Subject& subject, const Level& level) {
    const auto surfaces = surfacesOf(subject, level);
    if (!surfaces || !level.mesh)
        return 0;
    std::set<int> used;
    for (const MeshPart& part : level.mesh->parts)
        if (part.material < surfaces->materials.size()) {
            Material material = surfaces->materials[part.material];
            for (const int* image : picturesOf(material))
                if (*image >= 0)
                    used.insert(*image);
        }
    double bytes = 0;
    for (const int image : used)
        bytes += textureBytes(surfaces->images[static_cast<std::size_t>(image)]);
    return bytes;
}

LevelSet joinLevels(const Subject& subject) {
    LevelSet set;
    set.surfaces = *subject.surfaces;
    std::map<std::string, int> known;
    for (std::size_t i = 0; i < set.surfaces.images.size(); ++i)
        known.try_emplace(contentHash(set.surfaces.images[i].encoded), static_cast<int>(i));
    std::map<const Surfaces*, std::uint32_t> added;
    for (const Level& level : subject.levels) {
        if (!level.surfaces) {
            set.meshes.push_back(level.mesh);
            continue;
        }
        const auto [at, fresh] =
            added.try_emplace(level.surfaces.get(), static_cast<std::uint32_t>(set.surfaces.materials.size()));
        if (fresh)
            for (Material material : level.surfaces->materials) {
                for (int* image : picturesOf(material)) {
                    if (*image < 0)
                        continue;
                    const Image& own = level.surfaces->images[static_cast<std::size_t>(*image)];
                    const auto [where, unseen] =
                        known.try_emplace(contentHash(own.encoded), static_cast<int>(set.surfaces.images.size()));
                    if (unseen)
                        set.surfaces.images.push_back(own);
                    *image = where->second;
                }
                set.surfaces.materials.push_back(material);
            }
        Mesh mesh = *level.mesh;
        for (MeshPart& part : mesh.parts)
            part.material += at->second;
        set.meshes.push_back(std::make_shared<const Mesh>(std::move(mesh)));
    }
    return set;
}

std::vector<ViewGrid> viewsOf(const Subject& subject) {
    std::vector<ViewGrid> out;
    for (const Level& level : subject.levels)
        out.push_back(level.views);
    return out;
}

double sharedVertexBytes(const Subject& subject) {
    if (!subject.cutRules.reuseVertices || !subject.levels.front().mesh || subject.levels.front().vertices == 0)
        return 0;
    const Mesh& source = *subject.levels.front().mesh;
    const double vertex =
        static_cast<double>(source.bytes() - source.indices.size() * sizeof(std::uint32_t)) / source.vertexCount();
    double bytes = 0;
    for (const Level& level : subject.levels)
        if (level.origin == LevelOrigin::Collapsed && !level.materials.merge)
            bytes += vertex * level.vertices;
    return bytes;
}

std::vector<LevelCost> costsOf(const Subject& subject) {
    std::vector<LevelCost> costs;
    for (const Level& level : subject.levels)
        costs.push_back({level.triangles, level.vertices, level.draws, level.promised, level.fixed});
    return costs;
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
    View out = view;
    if (onDevice != nullptr)
        out.detail *= onDevice->detail;
    return out;
}

SelectOptions selectOptions(const Scene& scene, const SelectScene& selectable, double speed) {
    SelectOptions options;
    options.speed = speed;
    options.halfSpeed = scene.halfSpeed;
    options.occluders = scene.cullHidden && !selectable.occluders.empty() ? &selectable.occluders : nullptr;
    return options;
}

namespace {

/// The middle of a copy.
Vec3d placeOf(const Scene& scene, const Placement& p) {
    const Subject* subject = scene.find(p.subject);
    const Vec3d middle = subject != nullptr ? subject->bounds.centre() : Vec3d(0, 0, 0);
    return p.position + p.rotation * (middle * p.scale);
}

} // namespace

SelectScene selectScene(const Scene& scene, const View& view) {
    SelectScene out;
    std::vector<bool> placed(scene.subjects.size(), false);
    const auto addCopy = [&out](std::uint32_t chain, const Placement& p) {
        out.copies.importance.push_back(p.importance);
        out.placementOf.push_back(p.id);
        out.copies.position.push_back(p.position);
        out.copies.rotation.push_back(p.rotation);
        out.copies.scale.push_back(p.scale);
        out.copies.chain.push_back(chain);
    };
    for (const Subject& subject : scene.subjects) {
        out.chains.push_back(resolveChain(costsOf(subject), subject.rule, subject.bounds, subject.radius, view));
        out.subjectOfChain.push_back(subject.id);
        for (const Placement& p : scene.placements)
            if (subject.rule.target != 0 && p.id == subject.rule.target)
                out.chains.back().measuredFrom = placeOf(scene, p);
    }
    for (const Placement& p : scene.placements)
        for (std::uint32_t i = 0; i < scene.subjects.size(); ++i)
            if (scene.subjects[i].id == p.subject) {
                addCopy(i, p);
                placed[i] = true;
            }
    // Subjects that nobody has placed stand in a row from the origin on, so that none is lost from sight or inside
    // another.
    double right = 0;
    bool first = true;
    for (std::uint32_t i = 0; i < scene.subjects.size(); ++i) {
        if (placed[i])
            continue;
        const Bounds& bounds = scene.subjects[i].bounds;
        Placement standing;
        if (!first)
            standing.position.x() = right - bounds.low.x() + 0.2 * bounds.size().x();
        right = standing.position.x() + bounds.high.x();
        first = false;
        addCopy(i, standing);
    }
    finishCopies(out.copies, out.chains);
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

bool careIsNewer(const Subject& subject) {
    const bool cut = std::any_of(subject.levels.begin(), subject.levels.end(),
                                 [](const Level& l) { return l.origin == LevelOrigin::Collapsed; });
    return cut && subject.care != subject.careCut;
}

void refreshSubject(Subject& subject) {
    for (Level& level : subject.levels)
        if (level.mesh) {
            level.triangles = level.mesh->triangleCount();
            level.vertices = level.mesh->vertexCount();
            level.draws = static_cast<std::uint32_t>(level.mesh->parts.size());
        }
    if (subject.levels.empty() || !subject.levels.front().mesh)
        return;
    const Mesh& first = *subject.levels.front().mesh;
    subject.bounds = boundsOf(first);
    subject.radius = radiusAround(first, subject.bounds.centre());
}

Level levelFrom(std::shared_ptr<const Mesh> mesh, const Deviation& deviation, LevelOrigin origin) {
    Level level;
    level.triangles = mesh->triangleCount();
    level.vertices = mesh->vertexCount();
    level.draws = static_cast<std::uint32_t>(mesh->parts.size());
    level.mesh = std::move(mesh);
    level.content = levelContent(level);
    level.origin = origin;
    level.deviation = deviation.max();
    level.promised = deviation.promised();
    level.p99 = deviation.p99();
    level.rms = deviation.rms();
    return level;
}

} // namespace thicket
