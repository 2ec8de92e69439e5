#include "app/budget/budget_panel.h"

#include "app/look/look.h"

#include <QPainter>
#include <algorithm>

namespace thicket::app {

LedgerView::LedgerView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setAccessibleName(tr("Who spends the frame"));
}

void LedgerView::show(const Ledger& ledger) {
    m_ledger = ledger;
    m_order.clear();
    for (std::size_t i = 0; i < m_ledger.rows.size(); ++i) {
        const auto& copies = m_ledger.rows[i].cost.culledBy; // drawn ones too
        if (std::any_of(std::begin(copies), std::end(copies), [](std::uint32_t n) { return n > 0; }))
            m_order.push_back(i); // what stands nowhere, as the assets of fields, spends nothing
    }
    std::stable_sort(m_order.begin(), m_order.end(),
                     [this](std::size_t a, std::size_t b) { return m_ledger.rows[a].ms > m_ledger.rows[b].ms; });
    setFixedHeight(std::max(40, static_cast<int>(m_order.size()) * 44));
    update();
}

void LedgerView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    const Device* device = m_bench.session.scene().currentDevice();
    const double full = std::max(device != nullptr ? device->frameMs : 8.0, 0.01);
    int y = 0;
    for (const std::size_t i : m_order) {
        const LedgerRow& row = m_ledger.rows[i];
        const Subject* s = m_bench.session.scene().find(row.subject);
        if (s == nullptr)
            continue;
        p.setFont(Look::font(12, 500));
        p.setPen(l.text);
        p.drawText(QRect(0, y, width() - 70, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(QString::fromStdString(s->name), Qt::ElideRight, width() - 76));
        p.drawText(QRect(width() - 70, y, 70, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QStringLiteral("%1 ms").arg(row.ms, 0, 'f', 2));
        p.setPen(Qt::NoPen);
        p.setBrush(l.raised);
        p.drawRoundedRect(QRectF(0, y + 18, width(), 4), 2, 2);
        p.setBrush(colorOf ? colorOf(i) : l.good);
        p.drawRoundedRect(QRectF(0, y + 18, std::clamp(row.ms / full, 0.005, 1.0) * width(), 4), 2, 2);
        p.setFont(Look::font(10.5));
        p.setPen(l.quiet);
        p.drawText(QRect(0, y + 24, width(), 14), Qt::AlignLeft | Qt::AlignVCenter,
                   row.cost.drawn == 0 ? tr("nothing drawn")
                                       : tr("%1 triangles · %2 drawn · %3 off")
                                             .arg(shortText(static_cast<double>(row.cost.triangles)))
                                             .arg(groupedText(row.cost.drawn))
                                             .arg(pixelText(row.cost.worstErrorPx)));
        y += 44;
    }
}

BudgetPanel::BudgetPanel(Workbench& bench, QWidget* parent)
    : Panel(tr("Who spends the frame"), parent), m_bench(bench) {
    m_device = new ChoiceBox;
    body->addWidget(fieldRow(tr("Device"), m_device, tr("The machine whose budget counts")));
    m_ledger = new LedgerView(bench);
    body->addWidget(m_ledger);
    m_findings = makeLabel({});
    m_findings->setTextFormat(Qt::RichText);
    m_findings->setTextInteractionFlags(Qt::TextSelectableByMouse);
    body->addWidget(m_findings);
    auto* keys = new QHBoxLayout;
    m_key = makeButton(tr("Key the camera here"),
                       tr("Add the shot camera's place to the end of the route, four seconds after the last key (K)"));
    m_clear = makeButton(tr("Clear"), tr("Remove the route; undo brings it back"));
    keys->addWidget(m_key, 1);
    keys->addWidget(m_clear);
    body->addSpacing(4);
    body->addLayout(keys);
    connect(m_key, &QPushButton::clicked, this, &BudgetPanel::keyRequested);
    connect(m_clear, &QPushButton::clicked, this, [this] { m_bench.budget.clearRoute(); });
    m_play = makeButton(tr("Play"), tr("Play the route in the viewport (Space)"));
    m_fly = makeButton(tr("Fly the route"), tr("Walk every frame of the route and compare it with the budget (Ctrl+R)"),
                       true);
    footer->addWidget(m_play);
    footer->addWidget(m_fly);
    connect(m_device, &QComboBox::activated, this,
            [this](int i) { m_bench.budget.setDevice(static_cast<std::size_t>(i)); });
    connect(m_play, &QPushButton::clicked, this, &BudgetPanel::playRequested);
    connect(m_fly, &QPushButton::clicked, this, [this] { m_bench.budget.runAudit(); });
    connect(&bench.budget, &BudgetModel::auditChanged, this, &BudgetPanel::refresh);
    connect(&bench.session.document, &Document::sceneChanged, this, &BudgetPanel::refresh);
    refresh();
}

void BudgetPanel::setFrame(const Ledger& ledger, double seconds) {
    aside->setText(seconds >= 0 ? tr("at %1 s").arg(seconds, 0, 'f', 1) : tr("present frame"));
    m_ledger->show(ledger);
}

void BudgetPanel::setPlaying(bool playing) {
    m_play->setText(playing ? tr("Stop") : tr("Play"));
}

void BudgetPanel::refresh() {
    const auto& scene = m_bench.session.scene();
    QStringList names;
    for (const Device& d : scene.settings.devices)
        names << QString::fromStdString(d.name);
    if (names != m_deviceNames) { // another project may have as many of them
        m_deviceNames = names;
        m_device->clear();
        for (const Device& d : scene.settings.devices)
            m_device->addItem(QString::fromStdString(d.name));
    }
    m_device->setCurrentIndex(static_cast<int>(scene.settings.device));
    const bool route = m_bench.budget.hasRoute();
    m_clear->setEnabled(!scene.settings.routes.empty());
    m_play->setEnabled(route);
    m_fly->setEnabled(route);
    m_fly->setToolTip(route ? tr("Walk every frame of the route and compare it with the budget (Ctrl+R)")
                            : tr("This project has no route yet"));
    const Audit* audit = m_bench.budget.audit();
    const Look& l = Look::now();
    if (audit == nullptr || audit->frames.empty()) {
        m_findings->setText(QStringLiteral("<span style='color:%1'>%2</span>")
                                .arg(l.quiet.name(), route ? tr("Not flown yet.")
                                                     : scene.settings.routes.empty()
                                                         ? tr("No route in this project yet.")
                                                         : tr("One key so far; a route needs two.")));
        return;
    }
    std::uint64_t switches = 0;
    std::uint64_t triangles = 0;
    std::uint64_t draws = 0;
    double error = 0;
    for (const AuditFrame& f : audit->frames) {
        switches += f.switches;
        triangles = std::max(triangles, f.triangles);
        draws = std::max(draws, f.draws);
        error = std::max(error, f.worstErrorPx);
    }
    QString rows;
    const auto row = [&](const QString& name, const QString& value, bool bad) {
        rows += QStringLiteral("<tr><td style='color:%1; padding:2px 8px 2px 0'>%2</td><td align='right' "
                               "style='color:%3'>%4</td></tr>")
                    .arg(l.quiet.name(), name, (bad ? l.over : l.text).name(), value);
    };
    const AuditFrame& worst = audit->frames[audit->worstFrame];
    const Device* d = scene.currentDevice();
    row(tr("over budget"), audit->framesOver == 1 ? tr("1 frame") : tr("%1 frames").arg(groupedText(audit->framesOver)),
        audit->framesOver > 0);
    row(tr("worst frame"), QStringLiteral("%1 ms").arg(worst.ms, 0, 'f', 1), d != nullptr && worst.ms > d->frameMs);
    row(tr("most triangles"), groupedText(static_cast<qint64>(triangles)),
        d != nullptr && triangles > d->triangleBudget);
    row(tr("most draws"), groupedText(static_cast<qint64>(draws)), d != nullptr && draws > d->drawBudget);
    row(tr("worst error"), pixelText(error), false);
    row(tr("switches a second"),
        QStringLiteral("%1").arg(static_cast<double>(switches) * audit->framesPerSecond /
                                     static_cast<double>(audit->frames.size()),
                                 0, 'f', 1),
        false);
    m_findings->setText(
        QStringLiteral("<p style='font-weight:600; margin:0 0 4px 0'>%1</p><table width='100%'>%2</table>")
            .arg(m_bench.budget.auditStale() ? tr("The whole route, before the last change") : tr("The whole route"),
                 rows));
}

} // namespace thicket::app
