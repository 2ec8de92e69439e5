#include "app/emitters/emitter_levels.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "base/text.h"
#include "io/ship/ship_emitter.h"
#include "scene/emitter_subject.h"
#include "scene/select_input.h"
#include "switching/explain.h"

#include <algorithm>

namespace thicket::app {
namespace {
constexpr int kCardPicture = 48; // pixels a side
}

EmitterLevels::EmitterLevels(Workbench& bench, QWidget* parent) : Panel(tr("Levels"), parent), m_bench(bench) {
    m_cards = new QVBoxLayout;
    m_cards->setSpacing(6);
    body->addLayout(m_cards);
    body->addSpacing(6);
    auto* head = new QHBoxLayout;
    m_exactTitle = makeLabel({}, "title");
    m_exactAside = makeLabel({}, "small");
    m_exactAside->setObjectName(QStringLiteral("emitterOwn"));
    head->addWidget(m_exactTitle, 1);
    head->addWidget(m_exactAside);
    body->addLayout(head);
    m_part = new ChoiceBox;
    m_part->setObjectName(QStringLiteral("emitterPart"));
    body->addWidget(fieldRow(tr("Part"), m_part, tr("Whose values these are")));
    const auto row = [this](PartValue value, const QString& name, const QString& tip, bool two, double high,
                            int decimals, const QString& suffix) {
        Value own;
        own.value = value;
        auto* box = new QWidget;
        auto* line = new QHBoxLayout(box);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(4);
        const auto shrink = [](QWidget* w) {
            w->setMinimumWidth(0);
            w->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
        };
        const auto send = [this, at = m_values.size()] {
            const Value& v = m_values[at];
            const Between to = v.on != nullptr ? Between{v.on->isChecked() ? 1.0 : 0.0, v.on->isChecked() ? 1.0 : 0.0}
                               : v.high != nullptr ? Between{v.low->value(), v.high->value()}
                                                   : Between{v.low->value(), v.low->value()};
            m_bench.emitters.setNumber(m_bench.session.subjectId(), level(), m_part->currentIndex(), v.value, to);
            refreshValues(); // what was refused goes back to what it was
        };
        if (value == PartValue::On) {
            own.on = new QCheckBox(tr("on"));
            line->addWidget(own.on, 1);
            connect(own.on, &QCheckBox::clicked, this, send);
        } else {
            own.low = new NumberBox(0, high, decimals, two ? QString() : suffix);
            shrink(own.low);
            line->addWidget(own.low, 1);
            connect(own.low, &NumberBox::chosen, this, send);
            if (two) {
                own.high = new NumberBox(0, high, decimals, suffix);
                shrink(own.high);
                line->addWidget(own.high, 1);
                connect(own.high, &NumberBox::chosen, this, send);
            }
        }
        own.back = makeButton({}, {});
        own.back->setProperty("flat2", true);
        own.back->setFixedWidth(62);
        own.back->setObjectName(QStringLiteral("own-%1").arg(QString::fromLatin1(keyOf(value))));
        line->addWidget(own.back);
        connect(own.back, &QPushButton::clicked, this, [this, value] {
            m_bench.emitters.clear(m_bench.session.subjectId(), level(), m_part->currentIndex(), value);
        });
        QWidget* whole = fieldRow(name, box, tip);
        body->addWidget(whole);
        m_values.push_back(own);
    };
    row(PartValue::On, tr("Gives off"), tr("Whole parts can be off far away"), false, 1, 0, {});
    row(PartValue::Rate, tr("Rate"), tr("Particles a second"), false, 1e12, 2, tr(" a s"));
    row(PartValue::Lifetime, tr("Lifetime, s"), tr("Of a particle, seconds, between these"), true, 1e6, 2, {});
    row(PartValue::Size, tr("Size, m"), tr("Across, at the middle of its life, metres, between these"), true, 1e6, 3,
        {});
    row(PartValue::Speed, tr("Speed, m/s"), tr("When it is given off, between these"), true, 1e6, 2, {});
    m_share = new NumberBox(1, 100, 0, tr(" % of the rate"));
    m_share->show(40);
    body->addSpacing(4);
    body->addWidget(
        fieldRow(tr("A new level"), m_share, tr("What the next level gives off of what the last one does")));
    m_add = makeButton(tr("Add a level"), tr("After the last, by that share of its rates"), true);
    m_add->setObjectName(QStringLiteral("addEmitterLevel"));
    m_remove = makeButton(tr("Remove"), tr("Remove the chosen level (Delete)"));
    footer->addWidget(m_add, 1);
    footer->addWidget(m_remove);
    connect(m_add, &QPushButton::clicked, this, [this] {
        if (const Subject* s = emitter(); s != nullptr && m_bench.emitters.addLevel(s->id, m_share->value() / 100))
            m_bench.session.selectLevel(static_cast<int>(emitter()->emitter()->emitter.levels.size()) - 1);
    });
    connect(m_remove, &QPushButton::clicked, this,
            [this] { m_bench.emitters.removeLevel(m_bench.session.subjectId(), level()); });
    connect(m_part, &QComboBox::activated, this, &EmitterLevels::refreshValues);
    connect(&bench.session.document, &Document::sceneChanged, this, &EmitterLevels::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &EmitterLevels::refresh);
    refresh();
}

const Subject* EmitterLevels::emitter() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->emitter() != nullptr ? s : nullptr;
}

