// Ground in the viewport: what of it is looked at, the brush on it, its read-out.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"
#include "terrain/ground_ray.h"

#include <QPainter>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::app {
namespace {

/// Lines along the ground from place to place.
void drawOnGround(QPainter& p, const QMatrix4x4& m, const QSize& size, const Heights& heights,
                  const std::vector<std::array<double, 2>>& places) {
    std::optional<QPointF> last;
    for (const auto& [x, z] : places) {
        const auto height = heights.heightAt(x, z);
        const auto at = height ? inPicture(m, {x, *height + 0.02, z}, size) : std::nullopt;
        if (at && last)
            p.drawLine(*last, *at);
        last = at;
    }
}

} // namespace

Vec3d Viewport::sightThrough(const QPointF& at) const {
    const View view = shotView();
    const double tall = std::tan(view.fovY / 2);
    const Vec3d right = view.forward.cross(view.up);
    return (view.forward + (1 - 2 * at.y() / std::max(1, height())) * tall * view.up +
            (2 * at.x() / std::max(1, width()) - 1) * tall * view.aspect * right)
        .normalized();
}

const Subject* Viewport::chosenGround() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->terrain() != nullptr && s->terrain()->heights ? s : nullptr;
}

std::optional<Viewport::GroundHit> Viewport::groundAlongSight(const Vec3d& direction, bool any) const {
    const Vec3d eye = shotView().eye;
    std::optional<GroundHit> out;
    for (std::size_t g = 0; g < m_input.grounds.size(); ++g) {
        const GroundBatch& ground = m_input.grounds[g];
        const Subject& subject = m_bench.session.scene().subjects[ground.subject];
        const TerrainBody* body = subject.terrain();
        if (body == nullptr || body->tree != ground.tree || (!any && subject.id != m_bench.session.subjectId()))
            continue;
        const auto place = groundAlong(*body->heights, *ground.tree, eye, direction, out ? out->metres : 1e6);
        if (place)
            out = GroundHit{g, nullptr, *place, (*place - eye).norm()};
    }
    if (!out || out->ground >= m_exact.grounds.size())
        return out;
    const TileTree& tree = *m_input.grounds[out->ground].tree;
    for (const DrawnTile& tile : m_exact.grounds[out->ground].tiles) {
        const Bounds b = tree.boundsOf(tile.ref);
        if (out->place.x() >= b.low.x() && out->place.x() <= b.high.x() && out->place.z() >= b.low.z() &&
            out->place.z() <= b.high.z())
            out->tile = &tile;
    }
    return out;
}

std::optional<Viewport::GroundHit> Viewport::groundLookedAt() const {
    if (chosenGround() == nullptr)
        return std::nullopt;
    const View view = shotView();
    if (m_groundPlace) {
        const Vec3d to = *m_groundPlace - view.eye;
        if (to.norm() > 1e-6)
            if (auto hit = groundAlongSight(to.normalized(), false))
                return hit;
    }
    return groundAlongSight(view.forward, false);
}

void Viewport::standOnGroundAt(double metres) {
    const auto hit = groundLookedAt();
    const Vec3d place = hit ? hit->place : m_sceneOrbit.pivot;
    if (!m_groundPlace)
        m_groundPlace = place;
    Vec3d way = m_sceneOrbit.eye() - place;
    if (way.norm() < 1e-6)
        way = Vec3d(0, 0.3, 1);
    way.y() = std::max(way.y(), 0.12 * way.norm());
    lookFrom(place + way.normalized() * metres, place);
}

