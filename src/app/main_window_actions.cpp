// The window's menu and keys.

#include "app/main_window.h"

#include "app/budget/route_chart.h"
#include "app/gather/gather_page.h"
#include "app/look/look.h"
#include "app/ship/ship_page.h"
#include "app/switching/switch_chart.h"
#include "app/thin/care_bar.h"
#include "app/thin/play_bar.h"
#include "io/project/emitter_file.h"
#include "io/project/recipe_file.h"

#include <QAbstractSpinBox>
#include <QAction>
#include <QApplication>
#include <QFileDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QSettings>

namespace thicket::app {

QString meshFilter() {
    QStringList patterns;
    for (const std::string& suffix : readableSuffixes())
        patterns << QStringLiteral("*%1").arg(QString::fromStdString(suffix))
                 << QStringLiteral("*%1").arg(QString::fromStdString(suffix).toUpper());
    return QObject::tr("Meshes (%1);;All files (*)").arg(patterns.join(' '));
}

void MainWindow::makeActions() {
    qApp->installEventFilter(this);
    auto* menu = new QMenu(this);
    m_title->setMenu(menu);
    const auto add = [this](QMenu* to, const QString& text, const QKeySequence& key, auto&& slot) {
        auto* action = new QAction(text, this);
        action->setShortcut(key);
        connect(action, &QAction::triggered, this, slot);
        if (to != nullptr)
            to->addAction(action);
        addAction(action);
        return action;
    };
    add(menu, tr("New project"), QKeySequence::New, [this] {
        if (!askToSave())
            return;
        dismissMessages();
        m_bench.files.newProject();
    });
    add(menu, tr("Open project…"), QKeySequence::Open, [this] {
        const QString file = QFileDialog::getOpenFileName(
            this, tr("Open project"), {},
            tr("Projects (*%1);;%2").arg(QString::fromLatin1(kProjectSuffix), meshFilter()));
        if (!file.isEmpty())
            open({file});
    });
    m_recent = menu->addMenu(tr("Recent files"));
    connect(m_recent, &QMenu::aboutToShow, this, [this] {
        m_recent->clear();
        const QStringList files = QSettings().value(QStringLiteral("recent")).toStringList();
        for (const QString& file : files)
            m_recent->addAction(file, this, [this, file] { open({file}); });
        if (files.isEmpty())
            m_recent->addAction(tr("none yet"))->setEnabled(false);
    });
    add(menu, tr("Save"), QKeySequence::Save, [this] { save(false); });
    add(menu, tr("Save as…"), QKeySequence::SaveAs, [this] { save(true); });
    menu->addSeparator();
    add(menu, tr("Add meshes…"), QKeySequence(Qt::CTRL | Qt::Key_I), [this] { emit m_gatherPanel->addRequested(); });
    add(menu, tr("Add heights…"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Add heights"), {},
                                                          tr("Heights (*.png *.tif *.tiff *.asc *.r16 *.r32 *.raw)"));
        if (!file.isEmpty())
            open({file});
    });
    add(menu, tr("Make trial ground"), {}, [this] { m_bench.grounds.makeTrial(1024); });
    add(menu, tr("Place a table…"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Place a table"), {},
                                                          tr("Tables of placements (*.csv *.tsv *.json *.txt)"));
        if (!file.isEmpty())
            m_bench.fields.importTable(file);
    });
    add(menu, tr("Open a recipe…"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(this, tr("Open a recipe"), {},
                                                          tr("Recipes (*%1)").arg(QString::fromLatin1(kRecipeSuffix)));
        if (!file.isEmpty())
            m_bench.fields.openRecipe(file);
    });
    add(menu, tr("Grow strands"), {}, [this] {
        const auto chosen = chosenSubjects();
        m_bench.strands.growNew(chosen.empty() ? 0 : chosen.front());
    });
    add(menu, tr("Add strands…"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(
            this, tr("Add strands"), {},
            tr("Lines (*.glb *.gltf *.obj);;Recipes of strands (*%1)").arg(QString::fromLatin1(kStrandRecipeSuffix)));
        if (file.endsWith(QString::fromLatin1(kStrandRecipeSuffix)))
            m_bench.strands.openRecipe(file);
        else if (!file.isEmpty())
            m_bench.strands.importLines(file);
    });
    add(menu, tr("Make smoke"), {}, [this] { m_bench.emitters.makeNew(m_viewport->placeLookedAt()); });
    add(menu, tr("Add an emitter…"), {}, [this] {
        const QString file = QFileDialog::getOpenFileName(
            this, tr("Add an emitter"), {}, tr("Emitters (*%1)").arg(QString::fromLatin1(kEmitterSuffix)));
        if (!file.isEmpty())
            m_bench.emitters.importEmitter(file);
    });
    menu->addSeparator();
    QAction* undo = m_bench.session.document.undo().createUndoAction(this, tr("Undo"));
    undo->setShortcut(QKeySequence::Undo);
    QAction* redo = m_bench.session.document.undo().createRedoAction(this, tr("Redo"));
    redo->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
    menu->addAction(undo);
    menu->addAction(redo);
    addAction(undo);
    addAction(redo);
    menu->addSeparator();
    QMenu* look = menu->addMenu(tr("Appearance"));
    const auto shade = [this](const QString& name) {
        QSettings().setValue(QStringLiteral("look"), name);
        showMessage(tr("The appearance changes at the next start."), false);
    };
    look->addAction(tr("Marsh at dusk (dark)"), this, [shade] { shade(QStringLiteral("dusk")); });
    look->addAction(tr("Marsh at noon (light)"), this, [shade] { shade(QStringLiteral("noon")); });
    add(menu, tr("Quit"), QKeySequence::Quit, [this] { close(); });

    for (int i = 0; i < 5; ++i)
        add(nullptr, stageName(static_cast<Stage>(i)), QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + i)),
            [this, i] { setStage(static_cast<Stage>(i)); });
    for (int i = 0; i < 4; ++i)
        add(nullptr, {}, QKeySequence(Qt::Key_1 + i), [this, i] {
            if (i == 3 && m_stage != Stage::Thin)
                return;
            m_shading->setCurrent(i);
            m_viewport->setShading(static_cast<Shading>(i));
        });
    add(nullptr, {}, QKeySequence(Qt::Key_L), [this] {
        if (m_stage != Stage::Thin)
            return;
        arrange(static_cast<Arrangement>((m_arrangement->current() + 1) % 3));
    });
    add(nullptr, {}, QKeySequence(Qt::Key_P), [this] {
        if (m_stage == Stage::Thin)
            arrange(m_viewport->painting() ? Arrangement::One : Arrangement::Care);
    });
    const auto whilePainting = [this, add](Qt::Key key, auto&& act) {
        add(nullptr, {}, QKeySequence(key), [this, act] {
            if (m_viewport->painting())
                act();
        });
    };
    whilePainting(Qt::Key_BracketLeft, [this] { m_careBar->scaleBrush(1 / 1.2); });
    whilePainting(Qt::Key_BracketRight, [this] { m_careBar->scaleBrush(1.2); });
    whilePainting(Qt::Key_X, [this] { m_careBar->toggleErase(); });
    add(nullptr, {}, QKeySequence(Qt::Key_Home), [this] {
        if (m_viewBox->overview().hasFocus())
            m_viewBox->overview().fit();
        else
            m_viewport->frameSelection();
    });
    add(nullptr, {}, QKeySequence(Qt::Key_Space), [this] {
        if (m_viewport->canPlay())
            m_playBar->toggle();
        else if (m_stage == Stage::Switch && !m_strip->running())
            m_viewport->walkBack();
        else if (m_stage == Stage::Budget)
            playRoute(!m_play.isActive());
    });
    add(nullptr, {}, QKeySequence(Qt::Key_K), [this] {
        if (m_stage == Stage::Budget)
            keyCamera();
    });
    add(nullptr, {}, QKeySequence(Qt::CTRL | Qt::Key_T), [this] {
        const auto chosen = chosenSubjects();
        m_bench.thin.thinToRoles(chosen.empty() ? std::vector{m_bench.session.subjectId()} : chosen);
    });
    add(nullptr, {}, QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_T), [this] { m_bench.thin.thinTheRest(); });
    add(nullptr, {}, QKeySequence(Qt::CTRL | Qt::Key_R), [this] { m_bench.budget.runAudit(); });
    add(nullptr, {}, QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), [this] { m_bench.budget.runFit(); });
    add(nullptr, {}, QKeySequence(Qt::CTRL | Qt::Key_E), [this] { emit m_shipPanel->shipRequested(); });
    add(nullptr, {}, QKeySequence(Qt::Key_Escape), [this] {
        if (m_viewport->cancelStroke())
            return;
        if (m_message->isVisible())
            dismissMessages();
        else
            m_bench.session.jobs().cancelCurrent();
        m_findings->unmark();
        m_viewport->stopWalk();
        m_strip->cancel();
        playRoute(false);
    });
    const auto inScene = [this, add](Qt::Key key, auto&& act) {
        add(nullptr, {}, QKeySequence(key), [this, act] {
            if (m_stage == Stage::Switch || m_stage == Stage::Budget)
                act();
        });
    };
    inScene(Qt::Key_O,
            [this] { m_viewBox->setMode(static_cast<OverviewMode>((static_cast<int>(m_viewBox->mode()) + 1) % 3)); });
    inScene(Qt::Key_Y, [this] { m_viewBox->swap(); });
    inScene(Qt::Key_F, [this] { m_viewBox->toggleFreeze(); });
}

