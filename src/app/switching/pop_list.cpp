#include "app/switching/pop_list.h"

#include "app/look/look.h"
#include "base/text.h"

#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <cmath>

namespace thicket::app {
namespace {

constexpr int kShown = 6; // rows; what follows is less and less seen

QImage imageOf(const Pixels& p) {
    return QImage(p.rgba.data(), p.width, p.height, 4 * p.width, QImage::Format_RGBA8888).copy();
}

QString percent(double share) {
    return QStringLiteral("%1 %").arg(100 * share, 0, 'g', 100 * share < 9.95 ? 2 : 3);
}

} // namespace

PopRow::PopRow(PopsModel::Pop pop, const QString& name, double allowPx, bool chosen, QWidget* parent)
    : QWidget(parent), m_pop(std::move(pop)), m_name(name), m_allowPx(allowPx), m_chosen(chosen) {
    setFixedHeight(38);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setAccessibleName(tr("Switch of %1 to level %2").arg(name).arg(m_pop.place.level));
    if (m_pop.score->field)
        setToolTip(
            tr("Click to stand where it happens.\nA line across the ground is %1 (CIELAB) with its soft band, %2 if "
               "all copies switched at one distance.\nOne copy by itself: the outline moves by %3, %4 of its "
               "pixels change.\nUnseen: a line up to %5, an outline up to %6, and 1 % of the pixels.")
                .arg(m_pop.score->line, 0, 'f', 1)
                .arg(m_pop.score->suddenLine, 0, 'f', 1)
                .arg(pixelText(m_pop.score->outlineShift), percent(m_pop.score->changedPixels))
                .arg(PopScore::kLineDeltaE)
                .arg(pixelText(allowPx)));
    else if (m_pop.score->cloud)
        setToolTip(tr("Click to stand where it happens.\nIts mean colours are %1 apart (CIELAB), it covers %2 more or "
                      "less.\nUnseen: up to %3 of what drifts anyway.")
                       .arg(m_pop.score->meanDeltaE, 0, 'f', 1)
                       .arg(percent(m_pop.score->changedPixels))
                       .arg(PopScore::kCloudDeltaE));
    else
        setToolTip(tr("Click to stand where it happens and see both levels in turn.\nThe outline moves by %1, %2 of "
                      "its pixels "
                      "change, the colours are %3 apart in the mean (CIELAB).\nUnseen: no more than %4, and 1 % of the "
                      "pixels.")
                       .arg(pixelText(m_pop.score->outlineShift), percent(m_pop.score->changedPixels))
                       .arg(m_pop.score->meanDeltaE, 0, 'f', 1)
                       .arg(pixelText(allowPx)));
}

void PopRow::paintEvent(QPaintEvent*) {
    const Look& l = Look::now();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? QPen(l.accent, 1.2) : QPen(Qt::NoPen));
    p.setBrush(m_chosen ? l.raised : l.ground);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -1.5), 4, 4);
    const bool unseen = m_pop.score->unseen(m_allowPx);
    const QColor color = unseen ? l.good : m_pop.severity > 5 ? l.over : l.caution;
    p.setPen(Qt::NoPen);
    p.setBrush(color);
    p.drawEllipse(QPointF(11, height() / 2.0 - 0.5), 3.5, 3.5);
    const QRectF text = QRectF(rect()).adjusted(22, 3, -8, -4);
    const QString amount =
        unseen ? tr("unseen")
        : m_pop.score->cloud
            ? tr("ΔE %1 · cover %2").arg(m_pop.score->meanDeltaE, 0, 'f', 1).arg(percent(m_pop.score->changedPixels))
            : QStringLiteral("%1 · %2").arg(pixelText(m_pop.score->outlineShift), percent(m_pop.score->changedPixels));
    p.setFont(Look::font(11, 600));
    p.setPen(unseen ? l.good : l.text);
    p.drawText(text, Qt::AlignRight | Qt::AlignTop, amount);
    const int room = static_cast<int>(text.width()) - p.fontMetrics().horizontalAdvance(amount) - 8;
    p.setPen(l.text);
    p.drawText(text, Qt::AlignLeft | Qt::AlignTop, p.fontMetrics().elidedText(m_name, Qt::ElideRight, room));
    p.setFont(Look::font(10.5));
    p.setPen(l.quiet);
    p.drawText(
        text, Qt::AlignLeft | Qt::AlignBottom,
        tr("L%1 → L%2 at %3").arg(m_pop.place.finer).arg(m_pop.place.level).arg(distanceText(m_pop.place.key.metres)));
    // Of a field the line across the ground is a thing of its own, and the first that is looked for.
    const QString tall = tr("%1 px tall").arg(std::round(m_pop.score->pixelsTall));
    const bool line = m_pop.score->field && m_pop.score->line > PopScore::kLineDeltaE;
    p.drawText(text, Qt::AlignRight | Qt::AlignBottom,
               !m_pop.score->field ? tall
               : line              ? tr("a line, ΔE %1 · %2").arg(m_pop.score->line, 0, 'f', 1).arg(tall)
                                   : tr("no line · %1").arg(tall));
}

