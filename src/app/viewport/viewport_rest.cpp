// The picture at rest: it comes about piece by piece, without smooth edges first where these take long.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

namespace thicket::app {
namespace {
constexpr qint64 kRestStepMs = 12;
constexpr double kLongRestMs = 250;
constexpr std::uint64_t kPlainPiece = 12'000; // triangles between looks at the clock
constexpr std::uint64_t kSmoothPiece = 4'000; // each takes so much longer
} // namespace

/// Goes on with the exact picture for as long as a frame may take. Smooth edges take most of the time in software
/// rendering: where they did, the picture is drawn without them first.
Viewport::Rests Viewport::drawRest(std::vector<DrawItem> items, const View& view, const QMatrix4x4& viewProjection,
                                   const QSize& pixels) {
    if (!m_smooth || m_smooth->size() != pixels) {
        QOpenGLFramebufferObjectFormat format;
        format.setSamples(4);
        format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
        m_smooth = std::make_unique<QOpenGLFramebufferObject>(pixels, format);
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
        m_nextOfRest.start();
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
    m_restShown = m_plainShown = false; // what is shown may be of another time
    if (!m_ready || !m_pictureStands || !isVisible() || solo()) {
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
                  m_plainFirst && !m_plainStands ? kPlainPiece : kSmoothPiece); // smooth edges take so much longer
        m_gl.waitForLastBut(m_restPicture.done() ? 0 : 1);
    }
    m_gl.end();
    m_restMs += static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    if (m_restPicture.done())
        m_restCounts = m_gl.counts();
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
void Viewport::nextOfRest() {
    if (m_moving || !m_restPicture.making() || m_restPicture.shading() != m_shading)
        return;
    const bool plainStood = m_plainStands;
    makeCurrent();
    stepRest();
    doneCurrent();
    if (!m_restPicture.done())
        m_nextOfRest.start();
    if (m_restPicture.done() || m_plainStands != plainStood)
        QTimer::singleShot(0, this, &Viewport::askForRest);
}

/// Nothing but the picture at rest is new: nothing is selected for that, or read off. Not where something else was
/// asked for already.
void Viewport::askForRest() {
    const bool alone = !m_refreshAsked;
    refresh();
    m_restAlone = alone;
}

void Viewport::showRest(Rests rests, const View& view, const QSize& pixels) {
    if (rests == Rests::Nothing)
        return;
    m_shown = m_restCounts;
    if (m_restParticles) {
        m_gl.resume(pixels.width(), pixels.height());
        m_gl.draw(*m_restParticles, viewProjectionOf(view), toQt(view.eye), m_shading);
        m_gl.end();
        m_shown.particleTriangles = m_gl.counts().particleTriangles;
        m_shown.particleDraws = m_gl.counts().particleDraws;
    }
    m_factorDrawn = 1;
    m_pictureStands = true;
    m_restShown = rests == Rests::Smooth;
    m_plainShown = rests == Rests::Plain;
}

} // namespace thicket::app
