#include "app/main_window.h"

#include "app/budget/budget_panel.h"
#include "app/budget/route_chart.h"
#include "app/emitters/emitter_chart.h"
#include "app/emitters/emitter_levels.h"
#include "app/emitters/emitter_panel.h"
#include "app/field/field_chart.h"
#include "app/field/field_panel.h"
#include "app/field/scatter_panel.h"
#include "app/gather/gather_page.h"
#include "app/look/look.h"
#include "app/ship/ship_page.h"
#include "app/strands/grow_panel.h"
#include "app/strands/strand_levels.h"
#include "app/switching/pop_list.h"
#include "app/switching/switch_chart.h"
#include "app/switching/switch_panel.h"
#include "app/terrain/ground_panel.h"
#include "app/terrain/heights_dialog.h"
#include "app/terrain/study_chart.h"
#include "app/terrain/terrain_panel.h"
#include "app/thin/care_bar.h"
#include "app/thin/play_bar.h"
#include "app/thin/roles_dialog.h"
#include "app/thin/thin_chart.h"
#include "app/thin/thin_panel.h"
#include "appmodel/text.h"
#include "io/import/heights_file.h"
#include "io/project/emitter_file.h"
#include "io/project/recipe_file.h"

#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QDropEvent>
#include <QFile>
#include <QFileDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QScrollArea>
#include <QScrollBar>
#include <QSettings>
#include <algorithm>

