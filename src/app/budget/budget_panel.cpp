#include "app/budget/budget_panel.h"

#include "app/budget/devices_dialog.h"
#include "app/budget/sweep_dialog.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"

#include <QFileDialog>
#include <QInputDialog>
#include <QMenu>
#include <QMessageBox>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket::app {
BudgetPanel::BudgetPanel(Workbench& bench, QWidget* parent)
    : Panel(tr("Who spends the frame"), parent), m_bench(bench) {
    m_device = new ChoiceBox;
    auto* field = new QWidget;
    auto* line = new QHBoxLayout(field);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    m_device->setMinimumWidth(40);
    m_device->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    line->addWidget(m_device, 1);
    QPushButton* edit = makeButton(QStringLiteral("…"), tr("Change the devices and their figures"));
    edit->setObjectName(QStringLiteral("editDevices"));
    edit->setAccessibleName(tr("Change the devices"));
    edit->setFixedWidth(26);
    edit->setStyleSheet(QStringLiteral("padding: 3px 0;"));
    connect(edit, &QPushButton::clicked, this, [this] { DevicesDialog(m_bench, this).exec(); });
    line->addWidget(edit);
    body->addWidget(fieldRow(tr("Device"), field, tr("The machine whose budget counts")));
    m_route = new ChoiceBox;
    m_route->setObjectName(QStringLiteral("route"));
    m_route->setMinimumWidth(40);
    m_route->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    m_routeMenu = makeButton(QStringLiteral("…"), tr("Add, copy, close, record and exchange routes"));
    m_routeMenu->setObjectName(QStringLiteral("routeMenu"));
    m_routeMenu->setAccessibleName(tr("Routes"));
    m_routeMenu->setFixedWidth(26);
    m_routeMenu->setStyleSheet(
        QStringLiteral("QPushButton { padding: 3px 0; } QPushButton::menu-indicator { image: none; width: 0; }"));
    m_routeMenu->setMenu(new QMenu(m_routeMenu));
    connect(m_routeMenu->menu(), &QMenu::aboutToShow, this, &BudgetPanel::fillRouteMenu);
    auto* routeField = new QWidget;
    auto* routeLine = new QHBoxLayout(routeField);
    routeLine->setContentsMargins(0, 0, 0, 0);
    routeLine->setSpacing(4);
    routeLine->addWidget(m_route, 1);
    routeLine->addWidget(m_routeMenu);
    body->addWidget(fieldRow(tr("Route"), routeField, tr("The camera move that is flown")));
    connect(m_route, &QComboBox::activated, this,
            [this](int i) { m_bench.routes.choose(static_cast<std::size_t>(i)); });
    m_sweepBox = new QWidget;
    auto* sweepColumn = new QVBoxLayout(m_sweepBox);
    sweepColumn->setContentsMargins(0, 4, 0, 4);
    sweepColumn->setSpacing(4);
    m_sweepText = makeLabel({}, "small");
    m_sweepText->setObjectName(QStringLiteral("sweepText"));
    m_sweepText->setTextFormat(Qt::RichText);
    m_sweepText->setWordWrap(true);
    m_sweepText->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_sweepText->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    connect(m_sweepText, &QLabel::linkActivated, this, [this](const QString& link) {
        const Sweep* sweep = m_bench.budget.sweep();
        const std::size_t i = link.toULongLong();
        if (sweep == nullptr || i >= sweep->places.size())
            return;
        const SweepPlace& p = sweep->places[i];
        const double turn = p.degrees * std::numbers::pi / 180;
        const Vec3d eye(p.x, p.eye, p.z);
        emit standRequested(eye, eye + 10 * Vec3d(std::cos(turn), 0, std::sin(turn)));
    });
    sweepColumn->addWidget(m_sweepText);
    auto* sweepButtons = new QHBoxLayout;
    QPushButton* table = makeButton(tr("Table…"), tr("Write all places to a CSV file"));
    QPushButton* away = makeButton(tr("Put away"), tr("Take the map out of the overview"));
    sweepButtons->addWidget(table);
    sweepButtons->addWidget(away);
    sweepButtons->addStretch(1);
    sweepColumn->addLayout(sweepButtons);
    body->addWidget(m_sweepBox);
    m_ledger = new LedgerView(bench);
    auto* column = new ChoiceBox;
    column->setObjectName(QStringLiteral("ledgerColumn"));
    column->addItems(
        {tr("time"), tr("triangles"), tr("vertices"), tr("draws"), tr("pixels, with overdraw"), tr("memory")});
    body->addWidget(fieldRow(tr("Sort by"), column,
                             tr("What the bars show, and what comes first. Memory: what this frame needs there")));
    connect(column, &QComboBox::currentIndexChanged, m_ledger,
            [this](int i) { m_ledger->setColumn(static_cast<LedgerColumn>(i)); });
    body->addWidget(m_ledger);
    connect(table, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getSaveFileName(this, tr("Write all places"), QStringLiteral("cost.csv"),
                                                          tr("Tables (*.csv)"));
        if (!file.isEmpty())
            m_bench.budget.saveSweep(file);
    });
    connect(away, &QPushButton::clicked, this, [this] { m_bench.budget.dropSweep(); });
    connect(&bench.budget, &BudgetModel::sweepChanged, this, &BudgetPanel::refreshSweep);
    connect(&bench.routes, &RouteModel::recordingChanged, this, &BudgetPanel::refreshRoutes);
    m_findings = makeLabel({});
    m_findings->setTextFormat(Qt::RichText);
    m_findings->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_findings->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_findings->setWordWrap(true);
    body->addWidget(m_findings);
    m_compare = makeButton(tr("Compare…"), tr("Keep this audit by a name, and compare later ones with it"));
    m_compare->setObjectName(QStringLiteral("compare"));
    m_compare->setProperty("flat2", true);
    m_compare->setMenu(new QMenu(m_compare));
    connect(m_compare->menu(), &QMenu::aboutToShow, this, &BudgetPanel::fillCompareMenu);
    connect(&bench.budget, &BudgetModel::baselineChanged, this, &BudgetPanel::refreshFindings);
    body->addWidget(m_compare, 0, Qt::AlignLeft);
    m_moments = new MomentsView(bench);
    connect(m_moments, &MomentsView::picked, this, &BudgetPanel::momentRequested);
    body->addWidget(m_moments);
    m_notes = new QVBoxLayout;
    m_notes->setSpacing(4);
    body->addLayout(m_notes);
    m_fit = new FitView(bench);
    body->addWidget(m_fit);
    m_fitted = new QVBoxLayout;
    m_fitted->setSpacing(0);
    body->addLayout(m_fitted);
    m_key = makeButton(tr("Key the camera here"),
                       tr("Add the shot camera's place to the end of the route, four seconds after the last key (K)"));
    body->addSpacing(4);
    body->addWidget(m_key);
    connect(m_key, &QPushButton::clicked, this, &BudgetPanel::keyRequested);
    m_play = makeButton(tr("Play"), tr("Play the route in the viewport (Space)"));
    m_fly = makeButton(tr("Fly the route"), tr("Walk every frame of the route and compare it with the budget (Ctrl+R)"),
                       true);
    m_fitScene = makeButton(
        tr("Fit…"),
        tr("Find what subjects may be off by so that every frame of the route holds on this device, with the "
           "least that is seen of it. Nothing changes until it is kept (Ctrl+Shift+R)"));
    m_fitScene->setObjectName(QStringLiteral("fitScene"));
    m_drop = makeButton(tr("Drop it"), tr("Leave everything as it is"));
    m_drop->setObjectName(QStringLiteral("dropFit"));
    m_keep = makeButton(tr("Keep the fit"), tr("Take it over for this device, in one step that can be undone"), true);
    m_keep->setObjectName(QStringLiteral("keepFit"));
    footer->addWidget(m_play);
    footer->addWidget(m_fitScene);
    footer->addWidget(m_fly);
    footer->addWidget(m_drop);
    footer->addWidget(m_keep, 1);
    connect(m_fitScene, &QPushButton::clicked, this, [this] { m_bench.budget.runFit(); });
    connect(m_drop, &QPushButton::clicked, this, [this] { m_bench.budget.dropFit(); });
    connect(m_keep, &QPushButton::clicked, this, [this] { m_bench.budget.keepFit(); });
    connect(&bench.budget, &BudgetModel::fitChanged, this, &BudgetPanel::refresh);
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
    m_play->setEnabled(route);
    m_fly->setEnabled(route);
    m_fitScene->setEnabled(route && scene.currentDevice() != nullptr);
    const bool fitting = m_bench.budget.fit() != nullptr;
    for (QWidget* w :
         std::initializer_list<QWidget*>{m_ledger, m_findings, m_compare, m_key, m_play, m_fitScene, m_fly})
        w->setVisible(!fitting);
    for (QWidget* w : std::initializer_list<QWidget*>{m_fit, m_drop, m_keep})
        w->setVisible(fitting);
    refreshFitted();
    refreshRoutes();
    refreshSweep();
    m_fit->refresh();
    m_fly->setToolTip(route ? tr("Walk every frame of the route and compare it with the budget (Ctrl+R)")
                            : tr("This project has no route yet"));
    refreshNotes();
    refreshFindings();
}

