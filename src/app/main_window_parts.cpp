// How the window is put together: the top, the subjects, the middle, the foot.

#include "app/main_window.h"

#include "app/budget/route_chart.h"
#include "app/emitters/emitter_chart.h"
#include "app/field/field_chart.h"
#include "app/gather/gather_page.h"
#include "app/look/look.h"
#include "app/ship/ship_page.h"
#include "app/switching/switch_chart.h"
#include "app/terrain/study_chart.h"
#include "app/thin/care_bar.h"
#include "app/thin/play_bar.h"
#include "app/thin/thin_chart.h"

#include "scene/kinds.h"

#include <QMenu>

namespace thicket::app {

QWidget* MainWindow::makeTop() {
    auto* top = new QWidget;
    top->setFixedHeight(54);
    auto* row = new QHBoxLayout(top);
    row->setContentsMargins(8, 2, 8, 0);
    row->setSpacing(8);
    auto* left = new QWidget;
    left->setFixedWidth(216);
    auto* names = new QVBoxLayout(left);
    names->setContentsMargins(0, 4, 0, 4);
    names->setSpacing(0);
    m_title = new QPushButton;
    m_title->setStyleSheet(
        QStringLiteral(
            "QPushButton { background: transparent; border: none; text-align: left; padding: 2px 8px; font-weight: "
            "600; font-size: 13px; } QPushButton::menu-indicator { image: none; } QPushButton:hover { color: %1; }")
            .arg(Look::now().accent.name()));
    m_title->setToolTip(tr("Project: new, open, save, undo, appearance"));
    m_title->setAccessibleName(tr("Project menu"));
    m_state = makeLabel({}, "small");
    m_state->setContentsMargins(8, 0, 0, 0);
    names->addWidget(m_title);
    names->addWidget(m_state);
    row->addWidget(left);
    m_path = new StagePath;
    m_path->setFixedHeight(52);
    row->addWidget(m_path, 1);
    row->addSpacing(16);
    m_triangles = new Gauge(tr("triangles"));
    m_draws = new Gauge(tr("draws"));
    m_time = new Gauge(tr("frame"));
    for (Gauge* gauge : {m_triangles, m_draws, m_time}) {
        gauge->setFixedHeight(52);
        row->addWidget(gauge);
    }
    return top;
}

QWidget* MainWindow::makeLeft() {
    auto* left = new QWidget;
    left->setFixedWidth(228);
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(0, 10, 0, 8);
    column->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(16, 0, 16, 0);
    head->addWidget(makeLabel(tr("Subjects"), "title"), 1);
    QLabel* sorted = makeLabel(tr("by weight"), "small");
    head->addWidget(sorted);
    column->addLayout(head);
    auto* find = new QLineEdit;
    find->setPlaceholderText(tr("Find a subject"));
    find->setAccessibleName(tr("Find a subject"));
    find->setClearButtonEnabled(true);
    auto* findRow = new QHBoxLayout;
    findRow->setContentsMargins(12, 0, 12, 0);
    findRow->addWidget(find);
    column->addLayout(findRow);
    m_model = new SubjectModel(m_bench, this);
    m_filter = new QSortFilterProxyModel(this);
    m_filter->setSourceModel(m_model);
    m_filter->setFilterCaseSensitivity(Qt::CaseInsensitive);
    m_filter->setSortRole(SubjectModel::Triangles);
    m_filter->sort(0, Qt::DescendingOrder);
    m_list = new QListView;
    m_list->setModel(m_filter);
    m_list->setItemDelegate(new SubjectDelegate(m_list));
    m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_list->setMouseTracking(true);
    m_list->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_list->setEditTriggers(QAbstractItemView::EditKeyPressed);
    m_list->setContextMenuPolicy(Qt::CustomContextMenu);
    m_list->setAccessibleName(tr("Subjects"));
    m_list->setObjectName(QStringLiteral("subjects"));
    column->addWidget(m_list, 1);
    connect(find, &QLineEdit::textChanged, m_filter, &QSortFilterProxyModel::setFilterFixedString);
    connect(m_list->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& index) {
        if (index.isValid())
            m_bench.session.selectSubject(index.data(SubjectModel::Id).toUInt());
    });
    connect(m_list->selectionModel(), &QItemSelectionModel::selectionChanged, this,
            [this] { m_switchChart->setCompared(chosenSubjects()); });
    connect(m_list, &QWidget::customContextMenuRequested, this, [this](const QPoint& at) {
        const QModelIndex index = m_list->indexAt(at);
        if (!index.isValid())
            return;
        const std::uint32_t id = index.data(SubjectModel::Id).toUInt();
        QMenu menu;
        if (const auto chosen = chosenSubjects(); chosen.size() > 1)
            menu.addAction(tr("Thin these %1 to their roles").arg(chosen.size()), this,
                           [this, chosen] { m_bench.thin.thinToRoles(chosen); });
        if (m_bench.session.scene().findMesh(id) != nullptr)
            menu.addAction(tr("Scatter as a field"), this, [this, id] {
                const auto chosen = chosenSubjects();
                m_bench.fields.scatterNew(std::find(chosen.begin(), chosen.end(), id) != chosen.end()
                                              ? chosen
                                              : std::vector<std::uint32_t>{id});
            });
        const auto& subjects = m_bench.session.scene().subjects;
        const Subject* meant = m_bench.session.scene().find(id);
        if (meant != nullptr && placementsOf(*meant) &&
            std::any_of(subjects.begin(), subjects.end(), [](const Subject& s) { return s.terrain() != nullptr; }))
            menu.addAction(tr("Stand on the ground"), this, [this, id] { m_bench.grounds.standOnGround(id); });
        if (meant != nullptr)
            addTakeLevels(menu, *meant);
        menu.addAction(tr("Rename"), this, [this, index] { m_list->edit(index); });
        menu.addAction(tr("Remove from the project"), this, [this, id] { m_bench.files.removeSubject(id); });
        menu.exec(m_list->viewport()->mapToGlobal(at));
    });
    return left;
}