namespace thicket::app {

MainWindow::MainWindow() {
    setAcceptDrops(true);
    setMinimumSize(1100, 700);
    resize(1280, 800);
    auto* root = new QWidget;
    root->setObjectName(QStringLiteral("root"));
    auto* rows = new QVBoxLayout(root);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    const auto rule = [] {
        auto* line = new QFrame;
        line->setFixedSize(QWIDGETSIZE_MAX, 1);
        line->setFixedHeight(1);
        line->setMaximumWidth(QWIDGETSIZE_MAX);
        line->setMinimumWidth(0);
        line->setStyleSheet(QStringLiteral("background:%1").arg(Look::now().line.name()));
        return line;
    };
    rows->addWidget(makeTop());
    rows->addWidget(rule());
    auto* columns = new QHBoxLayout;
    columns->setSpacing(0);
    columns->addWidget(makeLeft());
    columns->addWidget(makeCentre(), 1);
    m_panels = new QStackedWidget;
    m_panels->setFixedWidth(280);
    m_gatherPanel = new GatherPanel(m_bench);
    m_thinPanel = new ThinPanel(m_bench);
    m_switchPanel = new SwitchPanel(m_bench);
    m_budgetPanel = new BudgetPanel(m_bench);
    m_shipPanel = new ShipPanel(m_bench);
    m_fieldPanel = new FieldPanel(m_bench);
    m_scatterPanel = new ScatterPanel(m_bench);
    m_terrainPanel = new TerrainPanel(m_bench);
    m_groundPanel = new GroundPanel(m_bench);
    const auto byKind = [](std::initializer_list<QWidget*> panels) {
        auto* all = new QStackedWidget;
        for (QWidget* panel : panels)
            all->addWidget(panel);
        return all;
    };
    auto* emitterPanel = new EmitterPanel(m_bench);
    m_emitterSwitches = new EmitterSwitches(m_bench);
    m_gatherPanels = byKind({m_gatherPanel, m_scatterPanel, m_groundPanel, new GrowPanel(m_bench), emitterPanel});
    m_switchPanels = byKind({m_switchPanel, m_fieldPanel, m_terrainPanel, m_emitterSwitches});
    m_thinPanels =
        byKind({m_thinPanel, new GroundLevels(m_bench), new StrandLevels(m_bench), new EmitterLevels(m_bench)});
    connect(emitterPanel, &EmitterPanel::placeRequested, this,
            [this] { m_bench.emitters.placeAt(m_bench.session.subjectId(), m_viewport->placeLookedAt()); });
    m_viewport->groundBrush = [this] { return m_groundPanel->brush(); };
    m_groundPanel->eye = [this] { return m_viewport->shotView().eye; };
    connect(m_groundPanel, &GroundPanel::brushChanged, m_viewport, qOverload<>(&QWidget::update));
    connect(m_terrainPanel, &TerrainPanel::cullingChosen, m_viewport, &Viewport::setCulling);
    connect(m_terrainPanel, &TerrainPanel::sizesWanted, this, [this](bool on) {
        m_tileSizes = on;
        showKind();
    });
    for (QWidget* panel :
         std::initializer_list<QWidget*>{m_gatherPanels, m_thinPanels, m_switchPanels, m_budgetPanel, m_shipPanel})
        m_panels->addWidget(panel);
    m_budgetPanel->ledger()->colorOf = [this](std::size_t i) { return m_routeChart->colorOf(i); };
    columns->addWidget(m_panels);
    rows->addLayout(columns, 1);
    rows->addWidget(rule());
    rows->addWidget(makeFoot());
    root->setStyleSheet(QStringLiteral("#root { background: %1; }").arg(Look::now().panel.name()));
    setCentralWidget(root);
    makeActions();

    connect(m_path, &StagePath::picked, this, &MainWindow::setStage);
    connect(&m_bench.session.document, &Document::sceneChanged, this, [this] {
        refreshStages();
        refreshTitle();
        refreshCharts();
    });
    connect(&m_bench.session.document, &Document::stateChanged, this, &MainWindow::refreshTitle);
    connect(&m_bench.budget, &BudgetModel::auditChanged, this, &MainWindow::refreshStages);
    connect(&m_bench.shipping, &ShipModel::shipChanged, this, &MainWindow::refreshStages);
    connect(&m_bench.session, &Session::message, this, &MainWindow::showMessage);
    connect(&m_bench.files, &FilesModel::projectOpened, this, [this](const QString& path) {
        noteRecent(path);
        const View& view = m_bench.session.scene().settings.view;
        if (view.eye == View().eye && view.forward == View().forward)
            m_viewport->forgetView(); // nobody has looked at it yet
        else
            m_viewport->setShotView(view.eye, view.eye + view.forward * 30);
    });
    connect(&m_bench.files, &FilesModel::projectSaved, this, &MainWindow::noteRecent);
    connect(&m_bench.files, &FilesModel::recoveryFound, this, [this](const QString& project, const QString& autosave) {
        if (m_quiet)
            return;
        QMessageBox box(QMessageBox::Question, tr("Recover"),
                        tr("There is work that was kept automatically but not saved by you. Take it?"),
                        QMessageBox::NoButton, this);
        QPushButton* take = box.addButton(tr("Recover it"), QMessageBox::AcceptRole);
        box.addButton(tr("Keep the saved project"), QMessageBox::RejectRole);
        box.exec();
        if (box.clickedButton() == take)
            m_bench.files.recover(project, autosave);
        else
            QFile::remove(autosave);
    });
    connect(&m_bench.session, &Session::selectionChanged, this, [this] {
        const QModelIndex index = m_filter->mapFromSource(m_model->indexOf(m_bench.session.subjectId()));
        if (index.isValid() && index != m_list->currentIndex())
            m_list->setCurrentIndex(index);
        showKind();
        refreshCharts();
    });
    connect(m_model, &QAbstractItemModel::modelReset, this, [this] {
        m_list->setCurrentIndex(m_filter->mapFromSource(m_model->indexOf(m_bench.session.subjectId())));
    });
    connect(&m_bench.session.document, &Document::sceneChanged, this, [this] { m_memory.clear(); });
    m_budgetPanel->moments()->pictureOf = [this](double seconds, const QSize& size) {
        return m_viewport->glance(seconds, size);
    };
    const auto follow = [this] {
        refreshGauges();
        refreshCharts();
    };
    m_gaugesTimer.setSingleShot(true);
    m_gaugesTimer.setInterval(150);
    connect(&m_gaugesTimer, &QTimer::timeout, this, follow);
    connect(m_viewport, &Viewport::selected, this, [this, follow] {
        if (!m_viewport->moving())
            follow();
        else if (!m_gaugesTimer.isActive())
            m_gaugesTimer.start();
    });
    connect(m_viewport, &Viewport::aboutToShow, this, [this, follow] {
        if (m_gaugesTimer.isActive()) {
            m_gaugesTimer.stop();
            follow();
        }
    });
    const auto stand = [this](double metres) {
        m_viewport->standAt(metres);
        refreshCharts(); // what is dragged stays under the pointer
    };
    connect(m_switchChart, &SwitchChart::needleDragged, this, stand);
    connect(m_switchPanel, &SwitchPanel::walkRequested, m_viewport, &Viewport::walkBack);
    connect(m_switchPanel, &SwitchPanel::stripRequested, this, &MainWindow::makeStrip);
    connect(m_strip, &WalkStrip::progressed, this, [this](int done, int count) {
        showMessage(tr("Walking back: picture %1 of %2. Escape stops it.").arg(done).arg(count), false);
    });
    connect(m_strip, &WalkStrip::finished, this, [this](const QStringList& files, const QString& problem) {
        if (!problem.isEmpty())
            showMessage(problem, true);
        else if (files.isEmpty())
            showMessage(tr("Stopped; nothing was written."), false);
        else
            showMessage(files.size() == 1
                            ? tr("Written: %1").arg(files.front())
                            : tr("%1 pictures written, the last to %2").arg(files.size()).arg(files.back()),
                        false);
    });
    m_popList = new PopList(m_bench);
    connect(m_popList, &PopList::wanted, this, [this](int finer, int coarser, double metres) {
        const Subject* s = m_bench.session.subject();
        if (s != nullptr && s->terrain() != nullptr) {
            m_viewport->standAt(metres);
            return;
        }
        m_viewport->standWhereItSwitches(metres, coarser);
        if (s != nullptr && s->isMesh()) // of smoke there are no two pictures to be held against each other
            m_viewport->flicker(finer, coarser);
        // It may have come into the panel of another kind, and is shown there a moment later.
        QTimer::singleShot(0, m_popList, [this] {
            for (QWidget* up = m_popList; up != nullptr; up = up->parentWidget())
                if (auto* area = qobject_cast<QScrollArea*>(up)) {
                    area->widget()->layout()->activate();
                    area->widget()->adjustSize();
                    const int top = m_popList->mapTo(area->widget(), QPoint(0, 0)).y();
                    const int scrolled = area->verticalScrollBar()->value();
                    if (top < scrolled || top + m_popList->height() > scrolled + area->viewport()->height())
                        area->verticalScrollBar()->setValue(top);
                    break;
                }
        });
    });
    connect(&m_bench.pops, &PopsModel::popsChanged, this, &MainWindow::refreshStages);
    connect(m_switchPanel, &SwitchPanel::cullingChosen, m_viewport, &Viewport::setCulling);
    connect(m_fieldPanel, &FieldPanel::cullingChosen, m_viewport, &Viewport::setCulling);
    connect(m_fieldPanel, &FieldPanel::assetPicked, m_fieldChart, &FieldChart::setAsset);
    connect(m_fieldChart, &FieldChart::needleDragged, this, stand);
    connect(m_emitterChart, &EmitterChart::needleDragged, this, stand);
    connect(&m_bench.fields, &FieldModel::rowsRefused, this,
            [this](const QString& path, qulonglong bad, qulonglong good, const QString& text) {
                if (m_quiet) {
                    showMessage(tr("%1: %2 rows cannot be placed: %3").arg(path).arg(bad).arg(text), true);
                    return;
                }
                QMessageBox box(QMessageBox::Question, tr("Rows that cannot be placed"),
                                tr("%1 of %2 rows of %3 cannot be placed.")
                                    .arg(groupedText(static_cast<qint64>(bad)),
                                         groupedText(static_cast<qint64>(bad + good)), path.section('/', -1)),
                                QMessageBox::NoButton, this);
                box.setInformativeText(text);
                QPushButton* leave = box.addButton(tr("Leave them out"), QMessageBox::AcceptRole);
                box.addButton(tr("Place nothing"), QMessageBox::RejectRole);
                box.exec();
                if (box.clickedButton() == leave)
                    m_bench.fields.importTable(path, true);
            });
    m_culledTimer.setSingleShot(true);
    m_culledTimer.setInterval(200);
    connect(&m_culledTimer, &QTimer::timeout, this, [this] {
        showFrame();
        if (m_viewport->moving()) {
            m_culledTimer.start();
            return;
        }
        m_bench.session.quick().run(
            tr("Counting"),
            [this, reckon = m_viewport->cullingSaves()](const JobContext&) -> JobQueue::Finish {
                return [this, saves = reckon()] {
                    m_saves = saves;
                    showFrame();
                };
            },
            QStringLiteral("culling-saves"));
    });
    connect(m_viewport, &Viewport::selected, this, [this] {
        if (m_stage == Stage::Switch && !m_culledTimer.isActive())
            m_culledTimer.start();
    });
    connect(m_findings, &FindingsView::wholeRequested, m_viewport, &Viewport::frameSelection);
    connect(m_routeChart, &RouteChart::timePicked, this, [this](double seconds) {
        playRoute(false);
        showRouteTime(seconds);
        m_viewport->setRouteTime(seconds);
    });
    connect(&m_viewBox->overview(), &Overview::timePicked, m_routeChart, &RouteChart::timePicked);
    connect(m_routeChart, &RouteChart::keyHereRequested, this, [this](std::size_t key) {
        m_bench.routes.placeKey(key, m_viewport->shotView());
        if (const Route* route = m_bench.budget.route(); route != nullptr && key < route->keys.size())
            showRouteTime(route->keys[key].seconds);
    });
    connect(m_budgetPanel, &BudgetPanel::standRequested, this, [this](const Vec3d& eye, const Vec3d& target) {
        playRoute(false);
        m_viewport->setShotView(eye, target);
    });
    connect(m_budgetPanel, &BudgetPanel::recordRequested, this, &MainWindow::toggleRecording);
    connect(m_viewport, &Viewport::painted, this, [this] { m_bench.routes.recordFrame(m_viewport->shotView()); });
    connect(m_budgetPanel, &BudgetPanel::playRequested, this, [this] { playRoute(!m_play.isActive()); });
    connect(m_budgetPanel, &BudgetPanel::momentRequested, m_routeChart, &RouteChart::timePicked);
    connect(m_budgetPanel, &BudgetPanel::keyRequested, this, &MainWindow::keyCamera);
    connect(m_gatherPanel, &GatherPanel::addRequested, this, [this] {
        const QStringList files = QFileDialog::getOpenFileNames(
            this, tr("Add meshes"), {},
            meshFilter() + tr(";;Switches of shipped subjects (*%1)").arg(QString::fromLatin1(kChainSuffix)));
        if (!files.isEmpty())
            m_bench.files.openFiles(files);
    });
    connect(m_gatherPanel, &GatherPanel::scatterRequested, this,
            [this] { m_bench.fields.scatterNew(chosenSubjects()); });
    connect(m_gatherPanel, &GatherPanel::relinkRequested, this, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Point to the file"), {}, meshFilter());
        if (!file.isEmpty())
            m_bench.files.relinkSource(m_bench.session.subjectId(), file);
    });
    connect(m_shipPanel, &ShipPanel::shipRequested, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Ship to a folder"));
        if (!folder.isEmpty())
            m_bench.shipping.ship(folder, m_shipPanel->options());
    });
    m_play.setInterval(16);
    connect(&m_play, &QTimer::timeout, this, [this] {
        const Route* route = m_bench.budget.route();
        const double length = route != nullptr ? route->length() : 0;
        const double now = m_playFrom + static_cast<double>(m_playClock.elapsed()) / 1000;
        showRouteTime(std::min(now, length));
        m_viewport->setRouteTime(std::min(now, length));
        if (now >= length)
            playRoute(false);
    });
    JobQueue& jobs = m_bench.session.jobs();
    connect(&jobs, &JobQueue::started, this, [this](const QString& title) {
        m_jobText->setText(title);
        m_jobBar->setValue(0);
        m_jobBox->show();
    });
    connect(&jobs, &JobQueue::progressed, this, [this](double fraction, const QString& phrase) {
        m_jobBar->setValue(static_cast<int>(fraction * 1000));
        const int more = m_bench.session.jobs().waiting();
        m_jobText->setText(m_bench.session.jobs().title() + QStringLiteral(" · ") + phrase +
                           (more > 0 ? tr(" · %1 more").arg(more) : QString()));
    });
    connect(&jobs, &JobQueue::idle, m_jobBox, &QWidget::hide);

    const QSettings settings;
    restoreGeometry(settings.value(QStringLiteral("window/geometry")).toByteArray());
    if (const QByteArray state = settings.value(QStringLiteral("window/splitter")).toByteArray(); !state.isEmpty())
        m_splitter->restoreState(state);
    m_bench.thin.setRolesForNew(keptRoleRules());
    setStage(Stage::Gather);
    refreshTitle();
    refreshStages();
    refreshGauges();
}

