#include "app/viewport/viewport.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"

#include <QOpenGLFunctions>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr int kRestMs = 150;
constexpr double kEffectsBegin = 12; // seconds that emitters have been at it when a route begins

} // namespace

Viewport::Viewport(Workbench& bench, QWidget* parent)
    : QOpenGLWidget(parent), m_bench(bench), m_overlay(new ViewportOverlay(*this)), m_groundTiles([this] {
          QMetaObject::invokeMethod(
              this, [this] { refresh(); }, Qt::QueuedConnection);
      }),
      m_clouds([this] {
          QMetaObject::invokeMethod(
              this,
              [this] {
                  if (!m_moving) // else the next frame comes anyway
                      refresh();
              },
              Qt::QueuedConnection);
      }) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Viewport"));
    setMouseTracking(true);
    setMinimumSize(180, 110);
    m_clock.start();
    m_rest.setSingleShot(true);
    m_rest.setInterval(kRestMs);
    connect(&m_rest, &QTimer::timeout, this, [this] {
        if (m_brush.painting()) {
            m_rest.start(); // the exact picture waits for the end of the stroke, which is laid on a light one
            return;
        }
        if (m_motion.valid() && isVisible()) {
            m_rest.start(); // the light one is shown first
            return;
        }
        m_moving = false;
        beginRest();
    });
    m_lookAgain.setSingleShot(true);
    connect(&m_lookAgain, &QTimer::timeout, this, [this] {
        if (!m_moving)
            refresh();
    });
    m_walk.setInterval(16);
    connect(&m_walk, &QTimer::timeout, this, [this] {
        m_walkPhase += 0.016 / 7.0;
        if (m_walkPhase >= 1) {
            m_walk.stop();
            m_walkPhase = 1;
        }
        // Out and back, by a constant change of size: even steps of the logarithm of the distance.
        const double way = 1 - std::abs(2 * m_walkPhase - 1);
        const double eased = way * way * (3 - 2 * way);
        standAt(m_walkNear * std::pow(m_walkFar / m_walkNear, eased));
    });
    m_fades.setInterval(33);
    connect(&m_fades, &QTimer::timeout, this, [this] { refresh(); });
    m_flicker.setInterval(450);
    connect(&m_flicker, &QTimer::timeout, this, [this] {
        if (--m_flickers <= 0)
            m_flicker.stop();
        refresh();
    });
    m_play.setInterval(33);
    connect(&m_play, &QTimer::timeout, this, &Viewport::playOn);
    // What the window is asked comes first. In software rendering it takes as long to be put together as a step.
    connect(this, &QOpenGLWidget::frameSwapped, this, [this] {
        if (!std::exchange(m_putTogether, true))
            QTimer::singleShot(0, this, [this] { m_putTogether = false; });
    });
    for (QTimer* next : {&m_nextOfMotion, &m_nextOfRest})
        next->setSingleShot(true);
    const auto nextIs = [this](QTimer& next, void (Viewport::*step)()) {
        connect(&next, &QTimer::timeout, this, [this, &next, step] {
            if (m_putTogether)
                next.start();
            else
                (this->*step)();
        });
    };
    nextIs(m_nextOfMotion, &Viewport::nextOfMotion);
    nextIs(m_nextOfRest, &Viewport::nextOfRest);
    m_warm.setInterval(25);
    connect(&m_warm, &QTimer::timeout, this, &Viewport::warmOne);
    m_gl.setReadyListener([this] {
        QMetaObject::invokeMethod(
            this,
            [this] {
                m_restPicture.forget();
                refresh();
            },
            Qt::QueuedConnection);
    });
    setUpdateBehavior(QOpenGLWidget::PartialUpdate); // the last picture stays while the next one is drawn
    connect(&bench.session.document, &Document::sceneChanged, this, &Viewport::rebuild);
    connect(&bench.thin, &ThinModel::dragChanged, this, [this] { moved(); });
    connect(&bench.looks, &LooksModel::heatChanged, this, &Viewport::refresh);
    connect(&bench.care, &CareModel::careChanged, this, &Viewport::refresh);
    connect(&bench.places, &PlacesModel::changed, this, [this] {
        framePointed();
        m_overlay->update();
    });
    connect(&bench.session, &Session::selectionChanged, this, [this] {
        m_nearest.reset(); // it was a copy of another subject
        m_motion.forget();
        if (m_player.moment().seconds != 0 || m_play.isActive())
            toRest();
        if (solo() && m_framed != m_bench.session.subjectId())
            frameSelection();
        lookAtFirst();
        moved(); // a light picture at once, the exact one when it is ready: never an old one under new words
    });
    rebuild();
}

