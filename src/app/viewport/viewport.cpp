#include "app/viewport/viewport.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "switching/explain.h"

#include <QOpenGLFunctions>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr double kMovingFrameMs = 45; // a little under a twentieth of a second
constexpr int kRestMs = 220;
constexpr qint64 kRestStepMs = 20;
constexpr std::uint32_t kRestPiece = 40'000; // triangles between looks at the clock
constexpr double kMostFactor = 64;
constexpr std::uint64_t kFew = 30'000; // so light that triangles are not what takes the time

} // namespace

Vec3d Viewport::Orbit::back() const {
    return {std::sin(yaw) * std::cos(pitch), std::sin(pitch), std::cos(yaw) * std::cos(pitch)};
}

Viewport::Viewport(Workbench& bench, QWidget* parent)
    : QOpenGLWidget(parent), m_bench(bench), m_overlay(new ViewportOverlay(*this)) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Viewport"));
    setMouseTracking(true);
    setMinimumSize(180, 110);
    m_clock.start();
    m_rest.setSingleShot(true);
    m_rest.setInterval(kRestMs);
    connect(&m_rest, &QTimer::timeout, this, [this] {
        if (m_stroke) {
            m_rest.start(); // the exact picture waits for the end of the stroke, which is laid on a light one
            return;
        }
        m_moving = false;
        update();
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
    connect(&m_fades, &QTimer::timeout, this, [this] { update(); });
    m_flicker.setInterval(450);
    connect(&m_flicker, &QTimer::timeout, this, [this] {
        if (--m_flickers <= 0)
            m_flicker.stop();
        update();
    });
    m_play.setInterval(33);
    connect(&m_play, &QTimer::timeout, this, &Viewport::playOn);
    m_warm.setInterval(25);
    connect(&m_warm, &QTimer::timeout, this, &Viewport::warmOne);
    m_gl.setReadyListener([this] {
        QMetaObject::invokeMethod(
            this,
            [this] {
                m_restMatrix.fill(0);
                update();
            },
            Qt::QueuedConnection);
    });
    setUpdateBehavior(QOpenGLWidget::PartialUpdate); // the last picture stays while the next one is drawn
    connect(&bench.document, &Document::sceneChanged, this, &Viewport::rebuild);
    connect(&bench, &Workbench::dragChanged, this, [this] { moved(); });
    connect(&bench, &Workbench::heatChanged, this, qOverload<>(&QWidget::update));
    connect(&bench, &Workbench::careChanged, this, qOverload<>(&QWidget::update));
    connect(&bench, &Workbench::selectionChanged, this, [this] {
        if (m_playSubject != m_bench.subjectId())
            toRest();
        if (solo() && m_framed != m_bench.subjectId())
            frameSelection();
        moved(); // a light picture at once, the exact one when it is ready: never an old one under new words
    });
    rebuild();
}

Viewport::~Viewport() {
    makeCurrent();
    m_smooth.reset();
    if (m_ready)
        m_gl.release();
    doneCurrent();
}

void Viewport::setStage(Stage stage) {
    const bool was = solo();
    m_stage = stage;
    stopWalk();
    m_flicker.stop();
    toRest();
    if (solo() && (!was || m_framed != m_bench.subjectId()))
        frameSelection();
    // Meshes that were just brought in have no view of their own yet: the camera goes where the first can be seen.
    if (!solo() && !m_sceneViewSet && m_bench.subject() != nullptr) {
        m_sceneViewSet = true;
        frameSelection();
    }
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
    m_selectable = selectScene(m_bench.scene(), shotView());
    m_shelf.fill(m_bench.scene(), m_selectable);
    if (m_selectable.copies.size() != m_memory.size()) {
        m_heldCopy = -1;
        m_memory.clear();
        m_lightMemory.clear();
    }
    m_frozen.reset(); // what was held may not be there any more
    if (solo() && m_framed != m_bench.subjectId())
        frameSelection();
    selectNow();
    m_warm.start();
    moved();
}

View Viewport::shotView() const {
    View view = lookAt(m_bench.scene().statedView(), m_sceneOrbit.eye(), m_sceneOrbit.pivot);
    view.aspect = height() > 0 ? static_cast<double>(width()) / height() : view.aspect;
    return view;
}

void Viewport::setShotView(const Vec3d& eye, const Vec3d& target) {
    m_heldCopy = -1;
    lookFrom(eye, target);
}

void Viewport::lookFrom(const Vec3d& eye, const Vec3d& target) {
    const Vec3d back = eye - target;
    m_sceneOrbit.distance = std::max(back.norm(), 1e-3);
    m_sceneOrbit.pivot = target;
    m_sceneOrbit.pitch = std::asin(std::clamp(back.y() / m_sceneOrbit.distance, -1.0, 1.0));
    m_sceneOrbit.yaw = std::atan2(back.x(), back.z());
    m_sceneViewSet = true;
    moved();
}

void Viewport::setRouteTime(double seconds) {
    if (m_bench.scene().routes.empty() || m_bench.scene().routes.front().keys.empty())
        return;
    const View view = viewOnRoute(m_bench.scene().routes.front(), m_bench.scene().statedView(), seconds);
    setShotView(view.eye, view.eye + view.forward * std::max(m_sceneOrbit.distance, 1.0));
}

void Viewport::selectNow() {
    if (!m_frozen) {
        const View view = shotView();
        measureSpeed(view);
        // A chain is resolved for the field and lines of the stated view alone; the camera's place does not change it.
        select(m_selectable.chains, m_selectable.copies, view, static_cast<double>(m_clock.elapsed()) / 1000,
               selectionOptions(), m_memory, m_exact);
    }
    emit selected();
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
    SelectOptions options = selectOptions(m_bench.scene(), m_selectable, m_speed);
    if (m_stage == Stage::Switch) {
        options.cullView = m_culling.cullView;
        options.cullReach = m_culling.cullReach;
        options.cullSmall = m_culling.cullSmall;
        options.cullHidden = m_culling.cullHidden;
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

std::optional<std::array<std::uint64_t, 4>> Viewport::cullingSaves() const {
    constexpr std::size_t kMostCopies = 50'000; // five selections of so many take about 25 ms
    if (m_selectable.copies.size() > kMostCopies)
        return std::nullopt;
    std::array<std::uint64_t, 4> out{};
    SelectOptions all = selectOptions(m_bench.scene(), m_selectable, m_speed);
    all.fades = false;
    const auto triangles = [this](const SelectOptions& options) {
        std::vector<PickMemory> memory = m_memory;
        Selection selection;
        select(m_selectable.chains, m_selectable.copies, selectedView(), static_cast<double>(m_clock.elapsed()) / 1000,
               options, memory, selection);
        return selection.triangles;
    };
    const std::uint64_t now = triangles(all);
    for (std::size_t i = 0; i < out.size(); ++i) {
        SelectOptions without = all;
        (i == 0   ? without.cullView
         : i == 1 ? without.cullReach
         : i == 2 ? without.cullSmall
                  : without.cullHidden) = false;
        const std::uint64_t then = triangles(without);
        out[i] = then > now ? then - now : 0;
    }
    return out;
}

int Viewport::nearestCopy() const {
    const auto ofSubject = [this](std::size_t i) {
        return m_selectable.subjectOfChain[m_selectable.copies.chain[i]] == m_bench.subjectId();
    };
    if (m_heldCopy >= 0 && m_heldCopy < static_cast<int>(m_selectable.copies.size()) &&
        ofSubject(static_cast<std::size_t>(m_heldCopy)))
        return m_heldCopy;
    int best = -1;
    double nearest = 1e300;
    for (std::size_t i = 0; i < m_selectable.copies.size(); ++i) {
        if (!ofSubject(i))
            continue;
        // Copies in front of the camera come first: the read-out speaks of what is seen.
        const bool seen = i < m_exact.picks.size() && m_exact.picks[i].culled != Culled::OutOfView;
        const double distance = (m_selectable.copies.centre[i] - m_sceneOrbit.eye()).norm() + (seen ? 0 : 1e9);
        if (distance < nearest) {
            nearest = distance;
            best = static_cast<int>(i);
        }
    }
    return best;
}

double Viewport::subjectDistance() const {
    const int copy = nearestCopy();
    if (copy < 0)
        return -1;
    const auto i = static_cast<std::size_t>(copy);
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[i]];
    return decidingDistance(chain, m_selectable.copies, i, shotView());
}

double Viewport::subjectFactor() const {
    const int copy = nearestCopy();
    if (copy < 0)
        return 1;
    const auto i = static_cast<std::size_t>(copy);
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[i]];
    const bool grows =
        std::find(chain.growsWithScale.begin() + 1, chain.growsWithScale.end(), true) != chain.growsWithScale.end();
    const double own = m_selectable.copies.importance.empty() ? 1.0 : m_selectable.copies.importance[i];
    return own * (grows ? m_selectable.copies.scale[i] : 1.0);
}

void Viewport::standAt(double metres) {
    const int copy = nearestCopy();
    if (copy < 0)
        return;
    const auto i = static_cast<std::size_t>(copy);
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[i]];
    const Vec3d centre = m_selectable.copies.centre[i];
    Vec3d way = m_sceneOrbit.eye() - centre;
    if (way.norm() < 1e-6)
        way = Vec3d(0, 0, 1);
    way.y() = std::max(way.y(), 0.05 * way.norm());
    way.normalize();
    // The measured distance (to the box, say) rises along the line, so bisection finds the place.
    double low = 0;
    double high = metres + 4 * m_selectable.copies.radius[i] + 1;
    View probe = shotView();
    for (int step = 0; step < 60; ++step) {
        const double middle = (low + high) / 2;
        probe = lookAt(probe, centre + way * middle, centre);
        const MeasureFrom from = chain.rule.measureFrom; // where it is decided from a target, walking changes nothing
        (copyDistance(chain, m_selectable.copies, i, probe, from) < metres ? low : high) = middle;
    }
    m_heldCopy = copy; // walking past another copy does not change which one this is about
    lookFrom(centre + way * high, centre);
}

