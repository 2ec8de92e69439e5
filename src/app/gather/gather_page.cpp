#include "app/gather/gather_page.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "scene/mend_subject.h"

#include <QGuiApplication>
#include <QHeaderView>
#include <QListView>
#include <QMenu>
#include <algorithm>

namespace thicket::app {

FindingModel::FindingModel(Workbench& bench, QObject* parent) : QAbstractTableModel(parent), m_bench(bench) {
    const auto refresh = [this] {
        beginResetModel();
        m_findings.clear();
        if (const Subject* s = m_bench.session.meshSubject())
            m_findings = s->findings;
        std::stable_sort(m_findings.begin(), m_findings.end(),
                         [](const Finding& a, const Finding& b) { return a.serious && !b.serious; });
        endResetModel();
    };
    connect(&bench.session.document, &Document::sceneChanged, this, refresh);
    connect(&bench.session, &Session::selectionChanged, this, refresh);
    refresh();
}

int FindingModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(m_findings.size());
}

int FindingModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : 2;
}

QVariant FindingModel::data(const QModelIndex& index, int role) const {
    const Finding* f = finding(index);
    if (f == nullptr || index.column() != 0)
        return {};
    constexpr int kRowHeight = 26; // with room for a mend, whether or not the first row has one
    if (role == Qt::SizeHintRole)
        return QSize(0, kRowHeight);
    const Look& l = Look::now();
    if (role == Qt::DisplayRole)
        return (f->serious ? QStringLiteral("●  ") : QStringLiteral("○  ")) + QString::fromStdString(f->text());
    if (role == Qt::ForegroundRole)
        return f->serious ? l.caution : l.quiet;
    if (role == Qt::ToolTipRole)
        return tr("Click to look at the place, again for the next one; with Shift for the one before");
    return {};
}

const Finding* FindingModel::finding(const QModelIndex& index) const {
    return index.isValid() && index.row() < rowCount() ? &m_findings[static_cast<std::size_t>(index.row())] : nullptr;
}

FindingsView::FindingsView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setMinimumHeight(120);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 10, 16, 8);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    head->addWidget(makeLabel(tr("Findings"), "title"));
    m_summary = new NameLabel;
    m_summary->setProperty("small", true);
    m_summary->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    head->addWidget(m_summary, 1);
    m_more = makeButton(tr("Mend"), tr("All mends, with other values; the file stays as it is"));
    m_more->setObjectName(QStringLiteral("mendMenu"));
    m_more->setMenu(new QMenu(m_more));
    head->addWidget(m_more);
    layout->addLayout(head);
    m_list = new QTreeView;
    m_list->setAccessibleName(tr("Findings"));
    m_list->setHeaderHidden(true);
    m_list->setRootIsDecorated(false);
    m_list->setUniformRowHeights(true);
    m_model = new FindingModel(bench, this);
    m_list->setModel(m_model);
    m_list->header()->setStretchLastSection(false);
    m_list->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_list->header()->setSectionResizeMode(1, QHeaderView::Fixed);
    m_list->header()->resizeSection(1, 240);
    layout->addWidget(m_list, 1);
    connect(m_more->menu(), &QMenu::aboutToShow, this, &FindingsView::fillMenu);
    const auto look = [this](const QModelIndex& index) {
        const Finding* f = m_model->finding(index);
        if (f == nullptr)
            return;
        if (liesSomewhere(f->kind)) {
            m_bench.places.point(f->kind, QGuiApplication::keyboardModifiers().testFlag(Qt::ShiftModifier));
        } else {
            m_bench.places.clear();
            emit wholeRequested();
        }
    };
    connect(m_list, &QListView::clicked, this, look);
    connect(m_list, &QListView::activated, this, look);
    connect(m_model, &QAbstractItemModel::modelReset, this, &FindingsView::refresh);
    connect(&bench.places, &PlacesModel::changed, this, &FindingsView::sayWhere);
    refresh();
}

void FindingsView::unmark() {
    m_bench.places.clear();
    m_list->selectionModel()->clear();
}

void FindingsView::mend(MendKind kind, double value) {
    m_bench.files.mend({m_bench.session.subjectId()}, {kind, value});
}

