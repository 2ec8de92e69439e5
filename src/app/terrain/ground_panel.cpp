#include "app/terrain/ground_panel.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "appmodel/text.h"
#include "base/text.h"
#include "scene/grounds.h"

#include <QFileDialog>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace thicket::app {
GroundPanel::GroundPanel(Workbench& bench, QWidget* parent) : Panel(tr("Ground"), parent), m_bench(bench) {
    m_facts = makeLabel({});
    m_facts->setTextFormat(Qt::RichText);
    m_facts->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_facts->setObjectName(QStringLiteral("groundFacts"));
    body->addWidget(m_facts);
    m_relink = makeButton(tr("Point to the file…"), tr("Its heights were not found where the project says"));
    body->addWidget(m_relink);

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Brush"), "title"));
    m_kind = new Segmented({tr("Off"), tr("Raise"), tr("Lower"), tr("Smooth"), tr("Flatten")},
                           {tr("Drag turns the view"), tr("Drag on the ground raises it"),
                            tr("Drag on the ground lowers it"), tr("Drag on the ground evens it out"),
                            tr("Drag on the ground brings it to the height where the stroke began")});
    m_kind->setCellWidth(47);
    m_kind->setObjectName(QStringLiteral("groundBrush"));
    body->addWidget(m_kind);
    m_radius = new NumberBox(0.5, 10000, 1, tr(" m"));
    m_radius->show(16);
    m_radius->setObjectName(QStringLiteral("brushRadius"));
    body->addWidget(fieldRow(tr("Radius"), m_radius, tr("How far it reaches from the pointer; shown on the ground")));
    m_strength = new NumberBox(0.01, 1000, 2, tr(" m"));
    m_strength->show(1);
    m_strength->setObjectName(QStringLiteral("brushStrength"));
    body->addWidget(fieldRow(tr("Strength"), m_strength,
                             tr("How much a stroke does in its middle, however often it passes there")));
    m_cost = makeLabel({}, "small");
    m_cost->setWordWrap(true);
    m_cost->setObjectName(QStringLiteral("strokeCost"));
    body->addWidget(m_cost);

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("As a mesh"), "title"));
    m_error = new NumberBox(0.001, 1000, 3, tr(" m"));
    m_error->show(0.5);
    m_error->setObjectName(QStringLiteral("meshError"));
    body->addWidget(
        fieldRow(tr("Off by at most"), m_error, tr("The largest vertical distance of the mesh from the heights")));
    m_levels = new NumberBox(1, 7, 0, {});
    m_levels->show(4);
    body->addWidget(fieldRow(tr("Levels"), m_levels, tr("Each may be off by twice as much as the one before")));
    m_border = new QCheckBox(tr("keep its border whole"));
    m_border->setToolTip(tr("Every height along it, so that meshes of neighbouring pieces of ground match"));
    body->addWidget(m_border);
    m_fewest = new QCheckBox(tr("of as few triangles as may be"));
    m_fewest->setObjectName(QStringLiteral("fewestTriangles"));
    m_fewest->setToolTip(tr("Points lie where the ground asks for them: fewer triangles, but slower to make.\n"
                            "Not for ground with holes, and with one error everywhere"));
    body->addWidget(m_fewest);
    m_fallsOff = new QCheckBox(tr("coarser away from the camera"));
    m_fallsOff->setObjectName(QStringLiteral("meshFallsOff"));
    m_fallsOff->setToolTip(tr("For ground that is only ever seen from near one place: where the camera stands now"));
    body->addWidget(m_fallsOff);
    m_falloffRows = new QWidget;
    auto* far = new QVBoxLayout(m_falloffRows);
    far->setContentsMargins(0, 0, 0, 0);
    m_farError = new NumberBox(0.001, 1e4, 2, tr(" m"));
    m_farError->show(3);
    far->addWidget(fieldRow(tr("Off there by"), m_farError, tr("What is allowed at that distance and beyond")));
    m_farRange = new NumberBox(1, 1e6, 0, tr(" m"));
    m_farRange->show(500);
    far->addWidget(
        fieldRow(tr("At a distance of"), m_farRange, tr("From where the camera stood when this was ticked")));
    m_farPower = new NumberBox(0.2, 8, 1, {});
    m_farPower->show(1);
    far->addWidget(fieldRow(tr("Curve"), m_farPower,
                            tr("1: what is allowed grows evenly; above 1 the ground near by stays finer for longer")));
    m_falloffRows->hide();
    body->addWidget(m_falloffRows);
    m_forecast = makeLabel({});
    m_forecast->setTextFormat(Qt::RichText);
    m_forecast->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_forecast->setObjectName(QStringLiteral("meshForecast"));
    body->addWidget(m_forecast);
    m_make =
        makeButton(tr("Make the mesh…"), tr("Write these levels as a GLB and add them to the project as a mesh"), true);
    m_make->setObjectName(QStringLiteral("makeGroundMesh"));
    footer->addWidget(m_make, 1);

    connect(m_relink, &QPushButton::clicked, this, [this] {
        const Subject* s = terrain();
        const QString file =
            s == nullptr ? QString()
                         : QFileDialog::getOpenFileName(this, tr("Heights of %1").arg(toText(s->name)), {},
                                                        tr("Heights (*.png *.tif *.tiff *.asc *.r16 *.r32 *.raw)"));
        if (!file.isEmpty())
            m_bench.grounds.relink(s->id, file);
    });
    connect(m_kind, &Segmented::picked, this, [this](int kind) {
        const bool share = kind >= 3; // smooth and flatten go so much of the way
        m_strength->setSuffix(share ? tr(" of the way") : tr(" m"));
        m_strength->setMaximum(share ? 1 : 1000);
        emit brushChanged();
    });
    connect(m_radius, &NumberBox::chosen, this, &GroundPanel::brushChanged);
    connect(m_strength, &NumberBox::chosen, this, &GroundPanel::brushChanged);
    connect(m_error, &NumberBox::chosen, this, &GroundPanel::askForecast);
    connect(m_levels, &NumberBox::chosen, this, &GroundPanel::askForecast);
    for (QCheckBox* box : {m_border, m_fewest, m_fallsOff})
        connect(box, &QCheckBox::toggled, this, [this, box](bool on) {
            // One mesh of fewest triangles has one error everywhere and no border of its own.
            if (on && box == m_fewest) {
                m_border->setChecked(false);
                m_fallsOff->setChecked(false);
            } else if (on) {
                m_fewest->setChecked(false);
            }
            if (on && box == m_fallsOff && eye)
                m_fallsFrom = eye();
            m_falloffRows->setVisible(m_fallsOff->isChecked());
            askForecast();
        });
    for (NumberBox* box : {m_farError, m_farRange, m_farPower})
        connect(box, &NumberBox::chosen, this, &GroundPanel::askForecast);
    connect(m_make, &QPushButton::clicked, this, [this] {
        const Subject* s = terrain();
        if (s == nullptr)
            return;
        const QString file =
            QFileDialog::getSaveFileName(this, tr("Mesh of %1").arg(toText(s->name)),
                                         toText(s->name) + QStringLiteral(" mesh.glb"), tr("GLB (*.glb)"));
        if (!file.isEmpty())
            m_bench.grounds.writeMesh(s->id, ask(), file);
    });
    connect(&bench.grounds, &GroundModel::meshWritten, this,
            [this](const QString& path) { m_bench.files.openFiles({path}); });
    connect(&bench.grounds, &GroundModel::forecastReady, this, &GroundPanel::refreshForecast);
    connect(&bench.grounds, &GroundModel::strokeLaid, this, [this] {
        const auto& g = m_bench.grounds;
        m_cost->setText(
            tr("%1 ms for the last step: %2 tiles done again").arg(figureText(g.strokeMs(), 2)).arg(g.strokeTiles()));
        if (!g.stroking())
            refresh();
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &GroundPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, [this] {
        m_kind->setCurrent(0);
        m_reckoned.reset();
        emit brushChanged();
        refresh();
    });
    refresh();
}

