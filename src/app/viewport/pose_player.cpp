#include "app/viewport/pose_player.h"

#include <cmath>

namespace thicket::app {

bool PosePlayer::canPlay(const Subject* s) {
    return s != nullptr && s->isMesh() && s->mesh().rig && !s->mesh().rig->animations.empty() &&
           s->mesh().source().mesh && moves(*s->mesh().source().mesh);
}

bool PosePlayer::inMotion(const Subject* s) const {
    return canPlay(s) && m_subject == s->id;
}

double PosePlayer::length(const Subject& s) const {
    const auto& animations = s.mesh().rig->animations;
    return m_moment.animation < animations.size() ? durationOf(animations[m_moment.animation]) : 0;
}

void PosePlayer::start(const Subject& s) {
    if (m_subject != s.id)
        m_moment = {};
    m_subject = s.id;
}

void PosePlayer::setMoment(const Subject& s, std::size_t animation, double seconds) {
    m_subject = s.id;
    m_moment = {animation, seconds};
}

void PosePlayer::advance(const Subject& s, double seconds) {
    const double whole = length(s);
    m_moment.seconds = whole > 0 ? std::fmod(m_moment.seconds + seconds, whole) : 0;
}

void PosePlayer::toRest() {
    m_subject = 0;
    m_moment = {};
    m_posed.clear();
}

std::shared_ptr<const Mesh> PosePlayer::posedMesh(const Subject& subject, const std::shared_ptr<const Mesh>& mesh) {
    if (!moves(*mesh))
        return mesh;
    if (m_posedAt.animation != m_moment.animation || m_posedAt.seconds != m_moment.seconds) {
        m_posed.clear();
        m_posedAt = m_moment;
        m_pose = poseAt(*subject.mesh().rig, m_moment);
    }
    auto& kept = m_posed[mesh.get()];
    if (!kept.second || kept.first.lock() != mesh)
        kept = {mesh, std::make_shared<const Mesh>(posed(*mesh, m_pose))};
    return kept.second;
}

} // namespace thicket::app