MainWindow::~MainWindow() = default;

void MainWindow::showMessage(const QString& text, bool serious) {
    constexpr int kMost = 5; // serious ones at a time; the oldest of more make room
    constexpr int kNoteMs = 6000;
    if (serious) {
        m_serious.removeAll(text);
        m_serious << text;
        m_serious = m_serious.mid(std::max(0, static_cast<int>(m_serious.size()) - kMost));
    } else {
        m_note = text;
        m_messageTimer.start(kNoteMs);
    }
    showMessages();
}

QStringList MainWindow::messageLines() const {
    QStringList texts = m_serious;
    if (!m_note.isEmpty())
        texts << m_note;
    return texts.isEmpty() ? texts : texts.join('\n').split('\n');
}

/// Serious ones stay until they are dismissed, and are not covered by a note that comes after them.
void MainWindow::showMessages() {
    const QStringList lines = messageLines();
    m_message->setVisible(!lines.isEmpty());
    m_messageText->setToolTip(lines.join('\n'));
    if (lines.isEmpty()) {
        m_messageText->clear();
        return;
    }
    const Look& l = Look::now();
    m_message->setStyleSheet(QStringLiteral("#message { background: %1; border: 1px solid %2; border-radius: 6px; }")
                                 .arg(l.raised.name(), (m_serious.isEmpty() ? l.line : l.over).name()));
    m_message->raise();
    placeOverlays();
}

