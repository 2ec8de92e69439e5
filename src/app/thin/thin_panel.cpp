#include "app/thin/thin_panel.h"

#include "app/look/look.h"
#include "app/thin/roles_dialog.h"
#include "base/text.h"

#include <QContextMenuEvent>
#include <QDropEvent>
#include <QFileDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QPainter>

namespace thicket::app {

/// As large as the level is on the stated screen where it comes in, when that is smaller than its place.
QRectF LevelCard::trueSize(const Subject& subject, int level, const QRectF& place) const {
    if (level == 0)
        return place;
    const View& view = m_bench.session.scene().statedView();
    const double from = chainOf(subject, view).fromMetres[static_cast<std::size_t>(level)];
    const double tall = heightWhere(subject.rule, subject.radius, from, view) * view.lines / devicePixelRatioF();
    const double side = std::clamp(tall, 4.0, place.width());
    return {place.center().x() - side / 2, place.center().y() - side / 2, side, side};
}

LevelCard::LevelCard(Workbench& bench, int level, QWidget* parent) : QWidget(parent), m_bench(bench), m_level(level) {
    setFixedHeight(66);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setAccessibleName(tr("Level %1").arg(level));
    QString tip =
        tr("Click to look at this level; right-click to lock, save or remove it. Its picture is as large as the level "
           "is on the stated screen where it comes in, when that is smaller.");
    const Subject* s = bench.session.meshSubject();
    if (s != nullptr && s->mesh().aggregate &&
        s->mesh().levels[static_cast<std::size_t>(level)].pieces < s->mesh().pieces)
        tip += tr("\n\nThis mesh is %1 loose pieces, much alike: whole pieces leave, and those that stay are grown to "
                  "hold "
                  "the cover.")
                   .arg(groupedText(s->mesh().pieces));
    setToolTip(tip);
    const auto again = qOverload<>(&QWidget::update);
    connect(&bench.looks, &LooksModel::picturesChanged, this, again);
    connect(&bench.session, &Session::selectionChanged, this, again);
    connect(&bench.thin, &ThinModel::dragChanged, this, again);
}

void LevelCard::paintEvent(QPaintEvent*) {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr || m_level >= static_cast<int>(s->mesh().levels.size()))
        return;
    const Level& level = s->mesh().levels[static_cast<std::size_t>(m_level)];
    QPainter p(this);
    p.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    const Look& l = Look::now();
    const bool selected = m_bench.session.level() == m_level;
    const QRectF box = QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5);
    p.setPen(selected ? QPen(l.accent, 1.2) : hasFocus() ? QPen(l.line, 1.2) : QPen(Qt::NoPen));
    p.setBrush(selected ? l.raised : l.ground);
    p.drawRoundedRect(box, 5, 5);
    p.fillRect(QRectF(1, 7, 3, height() - 14), Look::level(m_level));
    const QRectF picture(12, 9, 48, 48);
    p.setPen(Qt::NoPen);
    p.setBrush(selected ? l.line : l.raised);
    p.drawRoundedRect(picture, 4, 4);
    if (const QImage image = m_bench.looks.picture(level.mesh, surfacesOf(*s, level)); !image.isNull())
        p.drawImage(trueSize(*s, m_level, picture.adjusted(1, 1, -1, -1)), image);
    const bool dragged = m_bench.thin.dragLevel(s->id) == m_level;
    const std::uint32_t triangles = dragged ? m_bench.thin.dragMesh(s->id)->triangleCount() : level.triangles;
    const QRectF text(70, 6, width() - 82, height() - 12);
    const double third = text.height() / 3;
    const auto line = [&](int n, const QString& left, const QString& right, const QColor& color, double px,
                          int weight) {
        const QRectF r(text.left(), text.top() + n * third, text.width(), third);
        p.setFont(Look::font(px, weight));
        p.setPen(color);
        const int w = p.fontMetrics().horizontalAdvance(right);
        p.drawText(r, Qt::AlignRight | Qt::AlignVCenter, right);
        p.drawText(r.adjusted(0, 0, -w - 6, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(left, Qt::ElideRight, static_cast<int>(r.width()) - w - 6));
    };
    const QString name = QStringLiteral("L%1%2").arg(m_level).arg(level.locked ? tr("  locked") : QString());
    line(0, name, groupedText(triangles), l.text, 12.5, 600);
    if (m_level > 0) {
        const double after = text.left() + p.fontMetrics().horizontalAdvance(name) + 8;
        p.setFont(Look::font(11));
        p.setPen(l.quiet);
        p.drawText(QRectF(after, text.top() + 0.5, text.width(), third), Qt::AlignLeft | Qt::AlignVCenter,
                   level.draws == 1 ? tr("1 material") : tr("%1 materials").arg(level.draws));
    }
    const bool thinned = level.pieces > 0 && level.pieces < s->mesh().pieces;
    const QString origin =
        level.origin == LevelOrigin::Source     ? tr("the source")
        : level.origin == LevelOrigin::HandMade ? tr("made by hand")
        : level.origin == LevelOrigin::Impostor
            ? tr("%1 views on a square").arg(level.views.across * level.views.across)
        : level.origin == LevelOrigin::Rebuilt ? tr("rebuilt evenly")
        : level.origin == LevelOrigin::Cards
            ? (level.triangles > 4 ? tr("%1 crossed cards").arg(level.triangles / 2) : tr("two crossed cards"))
        : thinned ? tr("%1 of %2 pieces").arg(groupedText(level.pieces), groupedText(s->mesh().pieces))
                  : tr("surface collapse");
    const double share = 100.0 * triangles / s->mesh().levels.front().triangles;
    line(1, origin, QStringLiteral("%1 %").arg(figureText(share, share >= 9.95 ? 3 : 2)), l.quiet, 11, 400);
    if (m_level == 0) {
        line(2, tr("the reference"), level.draws == 1 ? tr("1 material") : tr("%1 materials").arg(level.draws), l.quiet,
             11, 400);
    } else {
        const double from =
            chainOf(*s, m_bench.session.scene().statedView()).fromMetres[static_cast<std::size_t>(m_level)];
        const QString off = dragged ? tr("about %1 off").arg(lengthText(s->mesh().curve.at(triangles)))
                            : ofPictures(level.origin)              ? tr("outline %1").arg(lengthText(level.deviation))
                            : level.visible < 0.9 * level.deviation ? tr("%1 seen").arg(lengthText(level.visible))
                                                                    : tr("%1 off").arg(lengthText(level.deviation));
        line(2, off, tr("from %1").arg(distanceText(from)), l.quiet, 11, 400);
    }
}

