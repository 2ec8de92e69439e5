// Where the cameras go so that what is chosen can be seen.

#include "app/viewport/viewport.h"
#include "scene/grounds.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

/// What was just brought in has no view of its own yet: the camera goes where the first can be seen.
void Viewport::lookAtFirst() {
    if (solo() || m_sceneViewSet || !indexOf(m_input, m_bench.session.subjectId()))
        return;
    frameSelection();
    m_sceneViewSet = true;
}

/// From above, as much of a field as its copies can be told apart in. False: it is none.
bool Viewport::lookOver(const Subject& subject) {
    const InstancesBody* body = subject.instances();
    if (body == nullptr || body->copies->empty())
        return false;
    constexpr double kCopies = 60; // times as far away as one is wide
    double widest = 0;
    for (const std::uint32_t id : body->assets)
        if (const Subject* asset = m_bench.session.scene().findMesh(id))
            widest = std::max(widest, asset->radius);
    m_sceneOrbit.pivot = subject.bounds.centre();
    m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.35);
    m_sceneOrbit.distance = std::min(0.8 * subject.bounds.diagonal(), kCopies * widest);
    return true;
}

/// As after a change of unit: from where the camera stands it is a speck, or all round it.
bool Viewport::isOfAnotherSize() const {
    constexpr double kMuch = 2;
    const Subject* subject = m_bench.session.subject();
    if (subject == nullptr || !subject->isMesh() || m_framedAcross <= 0)
        return false;
    const double across = seenBox(*subject).diagonal();
    return across > kMuch * m_framedAcross || across * kMuch < m_framedAcross;
}

std::optional<View> Viewport::chosenView() const {
    return m_sceneViewSet ? std::optional(shotView()) : std::nullopt;
}

void Viewport::forgetView() {
    m_sceneViewSet = false;
    lookAtFirst();
}

void Viewport::frameSelection() {
    const Subject* subject = m_bench.session.subject();
    if (subject == nullptr)
        return;
    m_framed = subject->id;
    m_framedAcross = 0;
    if (solo()) {
        const Bounds bounds = seenBox(*subject);
        m_framedAcross = bounds.diagonal();
        const double radius = subject->isMesh() ? subject->radius : bounds.diagonal() / 2;
        double wide = radius;
        m_soloOrbit.pivot = bounds.centre();
        if (comparing(Arrangement::LineUp)) {
            const auto offsets = lineUpOffsets(*subject);
            wide = std::max(radius, (offsets.back() - offsets.front()) / 2 + bounds.size().x() / 2);
            m_soloOrbit.yaw = 0.0;
            m_soloOrbit.pitch = 0.12;
            const double aspect = height() > 0 ? static_cast<double>(width()) / height() : 1.6;
            const double half = std::tan(m_bench.session.scene().settings.view.fovY / 2);
            const double tall = bounds.size().y() / 2 + bounds.size().z() / 4;
            m_soloOrbit.distance = 1.03 * std::max(wide / (half * aspect), tall / half * 1.3) + bounds.size().z() / 2;
        } else {
            m_soloOrbit.distance = 1.15 * radius / std::sin(m_bench.session.scene().settings.view.fovY / 2);
        }
    } else if (chosenGround() != nullptr) {
        const Vec3d middle = subject->bounds.centre();
        m_groundPlace.reset();
        m_sceneOrbit.pivot = {
            middle.x(), subject->terrain()->heights->heightAt(middle.x(), middle.z()).value_or(middle.y()), middle.z()};
        m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.35);
        m_sceneOrbit.distance = 0.5 * subject->radius;
    } else if (!m_sceneViewSet && lookOver(*subject)) {
        // Its copies stand all round it else.
    } else {
        const auto copy = nearest();
        if (!copy)
            return;
        const ResolvedChain& chain = chainOf(*copy);
        m_sceneOrbit.pivot = centreOf(placeOf(*copy), chain.bounds);
        m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.08);
        m_sceneOrbit.distance =
            1.3 * chain.radius * placeOf(*copy).scale / std::sin(m_bench.session.scene().settings.view.fovY / 2);
    }
    moved();
}

void Viewport::framePlace(const Vec3d& place, double radius) {
    orbit().pivot = place;
    const Subject* subject = m_bench.session.meshSubject();
    orbit().distance = std::max(6 * radius, subject != nullptr ? 0.12 * subject->radius : 0.1);
    moved();
}

} // namespace thicket::app