void Viewport::paintGroundReading(QPainter& p, const QMatrix4x4& viewProjection) {
    const Look& l = Look::now();
    const Subject* subject = chosenGround();
    const auto hit = groundLookedAt();
    std::size_t ground = m_input.grounds.size();
    for (std::size_t g = 0; g < m_input.grounds.size(); ++g)
        if (subject != nullptr && m_input.subjects[m_input.grounds[g].subject] == subject->id)
            ground = g;
    if (ground >= m_exact.grounds.size())
        return;
    const TileCut& cut = m_exact.grounds[ground];
    const TileTree& tree = *m_input.grounds[ground].tree;
    const auto chip = [&](const QRectF& box) {
        QColor back = l.ground;
        back.setAlphaF(0.9F);
        p.setPen(Qt::NoPen);
        p.setBrush(back);
        p.drawRoundedRect(box, 5, 5);
    };
    if (hit && hit->tile != nullptr && m_stage != Stage::Gather) {
        const Bounds b = tree.boundsOf(hit->tile->ref);
        std::vector<std::array<double, 2>> outline;
        constexpr int kSteps = 24;
        const double corners[5][2] = {{b.low.x(), b.low.z()},
                                      {b.high.x(), b.low.z()},
                                      {b.high.x(), b.high.z()},
                                      {b.low.x(), b.high.z()},
                                      {b.low.x(), b.low.z()}};
        for (int c = 0; c < 4; ++c)
            for (int i = 0; i <= kSteps; ++i) {
                const double t = static_cast<double>(i) / kSteps;
                outline.push_back({corners[c][0] + (corners[c + 1][0] - corners[c][0]) * t,
                                   corners[c][1] + (corners[c + 1][1] - corners[c][1]) * t});
            }
        p.setPen(QPen(l.accent, 1.6));
        drawOnGround(p, viewProjection, size(), *subject->terrain()->heights, outline);
        if (const auto at = inPicture(viewProjection, hit->place, size())) {
            const QString text = tr("L%1 · tile %2, %3 · %4 off")
                                     .arg(hit->tile->ref.level)
                                     .arg(hit->tile->ref.x)
                                     .arg(hit->tile->ref.y)
                                     .arg(pixelText(static_cast<double>(hit->tile->errorPx)));
            p.setFont(Look::font(11.5, 600));
            const double w = p.fontMetrics().horizontalAdvance(text) + 20;
            const QRectF box(std::clamp(at->x() - w / 2, 8.0, std::max(8.0, width() - w - 8.0)),
                             std::clamp(at->y() - 46, 48.0, std::max(48.0, height() - 90.0)), w, 22);
            chip(box);
            p.setPen(l.text);
            p.drawText(box, Qt::AlignCenter, text);
        }
    }
    const QString lead = tr("%1 tiles drawn").arg(groupedText(static_cast<qint64>(cut.tiles.size())));
    const QString rest = tr(" · %1 triangles · ").arg(groupedText(static_cast<qint64>(cut.triangles)));
    const QString off = tr("%1 off").arg(pixelText(cut.worstErrorPx));
    const QString because = m_frozen ? tr("selection frozen: the camera is free, what is drawn stays")
                                     : tr("update %1 µs · %2 tiles changed")
                                           .arg(figureText(1e6 * m_exact.groundSeconds, 2))
                                           .arg(cut.added.size() + cut.removed.size() + cut.restitched.size());
    p.setFont(Look::font(13, 600));
    const int w1 = p.fontMetrics().horizontalAdvance(lead);
    p.setFont(Look::font(11.5));
    const int w2 = p.fontMetrics().horizontalAdvance(rest);
    const int w3 = p.fontMetrics().horizontalAdvance(off) + 6;
    const QRectF box(14, height() - 58, std::min<double>(std::max(w1 + w2 + w3, 190) + 26.0, width() - 28.0), 48);
    chip(box);
    p.setFont(Look::font(13, 600));
    p.setPen(l.text);
    p.drawText(QRectF(box.left() + 12, box.top() + 2, w1 + 2, 26), Qt::AlignVCenter, lead);
    p.setFont(Look::font(11.5));
    p.setPen(l.quiet);
    p.drawText(QRectF(box.left() + 12 + w1, box.top() + 2, w2 + 2, 26), Qt::AlignVCenter, rest);
    p.setPen(overAllowance(loosened(subject->rule, shotView().looser(subject->id)), cut.worstErrorPx, 1.01) ? l.over
                                                                                                            : l.good);
    p.drawText(QRectF(box.left() + 12 + w1 + w2, box.top() + 2, w3, 26), Qt::AlignVCenter, off);
    p.setFont(Look::font(11));
    p.setPen(m_frozen ? l.caution : l.quiet);
    p.drawText(box.adjusted(12, 26, -12, -4), Qt::AlignLeft | Qt::AlignVCenter, because);
}