std::vector<std::uint32_t> FindingsView::mendedIds() const {
    const std::uint32_t own = m_bench.session.subjectId();
    std::vector<std::uint32_t> ids = chosen ? chosen() : std::vector<std::uint32_t>();
    std::erase_if(ids, [this](std::uint32_t id) { return m_bench.session.scene().findMesh(id) == nullptr; });
    if (std::find(ids.begin(), ids.end(), own) == ids.end())
        ids = {own};
    return ids;
}

void FindingsView::mendAll(MendKind kind, double value) {
    m_bench.files.mend(mendedIds(), {kind, value});
}

QPushButton* FindingsView::mendButton(const Subject& subject, const Finding& finding) {
    if (finding.kind == FindingKind::LevelsOutOfOrder) {
        QPushButton* button =
            makeButton(tr("Put in order"), tr("Sort the levels by triangles; those that are no lighter go"));
        connect(button, &QPushButton::clicked, this,
                [this] { m_bench.files.putLevelsInOrder(m_bench.session.subjectId()); });
        return button;
    }
    if (finding.kind == FindingKind::SeveralThings) {
        QPushButton* button =
            makeButton(tr("Take apart"),
                       tr("Makes each of them a subject that stands where it stands now; what moves as one stays "
                          "together. Levels of the whole go with it"));
        connect(button, &QPushButton::clicked, this, [this] { m_bench.files.takeApart(m_bench.session.subjectId()); });
        return button;
    }
    if (finding.kind == FindingKind::UnusualSize) {
        QPushButton* button = makeButton(tr("Choose its unit"), tr("Say what it was made in"));
        auto* menu = new QMenu(button);
        for (const LengthUnit& unit : kLengthUnits)
            if (unit.metres != 1)
                menu->addAction(tr("made in %1").arg(QString::fromLatin1(unit.name)), this,
                                [this, unit] { mend(MendKind::Unit, unit.metres); });
        button->setMenu(menu);
        return button;
    }
    const auto found = mendFor(subject, finding);
    if (!found)
        return nullptr;
    QString tip = tr("Mends the subject in one step; its file stays as it is");
    if (found->kind == MendKind::Normals)
        tip = tr("Makes normals that are smooth across edges of up to %1°").arg(figureText(found->value, 3));
    else if (found->kind == MendKind::Unwelded)
        tip = tr("Joins points of open borders that lie closer than %1").arg(lengthText(found->value));
    else if (found->kind == MendKind::Specks)
        tip = tr("Removes loose pieces smaller than %1 % of the whole").arg(figureText(100 * found->value, 2));
    QPushButton* button = makeButton(QString::fromStdString(nameOf(found->kind)), tip);
    connect(button, &QPushButton::clicked, this, [this, own = *found] { mend(own.kind, own.value); });
    return button;
}

void FindingsView::offerMends() {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr || !s->mesh().source().mesh)
        return;
    for (int row = 0; row < m_model->rowCount(); ++row) {
        const QModelIndex at = m_model->index(row, 1);
        QPushButton* button = mendButton(*s, *m_model->finding(at));
        if (button == nullptr)
            continue;
        button->setProperty("flat2", true);
        auto* cell = new QWidget;
        auto* line = new QHBoxLayout(cell);
        line->setContentsMargins(0, 1, 0, 1);
        line->addWidget(button, 0, Qt::AlignRight);
        m_list->setIndexWidget(at, cell);
    }
}

