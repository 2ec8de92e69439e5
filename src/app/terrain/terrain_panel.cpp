#include "app/terrain/terrain_panel.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "app/viewport/ground_tiles.h"
#include "base/text.h"
#include "scene/grounds.h"

#include <algorithm>

namespace thicket::app {
namespace {

constexpr std::uint32_t kSizes[] = {16, 32, 64, 128, 256};
constexpr std::size_t kGroundLevels = 3;
constexpr std::size_t kUpdates = 256;

} // namespace

TerrainPanel::TerrainPanel(Workbench& bench, QWidget* parent)
    : Panel(tr("When to switch"), parent), m_bench(bench), m_reachNow(makeLabel({}, "small")) {
    m_decide = new ChoiceBox;
    m_decide->addItems({tr("error on screen"), tr("distance"), tr("screen height"), tr("share of the reach")});
    body->addWidget(fieldRow(tr("Decide by"), m_decide,
                             tr("By error each tile switches by its own; by the others all tiles of a level where its "
                                "handle stands")));
    m_allow = new NumberBox(0.05, 64, 2, tr(" px"));
    m_allow->setObjectName(QStringLiteral("groundAllow"));
    body->addWidget(fieldRow(tr("Allow"), m_allow, tr("How many pixels the drawn ground may be off its heights")));
    m_between = new ChoiceBox;
    m_between->addItems({tr("morph"), tr("cross-fade"), tr("sudden")});
    m_between->setObjectName(QStringLiteral("groundMorph"));
    body->addWidget(fieldRow(tr("Between levels"), m_between,
                             tr("Morph: points move to where the coarser level has them while its error comes down to "
                                "what is allowed; nothing jumps. Cross-fade: both levels are drawn meanwhile, pixel by "
                                "pixel, which costs twice the triangles there")));
    m_band = new NumberBox(0, 50, 1, tr(" %"));
    body->addWidget(fieldRow(tr("Over"), m_band,
                             tr("So much farther than it could, a coarser level is reached: the way over which levels "
                                "pass into each other")));
    m_importance = new NumberBox(0.1, 10, 2, tr(" ×"));
    body->addWidget(fieldRow(tr("Importance"), m_importance, tr("All its switches come in so many times as far")));

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Reach"), "title"));
    m_reach = new NumberBox(0, 1e6, 1, tr(" m"));
    m_reach->setSpecialValueText(tr("no limit"));
    m_reach->setObjectName(QStringLiteral("groundReach"));
    body->addWidget(fieldRow(tr("Reach"), m_reach, tr("Tiles that lie wholly beyond this distance are not drawn")));
    m_reachGrows = new NumberBox(0, 100, 1, tr(" × height"));
    m_reachGrows->setSpecialValueText(tr("stays as it is"));
    body->addWidget(
        fieldRow(tr("Grows"), m_reachGrows,
                 tr("How much farther it reaches for each metre that the camera is above the lowest ground")));
    body->addWidget(m_reachNow);
    m_margin = new NumberBox(0, 1000, 1, tr(" m"));
    body->addWidget(fieldRow(tr("View margin"), m_margin, tr("Tiles this far outside of the view are still drawn")));

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Tiles"), "title"));
    m_cells = new ChoiceBox;
    m_cells->setObjectName(QStringLiteral("tileSize"));
    body->addWidget(
        fieldRow(tr("Tile size"), m_cells, tr("The finest tiles; coarser ones have as many points and are wider")));
    body->addWidget(fieldRow(tr("Neighbours"), makeLabel(tr("1 level apart")),
                             tr("A tile is split where one beside it is two levels finer")));
    body->addWidget(fieldRow(tr("Sides"), makeLabel(tr("match, no cracks")),
                             tr("Where a coarser tile lies beside it, a side is drawn with that one's points")));

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Now in the shot view"), "title"));
    m_frame = makeLabel({});
    m_frame->setTextFormat(Qt::RichText);
    m_frame->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_frame->setObjectName(QStringLiteral("groundFrame"));
    body->addWidget(m_frame);
    const QString names[4] = {tr("out of view"), tr("beyond reach"), tr("behind the horizon"), tr("levels switch")};
    for (std::size_t i = 0; i < m_view.size(); ++i) {
        m_view[i] = new QCheckBox(names[i]);
        m_view[i]->setChecked(true);
        m_view[i]->setObjectName(QStringLiteral("groundView%1").arg(i));
        m_view[i]->setToolTip((i == kGroundLevels ? tr("Untick to draw all of it at its finest, to compare")
                                                  : tr("Untick to see what this saves")) +
                              tr(". For this view only: the project is not changed"));
        body->addWidget(m_view[i]);
        connect(m_view[i], &QCheckBox::toggled, this, [this] {
            SelectOptions options;
            options.cullView = m_view[0]->isChecked();
            options.cullReach = m_view[1]->isChecked();
            options.cullHidden = m_view[2]->isChecked();
            options.switchLevels = m_view[kGroundLevels]->isChecked();
            emit cullingChosen(options);
        });
    }
    m_sizes = makeButton(tr("Try tile sizes"),
                         tr("What tiles of other sizes would cost along the first route, measured"), true);
    m_sizes->setCheckable(true);
    m_sizes->setObjectName(QStringLiteral("tryTileSizes"));
    footer->addWidget(m_sizes, 1);
    connect(m_sizes, &QPushButton::toggled, this, [this](bool on) {
        m_sizes->setText(on ? tr("Error on screen") : tr("Try tile sizes"));
        if (const Subject* s = terrain(); on && s != nullptr)
            m_bench.grounds.study(s->id);
        emit sizesWanted(on);
    });

    connect(m_decide, &QComboBox::activated, this, [this](int i) {
        if (const Subject* s = terrain())
            m_bench.switching.setDecideBy(s->id, static_cast<DecideBy>(i));
    });
    connect(m_between, &QComboBox::activated, this, [this](int i) {
        if (const Subject* s = terrain())
            m_bench.grounds.setBetween(s->id, static_cast<Passing>(i));
    });
    connect(m_cells, &QComboBox::activated, this, [this](int i) {
        if (const Subject* s = terrain(); s != nullptr && i >= 0)
            m_bench.grounds.setTileSize(s->id, m_cells->itemData(i).toUInt());
    });
    const auto rule = [this](NumberBox* box, const QString& label, double SwitchRule::*member, double unit) {
        connect(box, &NumberBox::chosen, this, [this, label, member, unit](double v) {
            change(label, [member, unit, v](SwitchRule& r) { r.*member = v / unit; });
        });
    };
    rule(m_allow, tr("Change the allowance"), &SwitchRule::allowPx, 1);
    rule(m_band, tr("Change the way of morphing"), &SwitchRule::hysteresis, 100);
    rule(m_importance, tr("Change the importance"), &SwitchRule::importance, 1);
    rule(m_reach, tr("Change the reach"), &SwitchRule::reachMetres, 1);
    rule(m_reachGrows, tr("Change how the reach grows"), &SwitchRule::reachGrows, 1);
    rule(m_margin, tr("Change the view margin"), &SwitchRule::marginMetres, 1);
    connect(&bench.session.document, &Document::sceneChanged, this, &TerrainPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, [this] {
        m_updates.clear();
        refresh();
    });
    refresh();
}

const Subject* TerrainPanel::terrain() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->terrain() != nullptr ? s : nullptr;
}

