#include "app/viewport/overview.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

constexpr std::uint64_t kMostTriangles = 120'000; // the colours say which level it is; its shape may be a coarser one's
constexpr std::size_t kMostBoxes = 20'000;
constexpr int kAgainMs = 60;

constexpr int kBoxEdges[12][2] = {{0, 1}, {2, 3}, {4, 5}, {6, 7}, {0, 2}, {1, 3},
                                  {4, 6}, {5, 7}, {0, 4}, {1, 5}, {2, 6}, {3, 7}};

void addBox(const std::array<Vec3d, 8>& corners, std::vector<QVector3D>& lines) {
    for (const auto& edge : kBoxEdges)
        for (const int end : edge)
            lines.push_back(toQt(corners[static_cast<std::size_t>(end)]));
}

/// Whether the camera is within a copy's sphere, as it is over the ground: then its colour would drown all others.
bool standsIn(const View& view, const CopyArrays& copies, std::size_t i) {
    return (copies.centre[i] - view.eye).norm() < copies.radius[i];
}

} // namespace

Overview::Overview(Workbench& bench, Viewport& shot, QWidget* parent)
    : QOpenGLWidget(parent), m_bench(bench), m_shot(shot), m_legend(new QLabel(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Overview"));
    setToolTip(tr("What the shot camera selected, seen from elsewhere. Drag to turn, Shift-drag to move, wheel to go "
                  "nearer, Home to fit"));
    m_legend->setAttribute(Qt::WA_TransparentForMouseEvents);
    m_legend->setTextFormat(Qt::RichText);
    m_later.setSingleShot(true);
    m_later.setInterval(kAgainMs);
    connect(&m_later, &QTimer::timeout, this, [this] {
        refreshLegend();
        update();
    });
    connect(&shot, &Viewport::selected, this, [this] {
        if (isVisible() && !m_later.isActive())
            m_later.start();
    });
    m_gl.setReadyListener(
        [this] { QMetaObject::invokeMethod(this, qOverload<>(&QWidget::update), Qt::QueuedConnection); });
}

Overview::~Overview() {
    makeCurrent();
    if (m_ready)
        m_gl.release();
    doneCurrent();
}

Vec3d Overview::eye() const {
    return m_pivot + m_distance * Vec3d(std::sin(m_yaw) * std::cos(m_pitch), std::sin(m_pitch),
                                        std::cos(m_yaw) * std::cos(m_pitch));
}

/// How far the shot camera's picture reaches: to the farthest copy that it draws.
double Overview::reachDrawn() const {
    const View view = m_shot.selectedView();
    double reach = 4 * view.nearMetres;
    const CopyArrays& copies = m_shot.selectable().copies;
    const auto& picks = m_shot.exact().picks;
    for (std::size_t i = 0; i < std::min(picks.size(), copies.size()); ++i)
        if (picks[i].culled == Culled::No && !standsIn(view, copies, i))
            reach = std::max(reach, (copies.centre[i] - view.eye).dot(view.forward) + copies.radius[i]);
    return std::min(reach, view.farMetres);
}

void Overview::fit() {
    const View view = m_shot.selectedView();
    const double reach = reachDrawn();
    m_pivot = view.eye + view.forward * (0.45 * reach);
    m_yaw = std::atan2(-view.forward.x(), -view.forward.z()) + 0.5;
    m_pitch = 0.75;
    m_distance = 1.15 * reach;
    m_fitted = true;
    refreshLegend();
    update();
}

void Overview::initializeGL() {
    m_ready = m_gl.initialize();
}

std::vector<std::pair<DrawItem, bool>> Overview::items() {
    const SelectScene& s = m_shot.selectable();
    const auto& picks = m_shot.exact().picks;
    const auto& subjects = m_bench.scene().subjects;
    const View view = m_shot.selectedView();
    std::vector<std::pair<DrawItem, bool>> out;
    m_drawn = 0;
    if (picks.size() != s.copies.size())
        return out;
    const auto levelOf = [&](std::size_t copy, std::size_t coarser) {
        const std::size_t last = subjects[s.copies.chain[copy]].levels.size() - 1;
        return std::min(static_cast<std::size_t>(picks[copy].level) + coarser, last);
    };
    std::size_t coarser = 0;
    for (; coarser < 8; ++coarser) {
        std::uint64_t triangles = 0;
        for (std::size_t i = 0; i < picks.size(); ++i)
            if (picks[i].culled == Culled::No)
                triangles += subjects[s.copies.chain[i]].levels[levelOf(i, coarser)].triangles;
        if (triangles <= kMostTriangles)
            break;
    }
    for (std::size_t i = 0; i < picks.size(); ++i) {
        if (picks[i].culled != Culled::No)
            continue;
        ++m_drawn;
        const Subject& subject = subjects[s.copies.chain[i]];
        const Level& level = subject.levels[levelOf(i, coarser)];
        DrawItem item;
        item.level = picks[i].level;
        item.mesh = level.mesh ? level.mesh : subject.levels.front().mesh;
        item.surfaces = surfacesOf(subject, level);
        item.model.translate(toQt(s.copies.position[i]));
        const Quatd& q = s.copies.rotation[i];
        item.model.rotate(QQuaternion(static_cast<float>(q.w()), static_cast<float>(q.x()), static_cast<float>(q.y()),
                                      static_cast<float>(q.z())));
        item.model.scale(static_cast<float>(s.copies.scale[i]));
        out.emplace_back(item, standsIn(view, s.copies, i));
    }
    return out;
}

std::vector<QVector3D> Overview::frustumLines() const {
    const View view = m_shot.selectedView();
    const double tall = std::tan(view.fovY / 2);
    const Vec3d right = view.forward.cross(view.up);
    std::array<Vec3d, 8> corners;
    for (std::size_t k = 0; k < corners.size(); ++k) {
        const double depth = (k & 4) != 0 ? reachDrawn() : view.nearMetres;
        corners[k] = view.eye + depth * (view.forward + ((k & 2) != 0 ? tall : -tall) * view.up +
                                         ((k & 1) != 0 ? tall : -tall) * view.aspect * right);
    }
    std::vector<QVector3D> lines;
    addBox(corners, lines);
    return lines;
}

Overview::Boxes Overview::copyBoxes() const {
    const SelectScene& s = m_shot.selectable();
    const auto& picks = m_shot.exact().picks;
    const View view = m_shot.selectedView();
    Boxes out;
    for (std::size_t i = 0; i < std::min({picks.size(), s.copies.size(), kMostBoxes}); ++i) {
        const auto corners = boxCorners(s.chains[s.copies.chain[i]], s.copies, i, 0);
        if (picks[i].culled != Culled::No) {
            addBox(corners, out.culled);
        } else if (!standsIn(view, s.copies, i)) {
            const auto level = static_cast<std::size_t>(picks[i].level);
            out.drawn.resize(std::max(out.drawn.size(), level + 1));
            addBox(corners, out.drawn[level]);
        }
    }
    return out;
}

void Overview::paintGL() {
    if (!m_ready)
        return;
    if (!m_fitted)
        fit();
    m_gl.forget();
    const Look& look = Look::now();
    const double ratio = devicePixelRatioF();
    View view = lookAt(m_bench.scene().view, eye(), m_pivot);
    view.aspect = static_cast<double>(width()) / std::max(1, height());
    view.nearMetres = m_distance * 0.002;
    view.farMetres = m_distance * 60;
    const QMatrix4x4 matrix = viewProjectionOf(view);
    m_gl.begin(look.viewTop, look.viewBottom, static_cast<int>(width() * ratio), static_cast<int>(height() * ratio));
    for (const auto& [item, ground] : items())
        m_gl.draw(item, matrix, toQt(view.eye), ground ? Shading::Shaded : Shading::Levels);
    const Boxes boxes = copyBoxes();
    for (std::size_t i = 0; i < boxes.drawn.size(); ++i) // small things are seen by their boxes
        m_gl.lines(matrix, boxes.drawn[i], Look::level(static_cast<int>(i)));
    m_hollow = static_cast<int>(boxes.culled.size() / 24);
    QColor quiet = look.text;
    quiet.setAlphaF(0.5F);
    m_gl.lines(matrix, boxes.culled, quiet);
    m_gl.lines(matrix, frustumLines(), look.accent);
    m_gl.end();
}

void Overview::refreshLegend() {
    const Selection& s = m_shot.exact();
    int coarsest = 0;
    for (const Pick& p : s.picks)
        coarsest = std::max(coarsest, static_cast<int>(p.level));
    QString text = QStringLiteral("<span style='color:%1'>▱</span> %2")
                       .arg(Look::now().accent.name(), m_shot.frozen() ? tr("frozen shot") : tr("shot camera"));
    for (int i = 0; i <= coarsest; ++i)
        text += QStringLiteral(" &nbsp;<span style='color:%1'>■</span> L%2").arg(Look::level(i).name()).arg(i);
    text += tr(" &nbsp;▢ %1 culled").arg(s.picks.size() - s.drawn);
    m_legend->setText(text);
    QColor back = Look::now().ground;
    m_legend->setStyleSheet(QStringLiteral("QLabel { background: rgba(%1,%2,%3,220); color: %4; padding: 4px 8px; "
                                           "border-radius: 5px; }")
                                .arg(back.red())
                                .arg(back.green())
                                .arg(back.blue())
                                .arg(Look::now().text.name()));
    m_legend->setFont(Look::font(11));
    m_legend->adjustSize();
    m_legend->move(8, height() - m_legend->height() - 8);
}

void Overview::resizeEvent(QResizeEvent* event) {
    QOpenGLWidget::resizeEvent(event);
    m_legend->move(8, height() - m_legend->height() - 8);
}

void Overview::mousePressEvent(QMouseEvent* event) {
    m_last = event->position();
    setFocus(Qt::MouseFocusReason);
}

void Overview::mouseMoveEvent(QMouseEvent* event) {
    const QPointF d = event->position() - m_last;
    m_last = event->position();
    if (event->buttons() == Qt::NoButton)
        return;
    if (event->buttons().testFlag(Qt::LeftButton) && !event->modifiers().testFlag(Qt::ShiftModifier)) {
        m_yaw -= d.x() * 0.008;
        m_pitch = std::clamp(m_pitch + d.y() * 0.008, -1.45, 1.5);
    } else {
        const View view = lookAt(m_bench.scene().view, eye(), m_pivot);
        const double scale = 2 * m_distance * std::tan(view.fovY / 2) / std::max(1, height());
        m_pivot += (-view.forward.cross(view.up) * d.x() + view.up * d.y()) * scale;
    }
    update();
}

void Overview::wheelEvent(QWheelEvent* event) {
    const double steps =
        event->pixelDelta().isNull() ? event->angleDelta().y() / 120.0 : event->pixelDelta().y() / 40.0;
    m_distance = std::clamp(m_distance * std::pow(0.86, steps), 0.01, 1e6);
    update();
    event->accept();
}

void Overview::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Left:
        m_yaw += 0.08;
        break;
    case Qt::Key_Right:
        m_yaw -= 0.08;
        break;
    case Qt::Key_Up:
        m_pitch = std::min(m_pitch + 0.06, 1.5);
        break;
    case Qt::Key_Down:
        m_pitch = std::max(m_pitch - 0.06, -1.45);
        break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        m_distance *= 0.86;
        break;
    case Qt::Key_Minus:
        m_distance /= 0.86;
        break;
    default:
        QOpenGLWidget::keyPressEvent(event);
        return;
    }
    update();
}

} // namespace thicket::app
