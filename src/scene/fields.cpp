#include "scene/fields.h"

#include "image/take_picture.h"
#include "scene/kinds.h"

#include <algorithm>
#include <fmt/format.h>
#include <unordered_set>

namespace thicket {
namespace {

Error gone(const std::string& what) {
    return {ErrorCode::NotFound, "recipe", what + " is not in the project any more", "choose another"};
}

/// All copies of a mesh, one at the origin where nobody has placed it.
const Placements& copiesOf(const Subject& subject) {
    static const Placements kOne(1);
    const SharedPlacements& placed = subject.mesh().placed;
    return placed && !placed->empty() ? *placed : kOne;
}

void addTriangles(const Subject& subject, ScatterGround& out) {
    const Mesh& mesh = *subject.mesh().source().mesh;
    for (const Placement& p : copiesOf(subject)) {
        const auto first = static_cast<std::uint32_t>(out.points.size());
        for (const Vec3f& v : mesh.positions)
            out.points.push_back(p.position + p.rotation * (v.cast<double>() * p.scale));
        for (std::size_t i = 0; i + 2 < mesh.indices.size(); i += 3)
            out.triangles.push_back(
                {first + mesh.indices[i], first + mesh.indices[i + 1], first + mesh.indices[i + 2]});
    }
}

/// Of wide ground only where the outlines let anything grow is looked at.
void shrinkToOutlines(ScatterGround& ground) {
    Vec2d low(ground.points[0].x(), ground.points[0].z());
    Vec2d high(ground.points[2].x(), ground.points[2].z());
    for (const ScatterGround::Outline& outline : ground.outlines) {
        Vec2d from = Vec2d::Constant(1e300);
        Vec2d to = -from;
        for (const Vec2d& p : outline.line) {
            from = from.cwiseMin(p);
            to = to.cwiseMax(p);
        }
        for (const auto& circle : outline.circles) {
            from = from.cwiseMin(circle.centre - Vec2d::Constant(circle.radius));
            to = to.cwiseMax(circle.centre + Vec2d::Constant(circle.radius));
        }
        low = low.cwiseMax(from - Vec2d::Constant(outline.most));
        high = high.cwiseMin(to + Vec2d::Constant(outline.most));
    }
    if (!(low.x() < high.x() && low.y() < high.y()))
        return; // nothing fits, and scattering says so
    ScatterRecipe rectangle;
    rectangle.groundHeight = ground.points[0].y();
    rectangle.lowX = low.x();
    rectangle.lowZ = low.y();
    rectangle.highX = high.x();
    rectangle.highZ = high.y();
    ground.points = levelGround(rectangle).points;
}

} // namespace

Result<ScatterGround> groundOf(const Scene& scene, const ScatterRecipe& recipe, const std::vector<std::byte>& mask) {
    ScatterGround out;
    if (recipe.surface == 0) {
        out = levelGround(recipe);
    } else if (const Subject* terrain = scene.find(recipe.surface);
               terrain != nullptr && terrain->terrain() != nullptr) {
        auto heights = terrain->terrain()->heights;
        if (!heights)
            return gone("the heights of its surface");
        ScatterRecipe whole = recipe;
        whole.lowX = heights->origin.x();
        whole.lowZ = heights->origin.z();
        whole.highX = whole.lowX + heights->width();
        whole.highZ = whole.lowZ + heights->depth();
        out = levelGround(whole);
        out.mask.low = {whole.lowX, whole.lowZ};
        out.mask.high = {whole.highX, whole.highZ};
        out.drape = [heights = std::move(heights)](double x, double z) -> std::optional<ScatterGround::Place> {
            const auto height = heights->heightAt(x, z);
            if (!height)
                return std::nullopt;
            return ScatterGround::Place{*height, heights->normalAt(x, z)};
        };
    } else {
        const Subject* surface = scene.findMesh(recipe.surface);
        if (surface == nullptr || !surface->mesh().source().mesh)
            return gone("its surface");
        addTriangles(*surface, out);
    }
    for (const ScatterNear& near : recipe.near) {
        ScatterGround::Outline outline;
        outline.least = near.least;
        outline.most = near.most;
        if (near.of == ScatterNear::Of::Route) {
            const auto& routes = scene.settings.routes;
            const auto route =
                std::find_if(routes.begin(), routes.end(), [&near](const Route& r) { return r.name == near.route; });
            if (route == routes.end() || route->keys.empty())
                return gone(fmt::format("the route “{}”", near.route));
            constexpr int kSteps = 16; // a key
            const int steps = kSteps * static_cast<int>(route->keys.size());
            for (int i = 0; i <= steps; ++i) {
                const Vec3d eye = viewOnRoute(*route, scene.settings.view, route->length() * i / steps).eye;
                outline.line.emplace_back(eye.x(), eye.z());
            }
        } else {
            const Subject* subject = scene.findMesh(near.subject);
            if (subject == nullptr || !subject->isMesh())
                return gone("a subject that it keeps its distance from");
            const Vec3d half = subject->bounds.size() / 2;
            for (const Placement& p : copiesOf(*subject)) {
                const Vec3d centre = centreOf(p, subject->bounds);
                outline.circles.push_back({{centre.x(), centre.z()}, p.scale * std::max(half.x(), half.z())});
            }
        }
        out.outlines.push_back(std::move(outline));
    }
    if (out.drape)
        shrinkToOutlines(out);
    if (!mask.empty()) {
        auto pixels = pixelsOfPicture({}, mask);
        if (!pixels)
            return Error{pixels.error().code, recipe.mask.string(), pixels.error().what,
                         std::string("choose a ") + kPictureKinds + " picture"};
        out.mask.width = pixels->width;
        out.mask.height = pixels->height;
        out.mask.grey.reserve(pixels->rgba.size() / 4);
        for (std::size_t i = 0; i + 3 < pixels->rgba.size(); i += 4)
            out.mask.grey.push_back(static_cast<std::uint8_t>(
                (54 * pixels->rgba[i] + 183 * pixels->rgba[i + 1] + 19 * pixels->rgba[i + 2]) / 256));
    }
    return out;
}

DistanceCurve sharesOver(double reach, std::initializer_list<std::pair<double, double>> shares) {
    DistanceCurve out;
    for (const auto& [at, value] : shares)
        out.points.push_back({std::round(100 * at * reach) / 100, value});
    return out;
}

Thinning usualThinning(Role role, double reach) {
    Thinning out;
    switch (role) {
    case Role::GroundCover:
        out.keep = sharesOver(reach, {{0.06, 1}, {0.2, 0.62}, {0.45, 0.3}, {0.8, 0.16}, {1, 0}});
        break;
    case Role::Dressing:
        out.keep = sharesOver(reach, {{0.25, 1}, {0.6, 0.5}, {0.9, 0.25}, {1, 0}});
        out.growAtMost = 1.6;
        break;
    case Role::Landmark:
    case Role::WorkingPiece:
    case Role::Horizon:
        break; // each of them counts: none goes
    }
    return out;
}

SwitchRule usualFieldRule(Role role, double tallest) {
    SwitchRule rule;
    rule.softBand = role == Role::Landmark || role == Role::WorkingPiece ? 0 : 0.18;
    rule.fadeSeconds = 0.2;
    rule.marginMetres = std::clamp(std::round(2 * tallest), 0.5, 20.0);
    rule.allowPx = presetFor(role, 1000).allowPx;
    if (role == Role::GroundCover || role == Role::Dressing) {
        rule.cullBelowPx = 2;
        rule.reachMetres = std::clamp(std::round(tallest * 120 / 10) * 10, 40.0, 2000.0);
    }
    return rule;
}

bool keepFreeIds(const Scene& scene, Placements& copies) {
    std::unordered_set<std::uint32_t> wanted;
    for (const Placement& p : copies)
        if (p.id != 0)
            wanted.insert(p.id);
    const auto taken = [&wanted](const SharedPlacements& all) {
        return all && std::any_of(all->begin(), all->end(), [&](const Placement& p) { return wanted.contains(p.id); });
    };
    const bool clash = std::any_of(scene.subjects.begin(), scene.subjects.end(),
                                   [&](const Subject& s) { return taken(placementsOf(s)); });
    if (clash)
        for (Placement& p : copies)
            p.id = 0;
    return !clash;
}

double tallestOf(const Scene& scene, const std::vector<std::uint32_t>& assets, const Placements& copies) {
    std::vector<double> heights;
    for (const std::uint32_t id : assets) {
        const Subject* asset = scene.findMesh(id);
        heights.push_back(asset != nullptr ? asset->bounds.size().y() : 0);
    }
    double out = 0;
    for (const Placement& copy : copies)
        if (copy.asset < heights.size())
            out = std::max(out, heights[copy.asset] * copy.scale);
    return out;
}

Subject makeField(const Scene& scene, std::string name, Role role, std::vector<std::uint32_t> assets,
                  Placements copies) {
    Subject out;
    out.name = std::move(name);
    out.role = role;
    out.rule = usualFieldRule(role, tallestOf(scene, assets, copies));
    InstancesBody body;
    body.assets = std::move(assets);
    body.copies = std::make_shared<const Placements>(std::move(copies));
    body.thinning = usualThinning(role, out.rule.reachMetres);
    out.body = std::move(body);
    refresh(scene, out);
    return out;
}

Edit removeCopy(const Scene& scene, std::uint32_t placement) {
    for (const Subject& subject : scene.subjects) {
        const SharedPlacements all = placementsOf(subject);
        if (!all)
            continue;
        const auto found =
            std::find_if(all->begin(), all->end(), [&](const Placement& p) { return p.id == placement; });
        if (found == all->end())
            continue;
        Placements left = *all;
        left.erase(left.begin() + (found - all->begin()));
        Subject after = subject;
        setPlacements(after, std::make_shared<const Placements>(std::move(left)));
        refresh(scene, after);
        return changeSubject(scene, std::move(after), "Take out a copy of " + subject.name);
    }
    return {};
}

} // namespace thicket
