// Emitters in the viewport: one by itself with its levels side by side, all of them in the scene.

#include "app/look/look.h"
#include "app/viewport/particle_items.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"
#include "base/text.h"

#include <QPainter>

namespace thicket::app {

void Viewport::setEffectTime(double seconds) {
    m_effectSeconds = seconds;
    moved();
    emit motionChanged();
}

Vec3d Viewport::placeLookedAt() const {
    const View view = shotView();
    if (const auto hit = groundAlongSight(view.forward, true))
        return hit->place;
    return m_sceneOrbit.pivot;
}

/// The newest cloud there is, until the one that is wanted is made; at rest it comes by itself.
void Viewport::addCloud(const CloudWish& wish, std::vector<DrawItem>& out) {
    const CloudMaker::Made made = m_clouds.want(wish);
    m_lastParticles = made.cloud;
    m_cloudStands = made.asIs;
    if (!m_lastParticles)
        return;
    DrawItem item;
    item.particles = m_lastParticles;
    out.push_back(std::move(item));
}

void Viewport::addParticles(const Selection& selection, const View& view, std::vector<DrawItem>& out) {
    addCloud(cloudOf(m_bench.session.scene(), m_input, selection, view, m_effectSeconds), out);
}

std::vector<DrawItem> Viewport::emitterItems(const Subject& subject) {
    std::vector<DrawItem> out;
    const auto last = static_cast<int>(subject.emitter()->emitter.levels.size()) - 1;
    const int level = m_stage == Stage::Gather || m_showSource ? 0 : std::min(m_bench.session.level(), last);
    const bool all = comparing(Arrangement::LineUp);
    addCloud(cloudOf(subject, all ? -1 : level, all ? lineUpOffsets(subject) : std::vector<double>(), m_soloOrbit.eye(),
                     m_effectSeconds),
             out);
    return out;
}

/// Under each level what it has alive and draws over, or of the one that is shown.
void Viewport::paintEmitterLabels(QPainter& p, const QMatrix4x4& viewProjection, const Subject& subject) const {
    const Emitter& emitter = subject.emitter()->emitter;
    const bool all = comparing(Arrangement::LineUp);
    const auto offsets = all ? lineUpOffsets(subject) : std::vector<double>{0};
    const auto last = static_cast<int>(emitter.levels.size()) - 1;
    const int shown = m_stage == Stage::Gather || m_showSource ? 0 : std::min(m_bench.session.level(), last);
    const View view = m_bench.session.scene().statedView();
    const Look& l = Look::now();
    for (std::size_t i = 0; i < offsets.size(); ++i) {
        const std::size_t level = all ? i : static_cast<std::size_t>(shown);
        const EmitterForecast forecast = forecastOf(partsAt(emitter, level));
        const auto foot = inPicture(viewProjection, {offsets[i], 0, subject.bounds.high.z()}, size());
        if (!foot)
            continue;
        constexpr double kWide = 186;
        constexpr double kTall = 40;
        const QRectF box(std::clamp(foot->x() - kWide / 2, 8.0, std::max(8.0, width() - kWide - 8.0)),
                         std::min(foot->y() + 10, height() - kTall - 64), kWide, kTall);
        p.setPen(Qt::NoPen);
        p.setBrush(l.ground);
        p.drawRoundedRect(box, 4, 4);
        p.setBrush(Look::level(static_cast<int>(level)));
        p.drawRect(QRectF(box.left() + 4, box.top() + 6, 3, kTall - 12));
        const QRectF text = box.adjusted(14, 4, -8, -4);
        p.setFont(Look::font(11, 600));
        p.setPen(l.text);
        p.drawText(text, Qt::AlignLeft | Qt::AlignTop, tr("L%1").arg(level));
        p.drawText(text, Qt::AlignRight | Qt::AlignTop,
                   tr("%1 live").arg(QString::fromStdString(grouped(std::lround(forecast.live)))));
        p.setFont(Look::font(10));
        p.setPen(l.quiet);
        const double metres = std::max(m_soloOrbit.distance, 1e-3);
        p.drawText(text, Qt::AlignRight | Qt::AlignBottom,
                   tr("%1 × screen at %2")
                       .arg(QString::fromStdString(figure(forecast.overdraw(metres, view), 2)),
                            QString::fromStdString(length(metres))));
    }
}

} // namespace thicket::app
