#include "app/budget/moments_view.h"

#include "app/look/look.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

namespace thicket::app {
namespace {

constexpr int kAcross = 3;
constexpr int kGap = 6;
constexpr int kWords = 15; // pixels
constexpr int kMomentsHead = 18;
constexpr int kNextMs = 15;
constexpr int kLaterMs = 250;

} // namespace

MomentsView::MomentsView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setObjectName(QStringLiteral("moments"));
    setAccessibleName(tr("The worst moments"));
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
    m_next.setSingleShot(true);
    connect(&m_next, &QTimer::timeout, this, &MomentsView::makeOne);
    connect(&bench.budget, &BudgetModel::auditChanged, this, [this] {
        if (!m_bench.budget.auditStale()) // flown anew
            m_moments.clear();
        refresh();
    });
}

void MomentsView::refresh() {
    const Audit* audit = m_bench.budget.audit();
    std::vector<Moment> moments;
    if (audit != nullptr && m_bench.budget.fit() == nullptr)
        for (const std::size_t f : m_bench.budget.findings().moments) {
            const AuditFrame& frame = audit->frames[f];
            if (frame.over)
                moments.push_back({frame.seconds, frame.ms, frame.bound, {}});
        }
    // Of the same audit pictures stay, whatever is changed meanwhile: they are of the scene that was flown.
    for (Moment& moment : moments)
        for (const Moment& before : m_moments)
            if (before.seconds == moment.seconds && before.ms == moment.ms)
                moment.picture = before.picture;
    m_moments = std::move(moments);
    m_under = -1;
    m_chosen = 0;
    setVisible(!m_moments.empty());
    settleHeight();
    m_next.start(kNextMs);
    update();
}

void MomentsView::settleHeight() {
    const QRect last = m_moments.empty() ? QRect() : place(m_moments.size() - 1);
    setFixedHeight(m_moments.empty() ? 0 : last.bottom() + kWords + 3);
}

QRect MomentsView::place(std::size_t moment) const {
    const int wide = (width() - (kAcross - 1) * kGap) / kAcross;
    const int tall = wide * 9 / 16;
    const auto column = static_cast<int>(moment) % kAcross;
    const auto row = static_cast<int>(moment) / kAcross;
    return {column * (wide + kGap), kMomentsHead + row * (tall + kWords + kGap), wide, tall};
}

std::size_t MomentsView::pictures() const {
    return static_cast<std::size_t>(
        std::count_if(m_moments.begin(), m_moments.end(), [](const Moment& m) { return !m.picture.isNull(); }));
}

int MomentsView::at(const QPoint& point) const {
    for (std::size_t i = 0; i < m_moments.size(); ++i)
        if (place(i).adjusted(0, 0, 0, kWords).contains(point))
            return static_cast<int>(i);
    return -1;
}

/// Some of a picture between two events, and none while the camera moves.
void MomentsView::makeOne() {
    const auto missing =
        std::find_if(m_moments.begin(), m_moments.end(), [](const Moment& m) { return m.picture.isNull(); });
    if (missing == m_moments.end() || !isVisible() || !pictureOf || m_bench.budget.auditStale())
        return;
    const double ratio = devicePixelRatioF();
    const auto picture = pictureOf(missing->seconds, place(0).size() * ratio);
    if (picture && !picture->isNull()) {
        missing->picture = *picture;
        update();
    }
    m_next.start(picture ? kNextMs : kLaterMs);
}

void MomentsView::paintEvent(QPaintEvent* /*event*/) {
    QPainter p(this);
    p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    const Look& l = Look::now();
    p.setFont(Look::font(10.5));
    p.setPen(l.quiet);
    p.drawText(QRect(0, 0, width(), 14), Qt::AlignLeft | Qt::AlignVCenter, tr("The worst moments"));
    for (std::size_t i = 0; i < m_moments.size(); ++i) {
        const Moment& moment = m_moments[i];
        const QRect box = place(i);
        p.setPen(Qt::NoPen);
        p.setBrush(l.ground);
        p.drawRect(box);
        if (!moment.picture.isNull())
            p.drawImage(box, moment.picture);
        const bool marked = static_cast<int>(i) == m_under || (hasFocus() && static_cast<int>(i) == m_chosen);
        if (marked) {
            p.setPen(QPen(l.accent, 1.5));
            p.setBrush(Qt::NoBrush);
            p.drawRect(QRectF(box).adjusted(0.75, 0.75, -0.75, -0.75));
        }
        const QRect words(box.left(), box.bottom() + 2, box.width(), kWords);
        p.setFont(Look::font(10));
        p.setPen(l.quiet);
        p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter, tr("%1 s").arg(moment.seconds, 0, 'f', 1));
        p.setPen(l.over);
        p.drawText(words, Qt::AlignRight | Qt::AlignVCenter, tr("%1 ms").arg(moment.ms, 0, 'f', 1));
    }
}

void MomentsView::resizeEvent(QResizeEvent* /*event*/) {
    settleHeight();
}

void MomentsView::showEvent(QShowEvent* /*event*/) {
    m_next.start(kNextMs);
}

void MomentsView::mousePressEvent(QMouseEvent* event) {
    if (const int moment = at(event->position().toPoint()); moment >= 0)
        emit picked(m_moments[static_cast<std::size_t>(moment)].seconds);
}

void MomentsView::mouseMoveEvent(QMouseEvent* event) {
    const int under = at(event->position().toPoint());
    setCursor(under >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (under != m_under) {
        m_under = under;
        update();
    }
}

void MomentsView::leaveEvent(QEvent* /*event*/) {
    m_under = -1;
    update();
}

void MomentsView::keyPressEvent(QKeyEvent* event) {
    const auto last = static_cast<int>(m_moments.size()) - 1;
    const int step = event->key() == Qt::Key_Right  ? 1
                     : event->key() == Qt::Key_Left ? -1
                     : event->key() == Qt::Key_Down ? kAcross
                     : event->key() == Qt::Key_Up   ? -kAcross
                                                    : 0;
    if (step != 0 && last >= 0) {
        m_chosen = std::clamp(m_chosen + step, 0, last);
        update();
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && m_chosen <= last) {
        emit picked(m_moments[static_cast<std::size_t>(m_chosen)].seconds);
    } else {
        QWidget::keyPressEvent(event);
    }
}

bool MomentsView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const int i = at(help->pos()); i >= 0) {
            const Moment& moment = m_moments[static_cast<std::size_t>(i)];
            QToolTip::showText(help->globalPos(),
                               tr("%1 ms at %2 s, waiting for %3. Click to stand there.")
                                   .arg(moment.ms, 0, 'f', 1)
                                   .arg(moment.seconds, 0, 'f', 1)
                                   .arg(QString::fromStdString(std::string(nameOf(moment.bound)))),
                               this);
            return true;
        }
    }
    return QWidget::event(event);
}

} // namespace thicket::app
