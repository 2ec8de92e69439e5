#include "app/field/field_panel.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "base/text.h"
#include "scene/kinds.h"

namespace thicket::app {
namespace {

constexpr std::size_t kThinned = 4;
constexpr std::size_t kFieldLevels = 5;

QString shareText(std::size_t part, std::size_t of) {
    return of == 0
               ? QString()
               : QStringLiteral("%1 %").arg(figureText(100.0 * static_cast<double>(part) / static_cast<double>(of), 2));
}

} // namespace

FieldPanel::FieldPanel(Workbench& bench, QWidget* parent) : Panel(tr("Field"), parent), m_bench(bench) {
    m_decide = new ChoiceBox;
    m_decide->addItems({tr("error on screen"), tr("distance"), tr("screen height"), tr("share of the reach")});
    body->addWidget(fieldRow(tr("Decide by"), m_decide, tr("What a switch set in this field is kept in")));
    m_measure = new ChoiceBox;
    m_measure->addItems({tr("nearest point"), tr("centre"), tr("depth")});
    body->addWidget(fieldRow(tr("Measure to"), m_measure,
                             tr("Where the distance is taken to; only the nearest point keeps the promise of pixels")));
    m_allow = new NumberBox(0.05, 64, 2, tr(" px"));
    body->addWidget(fieldRow(tr("Allow"), m_allow, tr("How many pixels a drawn copy may be off its finest level")));
    m_band = new NumberBox(0, 50, 0, tr(" %"));
    m_band->setPrefix(QStringLiteral("± "));
    m_band->setObjectName(QStringLiteral("softBand"));
    body->addWidget(fieldRow(tr("Soft band"), m_band,
                             tr("Each copy switches so much sooner or later than the others, by its id: no line shows "
                                "on the ground")));
    m_fade = new NumberBox(0, 5, 2, tr(" s"));
    body->addWidget(fieldRow(tr("Cross-fade"), m_fade, tr("How long both levels of a copy are mixed")));
    m_hysteresis = new NumberBox(0, 50, 1, tr(" %"));
    body->addWidget(fieldRow(tr("Hysteresis"), m_hysteresis,
                             tr("How much farther the camera must go before a coarser level shows")));
    m_reach = new NumberBox(0, 1e6, 1, tr(" m"));
    m_reach->setSpecialValueText(tr("no limit"));
    m_reach->setObjectName(QStringLiteral("reach"));
    body->addWidget(fieldRow(tr("Reach"), m_reach, tr("Nothing of the field is drawn beyond this distance")));
    m_reachGrows = new NumberBox(0, 100, 1, tr(" m a metre up"));
    m_reachGrows->setSpecialValueText(tr("stays as it is"));
    body->addWidget(fieldRow(tr("Reach grows"), m_reachGrows,
                             tr("How much farther it reaches for each metre that the camera is above the field")));
    m_margin = new NumberBox(0, 1000, 1, tr(" m"));
    body->addWidget(fieldRow(tr("View margin"), m_margin, tr("Copies this far outside of the view are still drawn")));
    m_cull = new NumberBox(0, 400, 1, tr(" px tall"));
    body->addWidget(fieldRow(tr("Cull below"), m_cull, tr("A copy is not drawn when it is less tall than this")));
    m_curves = new ChoiceBox;
    m_curves->setObjectName(QStringLiteral("curvesBy"));
    m_curves->addItems({tr("distance"), tr("height on screen")});
    body->addWidget(fieldRow(tr("Curves by"), m_curves,
                             tr("By height on screen, keep and grow go farther out for taller things, taller screens "
                                "and narrower views")));
    m_growAtMost = new NumberBox(1, Thinning::kMostGrowth, 2, tr(" ×"));
    m_growAtMost->setObjectName(QStringLiteral("growAtMost"));
    body->addWidget(fieldRow(tr("Grow at most"), m_growAtMost,
                             tr("Holding the cover never makes a copy larger than this; what that costs in cover is "
                                "said above the chart")));
    m_thinBand = new NumberBox(0, 100, 0, tr(" % of the share"));
    body->addWidget(fieldRow(tr("Go over"), m_thinBand,
                             tr("Copies beyond the share that is kept shrink over so much of it before they are gone: "
                                "nothing blinks")));
    m_instances = new QCheckBox(tr("the engine draws copies together"));
    m_instances->setToolTip(tr("Draws are counted as one a level and material; else as one a copy and material"));
    body->addWidget(m_instances);

    m_assetBox = new QWidget;
    auto* assetColumn = new QVBoxLayout(m_assetBox);
    assetColumn->setContentsMargins(0, 4, 0, 0);
    assetColumn->addWidget(makeLabel(tr("What it is made of"), "title"));
    m_assets = new QVBoxLayout;
    m_assets->setSpacing(3);
    assetColumn->addLayout(m_assets);
    body->addWidget(m_assetBox);

    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Now in frame"), "title"));
    m_frame = makeLabel({});
    m_frame->setTextFormat(Qt::RichText);
    m_frame->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_frame->setObjectName(QStringLiteral("fieldFrame"));
    body->addWidget(m_frame);
    const QString names[6] = {tr("out of view"), tr("beyond reach"), tr("too small"),
                              tr("hidden"),      tr("thinned away"), tr("levels switch")};
    for (std::size_t i = 0; i < m_view.size(); ++i) {
        m_view[i] = new QCheckBox(names[i]);
        m_view[i]->setChecked(true);
        m_view[i]->setObjectName(QStringLiteral("fieldView%1").arg(i));
        m_view[i]->setToolTip((i == kFieldLevels ? tr("Untick to draw every copy at its finest, to compare")
                                                 : tr("Untick to see what this saves")) +
                              tr(". For this view only: the project is not changed"));
        body->addWidget(m_view[i]);
        connect(m_view[i], &QCheckBox::toggled, this, [this] {
            SelectOptions options;
            options.cullView = m_view[0]->isChecked();
            options.cullReach = m_view[1]->isChecked();
            options.cullSmall = m_view[2]->isChecked();
            options.cullHidden = m_view[3]->isChecked();
            options.thinOut = m_view[kThinned]->isChecked();
            options.switchLevels = m_view[kFieldLevels]->isChecked();
            m_all->setText(options.thinOut ? tr("Show all") : tr("Thin out"));
            emit cullingChosen(options);
        });
    }

    m_copyBox = new QWidget;
    auto* copyColumn = new QVBoxLayout(m_copyBox);
    copyColumn->setContentsMargins(0, 4, 0, 0);
    body->addWidget(m_copyBox);
    m_copyName = makeLabel({}, "title");
    copyColumn->addWidget(m_copyName);
    m_importance = new NumberBox(0.1, 10, 2, tr(" ×"));
    m_importance->setObjectName(QStringLiteral("fieldCopyImportance"));
    copyColumn->addWidget(
        fieldRow(tr("Importance"), m_importance, tr("This copy's switches come in so many times as far")));
    m_remove = makeButton(tr("Take this copy out"), tr("Remove it from the field; Undo brings it back"));
    m_remove->setObjectName(QStringLiteral("removeCopy"));
    copyColumn->addWidget(m_remove);

    m_all = makeButton(tr("Show all"), tr("Draw every copy as large as it is, to compare with the thinned field"));
    m_all->setObjectName(QStringLiteral("showAll"));
    footer->addWidget(m_all);
    m_hold = makeButton(tr("Hold the cover"), tr("Copies grow as much as makes up for those that go"), true);
    m_hold->setObjectName(QStringLiteral("holdCover"));
    footer->addWidget(m_hold, 1);
    connect(m_all, &QPushButton::clicked, this, [this] { m_view[kThinned]->toggle(); });
    connect(m_hold, &QPushButton::clicked, this, [this] {
        if (const Subject* s = field())
            m_bench.fields.holdCover(s->id, !thinningOf(*s)->holdCover);
    });

    connect(m_decide, &QComboBox::activated, this, [this](int i) {
        change(tr("Decide otherwise"), [i](SwitchRule& r) { r.decideBy = static_cast<DecideBy>(i); });
    });
    connect(m_measure, &QComboBox::activated, this, [this](int i) {
        change(tr("Measure otherwise"), [i](SwitchRule& r) { r.measureFrom = static_cast<MeasureFrom>(i); });
    });
    const auto rule = [this](NumberBox* box, const QString& label, double SwitchRule::*member, double unit) {
        connect(box, &NumberBox::chosen, this, [this, label, member, unit](double v) {
            change(label, [member, unit, v](SwitchRule& r) { r.*member = v / unit; });
        });
    };
    rule(m_allow, tr("Change the allowance"), &SwitchRule::allowPx, 1);
    rule(m_band, tr("Change the soft band"), &SwitchRule::softBand, 100);
    rule(m_fade, tr("Change the cross-fade"), &SwitchRule::fadeSeconds, 1);
    rule(m_hysteresis, tr("Change the hysteresis"), &SwitchRule::hysteresis, 100);
    rule(m_reach, tr("Change the reach"), &SwitchRule::reachMetres, 1);
    rule(m_reachGrows, tr("Change how the reach grows"), &SwitchRule::reachGrows, 1);
    rule(m_margin, tr("Change the view margin"), &SwitchRule::marginMetres, 1);
    rule(m_cull, tr("Change the smallest size"), &SwitchRule::cullBelowPx, 1);
    connect(m_curves, &QComboBox::activated, this, [this](int i) {
        const Subject* s = field();
        if (s == nullptr)
            return;
        const double full = fullHeightOf(m_bench.session.scene(), *s, m_bench.session.scene().statedView());
        thin(tr("Let the curves go by something else"), [i, full](Thinning& t) {
            t = thinningFor(std::move(t), full); // nothing moves as it is seen now
            t.fullHeight = i == 1 ? full : 0;
        });
    });
    connect(m_growAtMost, &NumberBox::chosen, this,
            [this](double v) { thin(tr("Change the growth"), [v](Thinning& t) { t.growAtMost = v; }); });
    connect(m_thinBand, &NumberBox::chosen, this,
            [this](double v) { thin(tr("Change how copies go"), [v](Thinning& t) { t.band = v / 100; }); });
    connect(m_instances, &QCheckBox::clicked, this, [this](bool on) {
        if (const Subject* s = field())
            m_bench.fields.setEngineInstances(s->id, on);
    });
    connect(m_importance, &NumberBox::chosen, this,
            [this](double v) { m_bench.switching.setCopyImportance(m_copy, v); });
    connect(m_remove, &QPushButton::clicked, this, [this] { m_bench.fields.removeCopy(m_copy); });
    connect(&bench.session.document, &Document::sceneChanged, this, &FieldPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, [this] {
        m_asset = 0;
        refresh();
    });
    refresh();
}

const Subject* FieldPanel::field() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && thinningOf(*s) != nullptr ? s : nullptr;
}