void BudgetPanel::refreshFindings() {
    const auto& scene = m_bench.session.scene();
    const bool route = m_bench.budget.hasRoute();
    const Audit* audit = m_bench.budget.audit();
    const Look& l = Look::now();
    if (audit == nullptr || audit->frames.empty()) {
        m_findings->setText(QStringLiteral("<span style='color:%1'>%2</span>")
                                .arg(l.quiet.name(), route ? tr("Not flown yet.")
                                                     : m_bench.budget.route() == nullptr
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
    FactTable facts(2);
    const AuditBaseline* baseline = m_bench.budget.baseline();
    const bool compared = baseline != nullptr && m_bench.budget.worse();
    const AuditSummary was = baseline != nullptr ? baseline->summary : AuditSummary();
    const auto row = [&](const QString& name, const QString& value, bool bad, const QString& before = {}) {
        const QString then =
            compared && !before.isEmpty()
                ? QStringLiteral("<br><span style='color:%1'>%2</span>")
                      .arg(l.quiet.name(), tr("was %1").arg(before).replace(' ', QStringLiteral("&nbsp;")))
                : QString();
        const auto oneLine = [](QString text) { return text.replace(' ', QStringLiteral("&nbsp;")); };
        facts.row({{oneLine(name), l.quiet}, {oneLine(value) + then, bad ? l.over : l.text}});
    };
    const auto count = [](double n) { return groupedText(std::llround(n)); };
    const AuditFrame& worst = audit->frames[audit->worstFrame];
    const Device* d = scene.currentDevice();
    row(tr("over budget"), audit->framesOver == 1 ? tr("1 frame") : tr("%1 frames").arg(groupedText(audit->framesOver)),
        audit->framesOver > 0, count(was.framesOver));
    row(tr("worst frame"), QStringLiteral("%1 ms").arg(worst.ms, 0, 'f', 1), d != nullptr && worst.ms > d->frameMs,
        QStringLiteral("%1 ms").arg(was.worst, 0, 'f', 1));
    const Pacing& pacing = m_bench.budget.findings().pacing;
    row(tr("50 · 95 · 99 %"),
        QStringLiteral("%1 · %2 · %3 ms")
            .arg(pacing.p50, 0, 'f', 1)
            .arg(pacing.p95, 0, 'f', 1)
            .arg(pacing.p99, 0, 'f', 1),
        d != nullptr && pacing.p99 > d->frameMs,
        QStringLiteral("%1 · %2 · %3").arg(was.p50, 0, 'f', 1).arg(was.p95, 0, 'f', 1).arg(was.p99, 0, 'f', 1));
    if (pacing.longestOver > 0)
        row(tr("longest over"),
            tr("%1 s from %2 s")
                .arg(static_cast<double>(pacing.longestOver) / audit->framesPerSecond, 0, 'f', 1)
                .arg(static_cast<double>(pacing.longestFrom) / audit->framesPerSecond, 0, 'f', 1),
            true);
    row(tr("most triangles"), groupedText(static_cast<qint64>(triangles)),
        d != nullptr && triangles > d->triangleBudget, count(was.mostTriangles));
    row(tr("most draws"), groupedText(static_cast<qint64>(draws)), d != nullptr && draws > d->drawBudget,
        count(was.mostDraws));
    const MemoryUse& memory = audit->memory;
    row(tr("most memory"),
        d != nullptr && d->memoryMb > 0 ? tr("%1 of %2 MB").arg(memory.worst, 0, 'f', 1).arg(d->memoryMb)
                                        : tr("%1 MB").arg(memory.worst, 0, 'f', 1),
        memory.framesOver > 0);
    if (memory.saved >= 0.1)
        row(tr("sharing saves"),
            tr("%1 of %2 MB").arg(memory.saved, 0, 'f', 1).arg(memory.all + memory.saved, 0, 'f', 1), false);
    row(tr("worst error"), pixelText(error), false);
    row(tr("switches a second"),
        QStringLiteral("%1").arg(static_cast<double>(switches) * audit->framesPerSecond /
                                     static_cast<double>(audit->frames.size()),
                                 0, 'f', 1),
        false);
    QString verdict;
    if (baseline != nullptr && !compared) {
        verdict = m_bench.budget.baselineName().toHtmlEscaped() + QStringLiteral(" ") +
                  QString::fromStdString(m_bench.budget.worse().error().what).toHtmlEscaped();
    } else if (compared && m_bench.budget.worse()->empty()) {
        verdict = tr("Nothing got worse than %1 by more than 5 %.").arg(m_bench.budget.baselineName().toHtmlEscaped());
    } else if (compared) {
        verdict = tr("Worse than %1 by more than 5 %:").arg(m_bench.budget.baselineName().toHtmlEscaped());
        for (const Worse& w : *m_bench.budget.worse())
            verdict += QStringLiteral("<br>%1 ").arg(QString::fromStdString(w.what).toHtmlEscaped()) +
                       tr("%1, was %2").arg(figureText(w.after, 3), figureText(w.before, 3));
    }
    if (!verdict.isEmpty())
        verdict = QStringLiteral("<p style='color:%1; margin:6px 0 0 0'>%2</p>")
                      .arg((compared && m_bench.budget.worse()->empty() ? l.good : l.over).name(), verdict);
    m_findings->setText(
        QStringLiteral("<p style='font-weight:600; margin:0 0 4px 0'>%1</p>%2")
            .arg(m_bench.budget.auditStale() ? tr("The whole route, before the last change") : tr("The whole route"),
                 facts.html()) +
        verdict);
}

void BudgetPanel::fillCompareMenu() {
    QMenu* menu = m_compare->menu();
    menu->clear();
    BudgetModel& budget = m_bench.budget;
    QAction* keep = menu->addAction(tr("Keep this audit as…"), this, [this, &budget] {
        bool kept = false;
        QString free = tr("before");
        for (int n = 2; budget.keptAudits().contains(free); ++n)
            free = tr("before %1").arg(n);
        const QString name =
            QInputDialog::getText(this, tr("Keep this audit"), tr("Name"), QLineEdit::Normal, free, &kept);
        if (kept)
            budget.keepAudit(name);
    });
    keep->setEnabled(budget.audit() != nullptr && !budget.auditStale());
    menu->addSeparator();
    for (const QString& name : budget.keptAudits()) {
        QAction* with = menu->addAction(tr("Compare with %1").arg(name), this, [this, &budget, name] {
            if (budget.baseline() != nullptr && budget.baselineName() == name)
                budget.putBaselineAway();
            else
                budget.compareWithKept(name);
        });
        with->setCheckable(true);
        with->setChecked(budget.baseline() != nullptr && budget.baselineName() == name);
    }
    menu->addAction(tr("Compare with a file…"), this, [this, &budget] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Compare with an audit"), {}, tr("Audits (*.json)"));
        if (!file.isEmpty())
            budget.compareWith(file);
    });
    menu->addAction(tr("Compare with nothing"), this, [&budget] { budget.putBaselineAway(); })
        ->setEnabled(budget.baseline() != nullptr);
    if (budget.keptAudits().isEmpty())
        return;
    menu->addSeparator();
    QMenu* remove = menu->addMenu(tr("Remove"));
    for (const QString& name : budget.keptAudits())
        remove->addAction(name, this, [this, &budget, name] {
            QMessageBox box(QMessageBox::Question, tr("Remove an audit"),
                            tr("%1 was kept beside the project. Undo does not bring its file back.").arg(name),
                            QMessageBox::NoButton, this);
            QPushButton* yes = box.addButton(tr("Remove it"), QMessageBox::AcceptRole);
            box.addButton(tr("Leave it"), QMessageBox::RejectRole);
            box.exec();
            if (box.clickedButton() == yes)
                budget.removeKept(name);
        });
}

void BudgetPanel::refreshRoutes() {
    const Settings& settings = m_bench.session.scene().settings;
    QStringList names;
    for (const Route& r : settings.routes)
        names << QString::fromStdString(r.name);
    if (names != m_routeNames) {
        m_routeNames = names;
        m_route->clear();
        m_route->addItems(names);
    }
    m_route->setCurrentIndex(names.isEmpty() ? -1 : static_cast<int>(settings.route));
    m_route->setEnabled(!names.isEmpty());
    m_key->setText(m_bench.routes.recording() ? tr("Stop recording") : tr("Key the camera here"));
}

void BudgetPanel::fillRouteMenu() {
    QMenu* menu = m_routeMenu->menu();
    menu->clear();
    RouteModel& routes = m_bench.routes;
    const Route* route = routes.current();
    menu->addAction(tr("Another route"), this, [&routes] { routes.add(); });
    menu->addAction(routes.recording() ? tr("Stop recording") : tr("Record by flying"), this,
                    &BudgetPanel::recordRequested);
    menu->addAction(tr("Bring in cameras…"), this, [this, &routes] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Bring in cameras that move"), {}, tr("glTF (*.glb *.gltf)"));
        if (!file.isEmpty())
            routes.bringIn(file);
    });
    menu->addSeparator();
    const auto of = [&](const QString& name, const std::function<void()>& what) {
        QAction* action = menu->addAction(name, this, what);
        action->setEnabled(route != nullptr);
        return action;
    };
    QAction* loop = of(tr("Closed: it goes on to its beginning"),
                       [&routes] { routes.setLoop(routes.current() == nullptr || !routes.current()->loop); });
    loop->setCheckable(true);
    loop->setChecked(route != nullptr && route->loop);
    of(tr("Rename…"), [this, &routes] {
        bool kept = false;
        const QString name = QInputDialog::getText(this, tr("Rename the route"), tr("Name"), QLineEdit::Normal,
                                                   QString::fromStdString(routes.current()->name), &kept);
        if (kept)
            routes.rename(name);
    });
    of(tr("Copy"), [&routes] { routes.copy(); });
    of(tr("Take out as a camera…"), [this, &routes] {
        const QString file = QFileDialog::getSaveFileName(this, tr("Take out as a camera"),
                                                          QStringLiteral("camera.glb"), tr("GLB (*.glb)"));
        if (!file.isEmpty())
            routes.takeOut(file);
    });
    of(tr("Remove"), [&routes] { routes.remove(); });
    menu->addSeparator();
    menu->addAction(tr("Map the cost over the ground…"), this, [this] { SweepDialog(m_bench, this).exec(); })
        ->setEnabled(m_bench.session.scene().currentDevice() != nullptr);
}

void BudgetPanel::refreshSweep() {
    const Sweep* sweep = m_bench.budget.sweep();
    m_sweepBox->setVisible(sweep != nullptr && m_bench.budget.fit() == nullptr);
    if (sweep == nullptr)
        return;
    const Look& l = Look::now();
    constexpr std::size_t kShown = 5;
    QString text =
        tr("<b>Over the ground</b>: %1 of %2 places are over<br>the dearest: ")
            .arg(groupedText(static_cast<qint64>(sweep->over)), groupedText(static_cast<qint64>(sweep->places.size())));
    for (std::size_t k = 0; k < std::min(kShown, sweep->dearest.size()); ++k) {
        const std::size_t i = sweep->dearest[k];
        text += QStringLiteral("<a style='color:%1' href='%2'>%3 ms</a> ")
                    .arg(l.accent.name())
                    .arg(i)
                    .arg(sweep->places[i].ms, 0, 'f', 1);
    }
    m_sweepText->setText(text);
}

void BudgetPanel::refreshFitted() {
    clearLayout(m_fitted);
    const Device* device = m_bench.session.scene().currentDevice();
    if (device == nullptr || device->fitted.empty() || m_bench.budget.fit() != nullptr)
        return;
    const auto add = [this](const QString& what, const char* style, const QString& button, const QString& tip,
                            std::uint32_t subject) {
        auto* line = new QWidget;
        auto* row = new QHBoxLayout(line);
        row->setContentsMargins(0, 0, 0, 0);
        QLabel* text = makeLabel(what, style);
        text->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
        QPushButton* free = makeButton(button, tip);
        free->setProperty("flat2", true);
        free->setObjectName(subject == 0 ? QStringLiteral("freeFitted") : QStringLiteral("freeFitted%1").arg(subject));
        connect(free, &QPushButton::clicked, this, [this, subject] { m_bench.budget.freeFitted(subject); });
        row->addWidget(text, 1);
        row->addWidget(free);
        m_fitted->addWidget(line);
    };
    add(tr("Fitted to this device"), "title", tr("free all"),
        tr("Take back what the fit did, on this device; undo brings it again"), 0);
    for (const auto& [id, times] : device->fitted)
        if (const Subject* s = m_bench.session.scene().find(id))
            add(tr("%1 · allowance × %2").arg(QString::fromStdString(s->name), figureText(times, 3)), "small",
                tr("free"), tr("Take back what the fit did to it"), id);
}

void BudgetPanel::refreshNotes() {
    clearLayout(m_notes);
    const Audit* audit = m_bench.budget.audit();
    const bool shown = audit != nullptr && !audit->frames.empty() && m_bench.budget.fit() == nullptr;
    m_moments->refresh();
    if (!shown)
        return;
    if (m_bench.budget.auditStale())
        return;
    for (const BudgetNote& note : m_bench.budget.findings().notes) {
        auto* line = new QWidget;
        auto* row = new QHBoxLayout(line);
        row->setContentsMargins(0, 0, 0, 0);
        QLabel* text = makeLabel(QString::fromStdString(note.text), "small");
        text->setWordWrap(true);
        text->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
        row->addWidget(text, 1);
        addMend(note, row);
        m_notes->addWidget(line);
    }
}

/// The button that does what a note advises, where one step does it.
void BudgetPanel::addMend(const BudgetNote& note, QBoxLayout* row) {
    const auto add = [&](const QString& text, const QString& tip, std::function<void()> mend) {
        QPushButton* button = makeButton(text, tip);
        button->setProperty("flat2", true);
        button->setObjectName(QStringLiteral("mend-%1").arg(QString::fromStdString(keyOf(note.kind))));
        connect(button, &QPushButton::clicked, this, std::move(mend));
        row->addWidget(button);
    };
    const Subject* subject = m_bench.session.scene().find(note.subject);
    const bool mesh = subject != nullptr && subject->isMesh();
    if (note.kind == BudgetNoteKind::NeverShown && mesh)
        add(tr("Remove it"), tr("Take this level out; no frame of the route changes"),
            [this, id = note.subject, level = note.level] { m_bench.thin.removeLevel(id, static_cast<int>(level)); });
    if (note.kind == BudgetNoteKind::LevelPays && mesh && note.level < subject->mesh().levels.size()) {
        const double triangles = subject->mesh().levels[note.level].triangles / 3.0;
        add(tr("Add one"), tr("A level of a third of the triangles of its coarsest"),
            [this, id = note.subject, triangles] { m_bench.thin.addLevel(id, triangles); });
    }
    if (note.kind == BudgetNoteKind::OffScreen && note.whole && mesh && subject->rule.fadeSeconds > 0)
        add(tr("Do not fade"), tr("Switch at once; no frame of the route changes"), [this, id = note.subject] {
            if (const Subject* s = m_bench.session.scene().find(id)) {
                SwitchRule rule = s->rule;
                rule.fadeSeconds = 0;
                m_bench.switching.setRule(id, rule, tr("Switch at once"));
            }
        });
    if (note.kind == BudgetNoteKind::HidesNothing)
        add(tr("Draw it all"), tr("Do not look for what is hidden; no frame of the route changes"),
            [this] { m_bench.switching.setCullHidden(false); });
    if (note.kind == BudgetNoteKind::ReachesAll && subject != nullptr)
        add(tr("Take it away"), tr("Draw it however far it is; no frame of the route changes"),
            [this, id = note.subject] {
                if (const Subject* s = m_bench.session.scene().find(id)) {
                    SwitchRule rule = s->rule;
                    rule.reachMetres = 0;
                    m_bench.switching.setRule(id, rule, tr("Take the reach away"));
                }
            });
}

} // namespace thicket::app