void TerrainPanel::change(const QString& label, const std::function<void(SwitchRule&)>& how) {
    if (const Subject* s = terrain()) {
        SwitchRule rule = s->rule;
        how(rule);
        m_bench.switching.setRule(s->id, rule, label);
    }
}

void TerrainPanel::refresh() {
    const Subject* s = terrain();
    if (s == nullptr)
        return;
    const TerrainBody& of = *s->terrain();
    aside->setText(QString::fromStdString(s->name));
    m_decide->setCurrentIndex(static_cast<int>(s->rule.decideBy));
    m_allow->show(s->rule.allowPx);
    m_between->setCurrentIndex(static_cast<int>(of.between));
    m_band->show(100 * s->rule.hysteresis);
    m_band->setEnabled(of.between != Passing::Sudden);
    m_importance->show(s->rule.importance);
    m_reach->show(s->rule.reachMetres);
    m_reachGrows->show(s->rule.reachGrows);
    m_reachGrows->setEnabled(s->rule.reachMetres > 0);
    m_margin->show(s->rule.marginMetres);
    m_cells->clear();
    const double spacing = of.heights ? of.heights->spacing : 1;
    bool listed = false;
    for (const std::uint32_t cells : kSizes) {
        m_cells->addItem(tr("%1 · %2 × %2").arg(lengthText(cells * spacing)).arg(cells + 1), cells);
        listed |= cells == of.cells;
    }
    if (!listed)
        m_cells->addItem(tr("%1 · %2 × %2").arg(lengthText(of.cells * spacing)).arg(of.cells + 1), of.cells);
    m_cells->setCurrentIndex(m_cells->findData(of.cells));
    m_reachNow->setVisible(s->rule.reachMetres > 0 && s->rule.reachGrows > 0);
    if (s->rule.reachMetres > 0 && s->rule.reachGrows > 0) // the curve, read at four heights
        m_reachNow->setText(tr("%1 at 2 m up · %2 at 20 m · %3 at 200 m")
                                .arg(lengthText(s->rule.reachMetres + 2 * s->rule.reachGrows),
                                     lengthText(s->rule.reachMetres + 20 * s->rule.reachGrows),
                                     lengthText(s->rule.reachMetres + 200 * s->rule.reachGrows)));
}