void FindingsView::fillMenu() {
    QMenu* menu = m_more->menu();
    menu->clear();
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr || !s->mesh().source().mesh)
        return;
    if (const std::size_t several = mendedIds().size(); several > 1) {
        menu->addAction(tr("Of the %1 chosen meshes").arg(several))->setEnabled(false);
        menu->addSeparator();
    }
    const double across = s->bounds.diagonal();
    QAction* all = menu->addAction(tr("All that is marked ●"), this, [this] { m_bench.files.mendAll(mendedIds()); });
    const std::vector<std::uint32_t> ids = mendedIds();
    all->setEnabled(
        std::any_of(ids.begin(), ids.end(), [this](std::uint32_t id) { return m_bench.files.hasMends(id); }));
    menu->addSeparator();
    QMenu* normals = menu->addMenu(tr("Normals smooth up to"));
    for (const double degrees : {0.0, 30.0, 45.0, 60.0, 90.0, 180.0})
        normals->addAction(degrees == 0     ? tr("0°: every triangle flat")
                           : degrees == 180 ? tr("180°: everything smooth")
                                            : tr("%1°").arg(degrees),
                           this, [this, degrees] { mendAll(MendKind::Normals, degrees); });
    QMenu* weld = menu->addMenu(tr("Weld borders closer than"));
    for (const double share : {1e-6, 1e-5, 1e-4, 1e-3})
        weld->addAction(lengthText(share * across), this,
                        [this, share, across] { mendAll(MendKind::Unwelded, share * across); });
    QMenu* specks = menu->addMenu(tr("Remove loose pieces smaller than"));
    for (const double share : {0.002, 0.005, 0.01, 0.02, 0.05})
        specks->addAction(lengthText(share * across), this, [this, share] { mendAll(MendKind::Specks, share); });
    QMenu* needles = menu->addMenu(tr("Remove triangles thinner than"));
    for (const int part : {1000, 500, 200, 100, 50})
        needles->addAction(tr("1/%1 of their length").arg(part), this,
                           [this, part] { mendAll(MendKind::Needles, 1.0 / part); });
    QMenu* unit = menu->addMenu(tr("It was made in"));
    for (const LengthUnit& of : kLengthUnits)
        if (of.metres != 1)
            unit->addAction(
                tr("%1: it becomes %2 across").arg(QString::fromLatin1(of.name), lengthText(across * of.metres)), this,
                [this, of] { mendAll(MendKind::Unit, of.metres); });
    QMenu* up = menu->addMenu(tr("Turn upright"));
    for (const Named<Up>& axis : kUps) {
        const double high = std::abs(turnedUp(axis.value, s->bounds.size()).y());
        if (axis.value != Up::Y)
            up->addAction(
                tr("%1 in its file: it becomes %2 high").arg(QString::fromLatin1(axis.name), lengthText(high)), this,
                [this, axis] { mendAll(MendKind::Upright, static_cast<double>(axis.value)); });
    }
    menu->addAction(tr("Turn round what faces the wrong way"), this, [this] { mendAll(MendKind::Flipped); });
}

void FindingsView::refresh() {
    offerMends();
    const Subject* s = m_bench.session.meshSubject();
    m_more->setEnabled(s != nullptr && s->mesh().source().mesh != nullptr);
    const Subject* other = m_bench.session.subject();
    if (s == nullptr && other != nullptr)
        m_summary->setText(other->emitter() != nullptr   ? tr("values are checked as they are set")
                           : other->strands() != nullptr ? tr("lines are checked when they are read")
                           : other->terrain() != nullptr ? tr("heights are checked when they are read")
                                                         : tr("rows of tables are checked when they are read"));
    else if (s == nullptr)
        m_summary->setText(tr("what is checked: area, duplicates, edges, borders, normals, UVs, level order"));
    else if (m_model->rowCount() == 0)
        m_summary->setText(tr("nothing found: %1 is sound").arg(QString::fromStdString(s->name)));
    else
        sayWhere();
}

void FindingsView::sayWhere() {
    const PlacesModel::Pointed* at = m_bench.places.pointed();
    if (at == nullptr) {
        m_summary->setText(m_bench.places.looking() ? tr("looking for the places …")
                                                    : tr("click one to look at the place"));
        return;
    }
    const std::size_t all = at->places->spots.size();
    const std::size_t elements = at->places->elements.size();
    QStringList parts;
    if (elements > PlacesModel::kMostMarked)
        parts << tr("the first %1 are marked").arg(groupedText(PlacesModel::kMostMarked));
    if (all > 1)
        parts << tr("place %1 of %2")
                     .arg(groupedText(static_cast<qint64>(at->spot + 1)), groupedText(static_cast<qint64>(all)))
              << tr("click again for the next");
    else
        parts << tr("the only place") << tr("Esc takes the mark away");
    m_summary->setText(parts.join(QStringLiteral(" · ")));
}