void LevelCard::mousePressEvent(QMouseEvent*) {
    m_bench.session.selectLevel(m_level);
}

void LevelCard::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Select)
        m_bench.session.selectLevel(m_level);
    else if (event->key() == Qt::Key_Delete)
        m_bench.thin.removeLevel(m_bench.session.subjectId(), m_level);
    else
        QWidget::keyPressEvent(event);
}

void LevelCard::contextMenuEvent(QContextMenuEvent* event) {
    const Subject* s = m_bench.session.meshSubject();
    if (s == nullptr || m_level == 0 || m_level >= static_cast<int>(s->mesh().levels.size()))
        return;
    m_bench.session.selectLevel(m_level);
    const bool locked = s->mesh().levels[static_cast<std::size_t>(m_level)].locked;
    QMenu menu;
    menu.addAction(locked ? tr("Unlock") : tr("Lock"), this,
                   [this, locked] { m_bench.thin.setLocked(m_bench.session.subjectId(), m_level, !locked); });
    const auto save = [this](const QString& title, bool quads) {
        const QString file = QFileDialog::getSaveFileName(this, title, {}, tr("Wavefront OBJ (*.obj)"));
        if (!file.isEmpty())
            m_bench.thin.saveObj(
                m_bench.session.subjectId(), m_level,
                file.endsWith(QStringLiteral(".obj"), Qt::CaseInsensitive) ? file : file + QStringLiteral(".obj"),
                quads);
    };
    menu.addAction(tr("Save as OBJ…"), this, [save] { save(tr("Save this level as OBJ"), false); });
    menu.addAction(tr("Save as OBJ in quads…"), this,
                   [save] { save(tr("Save this level as OBJ, its triangles paired into quads"), true); });
    menu.addAction(tr("Remove this level"), this,
                   [this] { m_bench.thin.removeLevel(m_bench.session.subjectId(), m_level); });
    menu.exec(event->globalPos());
}

