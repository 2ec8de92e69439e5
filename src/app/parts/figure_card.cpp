#include "app/parts/figure_card.h"

#include "app/look/look.h"

#include <QKeyEvent>
#include <QPainter>

namespace thicket::app {

FigureCard::FigureCard(int level, QWidget* parent) : QWidget(parent), m_level(level) {
    setFixedHeight(66);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setAccessibleName(tr("Level %1").arg(level));
    setObjectName(QStringLiteral("levelCard%1").arg(level));
}

void FigureCard::show(const Lines& lines, bool selected) {
    m_lines = lines;
    m_selected = selected;
    update();
}

void FigureCard::paintEvent(QPaintEvent* /*event*/) {
    QPainter p(this);
    p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    const Look& l = Look::now();
    const QRectF box = QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5);
    p.setPen(m_selected ? QPen(l.accent, 1.2) : hasFocus() ? QPen(l.line, 1.2) : QPen(Qt::NoPen));
    p.setBrush(m_selected ? l.raised : l.ground);
    p.drawRoundedRect(box, 5, 5);
    p.fillRect(QRectF(1, 7, 3, height() - 14), Look::level(m_level));
    double left = 14;
    if (!m_lines.picture.isNull()) {
        const QRectF picture(12, 9, 48, 48);
        p.drawImage(picture, m_lines.picture);
        left = 70;
    }
    const QRectF text(left, 6, width() - left - 12, height() - 12);
    const double third = text.height() / 3;
    const auto line = [&](int n, const QString& start, const QString& end, const QColor& color, double px, int weight) {
        const QRectF r(text.left(), text.top() + n * third, text.width(), third);
        p.setFont(Look::font(px, weight));
        p.setPen(color);
        const int w = p.fontMetrics().horizontalAdvance(end);
        p.drawText(r, Qt::AlignRight | Qt::AlignVCenter, end);
        p.drawText(r.adjusted(0, 0, -w - 6, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(start, Qt::ElideRight, static_cast<int>(r.width()) - w - 6));
    };
    line(0, m_lines.name, m_lines.cost, l.text, 12.5, 600);
    line(1, m_lines.left, m_lines.right, l.quiet, 11, 400);
    line(2, m_lines.leftBelow, m_lines.rightBelow, l.quiet, 11, 400);
}

void FigureCard::mousePressEvent(QMouseEvent* /*event*/) {
    emit picked(m_level);
}

void FigureCard::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Select)
        emit picked(m_level);
    else if (event->key() == Qt::Key_Delete)
        emit removeAsked(m_level);
    else
        QWidget::keyPressEvent(event);
}

void fitCards(QVBoxLayout* column, int count, const std::function<void(FigureCard*)>& made) {
    while (column->count() > count) {
        QLayoutItem* item = column->takeAt(column->count() - 1);
        item->widget()->hide();
        item->widget()->deleteLater(); // its own key may be what brought us here
        delete item;
    }
    while (column->count() < count) {
        auto* card = new FigureCard(column->count());
        made(card);
        column->addWidget(card);
    }
}

} // namespace thicket::app
