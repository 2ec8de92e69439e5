// What is written over the picture: read-outs, labels, the empty state.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"
#include "scene/kinds.h"
#include "switching/explain.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

void chip(QPainter& p, const QRectF& rect) {
    QColor fill = Look::now().ground;
    fill.setAlphaF(0.86F);
    p.setPen(Qt::NoPen);
    p.setBrush(fill);
    p.drawRoundedRect(rect, 5, 5);
}

} // namespace

ViewportOverlay::ViewportOverlay(Viewport& viewport) : QWidget(&viewport), m_viewport(viewport) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setAttribute(Qt::WA_NoSystemBackground);
}

void ViewportOverlay::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    m_viewport.paintOverlay(painter, m_viewport.m_viewProjection);
}

void Viewport::paintEmpty(QPainter& p) const {
    const Look& l = Look::now();
    const double wide = std::min(420.0, width() - 16.0);
    const QRectF card((width() - wide) / 2, height() / 2.0 - 64, wide, 128);
    chip(p, card);
    p.setPen(QPen(l.faint, 1, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(card.adjusted(8, 8, -8, -8), 5, 5);
    p.setPen(l.text);
    p.setFont(Look::font(15, 600));
    p.drawText(card.adjusted(0, 26, 0, 0), Qt::AlignHCenter | Qt::AlignTop, tr("Drop meshes here"));
    p.setPen(l.quiet);
    p.setFont(Look::font(12));
    p.drawText(card.adjusted(24, 56, -24, -8), Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap,
               tr("GLB, glTF, OBJ, PLY, STL and more, single files or a folder. Files whose names end in _LOD0, _LOD1 "
                  "become one chain."));
}

void Viewport::paintOverlay(QPainter& p, const QMatrix4x4& viewProjection) {
    if (!m_ready) {
        p.fillRect(rect(), Look::now().ground);
        p.setPen(Look::now().text);
        p.drawText(rect(), Qt::AlignCenter,
                   tr("This display has no OpenGL 3.3.\nThe command line does all of the work without it."));
        return;
    }
    if (m_bench.session.scene().subjects.empty()) {
        paintEmpty(p);
        return;
    }
    if (solo())
        paintSoloOverlay(p, viewProjection);
    else
        paintSceneOverlay(p, viewProjection);
    const bool fewer = m_moving && m_budget.scale() < 1;
    if (m_factorDrawn > 1.01 || fewer) {
        QStringList how;
        if (m_factorDrawn > 1.01 && !solo())
            how << tr("allowance × %1").arg(m_factorDrawn, 0, 'f', 1);
        if (fewer)
            how << tr("%1 % of the pixels").arg(std::lround(100 * m_budget.scale() * m_budget.scale()));
        how.prepend(tr("lighter while moving"));
        const QString text = how.join(QStringLiteral(" · "));
        p.setFont(Look::font(11));
        const int w = p.fontMetrics().horizontalAdvance(text) + 20;
        const QRectF box(width() - w - 14, height() - 34, w, 22);
        chip(p, box);
        p.setPen(Look::now().caution);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

void Viewport::paintSoloOverlay(QPainter& p, const QMatrix4x4& viewProjection) {
    const Look& l = Look::now();
    if (const Subject* own = soloSubject(); own != nullptr && own->emitter() != nullptr) {
        paintEmitterLabels(p, viewProjection, *own);
        return;
    }
    const Subject* subject = m_bench.session.meshSubject();
    if (subject == nullptr)
        return;
    if (!subject->mesh().levels.front().mesh) {
        p.setPen(l.text);
        p.setFont(Look::font(13, 500));
        p.drawText(rect(), Qt::AlignCenter,
                   tr("The source of %1 is missing.\nPoint to it again in Gather.")
                       .arg(QString::fromStdString(subject->name)));
        return;
    }
    p.setFont(Look::font(11));
    p.setPen(QColor(255, 255, 255, 150));
    p.drawText(QRect(14, height() - 26, 240, 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("1 square = %1").arg(lengthText(gridSquare())));
    if (m_stage == Stage::Thin && m_shading == Shading::Heat && subject->mesh().levels.size() > 1)
        paintHeatLegend(p, *subject);
    if (comparing(Arrangement::Wipe))
        paintWipe(p, *subject);
    if (painting())
        paintBrush(p, viewProjection);
    paintPlaces(p, viewProjection);
    if (!comparing(Arrangement::LineUp))
        return;
    const auto offsets = lineUpOffsets(*subject);
    const double bottom = subject->bounds.low.y();
    double previous = -1e9;
    for (std::size_t i = 0; i < subject->mesh().levels.size(); ++i) {
        const Vec3d c = subject->bounds.centre();
        const std::size_t beside = i + 1 < offsets.size() ? i + 1 : i - 1;
        const auto foot = inPicture(viewProjection, Vec3d(c.x() + offsets[i], bottom, c.z()), size());
        const auto other = inPicture(viewProjection, Vec3d(c.x() + offsets[beside], bottom, c.z()), size());
        if (!foot || !other)
            continue;
        const QPointF at = *foot;
        const double spaced = std::abs(other->x() - at.x());
        const double w = std::min(122.0, std::max(88.0, spaced - 6));
        const QRectF box(at.x() - w / 2, std::min(at.y() + 12, height() - 78.0), w, 38);
        if (box.left() < previous + 2)
            continue;
        previous = box.right();
        chip(p, box);
        p.fillRect(QRectF(box.left() + 3, box.top() + 4, 3, box.height() - 8), Look::level(static_cast<int>(i)));
        const std::uint32_t triangles = m_bench.thin.dragLevel(subject->id) == static_cast<int>(i)
                                            ? m_bench.thin.dragMesh(subject->id)->triangleCount()
                                            : subject->mesh().levels[i].triangles;
        p.setFont(Look::font(11, 600));
        p.setPen(l.text);
        p.drawText(box.adjusted(12, 4, -8, 0), Qt::AlignLeft | Qt::AlignTop, QStringLiteral("L%1").arg(i));
        p.drawText(box.adjusted(28, 4, -8, 0), Qt::AlignRight | Qt::AlignTop, groupedText(triangles));
        p.setFont(Look::font(10.5));
        p.setPen(l.quiet);
        p.drawText(box.adjusted(12, 0, -8, -4), Qt::AlignRight | Qt::AlignBottom,
                   i == 0 ? tr("the source") : lengthText(subject->mesh().levels[i].deviation) + tr(" off"));
    }
}

/// The heat colours with what they mean in millimetres, and in pixels where the level comes in.
void Viewport::paintHeatLegend(QPainter& p, const Subject& subject) const {
    const Look& l = Look::now();
    const QRectF box = heatLegend();
    chip(p, box);
    const QRectF bar = box.adjusted(16, 24, -16, -57);
    const int level = heatLevel(subject);
    p.setFont(Look::font(10.5));
    if (m_bench.session.level() == 0 && !comparing(Arrangement::LineUp) && !comparing(Arrangement::Wipe)) {
        p.setPen(l.quiet);
        p.drawText(box.adjusted(10, 0, -10, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("The source is what levels are measured against. Choose a coarser level."));
        return;
    }
    if (ofPictures(subject.mesh().levels[static_cast<std::size_t>(level)].origin)) {
        p.setPen(l.quiet);
        p.drawText(box.adjusted(10, 0, -10, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Pictures are measured by their outline; there is no surface to colour."));
        return;
    }
    if (m_bench.looks.heat(subject, level) == nullptr) {
        p.setPen(l.quiet);
        p.drawText(box, Qt::AlignCenter, tr("working out where L%1 is off …").arg(level));
        return;
    }
    QLinearGradient ramp(bar.topLeft(), bar.topRight());
    for (int i = 0; i <= 8; ++i)
        ramp.setColorAt(i / 8.0, GlScene::heatColor(i / 8.0));
    p.setPen(Qt::NoPen);
    p.setBrush(ramp);
    p.drawRoundedRect(bar, 2, 2);
    const Level& of = subject.mesh().levels[static_cast<std::size_t>(level)];
    const double end = heatEnd(of);
    const double from =
        thicket::chainOf(subject, m_bench.session.scene().statedView()).fromMetres[static_cast<std::size_t>(level)];
    p.setPen(l.text);
    p.drawText(QRectF(bar.left(), box.top() + 5, bar.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("L%1 is off by").arg(level));
    p.setPen(l.quiet);
    p.drawText(QRectF(bar.left(), box.top() + 5, bar.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("pixels from %1").arg(distanceText(from)));
    const auto row = [&](double y, const QColor& color, const auto& textAt) {
        p.setPen(color);
        for (int i = 0; i <= 2; ++i) {
            const QRectF at(bar.left() + (bar.width() - 100) * i / 2, y, 100, 15);
            p.drawText(at,
                       (i == 0   ? Qt::AlignLeft
                        : i == 1 ? Qt::AlignHCenter
                                 : Qt::AlignRight) |
                           Qt::AlignVCenter,
                       textAt(end * i / 2));
        }
    };
    row(bar.bottom() + 3, l.text, [](double metres) { return lengthText(metres); });
    row(bar.bottom() + 17, l.quiet,
        [&](double metres) { return pixelText(pixelError(m_bench.session.scene().statedView(), metres, from)); });
    const QRectF worst(bar.left(), bar.bottom() + 34, bar.width(), 16);
    if (end < of.deviation) {
        p.setPen(Qt::NoPen);
        p.setBrush(l.over);
        p.drawRoundedRect(QRectF(worst.left(), worst.top() + 4, 8, 8), 2, 2);
        p.setPen(l.quiet);
        p.drawText(worst.adjusted(14, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   tr("beyond, up to %1").arg(lengthText(of.deviation)));
    }
    p.setPen(l.accent);
    p.drawText(worst, Qt::AlignRight | Qt::AlignVCenter, tr("worst place (J)"));
}

QRectF Viewport::heatLegend() const {
    constexpr double kTall = 90;
    return {width() - 274.0, height() - kTall - 14, 260, kTall};
}

void Viewport::frameWorst() {
    const Subject* subject = m_bench.session.meshSubject();
    if (subject == nullptr || m_stage != Stage::Thin || m_shading != Shading::Heat || subject->mesh().levels.size() < 2)
        return;
    const auto heat = m_bench.looks.heat(*subject, heatLevel(*subject));
    if (!heat || heat->metres.empty())
        return;
    const auto at = std::max_element(heat->metres.begin(), heat->metres.end()) - heat->metres.begin();
    framePlace(heat->mesh.positions[static_cast<std::size_t>(at)].cast<double>(),
               std::max(4 * static_cast<double>(heat->metres[static_cast<std::size_t>(at)]), 0.015 * subject->radius));
}

void Viewport::paintWipe(QPainter& p, const Subject& subject) const {
    const Look& l = Look::now();
    const double x = std::round(m_wipe * width()) + 0.5;
    p.setPen(QPen(l.accent, 1));
    p.drawLine(QPointF(x, 0), QPointF(x, height()));
    p.setBrush(l.accent);
    p.setPen(Qt::NoPen);
    p.drawRoundedRect(QRectF(x - 3, height() / 2.0 - 16, 6, 32), 3, 3);
    const auto label = [&](const QString& text, bool left) {
        p.setFont(Look::font(11.5, 600));
        const int w = p.fontMetrics().horizontalAdvance(text) + 18;
        const QRectF box(left ? x - w - 8 : x + 8, 48, w, 22);
        if (box.left() < 4 || box.right() > width() - 4)
            return;
        chip(p, box);
        p.setPen(l.text);
        p.drawText(box, Qt::AlignCenter, text);
    };
    const int level = wipeLevel(subject);
    label(tr("L0 · the source"), true);
    label(tr("L%1 · %2").arg(level).arg(groupedText(subject.mesh().levels[static_cast<std::size_t>(level)].triangles)),
          false);
}

void Viewport::paintSceneOverlay(QPainter& p, const QMatrix4x4& viewProjection) {
    if (chosenGround() != nullptr) {
        if (groundBrushOut())
            paintGroundBrush(p, viewProjection);
        paintGroundReading(p, viewProjection);
        paintGroundHeat(p);
        return;
    }
    const auto copy = nearest();
    if (!copy)
        return;
    const Pick picked = pick(*copy);
    const ResolvedChain& chain = chainOf(*copy);
    QString state = tr("culled: %1").arg(QString::fromStdString(culledName(picked.culled)));
    if (picked.level >= 0) {
        const auto triangles = chain.levels[static_cast<std::size_t>(picked.level)].triangles;
        const Batch& batch = m_input.batches[copy->batch];
        state = tr("L%1").arg(static_cast<int>(picked.level));
        if (chain.levels.front().area > 0)
            state += tr(" · %1 live").arg(groupedText(triangles / 2));
        else if (batch.strands && batch.strands->carded[static_cast<std::size_t>(picked.level)])
            state += batch.strands->triangles(static_cast<std::size_t>(picked.level), copy->slot, 1) > 0
                         ? tr(" · has a card")
                         : tr(" · in another's card");
        else if (batch.strands)
            state += tr(" · %1 segments")
                         .arg(batch.strands->triangles(static_cast<std::size_t>(picked.level), copy->slot, 1) / 2);
        else
            state += tr(" · %1 triangles").arg(groupedText(triangles));
        paintPicked(p, viewProjection, *copy, state);
    }
    if (const Subject* subject = m_bench.session.subject(); subject != nullptr && thinningOf(*subject) != nullptr)
        paintFieldReading(p, *subject);
    else
        paintReading(p, picked, chain, state);
}

/// What is drawn of a field, and why not more; below, the copy that is looked at.
void Viewport::paintFieldReading(QPainter& p, const Subject& field) {
    const auto index = indexOf(m_input, field.id);
    if (!index || *index >= m_exact.subjects.size())
        return;
    const Look& l = Look::now();
    const SubjectCost& cost = m_exact.subjects[*index];
    const QString drawn = tr("%1 drawn").arg(groupedText(cost.drawn));
    QString rest = tr("of %1").arg(groupedText(static_cast<qint64>(copyCount(field))));
    for (const Culled reason :
         {Culled::OutOfView, Culled::Thinned, Culled::BeyondReach, Culled::TooSmall, Culled::Hidden})
        if (const auto count = cost.culledBy[static_cast<std::size_t>(reason)]; count > 0)
            rest += QStringLiteral(" · %1 %2").arg(groupedText(count), QString::fromStdString(culledName(reason)));
    const QString because = m_frozen ? tr("selection frozen: the camera is free, what is drawn stays")
                                     : tr("%1 away · %2").arg(distanceText(subjectDistance()), why());
    p.setFont(Look::font(13, 600));
    const int w1 = p.fontMetrics().horizontalAdvance(drawn) + 12;
    p.setFont(Look::font(11.5));
    const int w2 = p.fontMetrics().horizontalAdvance(rest) + 4;
    p.setFont(Look::font(11));
    const int w3 = p.fontMetrics().horizontalAdvance(because) + 4;
    const QRectF box(14, height() - 58, std::min(std::max(w1 + w2, w3) + 26.0, width() - 28.0), 48);
    chip(p, box);
    p.setFont(Look::font(13, 600));
    p.setPen(l.text);
    p.drawText(box.adjusted(12, 1, -12, -20), Qt::AlignLeft | Qt::AlignVCenter, drawn);
    p.setFont(Look::font(11.5));
    p.setPen(l.quiet);
    const QRectF line = box.adjusted(12 + w1, 1, -12, -20);
    p.drawText(line, Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(rest, Qt::ElideRight, static_cast<int>(line.width())));
    p.setFont(Look::font(11));
    p.setPen(m_frozen ? l.caution : l.quiet);
    p.drawText(box.adjusted(12, 26, -12, -4), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(because, Qt::ElideRight, static_cast<int>(box.width()) - 24));
}

/// The outline of the copy that the read-out is about, with its chip.
/// Places that hold a copy between them: of a strand its points, since all strands share one box.
std::vector<Vec3d> Viewport::placesAround(CopyRef copy) const {
    std::vector<Vec3d> out;
    const StrandsBody* body = m_bench.session.scene().subjects[m_input.batches[copy.batch].asset].strands();
    if (body == nullptr) {
        const auto corners = boxCorners(chainOf(copy), placeOf(copy), 0);
        out.assign(corners.begin(), corners.end());
        return out;
    }
    const StrandSet& set = *body->strands;
    const std::uint32_t strand = placeOf(copy).id - 1;
    for (std::uint32_t i = set.first[strand]; i < set.first[strand + 1]; ++i)
        out.push_back(set.origin + set.points[i].cast<double>());
    return out;
}

void Viewport::paintPicked(QPainter& p, const QMatrix4x4& viewProjection, CopyRef copy, const QString& state) {
    const Look& l = Look::now();
    QRectF box;
    bool first = true;
    for (const Vec3d& corner : placesAround(copy)) {
        const auto at = inPicture(viewProjection, corner, size());
        if (!at)
            return;
        box = first ? QRectF(*at, QSizeF(0.1, 0.1)) : box.united(QRectF(*at, QSizeF(0.1, 0.1)));
        first = false;
    }
    box = box.adjusted(-4, -4, 4, 4);
    if (box.width() >= width() * 1.2 || box.height() >= height() * 1.2)
        return;
    p.setPen(QPen(l.accent, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(box, 4, 4);
    p.setFont(Look::font(11.5, 600));
    const int w = p.fontMetrics().horizontalAdvance(state) + 16;
    const QRectF label(std::clamp(box.center().x() - w / 2.0, 8.0, std::max(8.0, width() - w - 8.0)),
                       std::max(48.0, box.top() - 26), w, 20);
    // Over the read-out at the foot, which says the same, it would only be in the way.
    if (label.bottom() >= height() - 62)
        return;
    chip(p, label);
    p.setPen(l.text);
    p.drawText(label, Qt::AlignCenter, state);
}

void Viewport::paintReading(QPainter& p, const Pick& picked, const ResolvedChain& chain, const QString& state) {
    const Look& l = Look::now();
    const bool drawn = picked.level >= 0;
    const QString far = distanceText(subjectDistance());
    const double share = reading().height; // of what is out of view the selection says nothing
    const QString tall = share > 2 ? tr("fills the screen") : tr("%1 % of height").arg(share * 100, 0, 'f', 1);
    const bool surface = chain.levels.empty() || chain.levels.front().area <= 0; // what has none is off by nothing
    const QString off = !drawn ? state : surface ? pixelText(picked.errorPx) + tr(" off") : QString();
    p.setFont(Look::font(13, 600));
    const int w1 = p.fontMetrics().horizontalAdvance(far) + 18;
    p.setFont(Look::font(11.5));
    const int w2 = p.fontMetrics().horizontalAdvance(tall) + 18;
    const int w3 = p.fontMetrics().horizontalAdvance(off) + 18;
    const QString lead = drawn ? state : QString();
    const int w4 = lead.isEmpty() ? 0 : p.fontMetrics().horizontalAdvance(lead) + 18;
    const QString because = m_frozen ? tr("selection frozen: the camera is free, what is drawn stays") : why();
    p.setFont(Look::font(11));
    const double w5 = std::min(p.fontMetrics().horizontalAdvance(because) + 24.0, width() - 28.0);
    const QRectF box(14, height() - 58, std::min(std::max(w1 + w2 + w3 + w4 + 12.0, w5), width() - 28.0), 48);
    chip(p, box);
    p.setPen(m_frozen ? l.caution : l.quiet);
    p.drawText(box.adjusted(12, 26, -12, -4), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(because, Qt::ElideRight, static_cast<int>(box.width()) - 24));
    double x = box.left() + 12;
    const auto word = [&](const QString& text, int w, const QColor& color, double px, int weight) {
        p.setFont(Look::font(px, weight));
        p.setPen(color);
        p.drawText(QRectF(x, box.top() + 1, w, 28), Qt::AlignLeft | Qt::AlignVCenter, text);
        x += w;
    };
    word(far, w1, l.text, 13, 600);
    if (w1 + w2 + w3 + w4 + 12 <= box.width() + 1)
        word(tall, w2, l.quiet, 11.5, 400);
    if (!lead.isEmpty())
        word(lead, w4, l.text, 11.5, 400);
    word(off, w3, drawn && overAllowance(chain.rule, picked.errorPx) ? l.over : l.good, 11.5, 400);
}

} // namespace thicket::app