void Viewport::standWhereItSwitches(double metres, int level) {
    const int copy = nearestCopy();
    if (copy < 0)
        return;
    const auto i = static_cast<std::size_t>(copy);
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[i]];
    const auto at = static_cast<std::size_t>(level);
    standAt(metres * (at < chain.growsWithScale.size() && chain.growsWithScale[at] ? m_selectable.copies.scale[i] : 1));
}

void Viewport::flicker(int finer, int coarser) {
    constexpr int kTimes = 12;
    m_flickerSubject = m_bench.subjectId();
    m_flickerFiner = finer;
    m_flickerCoarser = coarser;
    m_flickers = kTimes;
    m_flicker.start();
    update();
}

std::optional<std::pair<double, double>> Viewport::walkEnds() const {
    const int copy = nearestCopy();
    if (copy < 0)
        return std::nullopt;
    const auto i = static_cast<std::size_t>(copy);
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[i]];
    const double scale = m_selectable.copies.scale[i];
    const double nearest = std::max(0.6 * chain.radius * scale, 0.2);
    return std::pair(nearest, std::max(chain.fromMetres.back() * scale * 1.6, nearest * 20));
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
    const int copy = nearestCopy();
    if (copy < 0 || copy >= static_cast<int>(m_exact.picks.size()))
        return out;
    const Pick& pick = m_exact.picks[static_cast<std::size_t>(copy)];
    const ResolvedChain& chain = m_selectable.chains[m_selectable.copies.chain[static_cast<std::size_t>(copy)]];
    out.metres = subjectDistance();
    out.height = screenHeight(shotView(), m_selectable.copies.radius[static_cast<std::size_t>(copy)],
                              (m_selectable.copies.centre[static_cast<std::size_t>(copy)] - shotView().eye).norm());
    if (pick.culled == Culled::No) {
        out.level = pick.level;
        out.triangles = chain.levels[static_cast<std::size_t>(pick.level)].triangles;
        out.errorPx = static_cast<double>(pick.errorPx);
    }
    return out;
}

