// Playing the animations of skinned and morphing subjects, on whatever level is shown.

#include "app/viewport/viewport.h"

#include <cmath>

namespace thicket::app {

bool Viewport::canPlay() const {
    const Subject* s = m_bench.subject();
    return solo() && s != nullptr && s->rig && !s->rig->animations.empty() && s->levels.front().mesh &&
           moves(*s->levels.front().mesh);
}

bool Viewport::inMotion() const {
    return canPlay() && m_playSubject == m_bench.subjectId();
}

double Viewport::animationLength() const {
    const Subject* s = m_bench.subject();
    if (!canPlay() || m_moment.animation >= s->rig->animations.size())
        return 0;
    return durationOf(s->rig->animations[m_moment.animation]);
}

void Viewport::play(bool on) {
    if (on && canPlay()) {
        if (m_playSubject != m_bench.subjectId())
            m_moment = {};
        m_playSubject = m_bench.subjectId();
        m_playClock.start();
        m_play.start();
    } else {
        m_play.stop();
    }
    emit motionChanged();
}

void Viewport::setMoment(std::size_t animation, double seconds) {
    if (!canPlay())
        return;
    m_playSubject = m_bench.subjectId();
    m_moment = {animation, seconds};
    moved();
    emit motionChanged();
}

void Viewport::toRest() {
    m_play.stop();
    m_playSubject = 0;
    m_moment = {};
    m_posed.clear();
    moved();
    emit motionChanged();
}

void Viewport::playOn() {
    if (!inMotion()) {
        m_play.stop();
        emit motionChanged();
        return;
    }
    const double length = animationLength();
    const double passed = static_cast<double>(m_playClock.restart()) / 1000;
    m_moment.seconds = length > 0 ? std::fmod(m_moment.seconds + passed, length) : 0;
    moved();
    emit motionChanged();
}

std::shared_ptr<const Mesh> Viewport::posedMesh(const Subject& subject, const std::shared_ptr<const Mesh>& mesh) {
    if (!moves(*mesh))
        return mesh;
    if (m_posedAt.animation != m_moment.animation || m_posedAt.seconds != m_moment.seconds) {
        m_posed.clear();
        m_posedAt = m_moment;
        m_pose = poseAt(*subject.rig, m_moment);
    }
    auto& kept = m_posed[mesh.get()];
    if (!kept.second || kept.first.lock() != mesh)
        kept = {mesh, std::make_shared<const Mesh>(posed(*mesh, m_pose))};
    return kept.second;
}

} // namespace thicket::app