Viewport::~Viewport() {
    makeCurrent();
    m_smooth.reset();
    m_quick.reset();
    m_kept.reset();
    m_glance = {};
    m_plain.reset();
    if (m_ready)
        m_gl.release();
    doneCurrent();
}

void Viewport::setStage(Stage stage) {
    const bool was = solo();
    m_stage = stage;
    m_motion.forget();
    if (was != solo())
        m_motionInSteps = true; // of one thing frames may be quick, of the scene too or not
    stopWalk();
    m_flicker.stop();
    toRest();
    if (solo() && (!was || m_framed != m_bench.session.subjectId()))
        frameSelection();
    lookAtFirst();
    moved();
}

void Viewport::setShading(Shading shading) {
    m_shading = shading;
    moved();
}

void Viewport::setArrangement(Arrangement arrangement) {
    const bool sameFraming = (m_arrangement == Arrangement::LineUp) == (arrangement == Arrangement::LineUp);
    m_arrangement = arrangement;
    if (sameFraming)
        moved();
    else
        frameSelection();
}

void Viewport::showSource(bool on) {
    if (on == m_showSource)
        return;
    m_showSource = on;
    moved();
}

void Viewport::rebuild() {
    m_input = selectInput(m_bench.session.scene(), shotView(), &m_input);
    m_shelf.fill(m_bench.session.scene(), m_input);
    m_frozen.reset(); // what was held may not be there any more
    if (m_bench.session.scene().subjects.empty())
        m_sceneViewSet = false;
    m_glance.picture.forget();
    m_motion.forget();
    if (solo() && (m_framed != m_bench.session.subjectId() || isOfAnotherSize()))
        frameSelection();
    lookAtFirst();
    selectNow();
    m_warm.start();
    moved();
}

View Viewport::shotView() const {
    View view = m_sceneOrbit.view(m_bench.session.scene().statedView());
    view.aspect = height() > 0 ? static_cast<double>(width()) / height() : view.aspect;
    return view;
}

void Viewport::setShotView(const Vec3d& eye, const Vec3d& target) {
    m_held = {};
    m_groundPlace.reset();
    lookFrom(eye, target);
}

void Viewport::lookFrom(const Vec3d& eye, const Vec3d& target) {
    m_sceneOrbit.lookFrom(eye, target);
    m_sceneViewSet = true;
    moved();
}

void Viewport::setRouteTime(double seconds) {
    const Route* route = m_bench.budget.route();
    if (route == nullptr || route->keys.empty())
        return;
    const View view = viewOnRoute(*route, m_bench.session.scene().statedView(), seconds);
    m_effectSeconds = kEffectsBegin + seconds; // the same moment of the route shows the same smoke
    setShotView(view.eye, view.eye + view.forward * std::max(m_sceneOrbit.distance, 1.0));
}

void Viewport::selectNow() {
    if (!m_frozen) {
        const View view = shotView();
        const bool stood = m_selectedFrom.eye == view.eye && m_selectedFrom.forward == view.forward;
        m_selectedFrom = view;
        // A chain is resolved for the field and lines of the stated view alone; the camera's place does not change it.
        m_selectedAt = now();
        select(m_input, view, m_selectedAt, selectionOptions(), m_state, m_exact);
        m_nearest.reset();
        if (m_moving || !stood || m_exact.total.switches > 0)
            lookAgainLater();
    }
    emit selected();
}

/// What waits, or is decided at intervals only, may want another level though nothing moves any more.
void Viewport::lookAgainLater() {
    double seconds = 0;
    for (const Batch& batch : m_input.batches)
        seconds = std::max({seconds, batch.chain.rule.dwellSeconds, batch.chain.rule.checkSeconds});
    if (seconds > 0)
        m_lookAgain.start(static_cast<int>(seconds * 1000) + 20);
}

