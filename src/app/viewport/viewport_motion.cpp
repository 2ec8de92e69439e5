// Playing the animations of skinned and morphing subjects, on whatever level is shown.

#include "app/viewport/viewport.h"

namespace thicket::app {

bool Viewport::canPlay() const {
    return solo() && PosePlayer::canPlay(m_bench.session.meshSubject());
}

bool Viewport::inMotion() const {
    return solo() && m_player.inMotion(m_bench.session.meshSubject());
}

double Viewport::animationLength() const {
    return canPlay() ? m_player.length(*m_bench.session.meshSubject()) : 0;
}

void Viewport::play(bool on) {
    if (on && canPlay()) {
        m_player.start(*m_bench.session.meshSubject());
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
    m_player.setMoment(*m_bench.session.meshSubject(), animation, seconds);
    moved();
    emit motionChanged();
}

void Viewport::toRest() {
    m_play.stop();
    m_player.toRest();
    moved();
    emit motionChanged();
}

void Viewport::playOn() {
    if (!inMotion()) {
        m_play.stop();
        emit motionChanged();
        return;
    }
    m_player.advance(*m_bench.session.meshSubject(), static_cast<double>(m_playClock.restart()) / 1000);
    moved();
    emit motionChanged();
}

} // namespace thicket::app