GatherPanel::GatherPanel(Workbench& bench, QWidget* parent) : Panel(tr("Gather"), parent), m_bench(bench) {
    m_facts = makeLabel({});
    m_facts->setTextFormat(Qt::RichText);
    m_facts->setWordWrap(true);
    m_facts->setTextInteractionFlags(Qt::TextSelectableByMouse);
    body->addWidget(m_facts);
    m_relink = makeButton(tr("Point to its file…"),
                          tr("Choose the file this subject came from, when it was moved or has changed"));
    body->addWidget(m_relink);
    QPushButton* add = makeButton(tr("Add meshes…"), tr("Bring in GLB, glTF, OBJ, PLY, STL and more (Ctrl+I)"), true);
    m_scatter = makeButton(tr("Scatter"), tr("Make a field of copies of the meshes chosen in the list"));
    m_scatter->setObjectName(QStringLiteral("scatter"));
    footer->addWidget(m_scatter);
    footer->addWidget(add, 1);
    connect(m_scatter, &QPushButton::clicked, this, &GatherPanel::scatterRequested);
    connect(add, &QPushButton::clicked, this, &GatherPanel::addRequested);
    connect(m_relink, &QPushButton::clicked, this, &GatherPanel::relinkRequested);
    connect(&bench.session.document, &Document::sceneChanged, this, &GatherPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &GatherPanel::refresh);
    refresh();
}

void GatherPanel::refresh() {
    const Subject* s = m_bench.session.meshSubject();
    m_relink->setVisible(s != nullptr);
    m_scatter->setVisible(s != nullptr);
    if (s == nullptr) {
        title->setText(tr("Nothing here yet"));
        aside->clear();
        m_facts->setText(tr("Drop meshes on the window, or add them below. Each becomes a <b>subject</b>: something "
                            "that gets levels of detail.<br><br>"
                            "Next comes <b>Thin</b>, where its lighter levels are made and measured."));
        return;
    }
    title->setText(QString::fromStdString(s->name));
    const Vec3d size = s->bounds.size();
    aside->setText(QStringLiteral("%1 × %2 × %3 m")
                       .arg(figureText(size.x(), 3), figureText(size.y(), 3), figureText(size.z(), 3)));
    const Look& l = Look::now();
    FactTable facts(3);
    const Level& first = s->mesh().levels.front();
    facts.row(tr("triangles"), groupedText(first.triangles));
    facts.row(tr("vertices"), groupedText(first.vertices));
    facts.row(tr("materials"), groupedText(first.draws));
    if (s->mesh().surfaces) {
        facts.row(tr("textures"), groupedText(static_cast<qint64>(s->mesh().surfaces->images.size())));
    }
    if (first.mesh) {
        facts.row(tr("normals"), first.mesh->normals.empty() ? tr("none") : tr("yes"));
        facts.row(tr("UVs"), first.mesh->uvs.empty() ? tr("none") : tr("yes"));
        if (!first.mesh->colors.empty())
            facts.row(tr("vertex colours"), tr("yes"));
    }
    facts.row(tr("levels in the file"),
              groupedText(std::count_if(s->mesh().levels.begin(), s->mesh().levels.end(),
                                        [](const Level& x) { return x.origin != LevelOrigin::Collapsed; })));
    facts.row(tr("width"), lengthText(size.x()));
    facts.row(tr("height"), lengthText(size.y()));
    facts.row(tr("depth"), lengthText(size.z()));
    constexpr int kFileWidth = 236;
    const QString path = fontMetrics().elidedText(QString::fromStdString(s->source.path.filename().string()),
                                                  Qt::ElideMiddle, kFileWidth);
    m_facts->setText(
        QStringLiteral("%1<p style='margin:4px 0 0 0'><span style='color:%2'>%3</span><br>%4</p>")
            .arg(facts.html(), l.quiet.name(), first.mesh ? tr("from") : tr("missing:"), path.toHtmlEscaped()));
    m_facts->setToolTip(QString::fromStdString(s->source.path.string()));
}

} // namespace thicket::app