void PopRow::mousePressEvent(QMouseEvent*) {
    emit picked();
}

void PopRow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Select)
        emit picked();
    else
        QWidget::keyPressEvent(event);
}

void PopPictures::show(std::shared_ptr<const PopScore> score) {
    m_score = std::move(score);
    setVisible(m_score != nullptr);
    if (!m_score)
        return;
    m_pictures[0] = imageOf(m_score->before);
    m_pictures[1] = imageOf(m_score->after);
    m_pictures[2] = imageOf(m_score->difference);
    setFixedHeight(96);
    update();
}

void PopPictures::paintEvent(QPaintEvent*) {
    if (!m_score)
        return;
    const Look& l = Look::now();
    QPainter p(this);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    const QString names[3] = {m_score->field ? tr("one by one") : tr("before"),
                              m_score->field ? tr("all at once") : tr("after"), tr("difference")};
    const double side = std::min((width() - 8.0) / 3, height() - 18.0);
    for (int i = 0; i < 3; ++i) {
        const QRectF place(i * (side + 4), 0, side, side);
        p.fillRect(place, i == 2 ? QColor(0, 0, 0) : l.viewBottom);
        // As large as on screen, when that fits.
        const QSizeF whole = QSizeF(m_pictures[i].size()) / (m_score->scale * devicePixelRatioF());
        const QSizeF own =
            whole.scaled(std::min(side, whole.width()), std::min(side, whole.height()), Qt::KeepAspectRatio);
        p.drawImage(QRectF(place.center() - QPointF(own.width() / 2, own.height() / 2), own), m_pictures[i]);
        p.setFont(Look::font(10.5));
        p.setPen(l.quiet);
        p.drawText(QRectF(place.left(), side + 2, side, 14), Qt::AlignCenter, names[i]);
    }
}

PopList::PopList(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    auto* head = new QHBoxLayout;
    head->addWidget(makeLabel(tr("Pops"), "title"), 1);
    m_state = makeLabel({}, "small");
    head->addWidget(m_state);
    column->addLayout(head);
    m_legend = makeLabel(tr("outline moves · pixels that change"), "small");
    m_legend->setAlignment(Qt::AlignRight);
    m_legend->setContentsMargins(0, 0, 8, 0);
    column->addWidget(m_legend);
    m_rows = new QVBoxLayout;
    m_rows->setSpacing(2);
    column->addLayout(m_rows);
    m_pictures = new PopPictures;
    m_pictures->hide();
    m_pictures->setToolTip(
        tr("From the side where most changes, under one light. White in the difference: colours that are far apart"));
    column->addWidget(m_pictures);
    m_smooth = makeButton(tr("Smooth it"), tr("Ways to make the chosen switch less seen, and what each costs"));
    m_smooth->setObjectName(QStringLiteral("smooth"));
    m_smooth->setMenu(new QMenu(this));
    m_smooth->hide();
    column->addWidget(m_smooth);
    m_smoothAll = makeButton(tr("Smooth all"), tr("Move every switch that is seen just as far away as nobody sees it. "
                                                  "Costs triangles until there; one step to undo"));
    m_smoothAll->setObjectName(QStringLiteral("smoothAll"));
    m_smoothAll->hide();
    column->addWidget(m_smoothAll);
    connect(m_smoothAll, &QPushButton::clicked, this, [this] {
        std::vector<std::uint32_t> ids;
        for (const PopsModel::Pop& pop : m_bench.pops.pops())
            if (pop.severity > 1 && std::find(ids.begin(), ids.end(), pop.place.subject) == ids.end())
                ids.push_back(pop.place.subject);
        m_bench.pops.smoothUnseen(ids, std::nullopt);
    });
    connect(m_smooth->menu(), &QMenu::aboutToShow, this, &PopList::fillWays);
    connect(&bench.pops, &PopsModel::popsChanged, this, &PopList::refresh);
    connect(&bench.session.document, &Document::sceneChanged, this, &PopList::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &PopList::refresh);
}

