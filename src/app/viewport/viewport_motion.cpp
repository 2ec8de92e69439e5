// Playing the animations of skinned and morphing subjects, on whatever level is shown.

#include "app/viewport/viewport.h"

#include <cmath>

namespace thicket::app {

namespace {
constexpr double kEffectLoop = 20; // seconds that the slider spans
}

bool Viewport::playsEffect() const {
    const Subject* s = soloSubject();
    return s != nullptr && s->emitter() != nullptr;
}

bool Viewport::canPlay() const {
    return playsEffect() || playsPoses();
}

bool Viewport::playsPoses() const {
    return solo() && PosePlayer::canPlay(m_bench.session.meshSubject());
}

bool Viewport::inMotion() const {
    return solo() && m_player.inMotion(m_bench.session.meshSubject());
}

double Viewport::animationLength() const {
    if (playsEffect())
        return kEffectLoop;
    return playsPoses() ? m_player.length(*m_bench.session.meshSubject()) : 0;
}

Moment Viewport::moment() const {
    if (playsEffect())
        return {0, std::fmod(m_effectSeconds, kEffectLoop)};
    return m_player.moment();
}

void Viewport::play(bool on) {
    if (on && canPlay()) {
        if (playsPoses())
            m_player.start(*m_bench.session.meshSubject());
        m_playClock.start();
        m_play.start();
    } else {
        m_play.stop();
    }
    emit motionChanged();
}

void Viewport::setMoment(std::size_t animation, double seconds) {
    if (playsEffect()) {
        m_effectSeconds = seconds;
        moved();
        emit motionChanged();
        return;
    }
    if (!playsPoses())
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
    if (playsEffect()) {
        m_effectSeconds += static_cast<double>(m_playClock.restart()) / 1000;
        moved();
        emit motionChanged();
        return;
    }
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
