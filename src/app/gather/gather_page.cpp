#include "app/gather/gather_page.h"

#include "app/look/look.h"

#include <algorithm>

namespace thicket::app {

FindingModel::FindingModel(Workbench& bench, QObject* parent) : QAbstractListModel(parent), m_bench(bench) {
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

QVariant FindingModel::data(const QModelIndex& index, int role) const {
    const Finding* f = finding(index);
    if (f == nullptr)
        return {};
    const Look& l = Look::now();
    if (role == Qt::DisplayRole)
        return (f->serious ? QStringLiteral("●  ") : QStringLiteral("○  ")) + QString::fromStdString(f->text());
    if (role == Qt::ForegroundRole)
        return f->serious ? l.caution : l.quiet;
    if (role == Qt::ToolTipRole)
        return tr("Click to look at the place");
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
    m_summary = makeLabel({}, "small");
    head->addWidget(m_summary, 1, Qt::AlignRight);
    layout->addLayout(head);
    m_list = new QListView;
    m_list->setAccessibleName(tr("Findings"));
    m_model = new FindingModel(bench, this);
    m_list->setModel(m_model);
    m_list->setSpacing(2);
    layout->addWidget(m_list, 1);
    const auto look = [this](const QModelIndex& index) {
        if (const Finding* f = m_model->finding(index))
            emit frameRequested(f->place, f->radius);
    };
    connect(m_list, &QListView::clicked, this, look);
    connect(m_list, &QListView::activated, this, look);
    connect(m_model, &QAbstractItemModel::modelReset, this, &FindingsView::refresh);
    refresh();
}

void FindingsView::refresh() {
    const Subject* s = m_bench.session.meshSubject();
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
        m_summary->setText(tr("click one to look at the place"));
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
    QString rows;
    const auto row = [&](const QString& name, const QString& value) {
        rows += QStringLiteral("<tr><td style='color:%1; padding:3px 10px 3px 0'>%2</td><td align='right' "
                               "style='padding:3px 0'>%3</td></tr>")
                    .arg(l.quiet.name(), name, value.toHtmlEscaped());
    };
    const Level& first = s->mesh().levels.front();
    row(tr("triangles"), groupedText(first.triangles));
    row(tr("vertices"), groupedText(first.vertices));
    row(tr("materials"), groupedText(first.draws));
    if (s->mesh().surfaces) {
        row(tr("textures"), groupedText(static_cast<qint64>(s->mesh().surfaces->images.size())));
    }
    if (first.mesh) {
        row(tr("normals"), first.mesh->normals.empty() ? tr("none") : tr("yes"));
        row(tr("UVs"), first.mesh->uvs.empty() ? tr("none") : tr("yes"));
        if (!first.mesh->colors.empty())
            row(tr("vertex colours"), tr("yes"));
    }
    row(tr("levels in the file"),
        groupedText(std::count_if(s->mesh().levels.begin(), s->mesh().levels.end(),
                                  [](const Level& x) { return x.origin != LevelOrigin::Collapsed; })));
    row(tr("width"), lengthText(size.x()));
    row(tr("height"), lengthText(size.y()));
    row(tr("depth"), lengthText(size.z()));
    QString path = QString::fromStdString(s->source.path.filename().string());
    m_facts->setText(QStringLiteral("<table width='100%'>%1</table><br><span style='color:%2'>%3</span><br>%4")
                         .arg(rows, l.quiet.name(), first.mesh ? tr("from") : tr("missing:"), path.toHtmlEscaped()));
    m_facts->setToolTip(QString::fromStdString(s->source.path.string()));
}

} // namespace thicket::app
