// What the viewport draws: one subject's levels side by side or one over the other, or the scene as it was selected.

#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

std::vector<double> Viewport::lineUpOffsets(const Subject& subject) const {
    // Narrow things stand apart too, so that each has room for its label.
    const Vec3d size = subject.bounds.size();
    const double step = std::max(1.12 * size.x() + 0.02 * subject.radius, 0.55 * size.y());
    std::vector<double> offsets;
    const double n = static_cast<double>(subject.levels.size());
    for (std::size_t i = 0; i < subject.levels.size(); ++i)
        offsets.push_back(step * (static_cast<double>(i) - (n - 1) / 2));
    return offsets;
}

bool Viewport::comparing(Arrangement arrangement) const {
    const Subject* subject = m_bench.subject();
    return m_stage == Stage::Thin && m_arrangement == arrangement && subject != nullptr && subject->levels.size() > 1;
}

int Viewport::wipeLevel(const Subject& subject) const {
    return std::clamp(m_bench.level(), 1, static_cast<int>(subject.levels.size()) - 1);
}

/// The level that the heat colours are scaled for; of all side by side, the coarsest.
int Viewport::heatLevel(const Subject& subject) const {
    int last = static_cast<int>(subject.levels.size()) - 1;
    while (last > 1 && ofPictures(subject.levels[static_cast<std::size_t>(last)].origin))
        --last; // their outlines are measured, not their surface
    return comparing(Arrangement::Wipe) ? wipeLevel(subject)
           : comparing(Arrangement::LineUp) || m_bench.level() == 0
               ? last
               : std::min(m_bench.level(), static_cast<int>(subject.levels.size()) - 1);
}

DrawItem Viewport::levelItem(const Subject& subject, int level) {
    DrawItem item;
    item.level = level;
    item.surfaces = surfacesOf(subject, subject.levels[static_cast<std::size_t>(level)]);
    const bool dragged = m_bench.dragLevel() == level && m_bench.dragMesh();
    item.mesh = dragged ? m_bench.dragMesh() : subject.levels[static_cast<std::size_t>(level)].mesh;
    const bool cards = ofPictures(subject.levels[static_cast<std::size_t>(level)].origin);
    if (m_shading == Shading::Heat && m_stage == Stage::Thin && !dragged && !cards)
        if (const auto heat = m_bench.heat(subject, level)) {
            item.mesh = {heat, &heat->mesh};
            item.values = {heat, &heat->metres};
            item.valueUse = ValueUse::Heat;
            item.valueScale = static_cast<float>(
                1 / std::max(subject.levels[static_cast<std::size_t>(heatLevel(subject))].deviation, 1e-12));
        }
    return item;
}

std::vector<DrawItem> Viewport::soloItems() {
    std::vector<DrawItem> items;
    const Subject* subject = m_bench.subject();
    if (subject == nullptr)
        return items;
    const int last = static_cast<int>(subject->levels.size()) - 1;
    if (comparing(Arrangement::LineUp)) {
        const auto offsets = lineUpOffsets(*subject);
        for (int i = 0; i <= last; ++i) {
            items.push_back(levelItem(*subject, i));
            items.back().model.translate(static_cast<float>(offsets[static_cast<std::size_t>(i)]), 0, 0);
        }
    } else if (painting()) {
        items.push_back(levelItem(*subject, 0));
    } else if (comparing(Arrangement::Wipe) && !m_showSource) {
        items = {levelItem(*subject, 0), levelItem(*subject, wipeLevel(*subject))};
        items[0].clipTo = items[1].clipFrom = static_cast<float>(m_wipe);
    } else {
        items.push_back(
            levelItem(*subject, m_stage == Stage::Gather || m_showSource ? 0 : std::min(m_bench.level(), last)));
    }
    if (m_moving && m_bench.dragLevel() < 0) {
        m_factorDrawn = 1;
        // In motion each item may show a coarser level of its own chain, just enough to fit.
        const double each = m_soloBudget / static_cast<double>(items.size());
        for (DrawItem& item : items)
            for (std::size_t k = static_cast<std::size_t>(item.level); !item.values && k < subject->levels.size(); ++k)
                if (const auto& mesh = subject->levels[k].mesh;
                    mesh && (mesh->triangleCount() <= each || k + 1 == subject->levels.size())) {
                    if (mesh != item.mesh)
                        m_factorDrawn =
                            std::max(m_factorDrawn, static_cast<double>(item.mesh ? item.mesh->triangleCount() : 1) /
                                                        mesh->triangleCount());
                    item.mesh = mesh;
                    item.surfaces = surfacesOf(*subject, subject->levels[k]);
                    break;
                }
    }
    if (painting())
        tintByCare(*subject, items.front());
    for (DrawItem& item : items)
        for (const Level& level : subject->levels)
            if (level.views.across > 0 && item.mesh == level.mesh)
                item.mesh = seenFrom(level, m_soloOrbit.eye() - fromQt(item.model.column(3).toVector3D()));
    if (inMotion())
        for (DrawItem& item : items)
            if (!item.values && item.mesh)
                item.mesh = posedMesh(*subject, item.mesh);
    return items;
}