int EmitterLevels::level() const {
    const Subject* s = emitter();
    return s == nullptr
               ? 0
               : std::clamp(m_bench.session.level(), 0, static_cast<int>(s->emitter()->emitter.levels.size()) - 1);
}

void EmitterLevels::refresh() {
    const Subject* s = emitter();
    if (s == nullptr)
        return;
    aside->setText(QString::fromStdString(s->name));
    const Emitter& own = s->emitter()->emitter;
    const int part = std::clamp(m_part->currentIndex(), 0, static_cast<int>(own.parts.size()) - 1);
    m_part->clear();
    for (const EmitterPart& p : own.parts)
        m_part->addItem(QString::fromStdString(p.name));
    m_part->setCurrentIndex(part);
    refreshCards();
    refreshValues();
}

void EmitterLevels::refreshCards() {
    const Emitter& own = emitter()->emitter()->emitter;
    const auto wanted = static_cast<int>(own.levels.size());
    fitCards(m_cards, wanted, [this](FigureCard* card) {
        connect(card, &FigureCard::picked, &m_bench.session, &Session::selectLevel);
        connect(card, &FigureCard::removeAsked, this,
                [this](int at) { m_bench.emitters.removeLevel(m_bench.session.subjectId(), at); });
    });
    const View view = m_bench.session.scene().statedView();
    const ResolvedChain chain = emitterChain(*emitter(), view);
    const double first = std::max(forecastOf(own.parts).live, 1e-9);
    askPictures(own);
    for (int i = 0; i < wanted; ++i) {
        const auto at = static_cast<std::size_t>(i);
        const EmitterForecast forecast = forecastOf(partsAt(own, at));
        QStringList differs;
        for (const auto& value : kPartValues)
            if (std::any_of(own.levels[at].parts.begin(), own.levels[at].parts.end(),
                            [&](const PartOverride& p) { return p.says(value.value); }))
                differs << QString::fromLatin1(value.value == PartValue::On ? "parts" : value.key);
        FigureCard::Lines lines;
        lines.name = i == 0 ? tr("L0") : tr("L%1  %2 own").arg(i).arg(ownValues(own.levels[at]));
        lines.cost = tr("%1 live").arg(figureText(forecast.live, 3));
        lines.left = i == 0              ? tr("the source")
                     : differs.isEmpty() ? tr("nothing differs")
                                         : differs.join(QStringLiteral(", "));
        lines.right = QStringLiteral("%1 %").arg(figureText(100 * forecast.live / first, 3));
        const double from = chain.fromMetres[at];
        lines.leftBelow = tr("%1 × screen").arg(figureText(forecast.overdraw(std::max(from, 10.0), view), 2));
        lines.rightBelow = from > 1e9 ? tr("never") : i == 0 ? tr("from 0 m") : tr("from %1").arg(distanceText(from));
        if (i < static_cast<int>(m_pictures.size()))
            lines.picture = m_pictures[at];
        cardAt(m_cards, i)->show(lines, i == level());
    }
    m_remove->setEnabled(level() > 0);
    m_add->setEnabled(own.levels.size() < Emitter::kMostLevels);
}

