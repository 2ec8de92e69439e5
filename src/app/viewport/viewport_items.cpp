// What the viewport draws: one subject's levels side by side or one over the other, or the scene as it was selected.

#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"
#include "scene/kinds.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

std::vector<double> Viewport::lineUpOffsets(const Subject& subject) const {
    // Narrow things stand apart too, so that each has room for its label.
    const Bounds bounds = seenBox(subject);
    const Vec3d size = bounds.size();
    const double step = std::max(1.12 * size.x() + 0.01 * bounds.diagonal(), 0.55 * size.y());
    std::vector<double> offsets;
    const std::size_t levels = levelCount(subject);
    const double n = static_cast<double>(levels);
    for (std::size_t i = 0; i < levels; ++i)
        offsets.push_back(step * (static_cast<double>(i) - (n - 1) / 2));
    return offsets;
}

/// What is framed of a subject: of an emitter where its particles are mostly, not where they may be at all.
Bounds Viewport::seenBox(const Subject& subject) const {
    const EmitterBody* body = subject.emitter();
    if (body == nullptr)
        return subject.bounds;
    if (m_seen.first != body->emitter.parts)
        m_seen = {body->emitter.parts, seenBounds(body->emitter.parts, body->emitter.seed)};
    return m_seen.second;
}

bool Viewport::comparing(Arrangement arrangement) const {
    const Subject* subject = soloSubject();
    if (subject != nullptr && subject->emitter() != nullptr && arrangement != Arrangement::LineUp)
        return false; // particles are no surfaces to lay over each other
    return m_stage == Stage::Thin && m_arrangement == arrangement && subject != nullptr && levelCount(*subject) > 1;
}

int Viewport::wipeLevel(const Subject& subject) const {
    return std::clamp(m_bench.session.level(), 1, static_cast<int>(subject.mesh().levels.size()) - 1);
}

/// The level that the heat colours are scaled for; of all side by side, the coarsest.
int Viewport::heatLevel(const Subject& subject) const {
    int last = static_cast<int>(subject.mesh().levels.size()) - 1;
    while (last > 1 && ofPictures(subject.mesh().levels[static_cast<std::size_t>(last)].origin))
        --last; // their outlines are measured, not their surface
    return comparing(Arrangement::Wipe) ? wipeLevel(subject)
           : comparing(Arrangement::LineUp) || m_bench.session.level() == 0
               ? last
               : std::min(m_bench.session.level(), static_cast<int>(subject.mesh().levels.size()) - 1);
}

double Viewport::heatEnd(const Level& level) {
    constexpr double kFarOff = 1.5;
    return level.visible > 0 && level.deviation > kFarOff * level.visible ? level.visible : level.deviation;
}

DrawItem Viewport::levelItem(const Subject& subject, int level) {
    const Level& of = subject.mesh().levels[static_cast<std::size_t>(level)];
    DrawItem item;
    item.level = level;
    item.surfaces = surfacesOf(subject, of);
    item.mesh = of.mesh;
    if (m_bench.thin.dragLevel(subject.id) == level) {
        item.mesh = m_bench.thin.dragMesh(subject.id);
        return item;
    }
    if (m_shading == Shading::Heat && m_stage == Stage::Thin && !ofPictures(of.origin))
        if (const auto heat = m_bench.looks.heat(subject, level)) {
            item.mesh = {heat, &heat->mesh};
            item.values = {heat, &heat->metres};
            item.valueUse = ValueUse::Heat;
            item.valueScale = static_cast<float>(
                1 / std::max(heatEnd(subject.mesh().levels[static_cast<std::size_t>(heatLevel(subject))]), 1e-12));
        }
    return item;
}

/// In motion each item may show a coarser level of its own chain, just enough to fit.
void Viewport::lightenSolo(const Subject& subject, std::vector<DrawItem>& items) {
    m_factorDrawn = 1;
    const double each = m_budget.soloTriangles() / static_cast<double>(items.size());
    const std::vector<Level>& levels = subject.mesh().levels;
    for (DrawItem& item : items)
        for (auto k = static_cast<std::size_t>(item.level); !item.values && k < levels.size(); ++k) {
            const auto& mesh = levels[k].mesh;
            if (!mesh || (mesh->triangleCount() > each && k + 1 < levels.size()))
                continue;
            if (mesh != item.mesh)
                m_factorDrawn =
                    std::max(m_factorDrawn,
                             static_cast<double>(item.mesh ? item.mesh->triangleCount() : 1) / mesh->triangleCount());
            item.mesh = mesh;
            item.surfaces = surfacesOf(subject, levels[k]);
            break;
        }
}

std::vector<DrawItem> Viewport::soloItems() {
    std::vector<DrawItem> items;
    if (const Subject* own = soloSubject(); own != nullptr && own->emitter() != nullptr)
        return emitterItems(*own);
    const Subject* subject = m_bench.session.meshSubject();
    if (subject == nullptr)
        return items;
    const int last = static_cast<int>(subject->mesh().levels.size()) - 1;
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
        items.push_back(levelItem(
            *subject, m_stage == Stage::Gather || m_showSource ? 0 : std::min(m_bench.session.level(), last)));
    }
    if (m_moving && m_bench.thin.dragLevel(subject->id) < 0)
        lightenSolo(*subject, items);
    if (painting())
        tintByCare(*subject, items.front());
    for (DrawItem& item : items)
        for (const Level& level : subject->mesh().levels)
            if (level.views.across > 0 && item.mesh == level.mesh)
                item.mesh = m_views.seenFrom(level, m_soloOrbit.eye() - fromQt(item.model.column(3).toVector3D()));
    if (inMotion())
        for (DrawItem& item : items)
            if (!item.values && item.mesh)
                item.mesh = m_player.posedMesh(*subject, item.mesh);
    return items;
}

std::vector<DrawItem> Viewport::sceneItems(const Selection& selection, int halvings) {
    const View view = shotView();
    const SelectOptions options = selectionOptions();
    std::vector<DrawItem> out;
    m_groundTiles.add(m_bench.session.scene(), m_input, selection, halvings, out);
    if (!m_flicker.isActive()) {
        const auto copies = itemsOf(m_bench.session.scene(), m_input, selection, view, options, m_views);
        out.insert(out.end(), copies.begin(), copies.end());
        addParticles(selection, view, out);
        return out;
    }
    // One subject shows two of its levels in turn, whatever was selected.
    const int shown = m_flickers % 2 == 0 ? m_flickerFiner : m_flickerCoarser;
    for (const Run& run : selection.runs) {
        const bool flickers = m_input.subjects[m_input.batches[run.batch].subject] == m_flickerSubject;
        addRun(m_bench.session.scene(), m_input, selection, run, flickers ? shown : run.level, 1, view, options,
               m_views, out);
    }
    addParticles(selection, view, out);
    return out;
}

} // namespace thicket::app