void FieldPanel::change(const QString& label, const std::function<void(SwitchRule&)>& how) {
    if (const Subject* s = field()) {
        SwitchRule rule = s->rule;
        how(rule);
        m_bench.switching.setRule(s->id, rule, label);
    }
}

void FieldPanel::thin(const QString& label, const std::function<void(Thinning&)>& how) {
    if (const Subject* s = field()) {
        Thinning thinning = *thinningOf(*s);
        how(thinning);
        m_bench.fields.setThinning(s->id, thinning, label);
    }
}

/// A row an asset: its levels, and its share of the copies. Its switches are what the chart shows.
void FieldPanel::fillAssets(const Subject& subject) {
    const InstancesBody& of = *subject.instances();
    clearLayout(m_assets);
    if (m_counted != of.copies || m_counts.size() != of.assets.size()) {
        m_counted = of.copies;
        m_counts.assign(of.assets.size(), 0);
        for (const Placement& p : *of.copies)
            if (p.asset < m_counts.size())
                ++m_counts[p.asset];
    }
    for (std::size_t i = 0; i < of.assets.size(); ++i) {
        const Subject* asset = m_bench.session.scene().findMesh(of.assets[i]);
        const QString name = asset != nullptr ? QString::fromStdString(asset->name) : tr("gone");
        const auto levels = asset != nullptr ? static_cast<int>(asset->mesh().levels.size()) : 0;
        constexpr int kNameWidth = 104;
        QPushButton* row = makeButton(
            tr("%1   %2 · %3")
                .arg(fontMetrics().elidedText(name, Qt::ElideMiddle, kNameWidth),
                     levels == 1 ? tr("1 level") : tr("%1 levels").arg(levels),
                     shareText(m_counts[i], of.copies->size())),
            tr("%1: show where its levels switch; %2 copies").arg(name, groupedText(static_cast<qint64>(m_counts[i]))));
        row->setCheckable(true);
        row->setChecked(static_cast<int>(i) == m_asset);
        row->setStyleSheet(QStringLiteral("QPushButton { text-align: left; }"));
        connect(row, &QPushButton::clicked, this, [this, index = static_cast<int>(i)] {
            m_asset = index;
            for (int k = 0; k < m_assets->count(); ++k)
                static_cast<QPushButton*>(m_assets->itemAt(k)->widget())->setChecked(k == index);
            emit assetPicked(index);
        });
        m_assets->addWidget(row);
    }
}