/// Pictures follow from what is given off alone; a switch that is dragged changes none.
void EmitterLevels::askPictures(const Emitter& own) {
    Emitter of = own;
    for (EmitterLevel& level : of.levels)
        level.from = {};
    if (of == m_pictured)
        return;
    m_pictured = of;
    m_bench.session.looks().run(
        tr("Drawing levels"),
        [this, of](const JobContext& job) -> JobQueue::Finish {
            std::vector<QImage> pictures;
            for (std::size_t l = 0; l < of.levels.size() && !job.cancelled(); ++l) {
                const Pixels pixels = emitterPicture(of, l, kCardPicture);
                pictures.push_back(
                    QImage(pixels.rgba.data(), pixels.width, pixels.height, QImage::Format_RGBA8888).copy());
            }
            return [this, of, pictures] {
                if (of != m_pictured)
                    return;
                m_pictures = pictures;
                if (emitter() != nullptr)
                    refreshCards();
            };
        },
        QStringLiteral("emitter-pictures"), true);
}

void EmitterLevels::refreshValues() {
    const Subject* s = emitter();
    if (s == nullptr || m_part->currentIndex() < 0)
        return;
    const Emitter& own = s->emitter()->emitter;
    const int at = level();
    const int part = m_part->currentIndex();
    int owned = 0;
    for (const Value& v : m_values) {
        const Between value = EmitterModel::valueAt(own, at, part, v.value);
        if (v.on != nullptr)
            v.on->setChecked(value.low > 0.5);
        if (v.low != nullptr)
            v.low->show(value.low);
        if (v.high != nullptr)
            v.high->show(value.high);
        const std::size_t by = saidBy(own, static_cast<std::size_t>(at), static_cast<std::size_t>(part), v.value);
        const bool mine = at > 0 && by == static_cast<std::size_t>(at);
        owned += mine ? 1 : 0;
        v.back->setText(at == 0 ? QString() : mine ? tr("● own") : tr("from L%1").arg(by));
        v.back->setEnabled(mine);
        v.back->setToolTip(mine ? tr("Back to inherited")
                                : tr("This level says nothing of it: it has it from L%1").arg(by));
    }
    m_exactTitle->setText(tr("L%1 exactly").arg(at));
    m_exactAside->setText(at == 0
                              ? tr("what all others begin from")
                              : tr("%1 own · %2 inherited").arg(owned).arg(static_cast<int>(m_values.size()) - owned));
}