std::uint32_t Viewport::nearestPlacement() const {
    const int copy = nearestCopy();
    return copy < 0 ? 0 : m_selectable.placementOf[static_cast<std::size_t>(copy)];
}

QString Viewport::why() const {
    const int copy = nearestCopy();
    if (copy < 0 || copy >= static_cast<int>(std::min(m_exact.picks.size(), m_memory.size())))
        return {};
    const auto i = static_cast<std::size_t>(copy);
    return QString::fromStdString(explainPick(m_selectable.chains[m_selectable.copies.chain[i]], m_selectable.copies, i,
                                              selectedView(), selectionOptions(), m_exact.picks[i], m_memory[i],
                                              static_cast<double>(m_clock.elapsed()) / 1000));
}

void Viewport::stopWalk() {
    m_walk.stop();
}

void Viewport::frameSelection() {
    const Subject* subject = m_bench.subject();
    if (subject == nullptr)
        return;
    m_framed = subject->id;
    if (solo()) {
        double wide = subject->radius;
        m_soloOrbit.pivot = subject->bounds.centre();
        if (comparing(Arrangement::LineUp)) {
            const auto offsets = lineUpOffsets(*subject);
            wide = std::max(subject->radius, (offsets.back() - offsets.front()) / 2 + subject->bounds.size().x() / 2);
            m_soloOrbit.yaw = 0.0;
            m_soloOrbit.pitch = 0.12;
            const double aspect = height() > 0 ? static_cast<double>(width()) / height() : 1.6;
            const double half = std::tan(m_bench.scene().view.fovY / 2);
            const double tall = subject->bounds.size().y() / 2 + subject->bounds.size().z() / 4;
            m_soloOrbit.distance =
                1.03 * std::max(wide / (half * aspect), tall / half * 1.3) + subject->bounds.size().z() / 2;
        } else {
            m_soloOrbit.distance = 1.15 * subject->radius / std::sin(m_bench.scene().view.fovY / 2);
        }
    } else {
        const int copy = nearestCopy();
        if (copy < 0)
            return;
        const auto i = static_cast<std::size_t>(copy);
        m_sceneOrbit.pivot = m_selectable.copies.centre[i];
        m_sceneOrbit.pitch = std::max(m_sceneOrbit.pitch, 0.08);
        m_sceneOrbit.distance = 1.3 * m_selectable.copies.radius[i] / std::sin(m_bench.scene().view.fovY / 2);
    }
    moved();
}