/// The mesh of a level, or of an impostor the view that is nearest to where the camera stands in its space.
std::shared_ptr<const Mesh> Viewport::seenFrom(const Level& level, const Vec3d& camera) {
    if (level.views.across == 0)
        return level.mesh;
    const int view = nearestView(level.views, camera - level.views.centre);
    constexpr std::size_t kMostKept = 1024; // four corners each
    if (m_views.size() > kMostKept)
        m_views.clear();
    auto& [owner, mesh] = m_views[{level.mesh.get(), view}];
    if (!mesh || owner.lock() != level.mesh) {
        owner = level.mesh;
        mesh = std::make_shared<const Mesh>(viewRectangle(level.views, view));
    }
    return mesh;
}

std::vector<DrawItem> Viewport::sceneItems(const Selection& selection) {
    std::vector<DrawItem> items;
    const View view = shotView();
    for (std::size_t i = 0; i < selection.picks.size(); ++i) {
        const Pick& pick = selection.picks[i];
        if (pick.culled != Culled::No)
            continue;
        const std::uint32_t chain = m_selectable.copies.chain[i];
        const Subject& subject = m_bench.scene().subjects[chain];
        const auto add = [&](int level, float fade) {
            DrawItem item;
            item.level = level;
            item.fade = fade;
            item.surfaces = surfacesOf(subject, subject.levels[static_cast<std::size_t>(level)]);
            item.mesh = subject.levels[static_cast<std::size_t>(level)].mesh;
            if (!item.mesh) { // not cut again yet after opening: the finest there is stands in
                item.mesh = subject.levels.front().mesh;
                item.surfaces = subject.surfaces;
            }
            item.model.translate(toQt(m_selectable.copies.position[i]));
            const Quatd& q = m_selectable.copies.rotation[i];
            item.model.rotate(QQuaternion(static_cast<float>(q.w()), static_cast<float>(q.x()),
                                          static_cast<float>(q.y()), static_cast<float>(q.z())));
            item.model.scale(static_cast<float>(m_selectable.copies.scale[i]));
            const Vec3d towards = q.conjugate() * (view.eye - m_selectable.copies.position[i]);
            item.mesh =
                item.mesh == subject.levels[static_cast<std::size_t>(level)].mesh
                    ? seenFrom(subject.levels[static_cast<std::size_t>(level)], towards / m_selectable.copies.scale[i])
                    : item.mesh;
            items.push_back(item);
        };
        if (m_flicker.isActive() && subject.id == m_flickerSubject &&
            std::max(m_flickerFiner, m_flickerCoarser) < static_cast<int>(subject.levels.size())) {
            add(m_flickers % 2 == 0 ? m_flickerFiner : m_flickerCoarser, 1);
            continue;
        }
        add(pick.level, pick.fadingFrom >= 0 ? std::max(pick.fade, 0.001F) : 1.0F);
        if (pick.fadingFrom >= 0)
            add(pick.fadingFrom, std::min(-pick.fade, -0.001F));
    }
    return items;
}

} // namespace thicket::app