/// Those of its kind that a subject may have its rule and levels from.
void MainWindow::addTakeLevels(QMenu& menu, const Subject& subject) {
    std::vector<const Subject*> others;
    for (const Subject& s : m_bench.session.scene().subjects)
        if (s.kind() == subject.kind() && s.id != subject.id)
            others.push_back(&s);
    if (others.empty())
        return;
    QMenu* from = menu.addMenu(subject.isMesh() ? tr("Switch as") : tr("Take the levels of"));
    for (const Subject* other : others)
        from->addAction(QString::fromStdString(other->name), this,
                        [this, id = subject.id, of = other->id] { m_bench.files.takeLevels(id, of); });
}

std::vector<std::uint32_t> MainWindow::chosenSubjects() const {
    std::vector<std::uint32_t> ids;
    for (const QModelIndex& index : m_list->selectionModel()->selectedIndexes())
        ids.push_back(index.data(SubjectModel::Id).toUInt());
    return ids;
}

QWidget* MainWindow::makeCentre() {
    m_splitter = new QSplitter(Qt::Vertical);
    m_splitter->setHandleWidth(3);
    m_splitter->setChildrenCollapsible(false);
    m_viewBox = new ViewStack(m_bench);
    m_viewport = &m_viewBox->viewport();
    connect(m_viewBox, &ViewStack::arranged, this, [this] { placeOverlays(); });
    m_strip = new WalkStrip(*m_viewport, this);
    m_shading = new Segmented({tr("Shaded"), tr("Edges"), tr("Levels"), tr("Heat")},
                              {tr("Surfaces with their materials (1)"), tr("Triangle edges on top (2)"),
                               tr("Each level in its colour (3)"), tr("Where a level is off, and by how much (4)")},
                              m_viewBox);
    m_arrangement = new Segmented({tr("One"), tr("Line-up"), tr("Wipe"), tr("Care")},
                                  {tr("Only the selected level; hold B to see the source in its place"),
                                   tr("All levels side by side (L)"),
                                   tr("The source on the left, the selected level on the right; drag the line (L)"),
                                   tr("Paint what levels must keep; drag beside the object to turn it (P)")},
                                  m_viewBox);
    connect(m_shading, &Segmented::picked, this, [this](int i) { m_viewport->setShading(static_cast<Shading>(i)); });
    connect(m_arrangement, &Segmented::picked, this, [this](int i) { arrange(static_cast<Arrangement>(i)); });
    m_careBar = new CareBar(m_bench, m_viewBox);
    m_careBar->hide();
    m_viewport->brush = [this] { return m_careBar->brush(); };
    connect(m_careBar, &CareBar::brushChanged, m_viewport, qOverload<>(&QWidget::update));
    m_playBar = new PlayBar(m_bench, *m_viewport, m_viewBox);
    connect(m_playBar, &PlayBar::resized, this, [this] { placeOverlays(); });
    m_message = new QFrame(m_viewBox);
    m_message->setObjectName(QStringLiteral("message"));
    auto* line = new QHBoxLayout(m_message);
    line->setContentsMargins(14, 8, 8, 8);
    m_messageText = makeLabel({});
    m_messageText->setWordWrap(true);
    m_messageText->setTextInteractionFlags(Qt::TextSelectableByMouse);
    QPushButton* dismiss = makeButton(tr("Dismiss"), tr("Put this message away (Escape)"));
    dismiss->setProperty("flat2", true);
    line->addWidget(m_messageText, 1);
    line->addWidget(dismiss);
    m_message->hide();
    connect(dismiss, &QPushButton::clicked, this, &MainWindow::dismissMessages);
    m_messageTimer.setSingleShot(true);
    connect(&m_messageTimer, &QTimer::timeout, this, [this] {
        m_note.clear();
        showMessages();
    });

    m_bottom = new QStackedWidget;
    m_findings = new FindingsView(m_bench);
    m_findings->chosen = [this] { return chosenSubjects(); };
    m_thinChart = new ThinChart(m_bench);
    m_switchChart = new SwitchChart(m_bench);
    m_fieldChart = new FieldChart(m_bench);
    m_switchCharts = new QStackedWidget;
    m_switchCharts->addWidget(m_switchChart);
    m_switchCharts->addWidget(m_fieldChart);
    m_studyChart = new StudyChart(m_bench);
    m_switchCharts->addWidget(m_studyChart);
    m_emitterChart = new EmitterChart(m_bench);
    m_switchCharts->addWidget(m_emitterChart);
    m_thinCharts = new QStackedWidget;
    m_thinCharts->addWidget(m_thinChart);
    m_thinCharts->addWidget(new FieldChart(m_bench));
    m_thinCharts->addWidget(new EmitterChart(m_bench));
    m_routeChart = new RouteChart(m_bench);
    m_shipView = new ShipView(m_bench);
    for (QWidget* page :
         std::initializer_list<QWidget*>{m_findings, m_thinCharts, m_switchCharts, m_routeChart, m_shipView})
        m_bottom->addWidget(page);
    m_unit = new Segmented({tr("metres"), tr("% of height")},
                           {tr("Label switches by distance"), tr("Label switches by height on screen")}, m_switchChart);
    connect(m_unit, &Segmented::picked, this, [this](int i) { m_switchChart->setShowHeights(i == 1); });
    constexpr int kLeastHeight = 180; // of the view: what floats in it stays within
    m_viewBox->setMinimumHeight(kLeastHeight);
    m_splitter->addWidget(m_viewBox);
    m_splitter->addWidget(m_bottom);
    m_splitter->setStretchFactor(0, 3);
    m_splitter->setStretchFactor(1, 2);
    m_splitter->setSizes({420, 284});
    m_bottom->setStyleSheet(QStringLiteral("QStackedWidget { background: %1; }").arg(Look::now().ground.name()));
    connect(m_splitter, &QSplitter::splitterMoved, this, [this] { placeOverlays(); });
    return m_splitter;
}

QWidget* MainWindow::makeFoot() {
    auto* foot = new QWidget;
    foot->setFixedHeight(26);
    auto* row = new QHBoxLayout(foot);
    row->setContentsMargins(16, 0, 8, 0);
    m_hint = makeLabel({}, "small");
    row->addWidget(m_hint, 1);
    m_jobBox = new QWidget;
    auto* job = new QHBoxLayout(m_jobBox);
    job->setContentsMargins(0, 0, 0, 0);
    job->setSpacing(8);
    m_jobText = makeLabel({}, "small");
    m_jobBar = new QProgressBar;
    m_jobBar->setRange(0, 1000);
    m_jobBar->setTextVisible(false);
    m_jobBar->setFixedWidth(140);
    QPushButton* cancel = makeButton(tr("Cancel"), tr("Stop what is running; nothing is changed (Escape)"));
    cancel->setProperty("flat2", true);
    job->addWidget(m_jobText);
    job->addWidget(m_jobBar);
    job->addWidget(cancel);
    row->addWidget(m_jobBox);
    m_jobBox->hide();
    connect(cancel, &QPushButton::clicked, this, [this] { m_bench.session.jobs().cancelCurrent(); });
    return foot;
}

} // namespace thicket::app