void MainWindow::dismissMessages() {
    m_serious.clear();
    m_note.clear();
    m_messageTimer.stop();
    showMessages();
}

void MainWindow::noteRecent(const QString& path) {
    QSettings settings;
    QStringList files = settings.value(QStringLiteral("recent")).toStringList();
    files.removeAll(path);
    files.prepend(path);
    settings.setValue(QStringLiteral("recent"), files.mid(0, 10));
}

void MainWindow::open(const QStringList& paths) {
    const auto project = std::find_if(paths.begin(), paths.end(), [](const QString& p) {
        return p.endsWith(QString::fromLatin1(kProjectSuffix), Qt::CaseInsensitive);
    });
    if (project != paths.end()) {
        if (!askToSave())
            return;
        dismissMessages();
        m_bench.files.openProject(*project);
        if (paths.size() > 1)
            m_bench.session.say(tr("A project takes the place of what is open: drop other files once it is there."));
        return;
    }
    for (const QString& path : paths)
        noteRecent(path);
    // What places meshes comes after them, in whatever order they were given.
    QStringList meshes;
    QStringList heights;
    std::vector<std::function<void()>> later;
    for (const QString& path : paths) {
        const QString name = path.toLower();
        if (name.endsWith(QStringLiteral(".csv")) || name.endsWith(QStringLiteral(".tsv")) ||
            name.endsWith(QStringLiteral(".placements.json")))
            later.emplace_back([this, path] { m_bench.fields.importTable(path); });
        else if (name.endsWith(QString::fromLatin1(kRecipeSuffix)))
            later.emplace_back([this, path] { m_bench.fields.openRecipe(path); });
        else if (name.endsWith(QString::fromLatin1(kStrandRecipeSuffix)))
            later.emplace_back([this, path] { m_bench.strands.openRecipe(path); });
        else if (name.endsWith(QString::fromLatin1(kEmitterSuffix)))
            later.emplace_back([this, path] { m_bench.emitters.importEmitter(path); });
        else if (isHeightsName(toPath(path)))
            heights << path;
        else
            meshes << path;
    }
    if (!meshes.isEmpty())
        m_bench.files.openFiles(meshes);
    for (const QString& path : heights)
        askHeights(path);
    for (const auto& bringIn : later)
        bringIn();
}