ThinPanel::ThinPanel(Workbench& bench, QWidget* parent) : Panel(tr("Thin"), parent), m_bench(bench) {
    constexpr int kLookedAt = 400; // ms
    m_looking.setSingleShot(true);
    m_looking.setInterval(kLookedAt);
    connect(&m_looking, &QTimer::timeout, this, [this] {
        if (isVisible())
            m_bench.thin.recordAhead(m_bench.session.subjectId());
    });
    connect(&bench.session, &Session::selectionChanged, &m_looking, qOverload<>(&QTimer::start));
    connect(&bench.session.jobs(), &JobQueue::idle, &m_looking, qOverload<>(&QTimer::start));
    m_role = new ChoiceBox;
    for (const Named<Role>& role : kRoles)
        m_role->addItem(QString::fromLatin1(role.name));
    auto* roleField = new QWidget;
    auto* roleRow = new QHBoxLayout(roleField);
    roleRow->setContentsMargins(0, 0, 0, 0);
    roleRow->setSpacing(4);
    m_role->setMinimumWidth(40);
    m_role->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    roleRow->addWidget(m_role, 1);
    QPushButton* roles = makeButton(QStringLiteral("…"), tr("Change what each role asks for"));
    roles->setObjectName(QStringLiteral("editRoles"));
    roles->setAccessibleName(tr("Change the roles"));
    roles->setFixedWidth(26);
    roles->setStyleSheet(QStringLiteral("padding: 3px 0;"));
    connect(roles, &QPushButton::clicked, this, [this] { RolesDialog(m_bench, this).exec(); });
    roleRow->addWidget(roles);
    body->addWidget(
        fieldRow(tr("Role"), roleField,
                 tr("What the subject is to the scene: sets how many levels it gets and how far they may be off")));
    m_allow = new NumberBox(0.05, 64, 2, tr(" px"));
    body->addWidget(
        fieldRow(tr("Allow"), m_allow, tr("How many pixels a drawn surface may be off, at the stated view")));
    m_keep = makeButton({}, tr("What every cut of this subject holds to, besides its shape"));
    m_keep->setObjectName(QStringLiteral("keep"));
    m_keep->setMinimumWidth(40);
    m_keep->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    auto* keep = new QMenu(this);
    keep->setToolTipsVisible(true);
    const auto holdTo = [this, keep](const QString& text, const QString& tip, const QString& name, auto change) {
        QAction* action = keep->addAction(text);
        action->setCheckable(true);
        action->setToolTip(tip);
        action->setObjectName(name);
        connect(action, &QAction::triggered, this, [this, change](bool on) {
            CutRules rules = m_bench.thin.cutRules(m_bench.session.subjectId());
            change(rules, on);
            m_bench.thin.setCutRules(m_bench.session.subjectId(), rules);
            refresh();
        });
        return action;
    };
    m_pieces = holdTo(tr("Every loose piece"), {}, QStringLiteral("keepPieces"),
                      [](CutRules& rules, bool on) { rules.keepPieces = on; });
    m_reuse =
        holdTo(tr("The source's vertices"),
               tr("Levels are made of the source's own vertices, which are then shipped and kept on the card once for "
                  "all of them.\nA level of the same weight is off by more; loose pieces all stay."),
               QStringLiteral("reuseVertices"), [](CutRules& rules, bool on) {
                   rules.reuseVertices = on;
                   rules.symmetric &= !on; // the other half's vertices are nowhere in the source
               });
    m_symmetric =
        holdTo(tr("Both sides alike"),
               tr("Levels of a symmetric mesh are mirror images of themselves, its textures kept on both sides; "
                  "loose pieces all stay"),
               QStringLiteral("symmetric"), [](CutRules& rules, bool on) {
                   rules.symmetric = on;
                   rules.reuseVertices &= !on;
               });
    m_keep->setMenu(keep);
    body->addWidget(fieldRow(tr("Keep"), m_keep, {}));
    m_stale = new QWidget;
    auto* stale = new QHBoxLayout(m_stale);
    stale->setContentsMargins(0, 0, 0, 0);
    stale->addWidget(makeLabel(tr("Care was painted since."), "caution"), 1);
    QPushButton* recut = makeButton(tr("Cut again"), tr("Cut and measure the levels again at the counts they have, "
                                                        "with what is painted now. Locked levels stay."));
    recut->setObjectName(QStringLiteral("recut"));
    stale->addWidget(recut);
    connect(recut, &QPushButton::clicked, this, [this] { m_bench.thin.recut(m_bench.session.subjectId()); });
    body->addWidget(m_stale);
    m_cards = new QVBoxLayout;
    m_cards->setSpacing(6);
    body->addLayout(m_cards);
    auto* buttons = new QHBoxLayout;
    m_add = makeButton(tr("Add a level"), tr("Cut one more level, or bake the subject onto cards"));
    auto* ways = new QMenu(this);
    ways->setToolTipsVisible(true);
    const auto way = [this, ways](const QString& text, const QString& tip, auto&& act) {
        QAction* action = ways->addAction(text, this, act);
        action->setToolTip(tip);
    };
    way(tr("Cut where the gap is widest"),
        tr("One more level between the two whose triangle counts are farthest apart"),
        [this] { m_bench.thin.addLevel(m_bench.session.subjectId(), 0); });
    way(tr("Even triangles, rebuilt"),
        tr("The surface in triangles of one size, a quarter of the last level's: for editing by hand, and for what "
           "bends"),
        [this] { m_bench.thin.addRebuilt(m_bench.session.subjectId(), 0); });
    way(tr("Two crossed cards"), tr("Pictures on two upright squares: four triangles, for far away"),
        [this] { m_bench.thin.addCards(m_bench.session.subjectId(), 2); });
    way(tr("Three crossed cards"), tr("Pictures on three upright squares: six triangles; the outline holds better"),
        [this] { m_bench.thin.addCards(m_bench.session.subjectId(), 3); });
    way(tr("A grid of views"),
        tr("64 pictures from all sides above the horizon on one square that turns to the camera: two triangles.\nThe "
           "engine has to pick the view; the shipped file says how."),
        [this] { m_bench.thin.addImpostor(m_bench.session.subjectId()); });
    way(tr("From a file…"), tr("A mesh made by hand; files dropped on this panel are added in the same way"), [this] {
        m_bench.thin.addHandMade(m_bench.session.subjectId(),
                                 QFileDialog::getOpenFileNames(this, tr("Add a level made by hand")));
    });
    m_add->setMenu(ways);
    setAcceptDrops(true);
    m_remove = makeButton(tr("Remove level"), tr("Take the selected level out of the chain (Delete on its card)"));
    buttons->addWidget(m_add);
    buttons->addWidget(m_remove);
    body->addLayout(buttons);
    m_exact = new QWidget;
    auto* exact = new QVBoxLayout(m_exact);
    exact->setContentsMargins(0, 4, 0, 0);
    exact->setSpacing(6);
    m_exactTitle = makeLabel({}, "title");
    exact->addWidget(m_exactTitle);
    m_triangles = new NumberBox(1, 1e9, 0, {});
    exact->addWidget(fieldRow(tr("Triangles"), m_triangles, tr("Type an exact count; the level is cut and measured")));
    m_deviation = new NumberBox(0.001, 1e7, 3, tr(" mm"));
    exact->addWidget(
        fieldRow(tr("Deviation"), m_deviation,
                 tr("Type how far the level may be off; the curve gives the triangle count, which is then measured")));
    m_materials = makeButton({}, tr("Lighter pictures and fewer draws for this level alone; its shape stays"));
    m_materials->setObjectName(QStringLiteral("materials"));
    m_materials->setMinimumWidth(40);
    m_materials->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    m_materials->setMenu(new QMenu(this));
    connect(m_materials->menu(), &QMenu::aboutToShow, this, &ThinPanel::fillMaterials);
    exact->addWidget(fieldRow(tr("Materials"), m_materials, {}));
    m_drift = makeLabel({}, "quiet");
    m_drift->setToolTip(tr("Where 99 % of the surface is: how far its texture has moved, in texels of the largest "
                           "picture, and how far its normals have turned"));
    m_drift->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_drift->setWordWrap(true);
    m_drift->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Minimum);
    exact->addWidget(m_drift);
    m_locked = new QCheckBox(tr("locked: never cut again"));
    m_locked->setToolTip(tr("A locked level is left alone when the subject is thinned again"));
    exact->addWidget(m_locked);
    body->addWidget(m_exact);
    m_thin = makeButton(tr("Thin to role"),
                        tr("Record the mesh once and cut, measure and place every level of its role (Ctrl+T)"), true);
    m_rest = makeButton({}, tr("Thin every subject that has no levels yet to its own role, in one go and as one step "
                               "to undo (Ctrl+Shift+T)"));
    m_rest->setObjectName(QStringLiteral("thinTheRest"));
    footer->addWidget(m_rest);
    footer->addWidget(m_thin);

    connect(m_role, &QComboBox::activated, this,
            [this](int i) { m_bench.thin.setRole(m_bench.session.subjectId(), kRoles[i].value); });
    connect(m_allow, &NumberBox::chosen, this, [this](double px) {
        if (const Subject* s = m_bench.session.meshSubject()) {
            SwitchRule rule = s->rule;
            rule.allowPx = px;
            m_bench.switching.setRule(s->id, rule, tr("Change the allowance"));
        }
    });
    connect(m_triangles, &NumberBox::chosen, this, [this](double n) {
        m_bench.thin.cutLevelTo(m_bench.session.subjectId(), m_bench.session.level(), n, true);
    });
    connect(m_deviation, &NumberBox::chosen, this, [this](double mm) {
        if (const Subject* s = m_bench.session.meshSubject(); s != nullptr && !s->mesh().curve.empty())
            m_bench.thin.cutLevelTo(s->id, m_bench.session.level(), s->mesh().curve.trianglesAt(mm / 1000), true);
    });
    connect(m_locked, &QCheckBox::clicked, this,
            [this](bool on) { m_bench.thin.setLocked(m_bench.session.subjectId(), m_bench.session.level(), on); });
    connect(m_remove, &QPushButton::clicked, this,
            [this] { m_bench.thin.removeLevel(m_bench.session.subjectId(), m_bench.session.level()); });
    connect(m_rest, &QPushButton::clicked, this, [this] { m_bench.thin.thinTheRest(); });
    connect(m_thin, &QPushButton::clicked, this, [this] { m_bench.thin.thinToRole(m_bench.session.subjectId()); });
    connect(&bench.session.document, &Document::sceneChanged, this, &ThinPanel::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &ThinPanel::refresh);
    connect(&bench.thin, &ThinModel::cutRulesChanged, this, &ThinPanel::refresh);
    refresh();
}

