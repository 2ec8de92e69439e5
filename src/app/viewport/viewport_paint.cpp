// Drawing a frame: a light one in motion, the exact one at rest, which comes about piece by piece.

#include "app/look/look.h"
#include "app/viewport/scene_items.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <algorithm>
#include <cmath>
#include <utility>

namespace thicket::app {
namespace {
constexpr qint64 kRestStepMs = 12;
constexpr std::uint64_t kPiece = 12'000; // triangles between looks at the clock
constexpr double kLongRestMs = 250;
constexpr qint64 kExactMs = 150;
// Of a moving frame; the first step comes after selecting and before the window is put together.
constexpr double kQuickMs = 6; // drawn in one step, and where it can be straight into the window
constexpr qint64 kMotionStepMs = 14;
constexpr qint64 kMotionFirstMs = 8;
constexpr qint64 kLongestMs = 1000;
} // namespace

double Viewport::gridSquare() const {
    const double reach = solo() ? m_soloOrbit.distance : m_sceneOrbit.distance;
    double square = std::pow(10, std::floor(std::log10(std::max(reach / 6, 1e-4))));
    for (const double step : {2.0, 5.0, 10.0})
        if (square * step <= reach / 6)
            return square * step;
    return square;
}

void Viewport::drawGrid(const QMatrix4x4& viewProjection) {
    if (soloSubject() == nullptr)
        return;
    QVector3D at = toQt(m_soloOrbit.pivot);
    at.setY(static_cast<float>(soloSubject()->emitter() != nullptr ? 0 : soloSubject()->bounds.low.y()));
    m_gl.grid(viewProjection, at, static_cast<float>(gridSquare()), 24);
}

/// Goes on with the exact picture for as long as a frame may take. Smooth edges take most of the time in software
/// rendering: where they did, the picture is drawn without them first.
Viewport::Rests Viewport::drawRest(std::vector<DrawItem> items, const View& view, const QMatrix4x4& viewProjection,
                                   const QSize& pixels) {
    if (!m_smooth || m_smooth->size() != pixels) {
        QOpenGLFramebufferObjectFormat format;
        format.setSamples(4);
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        m_smooth = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
        m_pictureStands = false;
        m_restPicture.forget();
    }
    m_smooth->bind();
    if (!m_restPicture.isOf(items, viewProjection, m_shading)) {
        m_restPicture.begin(std::move(items), viewProjection, toQt(view.eye), m_shading);
        m_plainFirst = m_lastRestMs > kLongRestMs;
        m_plainStands = false;
        if (m_plainFirst && (!m_plain || m_plain->size() != pixels)) {
            QOpenGLFramebufferObjectFormat format;
            format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
            m_plain = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
        }
        clearRest();
    }
    // Where nothing stands yet, the window waits for it.
    if (!m_restPicture.done() && !m_pictureStands)
        stepRest();
    if (!m_restPicture.done())
        goOnWithRest();
    return bringRest(pixels);
}

/// What there is of the picture at rest comes into the window.
Viewport::Rests Viewport::bringRest(const QSize& pixels) {
    if (m_restPicture.done()) {
        m_gl.resolve(m_smooth->handle(), defaultFramebufferObject(), pixels.width(), pixels.height());
        return Rests::Smooth;
    }
    if (!m_plainStands)
        return Rests::Nothing;
    m_gl.resolve(m_plain->handle(), defaultFramebufferObject(), pixels.width(), pixels.height());
    return Rests::Plain;
}

/// Begins the picture at rest. What is shown stays until there is more to see, so the window need not be put together
/// for it.
void Viewport::beginRest() {
    if (!m_ready || !m_pictureStands || solo()) {
        refresh();
        return;
    }
    makeCurrent();
    m_gl.forget();
    m_motion.forget();
    setHaze();
    Frame frame = frameFrom(frameView());
    bool stands = m_exact.total.fading > 0;
    if (!stands) {
        m_restParticles = takeParticles(frame);
        stands = drawRest(std::move(frame.items), frame.view, frame.viewProjection, pixelSize()) != Rests::Nothing;
    }
    doneCurrent();
    m_restShown = m_plainShown = false;
    if (stands)
        refresh();
}

/// Smoke has no edges to be made smooth, and may move while everything else rests: it is laid over the picture.
std::optional<DrawItem> Viewport::takeParticles(Frame& frame) {
    if (frame.items.empty() || !frame.items.back().particles)
        return std::nullopt;
    DrawItem out = std::move(frame.items.back());
    frame.items.pop_back();
    return out;
}

void Viewport::clearRest() {
    m_restMs = 0;
    (m_plainFirst && !m_plainStands ? m_plain : m_smooth)->bind();
    const Look& look = Look::now();
    m_gl.begin(look.viewTop, look.viewBottom, m_smooth->width(), m_smooth->height());
}

/// Goes on with the picture at rest for as long as the window may be kept waiting.
void Viewport::stepRest() {
    (m_plainFirst && !m_plainStands ? m_plain : m_smooth)->bind();
    m_gl.resume(m_smooth->width(), m_smooth->height());
    QElapsedTimer timer;
    timer.start();
    while (!m_restPicture.done() && (!m_pictureStands || timer.elapsed() < kRestStepMs)) {
        drawPiece(m_restPicture,
                  m_plainFirst && !m_plainStands ? kPiece : kPiece / 3); // smooth edges take so much longer
        m_gl.waitForLastBut(m_restPicture.done() ? 0 : 1);
    }
    m_gl.end();
    m_restMs += static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    if (m_restPicture.done() && m_plainFirst && !m_plainStands) {
        m_plainStands = true;
        m_restPicture.again();
        clearRest();
        return;
    }
    if (m_restPicture.done()) {
        m_budget.restTook(m_restMs, m_gl.triangles());
        m_lastRestMs = m_restMs;
    }
}

/// Goes on with it when the window has answered what it was asked meanwhile, until it is done. The window is put together
/// anew only when there is more to see.
void Viewport::goOnWithRest() {
    if (m_restWaiting)
        return;
    m_restWaiting = true;
    QTimer::singleShot(0, this, [this] {
        m_restWaiting = false;
        if (m_moving || !m_restPicture.making() || m_restPicture.shading() != m_shading)
            return;
        const bool plainStood = m_plainStands;
        makeCurrent();
        stepRest();
        doneCurrent();
        if (!m_restPicture.done())
            goOnWithRest();
        if (m_restPicture.done() || m_plainStands != plainStood)
            QTimer::singleShot(0, this, &Viewport::askForRest);
    });
}

/// Nothing but the picture at rest is new: nothing is selected for that, or read off.
void Viewport::askForRest() {
    refresh();
    m_restAlone = true;
}

void Viewport::showRest(Rests rests, const View& view, const QSize& pixels) {
    if (rests == Rests::Nothing)
        return;
    if (m_restParticles) {
        m_gl.resume(pixels.width(), pixels.height());
        m_gl.draw(*m_restParticles, viewProjectionOf(view), toQt(view.eye), m_shading);
        m_gl.end();
    }
    m_factorDrawn = 1;
    m_pictureStands = true;
    m_restShown = rests == Rests::Smooth;
    m_plainShown = rests == Rests::Plain;
}

/// What a moving frame has of the window's pixels, where all of them would take too long.
QSize Viewport::quickSize(const QSize& pixels) const {
    const double scale = m_budget.scale();
    return scale >= 1 ? pixels
                      : QSize(std::max(1, static_cast<int>(pixels.width() * scale)),
                              std::max(1, static_cast<int>(pixels.height() * scale)));
}

void Viewport::bindQuick(const QSize& size) {
    if (!m_quick || m_quick->size() != size) {
        QOpenGLFramebufferObjectFormat format;
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        m_quick = std::make_unique<QOpenGLFramebufferObject>(size, format);
    }
    m_quick->bind();
}

View Viewport::frameView() const {
    View view = solo() ? m_soloOrbit.view(m_bench.session.scene().statedView()) : shotView();
    const double size = soloSubject() != nullptr ? soloSubject()->radius : 100;
    view.nearMetres = solo() ? std::max(1e-4, (m_soloOrbit.distance - 8 * size) > 0 ? m_soloOrbit.distance - 8 * size
                                                                                    : m_soloOrbit.distance * 0.01)
                             : view.nearMetres;
    view.farMetres = solo() ? m_soloOrbit.distance + 60 * size : view.farMetres;
    view.aspect = static_cast<double>(width()) / std::max(1, height());
    return view;
}

/// Selects and lists: a light frame in motion, the exact one at rest.
Viewport::Frame Viewport::frameFrom(const View& view) {
    QElapsedTimer preparing;
    preparing.start();
    if (!m_frozen)
        measureSpeed(shotView());
    // A fade at rest is drawn with all there is. Where that takes too long, what comes to rest has switched already.
    m_sudden = !m_moving && !solo() && m_budget.tooLong(m_exact.total.triangles);
    const bool light =
        m_moving && !solo() && !m_frozen && (m_budget.factor() > 1.01 || m_budget.lighten(m_exact.total.triangles));
    // Where something lighter is drawn, what is exact is only read off: every other frame or so is enough for that.
    if (!light || m_lightState.batches.empty() || m_sinceExact.elapsed() >= kExactMs) {
        selectNow();
        m_sinceExact.start();
    }
    if (!light)
        m_lightState = {};
    else if (m_lightState.batches.empty()) {
        m_lightState = m_state; // levels begin where they are
        m_lightBegins = true;
    }
    if (light)
        selectLight();
    Frame out;
    out.view = view;
    out.viewProjection = viewProjectionOf(view);
    const int halvings = light ? m_budget.halvingsOf(groundTriangles(m_light)) : 0;
    out.items = solo() ? soloItems() : sceneItems(light ? m_light : m_exact, halvings);
    out.factor = light ? m_budget.factor() : solo() ? m_factorDrawn : 1;
    if (!solo()) {
        const Selection& selection = light ? m_light : m_exact;
        const std::uint64_t ground = groundTriangles(selection);
        out.triangles = selection.total.triangles - ground + (ground >> (2 * halvings));
    } else
        for (const DrawItem& item : out.items)
            out.triangles += item.triangles();
    m_prepareMs = static_cast<double>(preparing.nsecsElapsed()) * 1e-6;
    return out;
}

std::uint64_t Viewport::groundTriangles(const Selection& selection) const {
    std::uint64_t out = 0;
    for (const GroundBatch& ground : m_input.grounds)
        out += selection.subjects[ground.subject].triangles;
    return out;
}

/// A frame in motion: at once where that is known to be quick, else in steps that keep the window waiting no longer
/// than it may be.
void Viewport::drawMoving(Frame frame, const QSize& pixels, bool intoWindow) {
    const Look& look = Look::now();
    const QSize drawn = quickSize(pixels);
    const bool quick = m_budget.within(kQuickMs, frame.triangles, static_cast<double>(drawn.width()) * drawn.height());
    const bool straight = quick && intoWindow && drawn == pixels;
    if (!straight)
        bindQuick(drawn);
    m_motionInSteps = !quick;
    m_motionShown = counts();
    m_restPicture.forget();
    m_motionMs = 0;
    m_motionFactor = frame.factor;
    m_movedOn = false;
    m_motion.begin(std::move(frame.items), frame.viewProjection, toQt(frame.view.eye), m_shading);
    m_gl.begin(look.viewTop, look.viewBottom, drawn.width(), drawn.height());
    if (straight) {
        QElapsedTimer timer;
        timer.start();
        while (!m_motion.done())
            drawPiece(m_motion, kPiece);
        m_gl.end();
        context()->functions()->glFinish();
        m_motionMs = static_cast<double>(timer.nsecsElapsed()) * 1e-6;
        motionShown(pixels, pixels);
        return;
    }
    stepMotion(quick ? kLongestMs : intoWindow ? kMotionFirstMs : kMotionStepMs);
}

/// Goes on with the moving frame, or begins the next one, when the window has answered what it was asked meanwhile.
/// Nothing is shown until it is done, so the window need not be put together before.
void Viewport::goOnWithMotion() {
    if (m_motionWaiting)
        return;
    m_motionWaiting = true;
    QTimer::singleShot(0, this, [this] {
        m_motionWaiting = false;
        if (!m_moving || !m_ready || m_motion.done())
            return;
        makeCurrent();
        if (m_motion.making()) {
            stepMotion(kMotionStepMs);
        } else {
            m_gl.forget();
            setHaze();
            drawMoving(frameFrom(frameView()), pixelSize(), false);
        }
        doneCurrent();
        if (!m_motion.done())
            return;
        // Not at once: putting the window together takes long enough by itself.
        QTimer::singleShot(0, this, [this] {
            emit aboutToShow();
            refresh();
        });
    });
}

void Viewport::setHaze() {
    constexpr double kHaze = 1800; // metres: what is nearer than a hundred keeps all but a few thousandths
    m_gl.setHaze(solo() ? 0 : kHaze);
}

QSize Viewport::pixelSize() const {
    const double ratio = devicePixelRatioF();
    return {static_cast<int>(width() * ratio), static_cast<int>(height() * ratio)};
}

/// As many items as make a piece that is worth waiting for: each wait has the driver finish all that was begun.
void Viewport::drawPiece(SteppedPicture& picture, std::uint64_t triangles) {
    const std::uint64_t before = m_gl.triangles();
    while (!picture.done() && m_gl.triangles() < before + triangles)
        picture.step(
            [&](const DrawItem& item, const QVector3D& eye, std::uint64_t from, std::uint64_t most) {
                return m_gl.draw(item, picture.matrix(), eye, picture.shading(), from, most);
            },
            triangles, [&] { drawGrid(picture.matrix()); });
}

/// Goes on with the moving frame. The window is put together anew only when it is done.
void Viewport::stepMotion(qint64 mostMs) {
    m_quick->bind();
    m_gl.resume(m_quick->width(), m_quick->height());
    QElapsedTimer timer;
    timer.start();
    while (!m_motion.done() && timer.elapsed() < mostMs) {
        drawPiece(m_motion, kPiece);
        m_gl.waitForLastBut(m_motion.done() ? 0 : 1);
    }
    m_gl.end();
    m_motionMs += static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    if (!m_motion.done())
        goOnWithMotion();
}

/// The moving frame that is done comes into the window.
void Viewport::showMotion(const QSize& pixels) {
    const QSize drawn = m_quick->size();
    QElapsedTimer timer;
    timer.start();
    m_gl.enlarge(m_quick->handle(), drawn, defaultFramebufferObject(), pixels);
    context()->functions()->glFinish();
    m_motionMs += static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    motionShown(drawn, pixels);
}

void Viewport::motionShown(const QSize& drawn, const QSize& pixels) {
    m_viewProjection = m_motion.matrix();
    m_factorDrawn = m_motionFactor;
    m_pictureStands = true;
    m_restShown = m_plainShown = false;
    m_motion.forget();
    m_frameMs = m_motionMs + m_prepareMs + m_budget.windowMs();
    const auto areaOf = [](const QSize& of) { return static_cast<double>(of.width()) * of.height(); };
    if (solo())
        m_budget.soloTook(m_motionMs, m_prepareMs, m_gl.triangles(), areaOf(drawn), areaOf(pixels));
    else
        m_budget.sceneTook(m_motionMs, m_prepareMs, m_gl.triangles(), areaOf(drawn), areaOf(pixels));
    // The window then puts its parts together, which in software rendering takes as long as many a frame.
    const qint64 painted = m_clock.nsecsElapsed();
    QTimer::singleShot(0, this, [this, painted] {
        m_budget.windowTook(static_cast<double>(m_clock.nsecsElapsed() - painted) * 1e-6);
    });
}

void Viewport::paintGL() {
    if (!m_ready)
        return; // the overlay says so
    m_gl.forget();
    const QSize pixels = pixelSize();
    if (m_moving && m_motion.valid()) {
        if (m_motion.shading() != m_shading)
            m_motion.forget();
        else if (m_motion.making())
            return; // what is shown stays until it is done
        else {
            showMotion(pixels);
            finishFrame();
            if (m_movedOn)
                goOnWithMotion();
            return;
        }
    }
    if (!m_moving)
        m_motion.forget();
    setHaze();
    if (std::exchange(m_restAlone, false) && !m_moving && m_smooth && m_smooth->size() == pixels &&
        m_restPicture.valid() && m_restPicture.shading() == m_shading) {
        const View view = frameView();
        showRest(bringRest(pixels), view, pixels);
        finishFrame();
        return;
    }
    Frame frame = frameFrom(frameView());
    const bool fading = !solo() && m_exact.total.fading > 0;
    // Smooth edges cost most of a frame in software rendering, so they are for the picture at rest.
    if (m_moving) {
        drawMoving(std::move(frame), pixels, true);
        if (m_motion.making())
            return; // nothing new is shown yet
        if (m_motion.done())
            showMotion(pixels);
    } else if (fading) {
        const Look& look = Look::now();
        m_gl.begin(look.viewTop, look.viewBottom, pixels.width(), pixels.height());
        for (const DrawItem& item : frame.items)
            m_gl.draw(item, frame.viewProjection, toQt(frame.view.eye), m_shading);
        drawGrid(frame.viewProjection);
        m_gl.end();
        m_restShown = m_plainShown = false;
        m_factorDrawn = frame.factor;
        m_pictureStands = true;
        m_restPicture.forget();
        m_viewProjection = frame.viewProjection;
    } else {
        m_restShown = m_plainShown = false;
        m_viewProjection = frame.viewProjection;
        m_restParticles = takeParticles(frame);
        const Rests rests = drawRest(std::move(frame.items), frame.view, frame.viewProjection, pixels);
        showRest(rests, frame.view, pixels);
    }
    finishFrame();
    if (fading && !m_fades.isActive())
        m_fades.start();
    else if (!fading)
        m_fades.stop();
}

void Viewport::refresh() {
    m_restAlone = false;
    m_overlayAsked = true;
    m_overlay->update();
    update();
}

void Viewport::finishFrame() {
    if (!m_overlayAsked)
        m_overlay->update();
    m_overlayAsked = false;
    emit painted();
}

QImage Viewport::glance(double seconds, const QSize& size) {
    const Route* route = m_bench.budget.route();
    // While the picture at rest comes about it has the counts of what is drawn, and the machine.
    if (!m_ready || !settled() || route == nullptr || route->keys.empty() || size.isEmpty())
        return {};
    View view = viewOnRoute(*route, m_bench.session.scene().statedView(), seconds);
    view.aspect = static_cast<double>(size.width()) / size.height();
    // As light as so few lines allow, and twice that: it is to be known again, not to be measured.
    SelectOptions options = selectOptions(m_bench.session.scene(), 0);
    options.fades = false;
    options.allowanceFactor = 2 * static_cast<double>(view.lines) / size.height();
    options.smallFactor = std::sqrt(options.allowanceFactor);
    options.keepFactor = 0.25;
    SelectState state;
    Selection selection;
    select(m_input, view, 0, options, state, selection);
    std::vector<DrawItem> items;
    m_groundTiles.add(m_bench.session.scene(), m_input, selection, 0, items);
    const auto copies = itemsOf(m_bench.session.scene(), m_input, selection, view, options, m_views);
    items.insert(items.end(), copies.begin(), copies.end());
    makeCurrent();
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
    QOpenGLFramebufferObject target(size, format);
    target.bind();
    const Look& look = Look::now();
    const GlScene::Counts shown = m_gl.counts();
    m_gl.begin(look.viewTop, look.viewBottom, size.width(), size.height());
    for (const DrawItem& item : items)
        m_gl.draw(item, viewProjectionOf(view), toQt(view.eye), Shading::Shaded);
    m_gl.end();
    m_gl.setCounts(shown); // of the picture in the window
    QImage out = target.toImage().convertToFormat(QImage::Format_RGB32);
    doneCurrent();
    return out;
}

} // namespace thicket::app