/// Asks where to, and takes the pictures of a walk back.
void MainWindow::makeStrip() {
    constexpr int kPictures = 9;
    if (m_bench.session.meshSubject() == nullptr || !m_viewport->walkEnds())
        return;
    const QString strip = tr("One strip (*.png)");
    const QString frames = tr("Pictures, a file each (*.png)");
    QString chosen;
    QString file =
        QFileDialog::getSaveFileName(this, tr("Walk back as pictures"),
                                     QString::fromStdString(m_bench.session.meshSubject()->name) + tr(" walk.png"),
                                     strip + QStringLiteral(";;") + frames, &chosen);
    if (file.isEmpty())
        return;
    if (!file.endsWith(QStringLiteral(".png"), Qt::CaseInsensitive))
        file += QStringLiteral(".png");
    m_strip->start(file, kPictures, chosen == frames);
}

/// B is looked at before lists, which would search for it, and after texts, which take it.
bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    const bool press = event->type() == QEvent::KeyPress;
    if (press || event->type() == QEvent::KeyRelease) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const QWidget* focus = QApplication::focusWidget();
        const bool text =
            qobject_cast<const QLineEdit*>(focus) != nullptr || qobject_cast<const QAbstractSpinBox*>(focus) != nullptr;
        if (key->key() == Qt::Key_B && key->modifiers() == Qt::NoModifier && !text && isActiveWindow() &&
            QApplication::activeModalWidget() == nullptr && m_stage == Stage::Thin) {
            if (!key->isAutoRepeat())
                m_viewport->showSource(press);
            return true;
        }
    }
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::changeEvent(QEvent* event) {
    if (event->type() == QEvent::ActivationChange && m_viewport != nullptr)
        m_viewport->showSource(false); // the release of the key may go elsewhere
    QMainWindow::changeEvent(event);
}

} // namespace thicket::app
