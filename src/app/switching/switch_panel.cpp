#include "app/switching/switch_panel.h"

#include "app/look/look.h"
#include "app/switching/view_box.h"
#include "base/text.h"
#include "scene/chain_notes.h"

namespace thicket::app {

SwitchRow::SwitchRow(Workbench& bench, int level, QWidget* parent) : QWidget(parent), m_bench(bench), m_level(level) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 2, 0, 4);
    layout->setSpacing(1);
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    m_name = makeLabel({});
    m_name->setFixedWidth(78);
    m_value = new NumberBox(0.0001, 1e8, 3, {});
    m_value->setToolTip(tr("Type where this level comes in; it is then fixed by hand"));
    m_value->setAccessibleName(tr("Where level %1 comes in").arg(level));
    m_clear = makeButton(tr("free"), tr("Fixed by hand. Click to let it follow the allowance again"));
    m_clear->setProperty("flat2", true);
    line->addWidget(m_name);
    line->addWidget(m_value, 1);
    line->addWidget(m_clear);
    layout->addLayout(line);
    m_others = new NameLabel;
    m_others->setProperty("small", true);
    m_others->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_others->setContentsMargins(16, 0, 0, 0); // under the level's name
    layout->addWidget(m_others);
    connect(m_value, &NumberBox::chosen, this, [this](double value) {
        const Subject* s = m_bench.session.meshSubject();
        if (s == nullptr)
            return;
        const View& view = m_bench.session.scene().statedView();
        double metres = value;
        if (s->rule.decideBy == DecideBy::ScreenHeight)
            metres = std::max(1e-3, distanceWhere(s->rule, s->radius, value / 100, view));
        if (s->rule.decideBy == DecideBy::ShareOfReach)
            metres = value / 100 * farthest(s->rule, view);
        if (s->rule.decideBy == DecideBy::PixelError)
            metres =
                distanceForPixels(view, s->mesh().levels[static_cast<std::size_t>(m_level)].decisive(s->rule), value);
        m_bench.switching.setSwitchDistance(s->id, m_level, metres);
    });
    connect(m_clear, &QPushButton::clicked, this,
            [this] { m_bench.switching.clearSwitch(m_bench.session.subjectId(), m_level); });
    refresh();
}

void SwitchRow::refresh() {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr || m_level >= static_cast<int>(s->mesh().levels.size()))
        return;
    const View& view = m_bench.session.scene().statedView();
    const auto chain = chainOf(*s, view);
    const auto at = static_cast<std::size_t>(m_level);
    const double from = chain.fromMetres[at];
    const double height = 100 * heightWhere(s->rule, s->radius, from, view);
    const double error = pixelError(view, s->mesh().levels[at].decisive(s->rule), from);
    const QString heightText =
        height > 200 ? tr("fills the screen") : QStringLiteral("%1 % tall").arg(figureText(height, 3));
    m_name->setText(QStringLiteral("<span style='color:%1'>■</span> L%2 → L%3")
                        .arg(Look::level(m_level).name())
                        .arg(m_level - 1)
                        .arg(m_level));
    switch (s->rule.decideBy) {
    case DecideBy::PixelError:
        m_value->setSuffix(tr(" px"));
        m_value->show(error);
        m_others->setText(distanceText(from) + QStringLiteral(" · ") + heightText);
        break;
    case DecideBy::Distance:
        m_value->setSuffix(tr(" m"));
        m_value->show(from);
        m_others->setText(heightText + QStringLiteral(" · ") + pixelText(error) + tr(" off"));
        break;
    case DecideBy::ScreenHeight:
    case DecideBy::ShareOfReach:
        m_value->setSuffix(QStringLiteral(" %"));
        m_value->show(s->rule.decideBy == DecideBy::ScreenHeight ? height : 100 * from / farthest(s->rule, view));
        m_others->setText(distanceText(from) + QStringLiteral(" · ") + pixelText(error) + tr(" off"));
        break;
    }
    const Level& level = s->mesh().levels[at];
    const bool byLooks = !level.fixed && level.counted(s->rule) > level.decisive(s->rule);
    if (byLooks)
        m_others->setText(m_others->text() + tr(" · by looks"));
    m_others->setToolTip(byLooks
                             ? tr("Nearer than this the switch would be seen, though its surface is off by less than "
                                  "is allowed.\nLooks count, below, takes that away")
                             : QString());
    m_clear->setVisible(level.fixed.has_value());
}

