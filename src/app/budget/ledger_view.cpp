#include "app/budget/ledger_view.h"

#include "app/look/look.h"
#include "app/parts/controls.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr int kLedgerHead = 22; // pixels
constexpr int kLedgerRow = 44;

} // namespace

LedgerView::LedgerView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setAccessibleName(tr("Who spends the frame"));
    setToolTip(tr("Click a row to choose its subject"));
}

void LedgerView::show(const Ledger& ledger) {
    m_ledger = ledger;
    const Device* device = m_bench.session.scene().currentDevice();
    m_waits.clear();
    if (device != nullptr && ledger.total.drawn > 0) {
        const Bound bound = boundOf(*device, ledger.total);
        const double ms = bound == Bound::Draws    ? drawMs(*device, ledger.total)
                          : bound == Bound::Pixels ? pixelMs(*device, ledger.total)
                                                   : geometryMs(*device, ledger.total);
        m_waits = (bound == Bound::Draws    ? tr("The frame waits for draws: %1 of %2 ms")
                   : bound == Bound::Pixels ? tr("The frame waits for pixels: %1 of %2 ms")
                                            : tr("The frame waits for geometry: %1 of %2 ms"))
                      .arg(ms, 0, 'f', 1)
                      .arg(ledger.ms, 0, 'f', 1);
    }
    sort();
}

void LedgerView::setColumn(LedgerColumn column) {
    m_column = column;
    sort();
}

double LedgerView::valueOf(const LedgerRow& row) const {
    switch (m_column) {
    case LedgerColumn::Time:
        return row.ms;
    case LedgerColumn::Triangles:
        return static_cast<double>(row.cost.triangles);
    case LedgerColumn::Vertices:
        return static_cast<double>(row.cost.vertices);
    case LedgerColumn::Draws:
        return static_cast<double>(row.cost.draws);
    case LedgerColumn::Pixels: {
        const Device* device = m_bench.session.scene().currentDevice();
        return row.cost.pixels * (device != nullptr ? device->overdraw : 1);
    }
    case LedgerColumn::Memory:
        return row.memoryMb;
    }
    return 0;
}

QString LedgerView::textOf(double value) const {
    switch (m_column) {
    case LedgerColumn::Time:
        return tr("%1 ms").arg(value, 0, 'f', 2);
    case LedgerColumn::Memory:
        return tr("%1 MB").arg(figureText(value, 3));
    case LedgerColumn::Draws:
        return groupedText(std::llround(value));
    case LedgerColumn::Triangles:
    case LedgerColumn::Vertices:
    case LedgerColumn::Pixels:
        return shortText(value);
    }
    return {};
}

double LedgerView::fullOf() const {
    double most = 0;
    for (const LedgerRow& row : m_ledger.rows)
        most = std::max(most, valueOf(row));
    const Device* device = m_bench.session.scene().currentDevice();
    if (device == nullptr)
        return std::max(most, 1e-9);
    const double budget = m_column == LedgerColumn::Time        ? device->frameMs
                          : m_column == LedgerColumn::Triangles ? static_cast<double>(device->triangleBudget)
                          : m_column == LedgerColumn::Draws     ? static_cast<double>(device->drawBudget)
                          : m_column == LedgerColumn::Memory    ? device->memoryMb
                                                                : 0;
    return std::max(budget > 0 ? budget : most, 1e-9);
}

void LedgerView::sort() {
    m_order.clear();
    for (std::size_t i = 0; i < m_ledger.rows.size(); ++i) {
        const auto& copies = m_ledger.rows[i].cost.culledBy; // drawn ones too
        const bool stands = std::any_of(std::begin(copies), std::end(copies), [](std::uint32_t n) { return n > 0; });
        // What stands nowhere, as the assets of fields, spends nothing but memory.
        if (stands || (m_column == LedgerColumn::Memory && valueOf(m_ledger.rows[i]) > 0))
            m_order.push_back(i);
    }
    std::stable_sort(m_order.begin(), m_order.end(), [this](std::size_t a, std::size_t b) {
        return valueOf(m_ledger.rows[a]) > valueOf(m_ledger.rows[b]);
    });
    setFixedHeight(std::max(40, kLedgerHead + static_cast<int>(m_order.size()) * kLedgerRow));
    update();
}

void LedgerView::mousePressEvent(QMouseEvent* event) {
    const int at = (static_cast<int>(event->position().y()) - kLedgerHead) / kLedgerRow;
    if (event->position().y() >= kLedgerHead && at < static_cast<int>(m_order.size()))
        m_bench.session.selectSubject(m_ledger.rows[m_order[static_cast<std::size_t>(at)]].subject);
}

void LedgerView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    const double full = fullOf();
    p.setFont(Look::font(10.5));
    p.setPen(l.quiet);
    p.drawText(QRect(0, 0, width(), 16), Qt::AlignLeft | Qt::AlignVCenter, m_waits);
    int y = kLedgerHead;
    for (const std::size_t i : m_order) {
        const LedgerRow& row = m_ledger.rows[i];
        const Subject* s = m_bench.session.scene().find(row.subject);
        if (s == nullptr)
            continue;
        p.setFont(Look::font(12, 500));
        p.setPen(l.text);
        p.drawText(QRect(0, y, width() - 70, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(QString::fromStdString(s->name), Qt::ElideRight, width() - 76));
        p.drawText(QRect(width() - 70, y, 70, 16), Qt::AlignRight | Qt::AlignVCenter, textOf(valueOf(row)));
        p.setPen(Qt::NoPen);
        p.setBrush(l.raised);
        p.drawRoundedRect(QRectF(0, y + 18, width(), 4), 2, 2);
        p.setBrush(colorOf ? colorOf(i) : l.good);
        p.drawRoundedRect(QRectF(0, y + 18, std::clamp(valueOf(row) / full, 0.005, 1.0) * width(), 4), 2, 2);
        p.setFont(Look::font(10.5));
        p.setPen(l.quiet);
        p.drawText(QRect(0, y + 24, width(), 14), Qt::AlignLeft | Qt::AlignVCenter,
                   row.cost.drawn == 0 ? tr("nothing drawn")
                                       : tr("%1 triangles · %2 drawn · %3 off")
                                             .arg(shortText(static_cast<double>(row.cost.triangles)))
                                             .arg(groupedText(row.cost.drawn))
                                             .arg(pixelText(row.cost.worstErrorPx)));
        y += kLedgerRow;
    }
}

} // namespace thicket::app