/// Smoothed over a few frames, so that one late frame is not taken for a leap.
void Viewport::measureSpeed(const View& view) {
    constexpr double kLeap = 0.5; // seconds; longer ago it says nothing about now
    const qint64 now = m_clock.nsecsElapsed();
    const double seconds = static_cast<double>(now - m_speedAt) * 1e-9;
    const double metres = (view.eye - m_speedEye).norm();
    m_speedAt = now;
    m_speedEye = view.eye;
    if (!m_moving || seconds > kLeap)
        m_speed = 0;
    else if (seconds > 1e-4)
        m_speed += 0.4 * (metres / seconds - m_speed);
}

SelectOptions Viewport::selectionOptions() const {
    SelectOptions options = selectOptions(m_bench.session.scene(), m_speed);
    options.fades = options.fades && !m_sudden;
    if (m_stage == Stage::Switch) {
        options.cullView = m_culling.cullView;
        options.cullReach = m_culling.cullReach;
        options.cullSmall = m_culling.cullSmall;
        options.cullHidden &= m_culling.cullHidden;
        options.thinOut = m_culling.thinOut;
        options.switchLevels = m_culling.switchLevels;
    }
    return options;
}

void Viewport::setFrozen(bool on) {
    if (on == frozen())
        return;
    m_frozen = on ? std::optional(shotView()) : std::nullopt;
    moved();
}

void Viewport::setCulling(const SelectOptions& options) {
    m_culling = options;
    moved();
}

std::function<std::array<std::uint64_t, 5>()> Viewport::cullingSaves() const {
    SelectOptions all = selectOptions(m_bench.session.scene(), m_speed);
    all.fades = false;
    return [input = m_input, before = m_state, view = selectedView(), at = m_selectedAt, all] {
        const auto triangles = [&](const SelectOptions& options) {
            SelectState state = before;
            Selection selection;
            select(input, view, at, options, state, selection);
            return selection.total.triangles;
        };
        std::array<std::uint64_t, 5> out{};
        const std::uint64_t drawn = triangles(all);
        bool SelectOptions::*const reasons[] = {&SelectOptions::cullView, &SelectOptions::cullReach,
                                                &SelectOptions::cullSmall, &SelectOptions::cullHidden,
                                                &SelectOptions::thinOut};
        for (std::size_t i = 0; i < out.size(); ++i) {
            SelectOptions without = all;
            without.*reasons[i] = false;
            const std::uint64_t then = triangles(without);
            out[i] = then > drawn ? then - drawn : 0;
        }
        return out;
    };
}

void Viewport::flicker(int finer, int coarser) {
    constexpr int kTimes = 12;
    m_flickerSubject = m_bench.session.subjectId();
    m_flickerFiner = finer;
    m_flickerCoarser = coarser;
    m_flickers = kTimes;
    m_flicker.start();
    refresh();
}

void Viewport::initializeGL() {
    m_ready = m_gl.initialize();
}

void Viewport::selectLight() {
    SelectOptions options = selectionOptions();
    // What gets lighter as a motion begins does so at once: fades would be drawn twice just when there is least time.
    options.fades = options.fades && !m_lightBegins;
    // Each selection takes its time. Where a frame is still too heavy it takes some more steps, and the next is lighter.
    constexpr int kMostTries = 2;
    for (int tries = 0; tries < kMostTries; ++tries) {
        options.allowanceFactor = m_budget.factor();
        options.smallFactor = std::sqrt(m_budget.factor()); // of many small things the smallest wait for the rest
        options.keepFactor = 1 / m_budget.factor();
        select(m_input, shotView(), now(), options, m_lightState, m_light);
        if (!m_budget.lighten(m_light.total.triangles))
            break;
    }
    m_lightBegins = false;
}

void Viewport::warmOne() {
    if (m_moving || !m_ready)
        return;
    if (m_shelf.makeOne(m_bench.session.scene())) {
        m_shelf.fill(m_bench.session.scene(), m_input);
        if (!solo())
            refresh();
        return;
    }
    makeCurrent();
    for (const Subject& subject : m_bench.session.scene().subjects) {
        if (!subject.isMesh())
            continue;
        for (const Level& level : subject.mesh().levels)
            if (level.mesh && m_gl.warm(level.mesh)) {
                doneCurrent();
                return;
            }
    }
    doneCurrent();
    m_warm.stop();
}

} // namespace thicket::app