const Subject* GroundPanel::terrain() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->terrain() != nullptr ? s : nullptr;
}

std::optional<GroundBrush> GroundPanel::brush() const {
    if (terrain() == nullptr || m_kind->current() == 0)
        return std::nullopt;
    return GroundBrush{static_cast<BrushKind>(m_kind->current() - 1), m_radius->value(), m_strength->value()};
}

GroundMeshAsk GroundPanel::ask() const {
    GroundMeshAsk out;
    for (int i = 0; i < static_cast<int>(m_levels->value()); ++i)
        out.errors.push_back(m_error->value() * std::exp2(i));
    out.keepBorder = m_border->isChecked();
    out.fewest = m_fewest->isChecked();
    if (m_fallsOff->isChecked())
        out.falloff = MeshFalloff{m_fallsFrom, m_farError->value(), m_farRange->value(), m_farPower->value()};
    return out;
}

void GroundPanel::askForecast() {
    if (const Subject* s = terrain(); s != nullptr && s->terrain()->heights)
        m_bench.grounds.forecast(s->id, ask());
}

void GroundPanel::refreshForecast() {
    FactTable facts;
    const QString& why = m_bench.grounds.noForecast();
    for (const GroundModel::Forecast& f : m_bench.grounds.forecasts())
        facts.row(lengthText(f.error), (m_fewest->isChecked() ? tr("below %1 triangles · %2") : tr("%1 triangles · %2"))
                                           .arg(groupedText(static_cast<qint64>(f.count.triangles)),
                                                QString::fromStdString(memorySize(bytesOf(f.count)))));
    m_make->setEnabled(why.isEmpty());
    if (!why.isEmpty()) {
        m_forecast->setText(why.toHtmlEscaped());
        return;
    }
    m_forecast->setText(facts.html());
}

