#include "app/strands/strand_levels.h"

#include "app/look/look.h"
#include "app/parts/fact_table.h"
#include "scene/strand_subject.h"
#include "strands/strand_cards.h"

#include <cmath>

namespace thicket::app {

StrandLevels::StrandLevels(Workbench& bench, QWidget* parent) : Panel(tr("Fewer points"), parent), m_bench(bench) {
    m_cards = new QVBoxLayout;
    m_cards->setSpacing(6);
    body->addLayout(m_cards);
    m_deviation = new NumberBox(0.001, 1e6, 3, tr(" mm"));
    m_deviation->setObjectName(QStringLiteral("strandDeviation"));
    m_exact = fieldRow(tr("Off by at most"), m_deviation,
                       tr("A point stays where the line, with half of its width, would be off by more"));
    body->addWidget(m_exact);
    m_perCard = new NumberBox(kLeastPerCard, kMostPerCard, 0, {});
    m_perCard->setObjectName(QStringLiteral("strandsPerCard"));
    m_perCardRow = fieldRow(tr("Strands a card"), m_perCard,
                            tr("One in so many keeps a card with a picture of the tuft round it; the others go"));
    body->addWidget(m_perCardRow);
    body->addSpacing(4);
    body->addWidget(makeLabel(tr("What is left of the cover"), "title"));
    m_cover = makeLabel({});
    m_cover->setTextFormat(Qt::RichText);
    m_cover->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_cover->setObjectName(QStringLiteral("strandCover"));
    m_cover->setToolTip(
        tr("Rendered at these distances and counted: what the strands that are kept there cover of what "
           "all of them do, and how far their mean colours are apart"));
    body->addWidget(m_cover);
    m_add = makeButton(tr("Add a level"), tr("Half as many inner points as the last one"), true);
    m_add->setObjectName(QStringLiteral("addStrandLevel"));
    m_remove = makeButton(tr("Remove"), tr("Remove the chosen level (Delete)"));
    m_makeCards =
        makeButton(tr("Cards"), tr("A last level of cards that turn to the camera, each for a tuft of strands"));
    m_makeCards->setObjectName(QStringLiteral("makeStrandCards"));
    footer->addWidget(m_add, 1);
    footer->addWidget(m_makeCards);
    footer->addWidget(m_remove);
    connect(m_add, &QPushButton::clicked, this, [this] {
        const Subject* s = strands();
        if (s != nullptr && !m_bench.strands.addLevel(s->id))
            m_bench.session.say(tr("The last level is straight lines already: there is none with fewer points."));
    });
    const auto setCards = [this](std::uint32_t perCard) {
        const Subject* s = strands();
        if (s != nullptr && !m_bench.strands.setCards(s->id, perCard))
            m_bench.session.say(tr("%1 strands are too few for cards of %2.")
                                    .arg(groupedText(static_cast<qint64>(s->strands()->strands->size())))
                                    .arg(perCard));
        refresh();
    };
    connect(m_makeCards, &QPushButton::clicked, this, [setCards] { setCards(kUsualPerCard); });
    connect(m_perCard, &NumberBox::chosen, this,
            [setCards](double v) { setCards(static_cast<std::uint32_t>(std::lround(v))); });
    connect(m_remove, &QPushButton::clicked, this,
            [this] { m_bench.strands.removeLevel(m_bench.session.subjectId(), m_bench.session.level()); });
    connect(m_deviation, &NumberBox::chosen, this, [this](double v) {
        m_bench.strands.setDeviation(m_bench.session.subjectId(), m_bench.session.level(), v / 1000);
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &StrandLevels::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &StrandLevels::refresh);
    connect(&bench.strands, &StrandModel::coverChanged, this, &StrandLevels::refreshCover);
    refresh();
}

void StrandLevels::showEvent(QShowEvent* event) {
    Panel::showEvent(event);
    refreshCover(); // measured only while somebody looks at it
}

const Subject* StrandLevels::strands() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->strands() != nullptr && s->strands()->strands ? s : nullptr;
}

void StrandLevels::refresh() {
    const Subject* s = strands();
    const auto wanted = s != nullptr ? static_cast<int>(s->strands()->levels.size()) : 0;
    fitCards(m_cards, wanted, [this](FigureCard* card) {
        connect(card, &FigureCard::picked, &m_bench.session, &Session::selectLevel);
        connect(card, &FigureCard::removeAsked, this,
                [this](int level) { m_bench.strands.removeLevel(m_bench.session.subjectId(), level); });
    });
    if (s == nullptr)
        return;
    aside->setText(QString::fromStdString(s->name));
    const StrandsBody& of = *s->strands();
    const ResolvedChain chain = strandChain(*s, m_bench.session.scene().statedView());
    const int chosen = std::clamp(m_bench.session.level(), 0, wanted - 1);
    for (int i = 0; i < wanted; ++i) {
        const StrandLevel& level = of.levels[static_cast<std::size_t>(i)];
        const double points = static_cast<double>(level.segments) / static_cast<double>(of.strands->size()) + 1;
        const double share =
            100 * static_cast<double>(level.segments) / static_cast<double>(of.levels.front().segments);
        FigureCard::Lines lines;
        lines.name = tr("L%1").arg(i);
        lines.cost = tr("%1 triangles").arg(groupedText(static_cast<qint64>(2 * level.segments)));
        lines.left = level.perCard > 0 ? tr("a card for %1 strands").arg(level.perCard)
                                       : tr("%1 points a strand").arg(figureText(points, 2));
        lines.right = QStringLiteral("%1 %").arg(figureText(share, 3));
        lines.leftBelow = i == 0 ? tr("the source") : tr("off by %1").arg(lengthText(level.deviation));
        const double from = chain.fromMetres[static_cast<std::size_t>(i)];
        lines.rightBelow = i == 0 ? tr("from 0 m") : from > 1e9 ? tr("never") : tr("from %1").arg(distanceText(from));
        cardAt(m_cards, i)->show(lines, i == chosen);
    }
    const StrandLevel& at = of.levels[static_cast<std::size_t>(chosen)];
    m_exact->setVisible(at.perCard == 0);
    m_perCardRow->setVisible(at.perCard > 0);
    m_perCard->show(at.perCard);
    m_makeCards->setEnabled(of.levels.back().perCard == 0);
    m_exact->setEnabled(chosen > 0);
    m_remove->setEnabled(chosen > 0);
    m_deviation->show(1000 * of.levels[static_cast<std::size_t>(chosen)].deviation);
    refreshCover();
}

void StrandLevels::refreshCover() {
    const Subject* s = strands();
    if (s == nullptr || !isVisible())
        return;
    const auto values = m_bench.strands.cover(s->id);
    if (values.empty()) {
        m_cover->setText(tr("being measured …"));
        return;
    }
    const Look& l = Look::now();
    FactTable facts;
    for (const StrandCover& c : values)
        facts.row({{distanceText(c.metres)},
                   {tr("%1 %").arg(figureText(100 * c.share(), 3)), c.share() < 0.9 ? l.caution : l.text},
                   {QStringLiteral("ΔE %1").arg(figureText(c.colour, 2)), l.quiet}});
    m_cover->setText(facts.html());
}

} // namespace thicket::app