void TerrainPanel::showFrame(const SelectInput& input, const Selection& selection, double updateUs,
                             std::size_t tileBytes, const std::optional<std::array<std::uint64_t, 5>>& saves) {
    const Subject* s = terrain();
    if (s == nullptr)
        return;
    for (std::size_t g = 0; g < input.grounds.size() && g < selection.grounds.size(); ++g) {
        if (input.subjects[input.grounds[g].subject] != s->id)
            continue;
        const TileCut& cut = selection.grounds[g];
        if (m_updates.size() < kUpdates)
            m_updates.push_back(updateUs);
        else
            m_updates[m_next++ % kUpdates] = updateUs;
        std::vector<double> sorted = m_updates;
        std::sort(sorted.begin(), sorted.end());
        FactTable facts;
        const auto tiles = static_cast<qint64>(cut.tiles.size());
        if (cut.fading > 0) {
            facts.row(tr("tiles"), groupedText(tiles));
            facts.row(tr("both levels drawn"), groupedText(cut.fading));
        } else {
            facts.row(tr("tiles, and draws"), groupedText(tiles));
        }
        facts.row(tr("triangles"), groupedText(static_cast<qint64>(cut.triangles)));
        facts.row(tr("off at the most"), pixelText(cut.worstErrorPx));
        facts.row(tr("split for a neighbour"), groupedText(cut.forced));
        facts.row(tr("update, last"), tr("%1 µs").arg(figureText(updateUs, 2)));
        facts.row(tr("typical · worst"),
                  tr("%1 · %2 µs").arg(figureText(sorted[sorted.size() / 2], 2), figureText(sorted.back(), 2)));
        constexpr double kMega = 1e6;
        facts.row(tr("tile memory"), tr("%1 of %2 MB")
                                         .arg(figureText(static_cast<double>(tileBytes) / kMega, 3),
                                              figureText(static_cast<double>(GroundTiles::kMostBytes) / kMega, 3)));
        m_frame->setText(facts.html());
        const std::uint32_t counts[3] = {cut.outOfView, cut.beyondReach, cut.hidden};
        const std::size_t reasons[3] = {0, 1, 3};
        const QString names[3] = {tr("out of view"), tr("beyond reach"), tr("behind the horizon")};
        for (std::size_t i = 0; i < 3; ++i) {
            const std::uint64_t saved = saves ? (*saves)[reasons[i]] : 0;
            m_view[i]->setText(
                tr("%1: %2").arg(names[i], groupedText(counts[i])) +
                (saved > 0 ? tr(" · saves %1").arg(QString::fromStdString(shortCount(static_cast<double>(saved))))
                 : saves   ? tr(" · no gain")
                           : QString()));
        }
    }
}

} // namespace thicket::app
