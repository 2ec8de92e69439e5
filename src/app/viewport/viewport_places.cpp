// Where a finding lies, drawn over the mesh: what is behind something shows too.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

/// Outlines of some elements as they are seen, of those that are in the picture.
QPainterPath outlinesOf(const FindingPlaces& places, std::size_t from, std::size_t to, const QMatrix4x4& m,
                        const QSize& size) {
    QPainterPath out;
    const QRectF picture(QPointF(0, 0), size);
    for (std::size_t i = from; i < to; ++i) {
        std::array<QPointF, 3> at;
        bool seen = true;
        for (std::size_t k = 0; k < 3 && seen; ++k) {
            const auto place = inPicture(m, places.elements[i][k].cast<double>(), size);
            seen = place.has_value();
            at[k] = place.value_or(QPointF());
        }
        const auto [left, right] = std::minmax({at[0].x(), at[1].x(), at[2].x()});
        const auto [top, bottom] = std::minmax({at[0].y(), at[1].y(), at[2].y()});
        if (!seen || right < picture.left() || left > picture.right() || bottom < picture.top() ||
            top > picture.bottom())
            continue;
        out.moveTo(at[0]);
        out.lineTo(at[1]);
        out.lineTo(at[2]);
        out.closeSubpath();
    }
    return out;
}

} // namespace

const PlacesModel::Pointed* Viewport::pointed() const {
    return m_stage == Stage::Gather && soloSubject() != nullptr ? m_bench.places.pointed() : nullptr;
}

void Viewport::framePointed() {
    const PlacesModel::Pointed* at = pointed();
    if (at == nullptr)
        return;
    const FindingSpot& spot = at->places->spots[at->spot];
    if (at->spot < at->from.size()) {
        m_soloOrbit.lookFrom(spot.centre + at->from[at->spot], spot.centre);
        m_soloOrbit.turn(0, 0); // never over the poles
    }
    framePlace(spot.centre, spot.radius);
}

void Viewport::paintPlaces(QPainter& p, const QMatrix4x4& viewProjection) const {
    const PlacesModel::Pointed* at = pointed();
    if (at == nullptr || inMotion()) // a pose is elsewhere
        return;
    constexpr std::uint32_t kMost = PlacesModel::kMostMarked;
    constexpr double kLeastRing = 16; // pixels
    const FindingPlaces& places = *at->places;
    const FindingSpot& spot = places.spots[at->spot];
    const QColor color = Look::now().caution;
    QColor pale = color;
    pale.setAlphaF(0.55F);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(pale, 1));
    p.drawPath(outlinesOf(places, 0, std::min<std::size_t>(kMost, places.elements.size()), viewProjection, size()));
    const QPainterPath own =
        outlinesOf(places, spot.first, spot.first + std::min(spot.count, kMost), viewProjection, size());
    if (places.areas) {
        QColor fill = color;
        fill.setAlphaF(0.25F);
        p.fillPath(own, fill);
    }
    p.setPen(QPen(color, 2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.drawPath(own);
    // A ring where that is too small to be found.
    const auto middle = inPicture(viewProjection, spot.centre, size());
    if (!middle)
        return;
    const QRectF box = own.boundingRect();
    if (std::max(box.width(), box.height()) < kLeastRing) {
        p.setPen(QPen(color, 1.5));
        p.drawEllipse(*middle, kLeastRing, kLeastRing);
    }
}

} // namespace thicket::app