void ThinPanel::showEvent(QShowEvent* event) {
    Panel::showEvent(event);
    m_looking.start();
}

void ThinPanel::dragEnterEvent(QDragEnterEvent* event) {
    const Subject* s = m_bench.session.meshSubject();
    if (s != nullptr && s->mesh().levels.front().mesh && event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

/// Meshes dropped here become levels of the subject; dropped anywhere else they become subjects.
void ThinPanel::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    m_bench.thin.addHandMade(m_bench.session.subjectId(), paths);
    event->acceptProposedAction();
}

namespace {
QString materialName(const std::vector<Material>& materials, std::uint32_t i) {
    if (i >= materials.size() || materials[i].name.empty())
        return ThinPanel::tr("material %1").arg(i + 1);
    return QString::fromStdString(materials[i].name);
}
} // namespace

/// The choices for the selected level's materials, as they stand.
void ThinPanel::fillMaterials() {
    QMenu* menu = m_materials->menu();
    menu->clear();
    const Subject* s = m_bench.session.meshSubject();
    const int level = m_bench.session.level();
    if (s == nullptr || level < 1 || level >= static_cast<int>(s->mesh().levels.size()))
        return;
    const MaterialChoice now = s->mesh().levels[static_cast<std::size_t>(level)].materials;
    const auto add = [&](const QString& text, bool on, const MaterialChoice& then) {
        QAction* action = menu->addAction(
            text, this, [this, id = s->id, level, then] { m_bench.thin.setMaterials(id, level, then); });
        action->setCheckable(true);
        action->setChecked(on);
    };
    const auto with = [&now](auto&& change) {
        MaterialChoice then = now;
        change(then);
        return then;
    };
    const QStringList sizes{tr("Pictures as the source"), tr("Pictures halved"), tr("Pictures at a quarter"),
                            tr("Pictures at an eighth"), tr("Pictures at a sixteenth")};
    for (int i = 0; i < sizes.size(); ++i)
        add(sizes[i], now.halvings == i, with([i](MaterialChoice& m) { m.halvings = i; }));
    menu->addSeparator();
    add(tr("Without normal maps"), now.dropNormals, with([](MaterialChoice& m) { m.dropNormals = !m.dropNormals; }));
    add(tr("Without gloss, shade and glow maps"), now.dropDetail,
        with([](MaterialChoice& m) { m.dropDetail = !m.dropDetail; }));
    add(tr("Alpha test made opaque"), now.opaque, with([](MaterialChoice& m) { m.opaque = !m.opaque; }));
    const auto& materials = s->mesh().surfaces->materials;
    const auto& parts = s->mesh().levels.front().mesh->parts;
    for (std::size_t i = 0; i < parts.size() && materials.size() > 1 && parts.size() > 1; ++i) {
        const std::uint32_t from = parts[i].material;
        if (i == 0)
            menu->addSeparator();
        QMenu* with2 = menu->addMenu(tr("Draw %1 with").arg(materialName(materials, from)));
        for (std::uint32_t to = 0; to < materials.size(); ++to) {
            MaterialChoice then = now;
            std::erase_if(then.swaps, [from](const auto& swap) { return swap.first == from; });
            const auto swap =
                std::find_if(now.swaps.begin(), now.swaps.end(), [from](const auto& one) { return one.first == from; });
            const bool current = to == (swap != now.swaps.end() ? swap->second : from);
            if (to != from)
                then.swaps.emplace_back(from, to);
            QAction* action = with2->addAction(materialName(materials, to), this, [this, id = s->id, level, then] {
                m_bench.thin.setMaterials(id, level, then);
            });
            action->setCheckable(true);
            action->setChecked(current);
        }
    }
    menu->addSeparator();
    if (materials.size() > 1)
        add(tr("One material for all: one draw"), now.merge, with([](MaterialChoice& m) { m.merge = !m.merge; }));
}

void ThinPanel::refresh() {
    const Subject* s = m_bench.session.meshSubject();
    const int count = s != nullptr ? static_cast<int>(s->mesh().levels.size()) : 0;
    while (m_cards->count() > count)
        delete m_cards->takeAt(m_cards->count() - 1)->widget();
    while (m_cards->count() < count)
        m_cards->addWidget(new LevelCard(m_bench, m_cards->count()));
    for (int i = 0; i < m_cards->count(); ++i)
        m_cards->itemAt(i)->widget()->update();
    const bool ready = s != nullptr && s->mesh().levels.front().mesh;
    for (QWidget* w : std::initializer_list<QWidget*>{m_role, m_allow, m_add, m_thin})
        w->setEnabled(ready);
    const std::size_t waiting = m_bench.thin.notThinned().size();
    m_rest->setText(tr("Thin all %1").arg(waiting));
    m_rest->setVisible(waiting > 1);
    const int level = m_bench.session.level();
    const bool some = ready && level > 0 && level < count;
    m_remove->setEnabled(some);
    m_exact->setVisible(some);
    if (s == nullptr) {
        title->setText(tr("Nothing to thin yet"));
        m_stale->hide();
        m_keep->setEnabled(false);
        aside->clear();
        return;
    }
    title->setText(QString::fromStdString(s->name));
    const Vec3d size = s->bounds.size();
    aside->setText(QStringLiteral("%1 × %2 × %3 m")
                       .arg(figureText(size.x(), 3), figureText(size.y(), 3), figureText(size.z(), 3)));
    m_role->setCurrentIndex(static_cast<int>(s->role));
    m_allow->show(s->rule.allowPx);
    m_stale->setVisible(careIsNewer(*s));
    const CutRules rules = m_bench.thin.cutRules(s->id);
    m_keep->setEnabled(ready);
    m_pieces->setVisible(s->mesh().pieces > 1);
    m_pieces->setChecked(rules.keepPieces);
    m_reuse->setChecked(rules.reuseVertices);
    m_symmetric->setChecked(rules.symmetric);
    const double shared = sharedVertexBytes(*s);
    m_keep->setText(rules.symmetric ? tr("both sides alike")
                    : rules.reuseVertices && shared > 0
                        ? tr("vertices · %1 saved").arg(QString::fromStdString(memorySize(shared)))
                    : rules.reuseVertices ? tr("the source's vertices")
                    : rules.keepPieces    ? tr("every loose piece")
                                          : tr("only the shape"));
    m_pieces->setToolTip(
        s->mesh().aggregate
            ? tr("%1 loose pieces, much alike: far levels have fewer of them, grown to hold the cover.\nKeep them all "
                 "when each must stay in its place.")
                  .arg(groupedText(s->mesh().pieces))
            : tr("%1 loose pieces. One that is smaller on screen than the level is off goes with it.\nKeep them all "
                 "when each must stay in its place.")
                  .arg(groupedText(s->mesh().pieces)));
    m_thin->setText(count > 1 ? tr("Thin again to role") : tr("Thin to role"));
    if (some) {
        const Level& l = s->mesh().levels[static_cast<std::size_t>(level)];
        m_exactTitle->setText(tr("L%1 exactly").arg(level));
        m_triangles->show(l.triangles);
        m_deviation->show(l.deviation * 1000);
        const bool free = l.origin == LevelOrigin::Collapsed && !l.locked;
        m_triangles->setEnabled(free);
        m_deviation->setEnabled(free && !s->mesh().curve.empty());
        m_locked->setChecked(l.locked);
        QStringList drift;
        if (l.visible > 0 && l.visible < 0.999 * l.deviation)
            drift << tr("%1 of it is seen").arg(lengthText(l.visible));
        if (l.driftTexels)
            drift << tr("texture %1 texels").arg(figureText(*l.driftTexels, 2));
        if (l.driftDegrees)
            drift << tr("normals %1°").arg(figureText(*l.driftDegrees, 2));
        if (l.posed > 0)
            drift << tr("moving %1").arg(lengthText(l.posed));
        m_drift->setText(drift.join(QStringLiteral(" · ")));
        m_drift->setVisible(!drift.isEmpty());
        m_materials->setEnabled(l.origin == LevelOrigin::Collapsed);
        m_materials->setText(tr("%1, %2").arg(l.draws == 1 ? tr("1 draw") : tr("%1 draws").arg(l.draws),
                                              QString::fromStdString(memorySize(textureBytesOf(*s, l)))));
    }
}

} // namespace thicket::app