SwitchPanel::SwitchPanel(Workbench& bench, QWidget* parent) : Panel(tr("When to switch"), parent), m_bench(bench) {
    m_decide = new ChoiceBox;
    m_decide->addItems({tr("error on screen"), tr("distance"), tr("screen height"), tr("share of the reach")});
    body->addWidget(fieldRow(tr("Decide by"), m_decide,
                             tr("What a switch is fixed in; the other measures follow for the stated view. The reach "
                                "is the far plane where there is none")));
    m_allow = new NumberBox(0.05, 64, 2, tr(" px"));
    body->addWidget(fieldRow(tr("Allow"), m_allow,
                             tr("How many pixels a drawn surface may be off; switches that are free follow it")));
    m_fitted = new QWidget;
    auto* fitted = new QHBoxLayout(m_fitted);
    fitted->setContentsMargins(0, 0, 0, 0);
    m_fittedText = makeLabel({}, "small");
    m_fittedText->setTextInteractionFlags(Qt::TextSelectableByMouse);
    QPushButton* free = makeButton(tr("free"), tr("Fitted to the device's budget. Click to take that back here"));
    free->setProperty("flat2", true);
    free->setObjectName(QStringLiteral("freeHere"));
    fitted->addWidget(m_fittedText, 1);
    fitted->addWidget(free);
    body->addWidget(m_fitted);
    connect(free, &QPushButton::clicked, this, [this] { m_bench.budget.freeFitted(m_bench.session.subjectId()); });
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Switches"), "title"));
    m_none = makeLabel(tr("One level only. Thin makes more."), "small");
    body->addWidget(m_none);
    m_notes = new QVBoxLayout;
    m_notes->setSpacing(4);
    body->addLayout(m_notes);
    m_rows = new QVBoxLayout;
    m_rows->setSpacing(2);
    body->addLayout(m_rows);
    body->addSpacing(4);
    popsPlace = new QVBoxLayout;
    body->addLayout(popsPlace);
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("How it is measured and held steady"), "title"));
    m_measure = new ChoiceBox;
    m_measure->addItems({tr("nearest point"), tr("centre"), tr("depth")});
    body->addWidget(fieldRow(tr("Measure to"), m_measure,
                             tr("Where the distance is taken to; only the nearest point keeps the promise of pixels")));
    m_every = new QCheckBox(tr("Every point counts"));
    m_every->setObjectName(QStringLiteral("everyPoint"));
    m_every->setToolTip(tr(
        "Switches by the largest deviation of any point. Else by what of it can be seen: where a pixel is as large as "
        "that,\nwhat is off by more covers less than an eighth of any pixel, as needles of a scan do"));
    body->addWidget(m_every);
    m_looks = new QCheckBox(tr("Looks count"));
    m_looks->setObjectName(QStringLiteral("looks"));
    m_looks->setToolTip(tr("No switch comes nearer than where it was looked at and goes unseen, however little its "
                           "surface is off:\ncolours, shading and outlines change as well"));
    body->addWidget(m_looks);
    m_target = new ChoiceBox;
    m_target->setObjectName(QStringLiteral("target"));
    body->addWidget(fieldRow(tr("Measure from"), m_target,
                             tr("The camera, or a thing in the scene that levels are decided by in its place, as where "
                                "the player stands. The promise of pixels holds for the camera alone")));
    m_hysteresis = new NumberBox(0, 50, 1, QStringLiteral(" %"));
    body->addWidget(fieldRow(
        tr("Hysteresis"), m_hysteresis,
        tr("How much farther the camera must go before a coarser level shows, so that levels do not flicker")));
    m_dwell = new NumberBox(0, 5, 2, tr(" s"));
    m_dwell->setSpecialValueText(tr("no wait"));
    body->addWidget(
        fieldRow(tr("Dwell"), m_dwell,
                 tr("After a switch it goes no coarser for so long, however the camera jumps. Finer comes at "
                    "once: that is the promise")));
    m_check = new NumberBox(0, 5, 2, tr(" s"));
    m_check->setSpecialValueText(tr("every frame"));
    body->addWidget(
        fieldRow(tr("Check each"), m_check,
                 tr("How often the level is decided. Between two looks the promise of pixels may be late")));
    m_fade = new NumberBox(0, 5, 2, tr(" s"));
    body->addWidget(
        fieldRow(tr("Cross-fade"), m_fade, tr("How long both levels are mixed; both are drawn and counted meanwhile")));
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Culling"), "title"));
    m_cull = new NumberBox(0, 400, 1, tr(" px tall"));
    body->addWidget(fieldRow(tr("Cull below"), m_cull, tr("Nothing is drawn when the subject is less tall than this")));
    m_reach = new NumberBox(0, 1e6, 1, tr(" m"));
    m_reach->setSpecialValueText(tr("no limit"));
    body->addWidget(fieldRow(tr("Reach"), m_reach, tr("Nothing is drawn beyond this distance")));
    const QStringList why{tr("Take away what culls copies outside of the view, to see what it saves"),
                          tr("Take away the reach, to see what it saves"),
                          tr("Take away what culls copies that are too small on screen, to see what it saves"),
                          tr("Take away what culls copies that are hidden behind others, to see what it saves")};
    for (std::size_t i = 0; i < m_culls.size(); ++i) {
        m_culls[i] = new QCheckBox;
        m_culls[i]->setChecked(true);
        m_culls[i]->setObjectName(QStringLiteral("cull%1").arg(i));
        m_culls[i]->setToolTip(why[static_cast<qsizetype>(i)] + tr(". For this view only: the project is not changed"));
        body->addWidget(m_culls[i]);
        connect(m_culls[i], &QCheckBox::toggled, this, [this] {
            SelectOptions options;
            options.cullView = m_culls[0]->isChecked();
            options.cullReach = m_culls[1]->isChecked();
            options.cullSmall = m_culls[2]->isChecked();
            options.cullHidden = m_culls[3]->isChecked();
            emit cullingChosen(options);
        });
    }
    showCulled({}, std::nullopt);
    body->addSpacing(4);
    m_context = new ContextBox(bench);
    body->addWidget(m_context);
    body->addSpacing(4);
    body->addWidget(new ViewBox(bench));
    QPushButton* walk =
        makeButton(tr("Walk back"), tr("Move the camera from near to beyond the last switch and back (Space)"), true);
    footer->addWidget(walk, 1);
    QPushButton* strip = makeButton(tr("Strip…"), tr("Take the walk back as pictures: one strip, or a file each"));
    strip->setObjectName(QStringLiteral("strip"));
    footer->addWidget(strip);
    connect(strip, &QPushButton::clicked, this, &SwitchPanel::stripRequested);
    connect(walk, &QPushButton::clicked, this, &SwitchPanel::walkRequested);
    connect(m_decide, &QComboBox::activated, this,
            [this](int i) { m_bench.switching.setDecideBy(m_bench.session.subjectId(), static_cast<DecideBy>(i)); });
    connect(m_measure, &QComboBox::activated, this, [this](int i) {
        change(tr("Measure otherwise"), [i](SwitchRule& r) { r.measureFrom = static_cast<MeasureFrom>(i); });
    });
    connect(m_allow, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the allowance"), [v](SwitchRule& r) { r.allowPx = v; }); });
    connect(m_every, &QCheckBox::clicked, this, [this](bool on) {
        change(on ? tr("Let every point count") : tr("Go by what is seen"), [on](SwitchRule& r) { r.everyPoint = on; });
    });
    connect(m_looks, &QCheckBox::clicked, this, [this](bool on) {
        change(on ? tr("Go by looks too") : tr("Go by surfaces alone"), [on](SwitchRule& r) { r.looks = on; });
    });
    connect(m_hysteresis, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the hysteresis"), [v](SwitchRule& r) { r.hysteresis = v / 100; }); });
    connect(m_dwell, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the dwell"), [v](SwitchRule& r) { r.dwellSeconds = v; }); });
    connect(m_check, &NumberBox::chosen, this, [this](double v) {
        change(tr("Change how often is checked"), [v](SwitchRule& r) { r.checkSeconds = v; });
    });
    connect(m_fade, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the cross-fade"), [v](SwitchRule& r) { r.fadeSeconds = v; }); });
    connect(m_cull, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the smallest size"), [v](SwitchRule& r) { r.cullBelowPx = v; }); });
    connect(m_reach, &NumberBox::chosen, this,
            [this](double v) { change(tr("Change the reach"), [v](SwitchRule& r) { r.reachMetres = v; }); });
    connect(m_target, &QComboBox::activated, this, [this](int i) {
        change(tr("Measure from elsewhere"), [this, i](SwitchRule& r) { r.target = m_target->itemData(i).toUInt(); });
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &SwitchPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &SwitchPanel::refresh);
    refresh();
}

void SwitchPanel::change(const QString& label, const std::function<void(SwitchRule&)>& how) {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr)
        return;
    SwitchRule rule = s->rule;
    how(rule);
    m_bench.switching.setRule(s->id, rule, label);
}

void SwitchPanel::setCopy(std::uint32_t placement) {
    m_context->setCopy(placement);
}

void SwitchPanel::showCulled(const Selection& selection, const std::optional<std::array<std::uint64_t, 5>>& saves) {
    const QString names[4] = {tr("out of view"), tr("beyond reach"), tr("too small"), tr("hidden")};
    const Culled reasons[4] = {Culled::OutOfView, Culled::BeyondReach, Culled::TooSmall, Culled::Hidden};
    for (std::size_t i = 0; i < m_culls.size(); ++i)
        m_culls[i]->setText(
            tr("%1: %2").arg(names[i], groupedText(selection.total.culledBy[static_cast<std::size_t>(reasons[i])])) +
            (saves ? tr(" · saves %1").arg(QString::fromStdString(shortCount(static_cast<double>((*saves)[i]))))
                   : QString()));
}

/// What is wrong with the chain, each with a button that mends it.
void SwitchPanel::refreshNotes() {
    clearLayout(m_notes);
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr)
        return;
    for (const ChainNote& note : chainNotes(*s, m_bench.session.scene().statedView())) {
        auto* row = new QWidget;
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(6);
        QLabel* text = makeLabel(QString::fromStdString(note.text), "caution");
        text->setWordWrap(true);
        text->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Minimum);
        QPushButton* mend = makeButton(tr("Mend"), tr("Mend it: %1").arg(QString::fromStdString(note.mend)));
        mend->setObjectName(QStringLiteral("mendChain"));
        line->addWidget(text, 1);
        line->addWidget(mend);
        connect(mend, &QPushButton::clicked, this, [this, mended = note.mended] {
            m_bench.session.document.push(
                changeSubject(m_bench.session.scene(), mended, "Mend the switches of " + mended.name));
        });
        m_notes->addWidget(row);
    }
}

/// The camera, and the first copy of each subject that has been placed.
void SwitchPanel::fillTargets(const Subject& subject) {
    const Scene& scene = m_bench.session.scene();
    m_target->clear();
    m_target->addItem(tr("the camera"), 0U);
    for (const Subject& other : scene.subjects)
        if (other.isMesh() && other.mesh().placed)
            for (const Placement& p : *other.mesh().placed)
                if (p.id == subject.rule.target || other.id != subject.id) {
                    m_target->addItem(QString::fromStdString(other.name), p.id);
                    break;
                }
    m_target->setCurrentIndex(std::max(0, m_target->findData(subject.rule.target)));
}

void SwitchPanel::refresh() {
    refreshNotes();
    const Subject* s = m_bench.session.meshSubject();
    const int wanted = s != nullptr ? static_cast<int>(s->mesh().levels.size()) - 1 : 0;
    while (m_rows->count() > wanted)
        delete m_rows->takeAt(m_rows->count() - 1)->widget();
    while (m_rows->count() < wanted)
        m_rows->addWidget(new SwitchRow(m_bench, m_rows->count() + 1));
    for (int i = 0; i < m_rows->count(); ++i)
        static_cast<SwitchRow*>(m_rows->itemAt(i)->widget())->refresh();
    m_none->setVisible(wanted < 1);
    for (QWidget* w : std::initializer_list<QWidget*>{m_decide, m_measure, m_target, m_allow, m_hysteresis, m_dwell,
                                                      m_check, m_fade, m_cull, m_reach, m_every, m_looks})
        w->setEnabled(s != nullptr);
    aside->setText(s != nullptr ? QString::fromStdString(s->name) : QString());
    if (s == nullptr)
        return;
    m_decide->setCurrentIndex(static_cast<int>(s->rule.decideBy));
    m_measure->setCurrentIndex(static_cast<int>(s->rule.measureFrom));
    fillTargets(*s);
    m_allow->show(s->rule.allowPx);
    const double looser = m_bench.session.scene().statedView().looser(s->id);
    m_fitted->setVisible(looser != 1);
    m_fittedText->setText(
        tr("× %1 on this device: %2 allowed").arg(figureText(looser, 3), pixelText(looser * s->rule.allowPx)));
    m_every->setChecked(s->rule.everyPoint);
    m_looks->setChecked(s->rule.looks);
    m_hysteresis->show(100 * s->rule.hysteresis);
    m_dwell->show(s->rule.dwellSeconds);
    m_check->show(s->rule.checkSeconds);
    m_fade->show(s->rule.fadeSeconds);
    m_cull->show(s->rule.cullBelowPx);
    m_reach->show(s->rule.reachMetres);
}

} // namespace thicket::app
