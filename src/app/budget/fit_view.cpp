#include "app/budget/fit_view.h"

#include "app/look/look.h"
#include "app/parts/controls.h"
#include "app/parts/fact_table.h"

#include <QHBoxLayout>
#include <algorithm>

namespace thicket::app {

FitView::FitView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setObjectName(QStringLiteral("fitView"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 2, 0, 0);
    layout->setSpacing(4);
    m_title = makeLabel({}, "title");
    layout->addWidget(m_title);
    m_sums = makeLabel({});
    m_sums->setTextFormat(Qt::RichText);
    m_sums->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_sums->setWordWrap(true);
    m_sums->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    layout->addWidget(m_sums);
    m_layout = new QVBoxLayout;
    m_layout->setSpacing(2);
    layout->addLayout(m_layout);
    m_rest = makeLabel({}, "small");
    m_rest->setWordWrap(true);
    m_rest->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    layout->addWidget(m_rest);
}

FitView::Row& FitView::rowOf(std::uint32_t subject) {
    const auto known = m_rows.find(subject);
    if (known != m_rows.end())
        return known->second;
    Row row{new QWidget, new QCheckBox, makeLabel({}, "small"), makeLabel({}, "small")};
    auto* lines = new QVBoxLayout(row.whole);
    lines->setContentsMargins(0, 2, 0, 2);
    lines->setSpacing(0);
    row.with->setToolTip(tr("Untick to leave it as it is; the others are then fitted anew"));
    lines->addWidget(row.with);
    auto* figures = new QHBoxLayout;
    figures->setContentsMargins(24, 0, 0, 0);
    row.off->setTextInteractionFlags(Qt::TextSelectableByMouse);
    row.off->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    figures->addWidget(row.off, 1);
    figures->addWidget(row.saves);
    lines->addLayout(figures);
    connect(row.with, &QCheckBox::clicked, this, [this, subject](bool on) { m_bench.budget.leaveOut(subject, !on); });
    m_layout->addWidget(row.whole);
    return m_rows.emplace(subject, row).first->second;
}

void FitView::refresh() {
    const Fit* fit = m_bench.budget.fit();
    const auto& scene = m_bench.session.scene();
    const Device* device = scene.currentDevice();
    if (fit == nullptr || device == nullptr)
        return;
    const Look& l = Look::now();
    m_title->setText(fit->holds() ? tr("Fitted to %1 ms").arg(device->frameMs) : tr("Fitted as far as it goes"));
    FactTable facts(2);
    const auto row = [&](const QString& name, const QString& before, const QString& after, bool good) {
        facts.row({{name, l.quiet}, {before, l.quiet}, {after, good ? l.good : l.over}});
    };
    const auto ms = [](double value) { return QStringLiteral("%1 ms").arg(value, 0, 'f', 1); };
    const Pacing before = pacingOf(fit->before);
    const Pacing after = pacingOf(fit->after);
    row(tr("frames over"), groupedText(fit->before.framesOver), groupedText(fit->after.framesOver), fit->holds());
    row(tr("worst frame"), ms(before.worst), ms(after.worst), after.worst <= device->frameMs);
    row(tr("99 % of frames"), ms(before.p99), ms(after.p99), after.p99 <= device->frameMs);
    const auto most = [](const Audit& audit, const auto& of) {
        double out = 0;
        for (const AuditFrame& f : audit.frames)
            out = std::max(out, static_cast<double>(of(f)));
        return out;
    };
    const auto triangles = [](const AuditFrame& f) { return f.triangles; };
    const auto draws = [](const AuditFrame& f) { return f.draws; };
    row(tr("most triangles"), shortText(most(fit->before, triangles)), shortText(most(fit->after, triangles)),
        most(fit->after, triangles) <= static_cast<double>(device->triangleBudget));
    row(tr("most draws"), shortText(most(fit->before, draws)), shortText(most(fit->after, draws)),
        most(fit->after, draws) <= static_cast<double>(device->drawBudget));
    QString text = facts.html();
    for (const Unheld& unheld : fit->unheld)
        text += QStringLiteral("<p style='color:%1; margin:4px 0'>%2</p>")
                    .arg(l.over.name(), QString::fromStdString(sentenceOf(unheld, scene)).toHtmlEscaped());
    m_sums->setText(text);
    int same = 0;
    for (const FitRow& r : fit->rows) {
        const Subject* s = scene.find(r.subject);
        const bool left = m_bench.budget.leftOut(r.subject);
        const bool shown = s != nullptr && r.mayLoosen && (r.times != r.before || r.times != 1 || left);
        if (!shown) {
            same += s != nullptr ? 1 : 0;
            if (const auto known = m_rows.find(r.subject); known != m_rows.end())
                known->second.whole->hide();
            continue;
        }
        Row& line = rowOf(r.subject);
        line.whole->show();
        constexpr int kNameWidth = 200;
        const QString name = QString::fromStdString(s->name);
        line.with->setText(fontMetrics().elidedText(name, Qt::ElideMiddle, kNameWidth));
        line.with->setToolTip(name);
        line.with->setChecked(!left);
        line.off->setText(left ? tr("stays as it is")
                               : tr("× %1 · %2 off, was %3")
                                     .arg(figureText(r.times, 3), pixelText(r.errorAfter), pixelText(r.errorBefore)));
        line.saves->setText(left ? QString() : QStringLiteral("%1 ms").arg(-r.savesMs, 0, 'f', 2));
        line.saves->setToolTip(tr("Of what the worst frame waited for; %1 triangles fewer in it")
                                   .arg(groupedText(static_cast<qint64>(std::llround(r.savesTriangles)))));
    }
    for (auto& [subject, line] : m_rows)
        if (scene.find(subject) == nullptr)
            line.whole->hide();
    const QString others = same == 0   ? QString()
                           : same == 1 ? tr("One other stays as it is. ")
                                       : tr("%1 others stay as they are. ").arg(same);
    m_rest->setText(others + tr("What was set by hand stays too. Thinning comes as many times nearer as the allowance "
                                "is larger."));
}

} // namespace thicket::app