void PopList::refresh() {
    const std::vector<PopsModel::Pop> pops = m_bench.pops.pops();
    const auto same = [this](const PopsModel::Pop& p) {
        return m_chosen && p.place.subject == m_chosen->place.subject && p.place.level == m_chosen->place.level;
    };
    if (const auto now = std::find_if(pops.begin(), pops.end(), same); now != pops.end())
        m_chosen = *now; // its score may be another one now
    else if (m_bench.pops.waiting() == 0)
        m_chosen.reset();
    while (QLayoutItem* item = m_rows->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    int seen = 0;
    for (std::size_t i = 0; i < pops.size(); ++i) {
        const Subject* s = m_bench.session.scene().find(pops[i].place.subject);
        seen += pops[i].score->unseen(s->rule.allowPx) ? 0 : 1;
        if (i >= kShown && !same(pops[i]))
            continue;
        auto* row = new PopRow(pops[i], QString::fromStdString(s->name), s->rule.allowPx, same(pops[i]));
        // Queued: what is chosen makes the rows anew, this one among them.
        connect(
            row, &PopRow::picked, this, [this, pop = pops[i]] { choose(pop); }, Qt::QueuedConnection);
        m_rows->addWidget(row);
    }
    m_state->setText(m_bench.pops.waiting() > 0 ? tr("looking at %1 more …").arg(m_bench.pops.waiting())
                     : pops.empty()             ? tr("no switches yet")
                     : seen == 0                ? tr("none is seen")
                                                : tr("%1 of %2 are seen").arg(seen).arg(pops.size()));
    m_legend->setVisible(!pops.empty());
    m_smoothAll->setVisible(seen > 0 && m_bench.pops.waiting() == 0);
    m_pictures->show(m_chosen ? m_chosen->score : nullptr);
    m_smooth->setVisible(m_chosen.has_value());
}

void PopList::choose(const PopsModel::Pop& pop) {
    m_chosen = pop;
    m_bench.session.selectSubject(pop.place.subject);
    m_bench.session.selectLevel(pop.place.level);
    refresh();
    emit wanted(pop.place.finer, pop.place.level, pop.place.key.metres);
}

/// What each way costs is counted for one copy while the camera is where the way changes something.
void PopList::fillWays() {
    QMenu* menu = m_smooth->menu();
    menu->clear();
    if (!m_chosen)
        return;
    const Subject* s = m_bench.session.scene().find(m_chosen->place.subject);
    const auto finer = static_cast<std::size_t>(m_chosen->place.finer);
    const auto coarser = static_cast<std::size_t>(m_chosen->place.level);
    if (s == nullptr || (s->isMesh() && coarser >= s->mesh().levels.size()))
        return;
    const std::uint32_t id = s->id;
    const int level = m_chosen->place.level;
    const double from = m_chosen->place.key.metres;
    if (s->emitter() != nullptr) {
        menu->addAction(tr("Later, just where nobody sees it: looks for the place"), this,
                        [this, id, level] { m_bench.pops.smoothUnseen({id}, level); });
        for (const double factor : {1.3, 2.0})
            menu->addAction(tr("Switch later, at %1").arg(distanceText(factor * from)), this,
                            [this, id, level, factor] { m_bench.pops.smoothLater(id, level, factor); });
        return;
    }
    if (s->instances() != nullptr) {
        const double band = s->rule.softBand;
        const double wider = std::min(0.5, band < 0.1 ? 0.2 : 1.5 * band);
        if (wider > band)
            menu->addAction(tr("A soft band of ± %1 %: its copies switch one by one over more of the ground")
                                .arg(std::round(100 * wider)),
                            this, [this, id, wider] { m_bench.pops.smoothByBand(id, wider); });
        menu->addAction(tr("Later, just where nobody sees it: looks for the place"), this,
                        [this, id, level] { m_bench.pops.smoothUnseen({id}, level); });
        for (const double factor : {1.3, 2.0})
            menu->addAction(tr("Switch later, from %1").arg(distanceText(factor * from)), this,
                            [this, id, level, factor] { m_bench.pops.smoothLater(id, level, factor); });
        const double mixed = std::max(0.4, 2 * s->rule.fadeSeconds);
        menu->addAction(tr("Cross-fade for %1 s: both levels of what switches meanwhile").arg(mixed, 0, 'g', 2), this,
                        [this, id, mixed] { m_bench.pops.smoothByFade(id, mixed); });
        return;
    }
    if (s->terrain() != nullptr) {
        menu->addAction(tr("Let its levels pass into each other: no switch of this ground is left to be seen"), this,
                        [this, id] { m_bench.grounds.setBetween(id, Passing::Morph); });
        for (const double factor : {1.3, 2.0})
            menu->addAction(tr("Have the level come in everywhere from %1").arg(distanceText(factor * from)), this,
                            [this, id, level, factor] { m_bench.pops.smoothLater(id, level, factor); });
        return;
    }
    const auto more = s->mesh().levels[finer].triangles - s->mesh().levels[coarser].triangles;
    menu->addAction(tr("Later, just where nobody sees it: looks for the place"), this,
                    [this, id, level] { m_bench.pops.smoothUnseen({id}, level); });
    for (const double factor : {1.3, 2.0})
        menu->addAction(tr("Switch later, at %1: %2 triangles more until there")
                            .arg(distanceText(factor * from), groupedText(more)),
                        this, [this, id, level, factor] { m_bench.pops.smoothLater(id, level, factor); });
    const double fade = std::max(0.4, 2 * s->rule.fadeSeconds);
    menu->addAction(tr("Cross-fade for %1 s: both levels, %2 triangles, meanwhile")
                        .arg(fade, 0, 'g', 2)
                        .arg(groupedText(s->mesh().levels[finer].triangles + s->mesh().levels[coarser].triangles)),
                    this, [this, id, fade] { m_bench.pops.smoothByFade(id, fade); });
    const auto between = static_cast<std::uint32_t>(
        std::sqrt(static_cast<double>(s->mesh().levels[finer].triangles) * s->mesh().levels[coarser].triangles));
    menu->addAction(tr("A level in between, of %1 triangles").arg(groupedText(between)), this,
                    [this, id, finer, coarser] {
                        m_bench.pops.smoothByLevel(id, static_cast<int>(finer), static_cast<int>(coarser));
                    });
    const Level& light = s->mesh().levels[coarser];
    if (light.origin == LevelOrigin::Collapsed && light.materials != s->mesh().levels[finer].materials)
        menu->addAction(tr("The materials of L%1 one level longer: %2 of textures more")
                            .arg(finer)
                            .arg(QString::fromStdString(memorySize(std::max(
                                0.0, textureBytesOf(*s, s->mesh().levels[finer]) - textureBytesOf(*s, light))))),
                        this, [this, id, finer, coarser] {
                            m_bench.pops.smoothByMaterials(id, static_cast<int>(finer), static_cast<int>(coarser));
                        });
}

} // namespace thicket::app