EmitterSwitches::EmitterSwitches(Workbench& bench, QWidget* parent)
    : Panel(tr("Which level shows"), parent), m_bench(bench) {
    m_by = new Segmented({tr("distance"), tr("device")},
                         {tr("Where the camera stands sets the level"), tr("The chosen device sets it")});
    body->addWidget(fieldRow(tr("Level set by"), m_by, tr("What says which level shows")));
    m_forced = new ChoiceBox;
    m_forced->setObjectName(QStringLiteral("forcedLevel"));
    body->addWidget(fieldRow(tr("Forced"), m_forced, tr("This level, whatever the distance and the device")));
    m_tier = new NumberBox(0, 7, 0, {});
    m_tier->setPrefix(tr("L"));
    m_tierRow = fieldRow(tr("On this device"), m_tier, tr("The level that the chosen device shows"));
    body->addWidget(m_tierRow);
    m_check = new NumberBox(0, 5, 2, tr(" s"));
    m_check->setSpecialValueText(tr("every frame"));
    m_check->setObjectName(QStringLiteral("emitterCheck"));
    body->addWidget(fieldRow(tr("Check each"), m_check, tr("How often the distance is looked at")));
    m_hysteresis = new NumberBox(0, 50, 1, tr(" %"));
    body->addWidget(fieldRow(tr("Hysteresis"), m_hysteresis,
                             tr("How much farther the camera must go before a coarser level shows")));
    m_liveOut = new NumberBox(0, 60, 1, tr(" s"));
    m_liveOut->setSpecialValueText(tr("cut off"));
    body->addWidget(fieldRow(tr("Lives out"), m_liveOut,
                             tr("How long what a level has given off goes on after it ended; nothing pops when that is "
                                "as long as a life")));
    m_reach = new NumberBox(0, 1e6, 1, tr(" m"));
    m_reach->setSpecialValueText(tr("no limit"));
    body->addWidget(fieldRow(tr("Reach"), m_reach, tr("Nothing of it is drawn beyond this distance")));
    m_unit = new Segmented({tr("metres"), tr("shares")},
                           {tr("Each level comes in at a distance"),
                            tr("Each level comes in at a share of the reach, and goes with it when that changes")});
    m_unit->setObjectName(QStringLiteral("emitterUnit"));
    body->addWidget(fieldRow(tr("Switches in"), m_unit, tr("What the places of the switches are kept in")));
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("Now in frame"), "title"));
    m_frame = makeLabel({});
    m_frame->setTextFormat(Qt::RichText);
    m_frame->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_frame->setObjectName(QStringLiteral("emitterFrame"));
    body->addWidget(m_frame);
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("What an eye sees of each switch"), "title"));
    m_pops = makeLabel({});
    m_pops->setTextFormat(Qt::RichText);
    m_pops->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_pops->setObjectName(QStringLiteral("emitterPops"));
    m_pops->setToolTip(tr("Both levels as large as on screen there, averaged over time: what each covers, and how far "
                          "their colours are apart (CIELAB). Up to 2 nobody takes notice"));
    body->addWidget(m_pops);
    connect(m_by, &Segmented::picked, this, [this](int i) {
        m_bench.emitters.setLevelBy(m_bench.session.subjectId(), i == 1 ? LevelBy::Tier : LevelBy::Distance);
    });
    connect(m_unit, &Segmented::picked, this, [this](int i) {
        m_bench.switching.setDecideBy(m_bench.session.subjectId(),
                                      i == 1 ? DecideBy::ShareOfReach : DecideBy::Distance);
    });
    connect(m_forced, &QComboBox::activated, this, [this](int i) {
        m_bench.emitters.setForced(m_bench.session.subjectId(),
                                   i == 0 ? std::nullopt : std::optional(static_cast<std::uint32_t>(i - 1)));
    });
    connect(m_tier, &NumberBox::chosen, this,
            [this](double v) { m_bench.emitters.setDeviceTier(static_cast<int>(v)); });
    const auto rule = [this](NumberBox* box, const QString& label, double SwitchRule::*member, double unit) {
        connect(box, &NumberBox::chosen, this, [this, label, member, unit](double v) {
            change(label, [member, unit, v](SwitchRule& r) { r.*member = v / unit; });
        });
    };
    rule(m_check, tr("Check at another interval"), &SwitchRule::checkSeconds, 1);
    rule(m_hysteresis, tr("Change the hysteresis"), &SwitchRule::hysteresis, 100);
    rule(m_liveOut, tr("Change how long it lives out"), &SwitchRule::fadeSeconds, 1);
    rule(m_reach, tr("Change the reach"), &SwitchRule::reachMetres, 1);
    connect(&bench.session.document, &Document::sceneChanged, this, &EmitterSwitches::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &EmitterSwitches::refresh);
    refresh();
}

const Subject* EmitterSwitches::emitter() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->emitter() != nullptr ? s : nullptr;
}

void EmitterSwitches::change(const QString& label, const std::function<void(SwitchRule&)>& how) {
    if (const Subject* s = emitter()) {
        SwitchRule rule = s->rule;
        how(rule);
        m_bench.switching.setRule(s->id, rule, label);
    }
}

