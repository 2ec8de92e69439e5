#include "app/viewport/viewport.h"

#include "bake/pop.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "scene/grounds.h"
#include "switching/explain.h"

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

/// What was just brought in has no view of its own yet: the camera goes where the first can be seen.
void Viewport::lookAtFirst() {
    if (solo() || m_sceneViewSet || !indexOf(m_input, m_bench.session.subjectId()))
        return;
    frameSelection();
    m_sceneViewSet = true;
}

/// From above, as much of a field as its copies can be told apart in. False: it is none.
bool Viewport::lookOver(const Subject& subject) {
    const InstancesBody* body = subject.instances();
    if (body == nullptr || body->copies->empty())
        return false;
    constexpr double kCopies = 60; // times as far away as one is wide
    double widest = 0;
    for (const std::uint32_t id : body->assets)
        if (const Subject* asset = m_bench.session.scene().findMesh(id))
            widest = std::max(widest, asset->radius);
    m_sceneOrbit.pivot = subject.bounds.centre();
    m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.35);
    m_sceneOrbit.distance = std::min(0.8 * subject.bounds.diagonal(), kCopies * widest);
    return true;
}

/// As after a change of unit: from where the camera stands it is a speck, or all round it.
bool Viewport::isOfAnotherSize() const {
    constexpr double kMuch = 2;
    const Subject* subject = m_bench.session.subject();
    if (subject == nullptr || m_framedAcross <= 0)
        return false;
    const double across = seenBox(*subject).diagonal();
    return across > kMuch * m_framedAcross || across * kMuch < m_framedAcross;
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

std::optional<View> Viewport::chosenView() const {
    return m_sceneViewSet ? std::optional(shotView()) : std::nullopt;
}

void Viewport::forgetView() {
    m_sceneViewSet = false;
    lookAtFirst();
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

std::optional<CopyRef> Viewport::nearest() const {
    const auto subject = indexOf(m_input, m_bench.session.subjectId());
    if (!subject)
        return std::nullopt;
    if (m_held.copy && m_held.copy->batch < m_input.batches.size()) {
        const Batch& batch = m_input.batches[m_held.copy->batch];
        if (batch.subject == *subject && batch.copies == m_held.of)
            return m_held.copy;
    }
    // Copies in front of the camera come first: the read-out speaks of what is seen.
    if (!m_nearest)
        m_nearest = nearestCopy(m_input, m_state, *subject, m_sceneOrbit.eye());
    return *m_nearest;
}

Pick Viewport::pick(CopyRef copy) const {
    return pickOf(m_input, selectedView(), m_selectedAt, selectionOptions(), m_state, copy);
}

double Viewport::subjectDistance() const {
    if (chosenGround() != nullptr) {
        const auto hit = groundLookedAt();
        if (!hit || hit->tile == nullptr)
            return hit ? hit->metres : -1;
        const Bounds b = m_input.grounds[hit->ground].tree->reachOf(hit->tile->ref);
        const Vec3d eye = shotView().eye;
        return (b.low - eye).cwiseMax(eye - b.high).cwiseMax(0).norm();
    }
    const auto copy = nearest();
    return copy ? decidingDistance(chainOf(*copy), placeOf(*copy), shotView()) : -1;
}

double Viewport::subjectFactor() const {
    const auto copy = nearest();
    if (!copy)
        return 1;
    const ResolvedChain& chain = chainOf(*copy);
    const bool grows =
        std::find(chain.growsWithScale.begin() + 1, chain.growsWithScale.end(), true) != chain.growsWithScale.end();
    return placeOf(*copy).importance * (grows ? placeOf(*copy).scale : 1.0);
}

void Viewport::standAt(double metres) {
    if (chosenGround() != nullptr) {
        standOnGroundAt(metres);
        return;
    }
    const auto copy = nearest();
    if (!copy)
        return;
    const ResolvedChain& chain = chainOf(*copy);
    const Placement& place = placeOf(*copy);
    const Vec3d centre = centreOf(place, chain.bounds);
    Vec3d way = m_sceneOrbit.eye() - centre;
    if (way.norm() < 1e-6)
        way = Vec3d(0, 0, 1);
    way.y() = std::max(way.y(), 0.05 * way.norm());
    way.normalize();
    // The measured distance (to the box, say) rises along the line, so bisection finds the place.
    double low = 0;
    double high = metres + 4 * chain.radius * place.scale + 1;
    View probe = shotView();
    for (int step = 0; step < 60; ++step) {
        const double middle = (low + high) / 2;
        probe = lookAt(probe, centre + way * middle, centre);
        const MeasureFrom from = chain.rule.measureFrom; // where it is decided from a target, walking changes nothing
        double& end = copyDistance(chain, place, probe, from) < metres ? low : high;
        end = middle;
    }
    m_held = {copy, m_input.batches[copy->batch].copies,
              m_held.clicked}; // walking past another copy does not change which one it is
    lookFrom(centre + way * high, centre);
}

void Viewport::standWhereItSwitches(double metres, int level) {
    const auto copy = nearest();
    if (!copy)
        return;
    // A field is looked at from where its switches are judged: as one who walks there sees it.
    if (const Subject* s = m_bench.session.subject(); s != nullptr && s->instances() != nullptr) {
        const Vec3d centre = centreOf(placeOf(*copy), chainOf(*copy).bounds);
        Vec3d way = m_sceneOrbit.eye() - centre;
        way.y() = std::tan(PopOptions().elevation) * std::max(std::hypot(way.x(), way.z()), 1e-3);
        m_sceneOrbit.lookFrom(centre + way, centre);
    }
    const auto& grows = chainOf(*copy).growsWithScale;
    const auto at = static_cast<std::size_t>(level);
    standAt(metres * (at < grows.size() && grows[at] ? placeOf(*copy).scale : 1));
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

std::optional<std::pair<double, double>> Viewport::walkEnds() const {
    if (const Subject* ground = chosenGround()) {
        const double last = groundChain(*ground, m_bench.session.scene().statedView()).fromMetres.back();
        return std::pair(20.0, std::clamp(last * 1.3, 400.0, 2 * ground->radius + 400));
    }
    const auto copy = nearest();
    if (!copy)
        return std::nullopt;
    const ResolvedChain& chain = chainOf(*copy);
    const double scale = placeOf(*copy).scale;
    const double from = std::max(0.6 * chain.radius * scale, 0.2);
    return std::pair(from, std::max(chain.fromMetres.back() * scale * 1.6, from * 20));
}

void Viewport::walkBack() {
    const auto ends = walkEnds();
    if (!ends)
        return;
    if (m_walk.isActive()) {
        m_walk.stop();
        return;
    }
    std::tie(m_walkNear, m_walkFar) = *ends;
    m_walkPhase = 0;
    m_walk.start();
}

Viewport::Reading Viewport::reading() const {
    Reading out;
    const auto copy = nearest();
    if (!copy)
        return out;
    const ResolvedChain& chain = chainOf(*copy);
    const Placement& place = placeOf(*copy);
    const Pick picked = pick(*copy);
    out.metres = subjectDistance();
    out.height =
        screenHeight(shotView(), chain.radius * place.scale, (centreOf(place, chain.bounds) - shotView().eye).norm());
    if (picked.level >= 0) {
        out.level = picked.level;
        out.triangles = chain.levels[static_cast<std::size_t>(picked.level)].triangles;
        out.errorPx = picked.errorPx;
    }
    return out;
}

std::uint32_t Viewport::nearestPlacement() const {
    const auto copy = nearest();
    return copy && !m_input.batches[copy->batch].strands ? placeOf(*copy).id : 0;
}

QString Viewport::why() const {
    const auto copy = nearest();
    if (!copy)
        return {};
    return QString::fromStdString(
        explainPick(chainOf(*copy), placeOf(*copy), selectedView(), selectionOptions(), pick(*copy)));
}

void Viewport::stopWalk() {
    m_walk.stop();
}

void Viewport::frameSelection() {
    const Subject* subject = m_bench.session.subject();
    if (subject == nullptr)
        return;
    m_framed = subject->id;
    m_framedAcross = 0;
    if (solo()) {
        const Bounds bounds = seenBox(*subject);
        m_framedAcross = bounds.diagonal();
        const double radius = subject->isMesh() ? subject->radius : bounds.diagonal() / 2;
        double wide = radius;
        m_soloOrbit.pivot = bounds.centre();
        if (comparing(Arrangement::LineUp)) {
            const auto offsets = lineUpOffsets(*subject);
            wide = std::max(radius, (offsets.back() - offsets.front()) / 2 + bounds.size().x() / 2);
            m_soloOrbit.yaw = 0.0;
            m_soloOrbit.pitch = 0.12;
            const double aspect = height() > 0 ? static_cast<double>(width()) / height() : 1.6;
            const double half = std::tan(m_bench.session.scene().settings.view.fovY / 2);
            const double tall = bounds.size().y() / 2 + bounds.size().z() / 4;
            m_soloOrbit.distance = 1.03 * std::max(wide / (half * aspect), tall / half * 1.3) + bounds.size().z() / 2;
        } else {
            m_soloOrbit.distance = 1.15 * radius / std::sin(m_bench.session.scene().settings.view.fovY / 2);
        }
    } else if (chosenGround() != nullptr) {
        const Vec3d middle = subject->bounds.centre();
        m_groundPlace.reset();
        m_sceneOrbit.pivot = {
            middle.x(), subject->terrain()->heights->heightAt(middle.x(), middle.z()).value_or(middle.y()), middle.z()};
        m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.35);
        m_sceneOrbit.distance = 0.5 * subject->radius;
    } else if (!m_sceneViewSet && lookOver(*subject)) {
        // Its copies stand all round it else.
    } else {
        const auto copy = nearest();
        if (!copy)
            return;
        const ResolvedChain& chain = chainOf(*copy);
        m_sceneOrbit.pivot = centreOf(placeOf(*copy), chain.bounds);
        m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.08);
        m_sceneOrbit.distance =
            1.3 * chain.radius * placeOf(*copy).scale / std::sin(m_bench.session.scene().settings.view.fovY / 2);
    }
    moved();
}

void Viewport::framePlace(const Vec3d& place, double radius) {
    orbit().pivot = place;
    const Subject* subject = m_bench.session.meshSubject();
    orbit().distance = std::max(6 * radius, subject != nullptr ? 0.12 * subject->radius : 0.1);
    moved();
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
