// Frames in motion: light enough to follow one another smoothly, and in steps, so that the window answers between them.

#include "app/look/look.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {
constexpr double kQuickMs = 6; // drawn in one step, and where it can be straight into the window
constexpr qint64 kMotionStepMs = 14;
constexpr qint64 kMotionFirstMs = 8; // after it was selected and listed
constexpr qint64 kLongestMs = 1000;
constexpr std::uint64_t kPiece = 12'000; // triangles between looks at the clock
} // namespace

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
    stepMotion(quick ? kLongestMs : kMotionFirstMs);
}

/// Goes on with the moving frame, or begins the next one, when the window has answered what it was asked meanwhile.
/// Nothing is shown until it is done, so the window need not be put together before.
void Viewport::nextOfMotion() {
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
        m_nextOfMotion.start();
}

/// Keeps what is shown, so that it can be shown until there is a frame of the window's new size.
void Viewport::keepShown() {
    if (!m_ready || !m_pictureStands || m_kept)
        return;
    makeCurrent();
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::NoAttachment);
    m_kept = std::make_unique<QOpenGLFramebufferObject>(m_shownSize, format);
    m_gl.enlarge(defaultFramebufferObject(), m_shownSize, m_kept->handle(), QRect(QPoint(0, 0), m_shownSize));
    doneCurrent();
}

/// As the new size shows it: what the camera sees from top to bottom stays the same.
void Viewport::showKept(const QSize& pixels) {
    const GlScene::Counts shown = m_gl.counts();
    const Look& look = Look::now();
    m_gl.begin(look.viewTop, look.viewBottom, pixels.width(), pixels.height());
    m_gl.end();
    m_gl.setCounts(shown);
    const QSize kept = m_kept->size();
    const int across = static_cast<int>(static_cast<double>(kept.width()) * pixels.height() / kept.height());
    m_gl.enlarge(m_kept->handle(), kept, defaultFramebufferObject(),
                 QRect((pixels.width() - across) / 2, 0, across, pixels.height()));
    m_kept.reset();
    m_shownSize = pixels;
}

/// The moving frame that is done comes into the window.
void Viewport::showMotion(const QSize& pixels) {
    const QSize drawn = m_quick->size();
    QElapsedTimer timer;
    timer.start();
    m_gl.enlarge(m_quick->handle(), drawn, defaultFramebufferObject(), QRect(QPoint(0, 0), pixels));
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
    m_shown = m_gl.counts();
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

} // namespace thicket::app