/// The heat colours of tiles, with what they mean.
void Viewport::paintGroundHeat(QPainter& p) const {
    const Look& l = Look::now();
    const Subject* subject = chosenGround();
    if (subject == nullptr || m_shading != Shading::Heat)
        return;
    const QRectF box(width() - 254.0, height() - 68.0, 240, 54);
    QColor back = l.ground;
    back.setAlphaF(0.9F);
    p.setPen(Qt::NoPen);
    p.setBrush(back);
    p.drawRoundedRect(box, 5, 5);
    const QRectF bar = box.adjusted(14, 24, -14, -22);
    QLinearGradient ramp(bar.topLeft(), bar.topRight());
    for (int i = 0; i <= 8; ++i)
        ramp.setColorAt(i / 8.0, GlScene::heatColor(i / 8.0));
    p.setBrush(ramp);
    p.drawRoundedRect(bar, 2, 2);
    p.setFont(Look::font(10.5));
    p.setPen(l.text);
    p.drawText(QRectF(bar.left(), box.top() + 5, bar.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("tiles are off by, at most"));
    p.setPen(l.quiet);
    const double allow = loosened(subject->rule, shotView().looser(subject->id)).allowPx;
    for (int i = 0; i <= 2; ++i)
        p.drawText(QRectF(bar.left() + (bar.width() - 70) * i / 2, bar.bottom() + 3, 70, 15),
                   (i == 0   ? Qt::AlignLeft
                    : i == 1 ? Qt::AlignHCenter
                             : Qt::AlignRight) |
                       Qt::AlignVCenter,
                   pixelText(allow * i / 2));
}

void Viewport::paintGroundBrush(QPainter& p, const QMatrix4x4& viewProjection) const {
    const auto held = groundBrush ? groundBrush() : std::nullopt;
    const Subject* subject = chosenGround();
    if (!held || subject == nullptr || !underMouse())
        return;
    const auto hit = groundAlongSight(sightThrough(m_last), false);
    if (!hit)
        return;
    constexpr int kSteps = 64;
    const Look& l = Look::now();
    for (const double share : {1.0, 0.5}) { // where it ends, and where it does about half
        std::vector<std::array<double, 2>> ring;
        for (int i = 0; i <= kSteps; ++i) {
            const double a = 2 * std::numbers::pi * i / kSteps;
            ring.push_back({hit->place.x() + share * held->radius * std::cos(a),
                            hit->place.z() + share * held->radius * std::sin(a)});
        }
        QColor color = l.accent;
        color.setAlphaF(share < 1 ? 0.45F : 1.0F);
        p.setPen(QPen(color, share < 1 ? 1.0 : 1.8));
        drawOnGround(p, viewProjection, size(), *subject->terrain()->heights, ring);
    }
    // How much it does: a line up or down in the middle, as long as that.
    if (held->kind == BrushKind::Raise || held->kind == BrushKind::Lower) {
        const double by = held->kind == BrushKind::Raise ? held->strength : -held->strength;
        const auto from = inPicture(viewProjection, hit->place, size());
        const auto to = inPicture(viewProjection, hit->place + Vec3d(0, by, 0), size());
        p.setPen(QPen(l.accent, 1.8));
        if (from && to)
            p.drawLine(*from, *to);
    }
}

} // namespace thicket::app