void GroundPanel::showEvent(QShowEvent* event) {
    Panel::showEvent(event);
    refresh();
}

void GroundPanel::refresh() {
    const Subject* s = terrain();
    if (s == nullptr)
        return;
    const TerrainBody& of = *s->terrain();
    title->setText(toText(s->name));
    m_relink->setVisible(!of.heights);
    m_make->setEnabled(of.heights != nullptr);
    // For those who look, and never while it is under the brush.
    if (isVisible() && of.heights != m_reckoned.lock() && !m_bench.grounds.stroking()) {
        m_reckoned = of.heights;
        m_forecast->setText({});
        // Some eight thousand a side; more take memory and minutes that nobody may have asked for.
        constexpr std::size_t kAtOnce = 70'000'000;
        if (of.heights->grid.size() <= kAtOnce)
            askForecast();
        else
            m_forecast->setText(tr("Large ground: change a value to have its meshes reckoned."));
    }
    FactTable facts;
    facts.row(tr("from"), of.trial ? tr("made up") : toText(s->source.path.filename().string()));
    if (of.heights) {
        const Heights& h = *of.heights;
        facts.row(tr("heights"), tr("%1 × %2").arg(h.columns).arg(h.rows));
        facts.row(tr("apart"), lengthText(h.spacing));
        facts.row(tr("size"), tr("%1 × %2").arg(lengthText(h.width()), lengthText(h.depth())));
        facts.row(tr("lowest"), tr("%1 m").arg(static_cast<double>(of.tree->low), 0, 'f', 2));
        facts.row(tr("highest"), tr("%1 m").arg(static_cast<double>(of.tree->high), 0, 'f', 2));
        facts.row(tr("holes"), h.holes ? tr("yes") : tr("none"));
        facts.row(tr("in memory"), QString::fromStdString(memorySize(memoryOf(*s))));
        facts.row(tr("strokes laid on it"), groupedText(static_cast<qint64>(of.strokes.size())));
    }
    m_facts->setText(facts.html());
}

GroundLevels::GroundLevels(Workbench& bench, QWidget* parent)
    : Panel(tr("Levels of the tiles"), parent), m_bench(bench), m_table(makeLabel({})) {
    m_table->setTextFormat(Qt::RichText);
    m_table->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_table->setObjectName(QStringLiteral("groundLevels"));
    body->addWidget(m_table);
    QLabel* note =
        makeLabel(tr("Each level has half the points a side of the finer one, and its tiles are twice as wide. "
                     "Half of a level's tiles are off by no more than the first figure, none by more than the "
                     "second. Switch decides for each tile by itself."),
                  "small");
    note->setWordWrap(true);
    body->addWidget(note);
    connect(&bench.session.document, &Document::sceneChanged, this, &GroundLevels::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &GroundLevels::refresh);
    refresh();
}

void GroundLevels::refresh() {
    const Subject* s = m_bench.session.subject();
    if (s == nullptr || s->terrain() == nullptr || !s->terrain()->tree)
        return;
    const TileTree& tree = *s->terrain()->tree;
    aside->setText(toText(s->name));
    FactTable facts(3);
    for (std::uint32_t level = 0; level < tree.levels.size(); ++level) {
        const TileTree::Level& row = tree.levels[level];
        const double side = static_cast<double>(std::uint64_t{tree.cells} << level) * tree.spacing;
        const double count = std::uint64_t{row.across} * row.down;
        const double triangles = 2.0 * (tree.columns - 1) * (tree.rows - 1) / std::exp2(2 * level);
        const double points = count * (tree.cells + 1) * (tree.cells + 1);
        facts.row({{QStringLiteral("<span style='color:%1'>■</span> L%2")
                        .arg(Look::level(static_cast<int>(level)).name())
                        .arg(level)},
                   {tr("%1 triangles").arg(groupedText(static_cast<qint64>(triangles)))}});
        facts.below({(count == 1 ? tr("%1 tile of %2 · %3") : tr("%1 tiles of %2 · %3"))
                             .arg(groupedText(static_cast<qint64>(count)), lengthText(side),
                                  QString::fromStdString(memorySize(points * 44))) +
                         QStringLiteral("<br>") +
                         (level == 0 ? tr("every height")
                                     : tr("off by %1 · at most %2")
                                           .arg(lengthText(static_cast<double>(row.typical)),
                                                lengthText(static_cast<double>(row.worst)))),
                     Look::now().quiet});
    }
    m_table->setText(facts.html());
}

} // namespace thicket::app
