#include "app/budget/sweep_dialog.h"

#include "app/look/look.h"

#include <QDialogButtonBox>
#include <QPointer>
#include <QPushButton>

namespace thicket::app {

SweepDialog::SweepDialog(Workbench& bench, QWidget* parent) : QDialog(parent), m_bench(bench) {
    setWindowTitle(tr("Map the cost over the ground"));
    setObjectName(QStringLiteral("sweep"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(20, 16, 20, 16);
    column->setSpacing(10);
    QLabel* what = makeLabel(
        tr("Stands at every place of a grid over all that is placed but for the horizon, and looks all round. "
           "No route is needed; the dearest places are marked in the overview."));
    what->setWordWrap(true);
    what->setMinimumWidth(340);
    column->addWidget(what);
    m_spacing = new NumberBox(0.1, 10000, 1, tr(" m"));
    m_spacing->setObjectName(QStringLiteral("sweepSpacing"));
    m_eye = new NumberBox(0, 10000, 2, tr(" m"));
    m_directions = new NumberBox(1, 36, 0, {});
    const SweepOptions usual;
    m_spacing->show(usual.spacing);
    m_eye->show(usual.eyeHeight);
    m_directions->show(usual.directions);
    column->addWidget(fieldRow(tr("Places apart"), m_spacing, tr("How far from each other one stands")));
    column->addWidget(fieldRow(tr("Eye height"), m_eye, tr("Above the ground, or above the lowest thing without one")));
    column->addWidget(fieldRow(tr("Directions"), m_directions, tr("How many ways are looked at each place")));
    m_said = makeLabel({}, "small");
    m_said->setWordWrap(true);
    column->addWidget(m_said);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    m_go = buttons->button(QDialogButtonBox::Ok);
    m_go->setText(tr("Look all round"));
    m_go->setProperty("primary", true);
    for (const auto which : {QDialogButtonBox::Ok, QDialogButtonBox::Cancel})
        buttons->button(which)->setIcon({});
    connect(buttons, &QDialogButtonBox::accepted, this, &SweepDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &SweepDialog::reject);
    column->addWidget(buttons);
    for (NumberBox* box : {m_spacing, m_eye, m_directions})
        connect(box, &NumberBox::chosen, this, [this] { forecast(); });
    forecast();
}

SweepOptions SweepDialog::options() const {
    SweepOptions out;
    out.spacing = m_spacing->value();
    out.eyeHeight = m_eye->value();
    out.directions = static_cast<int>(m_directions->value());
    return out;
}

void SweepDialog::forecast() {
    m_go->setEnabled(false);
    m_bench.session.looks().run(
        {},
        [dialog = QPointer<SweepDialog>(this), scene = m_bench.session.document.snapshot().scene,
         how = options()](const JobContext&) -> JobQueue::Finish {
            const auto size = sweepSize(*scene, how);
            return [dialog, size, how] {
                if (dialog)
                    dialog->showForecast(size, how);
            };
        },
        QStringLiteral("sweep forecast"), true);
}

void SweepDialog::showForecast(const Result<std::pair<std::uint32_t, std::uint32_t>>& size, const SweepOptions& how) {
    m_go->setEnabled(size.has_value());
    if (!size) {
        m_said->setText(QString::fromStdString(size.error().text()));
        return;
    }
    const auto places = static_cast<qint64>(size->first) * size->second;
    m_said->setText(tr("%1 × %2 = %3 places, %4 looks")
                        .arg(size->first)
                        .arg(size->second)
                        .arg(groupedText(places), groupedText(places * how.directions)));
}

void SweepDialog::accept() {
    m_bench.budget.runSweep(options());
    QDialog::accept();
}

} // namespace thicket::app