/// Heights come with a spacing and a range of metres: what the file does not say is asked once.
void MainWindow::askHeights(const QString& path) {
    const auto info = inspectHeights(toPath(path), {});
    HeightOptions options;
    if (info && info->spacing && !info->whole) {
        m_bench.grounds.importHeights(path, options);
        return;
    }
    if (m_quiet) {
        options.spacing = 1;
        m_bench.grounds.importHeights(path, options);
        return;
    }
    HeightsDialog dialog(path, this);
    if (dialog.exec() == QDialog::Accepted)
        m_bench.grounds.importHeights(path, dialog.options());
}

/// Beside the first file that something came from.
QString MainWindow::suggestedPath() const {
    const QString name = tr("untitled") + QString::fromLatin1(kProjectSuffix);
    for (const Subject& s : m_bench.session.scene().subjects)
        if (!s.source.path.empty())
            return QString::fromStdString((s.source.path.parent_path() / name.toStdString()).string());
    return name;
}

void MainWindow::save(bool as) {
    QString path = QString::fromStdString(m_bench.session.document.path().string());
    if (as || path.isEmpty())
        path = QFileDialog::getSaveFileName(this, tr("Save project"), path.isEmpty() ? suggestedPath() : path,
                                            tr("Projects (*%1)").arg(QString::fromLatin1(kProjectSuffix)));
    if (!path.isEmpty())
        m_bench.files.saveProject(path, m_viewport->chosenView());
}

