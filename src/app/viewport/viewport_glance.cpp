// Small pictures of moments of a route, made while the picture in the window stands.

#include "app/look/look.h"
#include "app/viewport/scene_items.h"
#include "app/viewport/to_qt.h"
#include "app/viewport/viewport.h"

#include <cmath>
#include <utility>

namespace thicket::app {
namespace {
constexpr qint64 kGlanceStepMs = 12;
constexpr std::uint64_t kGlancePiece = 12'000; // triangles between looks at the clock
} // namespace

std::optional<QImage> Viewport::glance(double seconds, const QSize& size) {
    const Route* route = m_bench.budget.route();
    // While the picture at rest comes about it has the machine.
    if (!m_ready || !settled() || route == nullptr || route->keys.empty() || size.isEmpty())
        return std::nullopt;
    View view = viewOnRoute(*route, m_bench.session.scene().statedView(), seconds);
    view.aspect = static_cast<double>(size.width()) / size.height();
    if (!m_glance.picture.valid() || m_glance.picture.matrix() != viewProjectionOf(view) ||
        m_glance.target->size() != size) {
        beginGlance(view, size);
        return QImage();
    }
    makeCurrent();
    m_gl.forget();
    m_glance.target->bind();
    const Look& look = Look::now();
    if (!std::exchange(m_glance.begun, true))
        m_gl.begin(look.viewTop, look.viewBottom, size.width(), size.height());
    else
        m_gl.resume(size.width(), size.height());
    QElapsedTimer timer;
    timer.start();
    while (!m_glance.picture.done() && timer.elapsed() < kGlanceStepMs) {
        drawPiece(m_glance.picture, kGlancePiece);
        m_gl.waitForLastBut(m_glance.picture.done() ? 0 : 1);
    }
    m_gl.end();
    QImage out;
    if (m_glance.picture.done()) {
        out = m_glance.target->toImage().convertToFormat(QImage::Format_RGB32);
        m_glance = {};
    }
    doneCurrent();
    return out;
}

/// Selects and lists what it shows: as light as so few lines allow, and twice that. It is to be known again, not to be
/// measured.
void Viewport::beginGlance(const View& view, const QSize& size) {
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
    m_glance = {};
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
    m_glance.target = std::make_unique<QOpenGLFramebufferObject>(size, format);
    m_glance.picture.begin(std::move(items), viewProjectionOf(view), toQt(view.eye), Shading::Shaded);
    doneCurrent();
}

} // namespace thicket::app
