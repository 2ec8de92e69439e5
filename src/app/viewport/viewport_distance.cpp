// The selected subject's nearest copy: how far it is, why it is drawn as it is, and walking towards it and away.

#include "app/viewport/viewport.h"
#include "scene/grounds.h"
#include "switching/explain.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace thicket::app {

std::optional<CopyRef> Viewport::nearest() const {
    const auto subject = indexOf(m_input, m_bench.session.subjectId());
    if (!subject)
        return std::nullopt;
    if (m_held.copy && m_held.copy->batch < m_input.batches.size()) {
        const Batch& batch = m_input.batches[m_held.copy->batch];
        if (batch.subject == *subject && batch.copies == m_held.of)
            return m_held.copy;
    }
    // Copies in front of the camera come first: the read-out speaks of what is seen.
    if (!m_nearest)
        m_nearest = nearestCopy(m_input, m_state, *subject, m_sceneOrbit.eye());
    return *m_nearest;
}

Pick Viewport::pick(CopyRef copy) const {
    return pickOf(m_input, selectedView(), m_selectedAt, selectionOptions(), m_state, copy);
}

double Viewport::subjectDistance() const {
    if (chosenGround() != nullptr) {
        const auto hit = groundLookedAt();
        if (!hit || hit->tile == nullptr)
            return hit ? hit->metres : -1;
        const Bounds b = m_input.grounds[hit->ground].tree->reachOf(hit->tile->ref);
        const Vec3d eye = shotView().eye;
        return (b.low - eye).cwiseMax(eye - b.high).cwiseMax(0).norm();
    }
    const auto copy = nearest();
    return copy ? decidingDistance(chainOf(*copy), placeOf(*copy), shotView()) : -1;
}

double Viewport::subjectFactor() const {
    const auto copy = nearest();
    if (!copy)
        return 1;
    const ResolvedChain& chain = chainOf(*copy);
    const bool grows =
        std::find(chain.growsWithScale.begin() + 1, chain.growsWithScale.end(), true) != chain.growsWithScale.end();
    return placeOf(*copy).importance * (grows ? placeOf(*copy).scale : 1.0);
}

void Viewport::standAt(double metres) {
    if (chosenGround() != nullptr) {
        standOnGroundAt(metres);
        return;
    }
    const auto copy = nearest();
    if (!copy)
        return;
    const ResolvedChain& chain = chainOf(*copy);
    const Placement& place = placeOf(*copy);
    const Vec3d centre = centreOf(place, chain.bounds);
    Vec3d way = m_sceneOrbit.eye() - centre;
    if (way.norm() < 1e-6)
        way = Vec3d(0, 0, 1);
    way.y() = std::max(way.y(), 0.05 * way.norm());
    way.normalize();
    // The measured distance (to the box, say) rises along the line, so bisection finds the place.
    double low = 0;
    double high = metres + 4 * chain.radius * place.scale + 1;
    View probe = shotView();
    for (int step = 0; step < 60; ++step) {
        const double middle = (low + high) / 2;
        probe = lookAt(probe, centre + way * middle, centre);
        const MeasureFrom from = chain.rule.measureFrom; // where it is decided from a target, walking changes nothing
        double& end = copyDistance(chain, place, probe, from) < metres ? low : high;
        end = middle;
    }
    m_held = {copy, m_input.batches[copy->batch].copies,
              m_held.clicked}; // walking past another copy does not change which one it is
    lookFrom(centre + way * high, centre);
}

void Viewport::standWhereItSwitches(double metres, int level) {
    const auto copy = nearest();
    if (!copy)
        return;
    // A field is looked at from where its switches are judged: as one who walks there sees it.
    if (const Subject* s = m_bench.session.subject(); s != nullptr && s->instances() != nullptr) {
        const Vec3d centre = centreOf(placeOf(*copy), chainOf(*copy).bounds);
        Vec3d way = m_sceneOrbit.eye() - centre;
        way.y() = std::tan(PopOptions().elevation) * std::max(std::hypot(way.x(), way.z()), 1e-3);
        m_sceneOrbit.lookFrom(centre + way, centre);
    }
    const auto& grows = chainOf(*copy).growsWithScale;
    const auto at = static_cast<std::size_t>(level);
    standAt(metres * (at < grows.size() && grows[at] ? placeOf(*copy).scale : 1));
}

std::optional<std::pair<double, double>> Viewport::walkEnds() const {
    if (const Subject* ground = chosenGround()) {
        const double last = groundChain(*ground, m_bench.session.scene().statedView()).fromMetres.back();
        return std::pair(20.0, std::clamp(last * 1.3, 400.0, 2 * ground->radius + 400));
    }
    const auto copy = nearest();
    if (!copy)
        return std::nullopt;
    const ResolvedChain& chain = chainOf(*copy);
    const double scale = placeOf(*copy).scale;
    const double from = std::max(0.6 * chain.radius * scale, 0.2);
    return std::pair(from, std::max(chain.fromMetres.back() * scale * 1.6, from * 20));
}

void Viewport::walkBack() {
    const auto ends = walkEnds();
    if (!ends)
        return;
    if (m_walk.isActive()) {
        m_walk.stop();
        return;
    }
    std::tie(m_walkNear, m_walkFar) = *ends;
    m_walkPhase = 0;
    m_walk.start();
}

Viewport::Reading Viewport::reading() const {
    Reading out;
    const auto copy = nearest();
    if (!copy)
        return out;
    const ResolvedChain& chain = chainOf(*copy);
    const Placement& place = placeOf(*copy);
    const Pick picked = pick(*copy);
    out.metres = subjectDistance();
    out.height =
        screenHeight(shotView(), chain.radius * place.scale, (centreOf(place, chain.bounds) - shotView().eye).norm());
    if (picked.level >= 0) {
        out.level = picked.level;
        out.triangles = chain.levels[static_cast<std::size_t>(picked.level)].triangles;
        out.errorPx = picked.errorPx;
    }
    return out;
}

std::uint32_t Viewport::nearestPlacement() const {
    const auto copy = nearest();
    return copy && !m_input.batches[copy->batch].strands ? placeOf(*copy).id : 0;
}

QString Viewport::why() const {
    const auto copy = nearest();
    if (!copy)
        return {};
    return QString::fromStdString(
        explainPick(chainOf(*copy), placeOf(*copy), selectedView(), selectionOptions(), pick(*copy)));
}

void Viewport::stopWalk() {
    m_walk.stop();
}

} // namespace thicket::app
