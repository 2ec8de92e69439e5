// Drawing a frame: a light one in motion, the exact one at rest, which comes about piece by piece.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <algorithm>
#include <cmath>
#include <utility>

namespace thicket::app {
namespace {
constexpr qint64 kExactMs = 150;
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
    // Where something lighter is drawn, what is exact is only read off: every other frame or so is enough for that, and
    // the first has what came to rest before it.
    const bool begins = m_lightState.batches.empty();
    if (!light || (!begins && m_sinceExact.elapsed() >= kExactMs)) {
        selectNow();
        m_sinceExact.start();
    }
    if (!light)
        m_lightState = {};
    else if (begins) {
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

void Viewport::setHaze() {
    constexpr double kHaze = 1800; // metres: what is nearer than a hundred keeps all but a few thousandths
    m_gl.setHaze(solo() ? 0 : kHaze);
}

QSize Viewport::pixelSize() const {
    const double ratio = devicePixelRatioF();
    return {static_cast<int>(width() * ratio), static_cast<int>(height() * ratio)};
}

void Viewport::paintGL() {
    if (!m_ready)
        return; // the overlay says so
    m_overlayComes = std::exchange(m_overlayAsked, false);
    m_gl.forget();
    const QSize pixels = pixelSize();
    if (m_kept) {
        showKept(pixels);
        m_nextOfMotion.start();
        return;
    }
    if (m_shownSize != pixels)
        m_pictureStands = false; // another screen: what was shown is gone
    m_shownSize = pixels;
    if (m_moving && m_motion.valid()) {
        if (m_motion.shading() != m_shading)
            m_motion.forget();
        else if (m_motion.making())
            return; // what is shown stays until it is done
        else {
            showMotion(pixels);
            finishFrame();
            if (m_movedOn)
                m_nextOfMotion.start();
            return;
        }
    }
    if (!m_moving)
        m_motion.forget();
    else if (m_motionInSteps && m_pictureStands) {
        m_nextOfMotion.start(); // what is shown stays meanwhile
        return;
    }
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
        m_shown = m_gl.counts();
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
    m_refreshAsked = m_overlayAsked = true;
    m_overlay->update();
    update();
}

void Viewport::finishFrame() {
    if (!m_overlayComes)
        m_overlay->update();
    m_refreshAsked = false;
    emit painted();
}

} // namespace thicket::app