void FieldPanel::refresh() {
    const Subject* s = field();
    if (s == nullptr)
        return;
    const Thinning& thinning = *thinningOf(*s);
    const InstancesBody* of = s->instances(); // null: strands
    title->setText(QString::fromStdString(s->name));
    const QString count = groupedText(static_cast<qint64>(copyCount(*s)));
    aside->setText(of != nullptr ? tr("%1 placed").arg(count) : tr("%1 strands").arg(count));
    for (QWidget* part : {m_assetBox, static_cast<QWidget*>(m_instances), m_copyBox})
        part->setVisible(of != nullptr);
    m_decide->setCurrentIndex(static_cast<int>(s->rule.decideBy));
    m_measure->setCurrentIndex(static_cast<int>(s->rule.measureFrom));
    m_allow->show(s->rule.allowPx);
    m_band->show(100 * s->rule.softBand);
    m_fade->show(s->rule.fadeSeconds);
    m_hysteresis->show(100 * s->rule.hysteresis);
    m_reach->show(s->rule.reachMetres);
    m_reachGrows->show(s->rule.reachGrows);
    m_margin->show(s->rule.marginMetres);
    m_cull->show(s->rule.cullBelowPx);
    m_curves->setCurrentIndex(thinning.fullHeight > 0 ? 1 : 0);
    m_growAtMost->show(thinning.growAtMost);
    m_growAtMost->setEnabled(thinning.holdCover);
    m_thinBand->show(100 * thinning.band);
    m_hold->setText(thinning.holdCover ? tr("Grow by hand") : tr("Hold the cover"));
    m_hold->setToolTip(thinning.holdCover ? tr("Draw the curve of growth yourself, from where it is now")
                                          : tr("Copies grow as much as makes up for those that go"));
    if (of != nullptr) {
        m_instances->setChecked(of->engineInstances);
        fillAssets(*s);
    }
}