void Viewport::framePlace(const Vec3d& place, double radius) {
    orbit().pivot = place;
    const Subject* subject = m_bench.subject();
    orbit().distance = std::max(6 * radius, subject != nullptr ? 0.03 * subject->radius : 0.1);
    moved();
}

void Viewport::initializeGL() {
    m_ready = m_gl.initialize();
}

void Viewport::adapt(double ms) {
    if (solo()) {
        const double drawn = static_cast<double>(std::max<std::uint64_t>(m_gl.triangles(), 1));
        if (ms > kMovingFrameMs * 1.1)
            m_soloBudget = std::max(3000.0, std::min(m_soloBudget, drawn) * std::max(0.35, kMovingFrameMs / ms));
        else if (ms < kMovingFrameMs * 0.6)
            m_soloBudget = std::min(m_soloBudget * 1.25, 2e7);
        return;
    }
    if (ms > kMovingFrameMs * 1.1)
        m_factor = std::min(m_factor * std::min(1.7, std::sqrt(ms / kMovingFrameMs)), kMostFactor);
    else if (ms < kMovingFrameMs * 0.7)
        m_factor = std::max(1.0, m_factor * 0.94);
    // What a triangle takes here, so that the first frame of the next motion is light enough already.
    const double each = ms / static_cast<double>(std::max<std::uint64_t>(m_gl.triangles(), 1));
    if (m_gl.triangles() > kFew)
        m_msPerTriangle += 0.2 * (each - m_msPerTriangle);
}

