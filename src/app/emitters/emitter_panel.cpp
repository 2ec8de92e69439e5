#include "app/emitters/emitter_panel.h"

#include "app/look/look.h"
#include "io/project/emitter_file.h"
#include "scene/kinds.h"

#include <QFileDialog>

namespace thicket::app {

EmitterPanel::EmitterPanel(Workbench& bench, QWidget* parent) : Panel(tr("Emitter"), parent), m_bench(bench) {
    m_parts = makeLabel({});
    m_parts->setTextFormat(Qt::RichText);
    m_parts->setWordWrap(true);
    m_parts->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_parts->setObjectName(QStringLiteral("emitterParts"));
    body->addWidget(m_parts);
    m_seed = new NumberBox(0, 4e9, 0, {});
    body->addWidget(fieldRow(tr("Seed"), m_seed, tr("The same seed gives off the same particles")));
    QLabel* note = makeLabel(tr("Thin has its levels and their values, Switch where they come in."), "small");
    note->setWordWrap(true);
    body->addWidget(note);
    QPushButton* save = makeButton(tr("Save…"), tr("Keep it as a file of its own, for another project"));
    QPushButton* place = makeButton(tr("Place another"), tr("One more of it, where the scene is looked at"), true);
    place->setObjectName(QStringLiteral("placeEmitter"));
    footer->addWidget(save);
    footer->addWidget(place, 1);
    connect(place, &QPushButton::clicked, this, &EmitterPanel::placeRequested);
    connect(m_seed, &NumberBox::chosen, this,
            [this](double v) { m_bench.emitters.setSeed(m_bench.session.subjectId(), static_cast<std::uint32_t>(v)); });
    connect(save, &QPushButton::clicked, this, [this] {
        const Subject* s = emitter();
        if (s == nullptr)
            return;
        const QString path = QFileDialog::getSaveFileName(
            this, tr("Save emitter"), QString::fromStdString(s->name) + QString::fromLatin1(kEmitterSuffix),
            tr("Emitters (*%1)").arg(QString::fromLatin1(kEmitterSuffix)));
        if (!path.isEmpty())
            m_bench.emitters.save(s->id, path);
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &EmitterPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &EmitterPanel::refresh);
    refresh();
}

const Subject* EmitterPanel::emitter() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->emitter() != nullptr ? s : nullptr;
}

void EmitterPanel::refresh() {
    const Subject* s = emitter();
    if (s == nullptr)
        return;
    const Emitter& own = s->emitter()->emitter;
    title->setText(QString::fromStdString(s->name));
    aside->setText(tr("%1 placed").arg(copyCount(*s)));
    QString rows;
    for (const EmitterPart& part : own.parts) {
        const EmitterForecast forecast = forecastOf({part});
        rows +=
            QStringLiteral("<p style='margin:0 0 8px 0'><span style='font-weight:600'>%1</span><br>"
                           "<span style='color:%2'>%3</span></p>")
                .arg(QString::fromStdString(part.name).toHtmlEscaped(), Look::now().quiet.name(),
                     tr("%1 live · %2 a second · %3 to %4 s · %5 to %6 across%7")
                         .arg(figureText(forecast.live, 3), figureText(part.rate, 3), figureText(part.lifetime.low, 2),
                              figureText(part.lifetime.high, 2), lengthText(part.size.low), lengthText(part.size.high),
                              part.glows ? tr(" · glows") : QString()));
    }
    m_parts->setText(rows);
    m_seed->show(own.seed);
}

} // namespace thicket::app