void FieldPanel::setCopy(std::uint32_t placement) {
    const Subject* s = field(); // strands are no copies that a project names
    m_copy = s != nullptr && s->instances() != nullptr ? placement : 0;
    const Placement* copy = m_copy != 0 ? findCopy(m_bench.session.scene(), m_copy) : nullptr;
    m_copyName->setText(copy != nullptr ? tr("Copy %1").arg(placement) : tr("No copy looked at"));
    m_importance->setEnabled(copy != nullptr);
    m_remove->setEnabled(copy != nullptr);
    m_importance->show(copy != nullptr ? copy->importance : 1);
}

void FieldPanel::showFrame(const SelectInput& input, const Selection& selection,
                           const std::optional<std::array<std::uint64_t, 5>>& saves) {
    const Subject* s = field();
    const auto index = s != nullptr ? indexOf(input, s->id) : std::nullopt;
    if (!index || *index >= selection.subjects.size())
        return;
    const SubjectCost& cost = selection.subjects[*index];
    FactTable facts;
    facts.row(tr("drawn"), groupedText(cost.drawn));
    facts.row(tr("triangles"), groupedText(static_cast<qint64>(cost.triangles)));
    facts.row(tr("draws"), groupedText(static_cast<qint64>(cost.draws)));
    facts.row(tr("switching now"), groupedText(cost.fading));
    facts.row(s->instances() != nullptr ? tr("placements in memory") : tr("lines in memory"),
              QString::fromStdString(memorySize(memoryOf(*s))));
    m_frame->setText(facts.html());
    const QString names[5] = {tr("out of view"), tr("beyond reach"), tr("too small"), tr("hidden"), tr("thinned away")};
    const Culled reasons[5] = {Culled::OutOfView, Culled::BeyondReach, Culled::TooSmall, Culled::Hidden,
                               Culled::Thinned};
    for (std::size_t i = 0; i < 5; ++i)
        m_view[i]->setText(
            tr("%1: %2").arg(names[i], groupedText(cost.culledBy[static_cast<std::size_t>(reasons[i])])) +
            (saves ? tr(" · saves %1").arg(QString::fromStdString(shortCount(static_cast<double>((*saves)[i]))))
                   : QString()));
}

} // namespace thicket::app
