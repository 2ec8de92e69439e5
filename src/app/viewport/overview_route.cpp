// The overview's route, whose keys are dragged over the ground, and its map of what places cost.

#include "app/look/look.h"
#include "app/viewport/overview.h"
#include "app/viewport/to_qt.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

void Overview::setRouteTime(double seconds) {
    m_time = seconds;
    update();
}

/// Places of a sweep: from cool to warm up to the budget; beyond, the more it is over the redder and larger. The dearest
/// are marked.
void Overview::makeSweepDots() {
    m_sweepDots.clear();
    update();
    if (m_bench.budget.sweep() == nullptr)
        return;
    const Sweep& sweep = *m_bench.budget.sweep();
    const Device* device = m_bench.session.scene().currentDevice();
    const double budget = device != nullptr ? device->frameMs : 8;
    constexpr std::size_t kMarked = 5;
    const auto marked = sweep.dearest.begin() + static_cast<std::ptrdiff_t>(std::min(kMarked, sweep.dearest.size()));
    const double worst = sweep.dearest.empty() ? budget : sweep.places[sweep.dearest.front()].ms;
    const auto mixed = [](const QColor& a, const QColor& b, double share) {
        const auto t = static_cast<float>(share);
        return QColor::fromRgbF(a.redF() + t * (b.redF() - a.redF()), a.greenF() + t * (b.greenF() - a.greenF()),
                                a.blueF() + t * (b.blueF() - a.blueF()));
    };
    for (std::size_t i = 0; i < sweep.places.size(); ++i) {
        const SweepPlace& p = sweep.places[i];
        const double beyond = std::clamp((p.ms - budget) / std::max(worst - budget, 1e-9), 0.0, 1.0);
        const QColor color = p.over ? mixed(GlScene::heatColor(1), Look::now().over, std::sqrt(beyond))
                                    : GlScene::heatColor(0.9 * p.ms / budget);
        const bool dear = std::find(sweep.dearest.begin(), marked, i) != marked;
        const auto across = static_cast<float>(3.5 + 3.5 * p.ms / std::max(worst, 1e-9));
        m_sweepDots.push_back({static_cast<float>(p.x), static_cast<float>(p.eye), static_cast<float>(p.z),
                               color.redF(), color.greenF(), color.blueF(), dear ? 1.0F : 0.8F, dear ? 12.0F : across});
    }
}

std::vector<QVector3D> Overview::routeLines() const {
    const Route* route = m_bench.routes.current();
    if (route == nullptr || route->length() <= 0)
        return {};
    constexpr int kPieces = 200;
    std::vector<QVector3D> out;
    QVector3D before = toQt(route->keys.front().eye);
    for (int i = 1; i <= kPieces; ++i) {
        const QVector3D at = toQt(viewOnRoute(*route, View(), route->length() * i / kPieces).eye);
        out.insert(out.end(), {before, at});
        before = at;
    }
    return out;
}

std::vector<GlScene::Dot> Overview::keyDots() const {
    const Route* route = m_bench.routes.current();
    std::vector<GlScene::Dot> out;
    if (route == nullptr || route->keys.empty())
        return out;
    const auto add = [&out](const Vec3d& at, const QColor& color, float pixels) {
        out.push_back({static_cast<float>(at.x()), static_cast<float>(at.y()), static_cast<float>(at.z()), color.redF(),
                       color.greenF(), color.blueF(), 1, pixels});
    };
    for (std::size_t k = 0; k < route->keys.size(); ++k)
        add(route->keys[k].eye, m_key == k ? Look::now().text : Look::now().accent, 9);
    if (route->length() > 0)
        add(viewOnRoute(*route, View(), m_time).eye, Look::now().text, 7);
    return out;
}

std::optional<std::size_t> Overview::keyAt(const QPointF& at) const {
    const Route* route = m_bench.routes.current();
    std::optional<std::size_t> found;
    double nearest = 8; // pixels
    for (std::size_t k = 0; route != nullptr && k < route->keys.size(); ++k)
        if (const auto place = onScreen(route->keys[k].eye); place && QLineF(*place, at).length() < nearest) {
            nearest = QLineF(*place, at).length();
            found = k;
        }
    return found;
}

std::optional<double> Overview::timeAt(const QPointF& at) const {
    const Route* route = m_bench.routes.current();
    if (route == nullptr || route->length() <= 0)
        return std::nullopt;
    constexpr int kPieces = 400;
    std::optional<double> found;
    double nearest = 7; // pixels
    for (int i = 0; i <= kPieces; ++i) {
        const double seconds = route->length() * i / kPieces;
        const auto place = onScreen(viewOnRoute(*route, View(), seconds).eye);
        if (place && QLineF(*place, at).length() < nearest) {
            nearest = QLineF(*place, at).length();
            found = seconds;
        }
    }
    return found;
}

/// Over the plane at the key's own height.
void Overview::dragKey(const QPointF& to) {
    const Route* route = m_bench.routes.current();
    if (route == nullptr || !m_key || *m_key >= route->keys.size())
        return;
    const View view = ownView();
    const double tall = std::tan(view.fovY / 2);
    const Vec3d ray = view.forward +
                      view.forward.cross(view.up) * ((2 * to.x() / std::max(1, width()) - 1) * tall * view.aspect) +
                      view.up * ((1 - 2 * to.y() / std::max(1, height())) * tall);
    const Vec3d eye = route->keys[*m_key].eye;
    const double t = (eye.y() - view.eye.y()) / ray.y();
    constexpr double kFarthest = 40; // times as far as what is looked at
    if (!(t > 0) || t * ray.norm() > kFarthest * m_camera.distance)
        return; // the plane is not under the mouse
    const Vec3d way = view.eye + t * ray - eye;
    m_bench.routes.moveKeyBy(*m_key, Vec3d(way.x(), 0, way.z()), QStringLiteral("ground key %1").arg(m_drags));
}

} // namespace thicket::app