void Viewport::selectLight() {
    SelectOptions options = selectionOptions();
    options.occluders = nullptr; // what the exact selection found hidden is left out below
    while (true) {
        options.allowanceFactor = m_factor;
        select(m_selectable.chains, m_selectable.copies, shotView(), static_cast<double>(m_clock.elapsed()) / 1000,
               options, m_lightMemory, m_light);
        const auto triangles = static_cast<double>(m_light.triangles);
        if (m_factor >= kMostFactor || triangles < kFew || triangles * m_msPerTriangle < 1.5 * kMovingFrameMs)
            break;
        m_factor = std::min(m_factor * 1.3, kMostFactor);
    }
    for (std::size_t i = 0; i < std::min(m_light.picks.size(), m_exact.picks.size()); ++i)
        if (m_exact.picks[i].culled == Culled::Hidden)
            m_light.picks[i].culled = Culled::Hidden;
}

void Viewport::warmOne() {
    if (m_moving || !m_ready)
        return;
    if (m_shelf.makeOne(m_bench.scene())) {
        m_shelf.fill(m_bench.scene(), m_selectable);
        if (!solo())
            update();
        return;
    }
    makeCurrent();
    for (const Subject& subject : m_bench.scene().subjects)
        for (const Level& level : subject.levels)
            if (level.mesh && m_gl.warm(level.mesh)) {
                doneCurrent();
                return;
            }
    doneCurrent();
    m_warm.stop();
}

double Viewport::gridSquare() const {
    const double reach = solo() ? m_soloOrbit.distance : m_sceneOrbit.distance;
    double square = std::pow(10, std::floor(std::log10(std::max(reach / 6, 1e-4))));
    for (const double step : {2.0, 5.0, 10.0})
        if (square * step <= reach / 6)
            return square * step;
    return square;
}

void Viewport::drawGrid(const QMatrix4x4& viewProjection) {
    if (!solo() || m_bench.subject() == nullptr)
        return;
    QVector3D at = toQt(m_soloOrbit.pivot);
    at.setY(static_cast<float>(m_bench.subject()->bounds.low.y()));
    m_gl.grid(viewProjection, at, static_cast<float>(gridSquare()), 24);
}

/// Goes on with the exact picture for as long as a frame may take; true when it stands.
bool Viewport::drawRest(std::vector<DrawItem> items, const View& view, const QMatrix4x4& viewProjection,
                        const QSize& pixels) {
    if (!m_smooth || m_smooth->size() != pixels) {
        QOpenGLFramebufferObjectFormat format;
        format.setSamples(4);
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        m_smooth = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
        m_restItems.clear();
        m_restNext = 0;
        m_restDone = m_pictureStands = false;
        m_restMatrix.fill(0);
    }
    m_smooth->bind();
    if (m_restMatrix != viewProjection || m_restShading != m_shading || m_restItems != items) {
        m_restItems = std::move(items);
        m_restMatrix = viewProjection;
        m_restEye = toQt(view.eye);
        m_restShading = m_shading;
        m_restNext = 0;
        m_restTriangle = 0;
        m_restDone = false;
        const Look& look = Look::now();
        m_gl.begin(look.viewTop, look.viewBottom, pixels.width(), pixels.height());
    }
    if (!m_restDone)
        stepRest();
    if (m_restDone)
        m_gl.resolve(m_smooth->handle(), defaultFramebufferObject(), pixels.width(), pixels.height());
    return m_restDone;
}