bool MainWindow::askToSave() {
    if (m_quiet || !m_bench.session.document.modified())
        return true;
    QMessageBox box(QMessageBox::Question, tr("Save"), tr("Save the changes to this project?"), QMessageBox::NoButton,
                    this);
    QPushButton* keep = box.addButton(tr("Save"), QMessageBox::AcceptRole);
    QPushButton* drop = box.addButton(tr("Do not save"), QMessageBox::DestructiveRole);
    box.addButton(tr("Go back"), QMessageBox::RejectRole);
    box.exec();
    if (box.clickedButton() == keep) {
        // Only saving is waited for; what else runs is not in the file and is given up with the window.
        save(false);
        QEventLoop wait;
        while (m_bench.session.saves().busy())
            wait.processEvents(QEventLoop::WaitForMoreEvents | QEventLoop::AllEvents, 50);
        return !m_bench.session.document.modified();
    }
    if (box.clickedButton() != drop)
        return false;
    m_bench.session.document.removeAutosave();
    return true;
}

void MainWindow::keyCamera() {
    if (m_bench.routes.recording())
        toggleRecording();
    else {
        m_bench.routes.addKey(m_viewport->shotView());
        if (const Route* route = m_bench.budget.route())
            showRouteTime(route->length()); // the camera is there already
    }
}

void MainWindow::showRouteTime(double seconds) {
    m_routeChart->setTime(seconds);
    m_viewBox->overview().setRouteTime(seconds);
}

void MainWindow::toggleRecording() {
    if (m_bench.routes.recording()) {
        m_bench.routes.stopRecording();
        return;
    }
    playRoute(false);
    m_bench.routes.startRecording(m_viewport->shotView());
    m_bench.session.say(tr("Recording: move the camera as the shot should go, then stop."));
}

void MainWindow::playRoute(bool on) {
    if (on == m_play.isActive())
        return;
    if (on && (!m_bench.budget.hasRoute() || m_stage != Stage::Budget))
        return;
    if (on) {
        const double length = m_bench.budget.route()->length();
        m_playFrom = m_routeChart->time() >= length - 0.05 ? 0 : m_routeChart->time();
        m_playClock.start();
        m_play.start();
    } else {
        m_play.stop();
    }
    m_budgetPanel->setPlaying(on);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!askToSave()) {
        event->ignore();
        return;
    }
    if (!m_quiet) {
        QSettings settings;
        settings.setValue(QStringLiteral("window/geometry"), saveGeometry());
        settings.setValue(QStringLiteral("window/splitter"), m_splitter->saveState());
    }
    m_bench.session.jobs().cancelAll();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    if (!paths.isEmpty())
        open(paths);
    event->acceptProposedAction();
}

} // namespace thicket::app
