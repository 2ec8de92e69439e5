// Drawing a frame: a light one in motion, the exact one at rest, which comes about piece by piece.

#include "app/look/look.h"
#include "app/viewport/scene_items.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {
constexpr qint64 kRestStepMs = 20;
constexpr double kLongRestMs = 250;
constexpr qint64 kExactMs = 100;
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
    if (!m_restPicture.done())
        stepRest();
    if (m_restPicture.done()) {
        m_gl.resolve(m_smooth->handle(), defaultFramebufferObject(), pixels.width(), pixels.height());
        return Rests::Smooth;
    }
    if (!m_plainStands)
        return Rests::Nothing;
    m_gl.resolve(m_plain->handle(), defaultFramebufferObject(), pixels.width(), pixels.height());
    return Rests::Plain;
}

void Viewport::clearRest() {
    m_restMs = 0;
    (m_plainFirst && !m_plainStands ? m_plain : m_smooth)->bind();
    const Look& look = Look::now();
    m_gl.begin(look.viewTop, look.viewBottom, m_smooth->width(), m_smooth->height());
}

/// Goes on with the picture at rest for as long as the window may be kept waiting, and comes again until it is done.
/// The window is put together anew only then.
void Viewport::stepRest() {
    (m_plainFirst && !m_plainStands ? m_plain : m_smooth)->bind();
    m_gl.resume(m_smooth->width(), m_smooth->height());
    QElapsedTimer timer;
    timer.start();
    while (!m_restPicture.done() && (!m_pictureStands || timer.elapsed() < kRestStepMs)) {
        m_restPicture.step(
            [this](const DrawItem& item, const QVector3D& eye, std::uint64_t from, std::uint64_t most) {
                return m_gl.draw(item, m_restPicture.matrix(), eye, m_restPicture.shading(), from, most);
            },
            [this] { drawGrid(m_restPicture.matrix()); });
        m_gl.waitForLastBut(m_restPicture.done() ? 0 : 1);
    }
    m_gl.end();
    m_restMs += static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    if (m_restPicture.done() && m_plainFirst && !m_plainStands) {
        m_plainStands = true;
        m_restPicture.again();
        clearRest();
        update(); // shows it, and goes on
        return;
    }
    if (m_restPicture.done()) {
        m_budget.restTook(m_restMs, m_gl.triangles());
        m_lastRestMs = m_restMs;
    }
    if (m_restPicture.done() || m_restWaiting)
        return;
    m_restWaiting = true;
    QTimer::singleShot(0, this, [this] {
        m_restWaiting = false;
        if (m_moving || m_restPicture.done() || m_restPicture.shading() != m_shading)
            return;
        makeCurrent();
        stepRest();
        doneCurrent();
        if (m_restPicture.done())
            update();
    });
}

/// What a moving frame is drawn into: the window itself, or something smaller where that would take too long. Its size.
QSize Viewport::bindQuick(const QSize& pixels) {
    const double scale = m_budget.scale();
    if (scale >= 1)
        return pixels;
    const QSize size(std::max(1, static_cast<int>(pixels.width() * scale)),
                     std::max(1, static_cast<int>(pixels.height() * scale)));
    if (!m_quick || m_quick->size() != size) {
        QOpenGLFramebufferObjectFormat format;
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        m_quick = std::make_unique<QOpenGLFramebufferObject>(size, format);
    }
    m_quick->bind();
    return size;
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
    View view = solo() ? m_soloOrbit.view(m_bench.session.scene().statedView()) : shotView();
    const double size = soloSubject() != nullptr ? soloSubject()->radius : 100;
    view.nearMetres = solo() ? std::max(1e-4, (m_soloOrbit.distance - 8 * size) > 0 ? m_soloOrbit.distance - 8 * size
                                                                                    : m_soloOrbit.distance * 0.01)
                             : view.nearMetres;
    view.farMetres = solo() ? m_soloOrbit.distance + 60 * size : view.farMetres;
    view.aspect = aspect;
    const QMatrix4x4 viewProjection = viewProjectionOf(view);

    constexpr double kHaze = 1800; // metres: what is nearer than a hundred keeps all but a few thousandths
    m_gl.setHaze(solo() ? 0 : kHaze);
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
    const bool fading = !solo() && m_exact.total.fading > 0;
    if (!light)
        m_lightState = {};
    else if (m_lightState.batches.empty()) {
        m_lightState = m_state; // levels begin where they are
        m_lightBegins = true;
    }
    if (light)
        selectLight();
    std::vector<DrawItem> items = solo() ? soloItems() : sceneItems(light ? m_light : m_exact);
    m_prepareMs = static_cast<double>(preparing.nsecsElapsed()) * 1e-6;
    m_restShown = m_plainShown = false;
    // Smooth edges cost most of a frame in software rendering, so they are for the picture at rest.
    QSize drawn = pixels;
    if (m_moving || fading) {
        if (m_moving)
            drawn = bindQuick(pixels);
        m_gl.begin(look.viewTop, look.viewBottom, drawn.width(), drawn.height());
        for (const DrawItem& item : items)
            m_gl.draw(item, viewProjection, toQt(view.eye), m_shading);
        drawGrid(viewProjection);
        m_gl.end();
        if (drawn != pixels)
            m_gl.enlarge(m_quick->handle(), drawn, defaultFramebufferObject(), pixels);
        m_factorDrawn = light ? m_budget.factor() : solo() ? m_factorDrawn : 1;
        m_pictureStands = true;
        m_restPicture.forget();
    } else {
        // Smoke has no edges to be made smooth, and may move while everything else rests: it is laid over the picture.
        std::optional<DrawItem> particles;
        if (!items.empty() && items.back().particles) {
            particles = std::move(items.back());
            items.pop_back();
        }
        const Rests rests = drawRest(std::move(items), view, viewProjection, pixels);
        if (rests != Rests::Nothing) {
            if (particles) {
                m_gl.resume(pixels.width(), pixels.height());
                m_gl.draw(*particles, viewProjection, toQt(view.eye), m_shading);
                m_gl.end();
            }
            m_factorDrawn = 1;
            m_pictureStands = true;
            m_restShown = rests == Rests::Smooth;
            m_plainShown = rests == Rests::Plain;
        }
    }
    if (m_moving) {
        context()->functions()->glFinish();
        const double ms = static_cast<double>(timer.nsecsElapsed()) * 1e-6;
        m_frameMs = ms + m_budget.windowMs();
        const auto areaOf = [](const QSize& of) { return static_cast<double>(of.width()) * of.height(); };
        if (solo())
            m_budget.soloTook(ms - m_prepareMs, m_prepareMs, m_gl.triangles(), areaOf(drawn), areaOf(pixels));
        else
            m_budget.sceneTook(ms - m_prepareMs, m_prepareMs, m_gl.triangles(), areaOf(drawn), areaOf(pixels));
        // The window then puts its parts together, which in software rendering takes as long as many a frame.
        const qint64 painted = m_clock.nsecsElapsed();
        QTimer::singleShot(0, this, [this, painted] {
            m_budget.windowTook(static_cast<double>(m_clock.nsecsElapsed() - painted) * 1e-6);
        });
    }
    m_viewProjection = viewProjection;
    m_overlay->update();
    emit painted();
    if (fading && !m_fades.isActive())
        m_fades.start();
    else if (!fading)
        m_fades.stop();
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
    m_groundTiles.add(m_bench.session.scene(), m_input, selection, items);
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