void EmitterSwitches::refresh() {
    const Subject* s = emitter();
    if (s == nullptr)
        return;
    const Emitter& own = s->emitter()->emitter;
    aside->setText(QString::fromStdString(s->name));
    m_by->setCurrent(own.levelBy == LevelBy::Tier ? 1 : 0);
    m_forced->clear();
    m_forced->addItem(tr("none"));
    for (std::size_t l = 0; l < own.levels.size(); ++l)
        m_forced->addItem(tr("L%1").arg(l));
    m_forced->setCurrentIndex(own.forced ? static_cast<int>(*own.forced) + 1 : 0);
    const Device* device = m_bench.session.scene().currentDevice();
    m_tierRow->setVisible(own.levelBy == LevelBy::Tier && device != nullptr);
    m_tier->show(device != nullptr ? device->tier : 0);
    m_check->show(s->rule.checkSeconds);
    m_hysteresis->show(100 * s->rule.hysteresis);
    m_liveOut->show(s->rule.fadeSeconds);
    m_reach->show(s->rule.reachMetres);
    m_unit->setCurrent(s->rule.decideBy == DecideBy::ShareOfReach ? 1 : 0);
    m_unit->setEnabled(s->rule.reachMetres > 0); // of what has no end there are no shares
    askPops(*s);
}

void EmitterSwitches::showEvent(QShowEvent* event) {
    Panel::showEvent(event);
    if (const Subject* s = emitter())
        askPops(*s);
}

/// Looked at only while somebody sees what comes of it.
void EmitterSwitches::askPops(const Subject& subject) {
    const Emitter& own = subject.emitter()->emitter;
    const View view = m_bench.session.scene().statedView();
    const ResolvedChain chain = emitterChain(subject, view);
    if (!isVisible())
        return;
    if (own == m_scored && chain.fromMetres == m_scoredFrom)
        return;
    m_scored = own;
    m_scoredFrom = chain.fromMetres;
    m_bench.session.looks().run(
        tr("Looking at switches"),
        [this, emitter = own, from = chain.fromMetres, view](const JobContext& job) -> JobQueue::Finish {
            auto pops = emitterPops(emitter, from, view, job);
            return [this, emitter, pops = std::move(pops)] {
                if (pops && emitter == m_scored)
                    showPops(*pops);
            };
        },
        QStringLiteral("emitter-pops"), true);
}

void EmitterSwitches::showPops(const std::vector<EmitterPop>& pops) {
    const Look& l = Look::now();
    FactTable facts;
    for (const EmitterPop& pop : pops) {
        const double change = pop.coverBefore > 0 ? 100 * (pop.coverAfter / pop.coverBefore - 1) : 0;
        facts.row(
            {{tr("L%1 to L%2").arg(pop.level - 1).arg(pop.level)},
             {tr("cover %1 %")
                  .arg(QStringLiteral("%1%2").arg(change >= 0 ? "+" : "−").arg(std::abs(change), 0, 'f', 0)),
              l.quiet},
             {QStringLiteral("ΔE %1 · %2").arg(figureText(pop.deltaE, 2), pop.unseen() ? tr("unseen") : tr("seen")),
              pop.unseen() ? l.good : l.caution}});
    }
    m_pops->setText(facts.empty() ? tr("it has one level") : facts.html());
}

void EmitterSwitches::showFrame(const SelectInput& input, const Selection& selection) {
    const Subject* s = emitter();
    const auto index = s != nullptr ? indexOf(input, s->id) : std::nullopt;
    if (!index || *index >= selection.subjects.size())
        return;
    const SubjectCost& cost = selection.subjects[*index];
    const View& view = m_bench.session.scene().settings.view;
    FactTable facts;
    facts.row(tr("emitters drawn"), groupedText(cost.drawn));
    facts.row(tr("live particles"), groupedText(static_cast<qint64>(cost.triangles / 2)));
    facts.row(tr("overdraw"),
              tr("%1 × the screen")
                  .arg(figureText(cost.pixels / (static_cast<double>(view.lines) * view.lines * view.aspect), 2)));
    facts.row(tr("draws"), groupedText(static_cast<qint64>(cost.draws)));
    facts.row(tr("living out"), groupedText(cost.fading));
    for (const Culled reason : {Culled::OutOfView, Culled::BeyondReach, Culled::TooSmall, Culled::Hidden})
        facts.row(QString::fromStdString(culledName(reason)),
                  groupedText(cost.culledBy[static_cast<std::size_t>(reason)]));
    m_frame->setText(facts.html());
}

} // namespace thicket::app