/// Goes on with the picture at rest for as long as the window may be kept waiting, and comes again until it is done.
/// The window is put together anew only then.
void Viewport::stepRest() {
    m_smooth->bind();
    m_gl.resume(m_smooth->width(), m_smooth->height());
    QElapsedTimer timer;
    timer.start();
    while (!m_restDone && (!m_pictureStands || timer.elapsed() < kRestStepMs)) {
        if (m_restNext == m_restItems.size()) {
            drawGrid(m_restMatrix);
            m_restDone = true;
            break;
        }
        m_restTriangle =
            m_gl.draw(m_restItems[m_restNext], m_restMatrix, m_restEye, m_shading, m_restTriangle, kRestPiece);
        m_restNext += m_restTriangle == 0 ? 1 : 0;
        context()->functions()->glFinish();
    }
    m_gl.end();
    if (m_restDone || m_restWaiting)
        return;
    m_restWaiting = true;
    QTimer::singleShot(0, this, [this] {
        m_restWaiting = false;
        if (m_moving || m_restDone || m_restShading != m_shading)
            return;
        makeCurrent();
        stepRest();
        doneCurrent();
        if (m_restDone)
            update();
    });
}

void Viewport::paintGL() {
    if (!m_ready)
        return; // the overlay says so
    QElapsedTimer timer;
    timer.start();
    m_gl.forget();
    const Look& look = Look::now();
    const double ratio = devicePixelRatioF();
    const QSize pixels(static_cast<int>(width() * ratio), static_cast<int>(height() * ratio));
    const double aspect = static_cast<double>(width()) / std::max(1, height());
    View view = solo() ? lookAt(m_bench.scene().statedView(), m_soloOrbit.eye(), m_soloOrbit.pivot) : shotView();
    const double size = solo() && m_bench.subject() != nullptr ? m_bench.subject()->radius : 100;
    view.nearMetres = solo() ? std::max(1e-4, (m_soloOrbit.distance - 8 * size) > 0 ? m_soloOrbit.distance - 8 * size
                                                                                    : m_soloOrbit.distance * 0.01)
                             : view.nearMetres;
    view.farMetres = solo() ? m_soloOrbit.distance + 60 * size : view.farMetres;
    view.aspect = aspect;
    const QMatrix4x4 viewProjection = viewProjectionOf(view);

    QElapsedTimer preparing;
    preparing.start();
    selectNow();
    const bool fading = !solo() && std::any_of(m_exact.picks.begin(), m_exact.picks.end(),
                                               [](const Pick& p) { return p.fadingFrom >= 0; });
    if (m_moving && !solo() && !m_frozen)
        selectLight();
    else
        m_lightMemory = m_memory;
    const bool light = m_moving && !solo() && !m_frozen && m_factor > 1.01;
    std::vector<DrawItem> items = solo() ? soloItems() : sceneItems(light ? m_light : m_exact);
    m_prepareMs = static_cast<double>(preparing.nsecsElapsed()) * 1e-6;
    // Smooth edges cost most of a frame in software rendering, so they are for the picture at rest.
    if (m_moving || fading) {
        m_gl.begin(look.viewTop, look.viewBottom, pixels.width(), pixels.height());
        for (const DrawItem& item : items)
            m_gl.draw(item, viewProjection, toQt(view.eye), m_shading);
        drawGrid(viewProjection);
        m_gl.end();
        m_factorDrawn = light ? m_factor : 1;
        m_pictureStands = true;
        m_restDone = false;
        m_restMatrix.fill(0); // whatever comes to rest next is drawn anew
    } else if (drawRest(std::move(items), view, viewProjection, pixels)) {
        m_factorDrawn = 1;
        m_pictureStands = true;
    }
    if (m_moving) {
        context()->functions()->glFinish();
        m_frameMs = static_cast<double>(timer.nsecsElapsed()) * 1e-6 + m_afterMs;
        adapt(m_frameMs);
        // The window then puts its parts together, which in software rendering takes as long as many a frame.
        const qint64 painted = m_clock.nsecsElapsed();
        QTimer::singleShot(0, this, [this, painted] {
            const double after = static_cast<double>(m_clock.nsecsElapsed() - painted) * 1e-6;
            m_afterMs += 0.2 * (std::min(after, kMovingFrameMs) - m_afterMs);
        });
    }
    m_viewProjection = viewProjection;
    m_overlay->update();
    if (fading != m_fades.isActive())
        fading ? m_fades.start() : m_fades.stop();
}

} // namespace thicket::app
