#include "app/ship/ship_page.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "appmodel/text.h"
#include "base/text.h"

#include "scene/kinds.h"

#include <QHeaderView>
#include <algorithm>

namespace thicket::app {

ShippedModel::ShippedModel(Workbench& bench, QObject* parent) : QAbstractTableModel(parent), m_bench(bench) {
    connect(&bench.shipping, &ShipModel::shipChanged, this, [this] {
        beginResetModel();
        m_files = m_bench.shipping.report() != nullptr ? m_bench.shipping.report()->files : std::vector<ShippedFile>{};
        endResetModel();
    });
    if (bench.shipping.report() != nullptr)
        m_files = bench.shipping.report()->files;
}

int ShippedModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(m_files.size());
}
int ShippedModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : 3;
}

QVariant ShippedModel::data(const QModelIndex& index, int role) const {
    if (!index.isValid() || index.row() >= rowCount())
        return {};
    const ShippedFile& f = m_files[static_cast<std::size_t>(index.row())];
    if (role == Qt::DisplayRole) {
        if (index.column() == 0)
            return QString::fromStdString(f.path.filename().string());
        if (index.column() == 1)
            return QString::fromStdString(memorySize(static_cast<double>(f.bytes)));
        return f.verified ? tr("read back, equal") : tr("not verified");
    }
    if (role == Qt::TextAlignmentRole && index.column() == 1)
        return QVariant(Qt::AlignRight | Qt::AlignVCenter);
    if (role == Qt::ForegroundRole && index.column() == 2)
        return f.verified ? Look::now().good : Look::now().over;
    if (role == Qt::ToolTipRole)
        return QString::fromStdString(f.path.string());
    return {};
}

QVariant ShippedModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole)
        return {};
    return section == 0 ? tr("file") : section == 1 ? tr("size") : tr("proof");
}

ShipView::ShipView(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    setMinimumHeight(140);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 10, 16, 8);
    auto* head = new QHBoxLayout;
    head->addWidget(makeLabel(tr("Files written"), "title"));
    m_summary = makeLabel({}, "small");
    head->addWidget(m_summary, 1, Qt::AlignRight);
    layout->addLayout(head);
    m_empty = makeLabel(
        tr("Nothing shipped yet. Each file is written whole, read back and compared before it is listed here."));
    m_empty->setProperty("quiet", true);
    m_empty->setAlignment(Qt::AlignCenter);
    layout->addWidget(m_empty, 1);
    m_table = new QTreeView;
    m_table->setModel(new ShippedModel(bench, this));
    m_table->setRootIsDecorated(false);
    m_table->setUniformRowHeights(true);
    m_table->setAccessibleName(tr("Files written"));
    m_table->header()->setStretchLastSection(true);
    m_table->setColumnWidth(0, 320);
    layout->addWidget(m_table, 1);
    connect(&bench.shipping, &ShipModel::shipChanged, this, &ShipView::refresh);
    refresh();
}

void ShipView::refresh() {
    const ShipReport* report = m_bench.shipping.report();
    m_empty->setVisible(report == nullptr);
    m_table->setVisible(report != nullptr);
    if (report == nullptr) {
        m_summary->clear();
        return;
    }
    double bytes = 0;
    for (const ShippedFile& f : report->files)
        bytes += static_cast<double>(f.bytes);
    QString text =
        tr("%1, %2").arg(countText(report->files.size(), "file", "files"), QString::fromStdString(memorySize(bytes)));
    if (!report->skipped.empty())
        text += tr(" · left out: %1").arg(QString::fromStdString(report->skipped.front()));
    m_summary->setText(text);
}

ShipPanel::ShipPanel(Workbench& bench, QWidget* parent) : Panel(tr("Hand over"), parent), m_bench(bench) {
    m_extension = new QCheckBox(tr("GLB, levels by extension"));
    m_extension->setToolTip(tr("NAME.lod.glb: one node that lists its levels, with screen coverages"));
    m_named = new QCheckBox(tr("GLB, levels by name"));
    m_named->setToolTip(tr("NAME.levels.glb: one node a level, NAME_LOD0, NAME_LOD1, …"));
    m_json = new QCheckBox(tr("Thresholds as JSON"));
    m_json->setToolTip(tr("NAME.chain.json: every switch, fade, cull rule and measured deviation"));
    m_tables = new QCheckBox(tr("Places as tables"));
    m_tables->setToolTip(tr(
        "scene.placements.csv and .json: where meshes stand; NAME.placements.csv and .json: every copy of a field, in "
        "its order"));
    m_tiles = new QCheckBox(tr("Tiles of ground as meshes"));
    m_tiles->setToolTip(
        tr("NAME/level_N.glb: every tile of every level, besides the heights, rule and triangle lists that an "
           "engine makes them from"));
    m_ribbons = new QCheckBox(tr("Strands as ribbons"));
    m_ribbons->setToolTip(tr("NAME.L0.ribbons.glb and on: triangles, besides the lines of every level"));
    for (QCheckBox* box : {m_extension, m_named, m_json, m_tables, m_ribbons, m_tiles}) {
        box->setChecked(box != m_tiles && box != m_ribbons);
        body->addWidget(box);
        connect(box, &QCheckBox::toggled, this, &ShipPanel::refresh);
    }
    m_what = makeLabel({});
    m_what->setTextFormat(Qt::RichText);
    m_what->setWordWrap(true);
    body->addSpacing(8);
    body->addWidget(m_what);
    m_ship = makeButton(tr("Ship to a folder…"), tr("Write everything, read it back and compare (Ctrl+E)"), true);
    footer->addWidget(m_ship);
    connect(m_ship, &QPushButton::clicked, this, &ShipPanel::shipRequested);
    connect(&bench.session.document, &Document::sceneChanged, this, &ShipPanel::refresh);
    refresh();
}

ShipOptions ShipPanel::options() const {
    return {m_extension->isChecked(), m_named->isChecked(),   m_json->isChecked(),
            m_tables->isChecked(),    m_ribbons->isChecked(), m_tiles->isChecked()};
}

void ShipPanel::refresh() {
    const Look& l = Look::now();
    const int each =
        (m_extension->isChecked() ? 1 : 0) + (m_named->isChecked() ? 1 : 0) + (m_json->isChecked() ? 1 : 0);
    FactTable facts(2);
    int ready = 0;
    int files = 0;
    bool placed = false; // by itself, which the tables of the scene hold
    for (const Subject& s : m_bench.session.scene().subjects) {
        const auto row = [&](bool whole, int own, const QString& text) {
            ready += whole ? 1 : 0;
            files += whole ? own : 0;
            constexpr int kNameWidth = 160;
            const QString name = fontMetrics().elidedText(QString::fromStdString(s.name), Qt::ElideMiddle, kNameWidth);
            facts.row({{name.toHtmlEscaped()}, {whole ? text : tr("not whole"), whole ? l.quiet : l.over}});
        };
        std::visit(Overload{[&](const MeshBody& of) {
                                const bool whole = std::all_of(of.levels.begin(), of.levels.end(),
                                                               [](const Level& x) { return x.mesh != nullptr; });
                                placed |= whole && of.placed && !of.placed->empty();
                                row(whole, each, countText(of.levels.size(), "level", "levels"));
                            },
                            [&](const InstancesBody& of) {
                                row(true,
                                    (m_json->isChecked() ? 1 : 0) + (m_tables->isChecked() ? 2 : 0) +
                                        (m_extension->isChecked() ? static_cast<int>(of.assets.size()) : 0),
                                    countText(of.copies->size(), "copy", "copies"));
                            },
                            [&](const TerrainBody& of) {
                                const int levels = of.tree ? static_cast<int>(of.tree->levels.size()) : 0;
                                row(of.tree != nullptr, 3 + (m_tiles->isChecked() ? levels : 0),
                                    countText(static_cast<std::uint64_t>(levels), "level", "levels"));
                            },
                            [&](const StrandsBody& of) {
                                const bool byCards =
                                    !of.levels.empty() && of.levels.back().perCard > 0; // in a file of their own
                                const auto levels = static_cast<int>(of.levels.size()) - (byCards ? 1 : 0);
                                const bool lines = m_extension->isChecked() || m_named->isChecked();
                                const bool ribbons = m_ribbons->isChecked();
                                row(of.strands != nullptr,
                                    (lines ? levels : 0) + (ribbons ? levels : 0) +
                                        (byCards && (lines || ribbons) ? 1 : 0) + (m_json->isChecked() ? 1 : 0),
                                    countText(copyCount(s), "strand", "strands"));
                            },
                            [&](const EmitterBody& of) {
                                constexpr int kFiles = 3; // compact, by levels, a strip of pictures
                                row(true, m_json->isChecked() ? kFiles : 0,
                                    countText(of.emitter.levels.size(), "level", "levels"));
                            }},
                   s.body);
    }
    files += placed && m_tables->isChecked() ? 2 : 0;
    m_what->setText(QStringLiteral("<p style='font-weight:600; margin:0 0 4px 0'>%1</p>%2")
                        .arg(tr("%1 from %2")
                                 .arg(countText(static_cast<std::uint64_t>(files), "file", "files"),
                                      countText(static_cast<std::uint64_t>(ready), "subject", "subjects")),
                             facts.html()));
    m_ship->setEnabled(files > 0);
}

} // namespace thicket::app
