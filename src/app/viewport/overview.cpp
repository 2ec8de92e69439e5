#include "app/viewport/overview.h"

#include "app/look/look.h"
#include "app/viewport/to_qt.h"

#include <QMouseEvent>
#include <QPainter>
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

/// Whether the camera is within the sphere of a cell's only copy, as it is over the ground: then its colour would drown
/// all others.
bool standsIn(const View& view, const Batch& batch, const CellTable::Cell& cell) {
    return cell.count == 1 && (cell.origin - view.eye).norm() < batch.chain.radius * cell.mostScale;
}

/// Its copies are many and small: dots.
bool isField(const Batch& batch) {
    return batch.copies->asset.has_value();
}

/// Calls `each(batch, cell index)` for all cells of an input.
template <class Each> void eachCell(const SelectInput& input, const Each& each) {
    for (std::uint32_t b = 0; b < input.batches.size(); ++b)
        for (std::uint32_t c = 0; c < input.batches[b].copies->cells.size(); ++c)
            each(b, c);
}

} // namespace

Overview::Overview(Workbench& bench, Viewport& shot, QWidget* parent)
    : QOpenGLWidget(parent), m_bench(bench), m_shot(shot), m_legend(new QLabel(this)),
      m_numbers(new OverviewNumbers(this)) {
    m_numbers->setAttribute(Qt::WA_TransparentForMouseEvents);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Overview"));
    setToolTip(tr("What the shot camera selected, seen from elsewhere. Drag to turn, Shift-drag to move, wheel to go "
                  "nearer, Home to fit. In Budget keys of the route are dragged over the ground"));
    connect(&bench.budget, &BudgetModel::sweepChanged, this, &Overview::makeSweepDots);
    connect(&bench.session.document, &Document::sceneChanged, this, [this] { update(); });
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

/// How far the shot camera's picture reaches: to the farthest copy that it draws.
double Overview::reachDrawn() const {
    const View view = m_shot.selectedView();
    const SelectInput& input = m_shot.input();
    const SelectState& state = m_shot.selectState();
    double reach = 4 * view.nearMetres;
    eachCell(input, [&](std::uint32_t b, std::uint32_t c) {
        const Batch& batch = input.batches[b];
        const CellTable::Cell& cell = batch.copies->cells[c];
        bool drawn = false;
        for (std::uint32_t k = 0; k < cell.count && !drawn; ++k)
            drawn = state.of(b, c, k).culled == Culled::No;
        if (drawn && !standsIn(view, batch, cell))
            reach = std::max(reach, view.forward.dot(cell.origin - view.eye) +
                                        view.forward.cwiseAbs().dot(cell.half()) + batch.chain.radius * cell.mostScale);
    });
    for (std::size_t g = 0; g < input.grounds.size() && g < m_shot.exact().grounds.size(); ++g)
        if (groundChosen())
            for (const DrawnTile& tile : m_shot.exact().grounds[g].tiles)
                reach =
                    std::max(reach, view.forward.dot(input.grounds[g].tree->boundsOf(tile.ref).centre() - view.eye));
    return std::min(reach, view.farMetres);
}

void Overview::fit() {
    const View view = m_shot.selectedView();
    const double reach = reachDrawn();
    if (groundChosen()) { // as a map: from above, the shot camera looking up it
        m_camera.pivot = view.eye + Vec3d(view.forward.x(), 0, view.forward.z()).normalized() * (0.42 * reach);
        m_camera.yaw = std::atan2(-view.forward.x(), -view.forward.z());
        m_camera.pitch = 1.5;
        m_camera.distance = 1.05 * reach;
        m_fitted = true;
        refreshLegend();
        update();
        return;
    }
    m_camera.pivot = view.eye + view.forward * (0.45 * reach);
    m_camera.yaw = std::atan2(-view.forward.x(), -view.forward.z()) + 0.5;
    m_camera.pitch = 0.75;
    m_camera.distance = 1.15 * reach;
    m_fitted = true;
    refreshLegend();
    update();
}

void Overview::initializeGL() {
    m_ready = m_gl.initialize();
}

std::vector<std::pair<DrawItem, bool>> Overview::items() {
    const SelectInput& input = m_shot.input();
    const Selection& selection = m_shot.exact();
    const Scene& scene = m_bench.session.scene();
    const View view = m_shot.selectedView();
    m_drawn = static_cast<int>(selection.total.drawn);
    const auto levelOf = [&](const Run& run, int coarser) {
        const Subject& asset = scene.subjects[input.batches[run.batch].asset];
        return std::min(run.level + coarser, static_cast<int>(asset.mesh().levels.size()) - 1);
    };
    int coarser = 0;
    for (; coarser < 8; ++coarser) {
        std::uint64_t triangles = 0;
        for (const Run& run : selection.runs)
            triangles += isField(input.batches[run.batch]) || !scene.subjects[input.batches[run.batch].asset].isMesh()
                             ? 0
                             : std::uint64_t{run.count} * scene.subjects[input.batches[run.batch].asset]
                                                              .mesh()
                                                              .levels[static_cast<std::size_t>(levelOf(run, coarser))]
                                                              .triangles;
        if (triangles <= kMostTriangles)
            break;
    }
    std::vector<std::pair<DrawItem, bool>> out;
    std::vector<DrawItem> tiles;
    m_shot.groundTiles().add(scene, input, selection, 0, tiles);
    for (DrawItem& tile : tiles)
        out.emplace_back(std::move(tile), !groundChosen());
    for (const Run& run : selection.runs) {
        if (isField(input.batches[run.batch]) || !scene.subjects[input.batches[run.batch].asset].isMesh())
            continue;
        std::vector<DrawItem> items;
        addRun(scene, input, selection, run, levelOf(run, coarser), 1, view, m_shot.selectionOptions(), m_views, items);
        const Batch& batch = input.batches[run.batch];
        const bool ground = batch.copies->size() == 1 && standsIn(view, batch, batch.copies->cells.front());
        for (DrawItem& item : items) {
            item.level = run.level;
            out.emplace_back(std::move(item), ground);
        }
    }
    return out;
}

bool Overview::groundChosen() const {
    const Subject* s = m_bench.session.subject();
    return s != nullptr && s->terrain() != nullptr;
}

/// Outlines of the tiles of the chosen ground, by level, at the height of their tops' middle.
std::vector<std::vector<QVector3D>> Overview::tileLines() const {
    std::vector<std::vector<QVector3D>> out;
    const SelectInput& input = m_shot.input();
    const Selection& selection = m_shot.exact();
    for (std::size_t g = 0; g < input.grounds.size() && g < selection.grounds.size(); ++g) {
        const Subject& subject = m_bench.session.scene().subjects[input.grounds[g].subject];
        if (subject.id != m_bench.session.subjectId() || subject.terrain() == nullptr || !subject.terrain()->heights)
            continue;
        const Heights& heights = *subject.terrain()->heights;
        for (const DrawnTile& tile : selection.grounds[g].tiles) {
            const Bounds b = input.grounds[g].tree->boundsOf(tile.ref);
            out.resize(std::max<std::size_t>(out.size(), tile.ref.level + 1));
            const double corners[5][2] = {{b.low.x(), b.low.z()},
                                          {b.high.x(), b.low.z()},
                                          {b.high.x(), b.high.z()},
                                          {b.low.x(), b.high.z()},
                                          {b.low.x(), b.low.z()}};
            constexpr int kSteps = 4;
            for (int c = 0; c < 4; ++c)
                for (int i = 0; i < kSteps; ++i)
                    for (int end = 0; end < 2; ++end) {
                        const double t = static_cast<double>(i + end) / kSteps;
                        const double x = corners[c][0] + (corners[c + 1][0] - corners[c][0]) * t;
                        const double z = corners[c][1] + (corners[c + 1][1] - corners[c][1]) * t;
                        out[tile.ref.level].push_back(toQt({x, heights.heightAt(x, z).value_or(b.high.y()) + 0.3, z}));
                    }
        }
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

/// Of each copy while they are few. Of many, cells whose copies are all culled are one box, and what is drawn is told
/// by its colour.
Overview::Boxes Overview::copyBoxes() const {
    const SelectInput& input = m_shot.input();
    const SelectState& state = m_shot.selectState();
    const View view = m_shot.selectedView();
    const bool few = input.copies() <= kMostBoxes;
    Boxes out;
    eachCell(input, [&](std::uint32_t b, std::uint32_t c) {
        const Batch& batch = input.batches[b];
        if (isField(batch) || groundChosen())
            return;
        const CellTable::Cell& cell = batch.copies->cells[c];
        if (!few && !state.batches[b].cells[c].mixed) {
            if (state.batches[b].cells[c].all.culled == Culled::No)
                return;
            std::array<Vec3d, 8> corners;
            for (std::size_t k = 0; k < corners.size(); ++k)
                corners[k] = cell.origin + Vec3d((k & 1) != 0 ? cell.half().x() : -cell.half().x(),
                                                 (k & 2) != 0 ? cell.half().y() : -cell.half().y(),
                                                 (k & 4) != 0 ? cell.half().z() : -cell.half().z());
            addBox(corners, out.culled);
            return;
        }
        for (std::uint32_t k = 0; k < cell.count; ++k) {
            const CopyMemory& copy = state.of(b, c, k);
            const auto corners = boxCorners(batch.chain, batch.copies->at(cell.first + k), 0);
            if (copy.culled != Culled::No) {
                addBox(corners, out.culled);
            } else if (!standsIn(view, batch, cell)) {
                const auto level = static_cast<std::size_t>(copy.level);
                out.drawn.resize(std::max(out.drawn.size(), level + 1));
                addBox(corners, out.drawn[level]);
            }
        }
    });
    return out;
}

/// A dot a copy of the fields: in its level's colour where it is drawn, faint where it is thinned away, hollow where
/// it is culled. Of very many only every so many.
std::vector<GlScene::Dot> Overview::fieldDots() const {
    constexpr std::size_t kMostDots = 150'000;
    const SelectInput& input = m_shot.input();
    const SelectState& state = m_shot.selectState();
    std::size_t copies = 0;
    for (const Batch& batch : input.batches)
        copies += isField(batch) ? batch.copies->size() : 0;
    const auto every = static_cast<std::uint32_t>(copies / kMostDots + 1);
    const auto colorOf = [](const QColor& color, float alpha, float pixels) {
        return GlScene::Dot{0, 0, 0, color.redF(), color.greenF(), color.blueF(), alpha, pixels};
    };
    const Look& look = Look::now();
    const GlScene::Dot thinned = colorOf(look.text, 0.4F, 1.5F);
    const GlScene::Dot culled = colorOf(look.text, 0.14F, -4);
    std::vector<GlScene::Dot> out;
    eachCell(input, [&](std::uint32_t b, std::uint32_t c) {
        const Batch& batch = input.batches[b];
        if (!isField(batch) || state.batches.size() <= b || state.batches[b].copies != batch.copies)
            return;
        const CellTable& table = *batch.copies;
        const CellTable::Cell& cell = table.cells[c];
        for (std::uint32_t k = 0; k < cell.count; k += every) {
            const CopyMemory& copy = state.of(b, c, k);
            GlScene::Dot dot = copy.culled == Culled::No        ? colorOf(Look::level(copy.level), 1, 4)
                               : copy.culled == Culled::Thinned ? thinned
                                                                : culled;
            const std::uint32_t slot = cell.first + k;
            dot.x = static_cast<float>(cell.origin.x()) + table.x[slot];
            dot.y = static_cast<float>(cell.origin.y()) + table.y[slot];
            dot.z = static_cast<float>(cell.origin.z()) + table.z[slot];
            out.push_back(dot);
        }
    });
    // What is drawn lies on top.
    std::stable_partition(out.begin(), out.end(), [](const GlScene::Dot& d) { return d.alpha < 1; });
    return out;
}

void OverviewNumbers::paintEvent(QPaintEvent* /*event*/) {
    QPainter p(this);
    p.setFont(Look::font(11, 600));
    for (const auto& [at, level] : numbers) {
        p.setPen(Look::now().ground);
        p.drawText(QRectF(at.x() - 15, at.y() - 9, 30, 18), Qt::AlignCenter, QString::number(level));
    }
}

/// On each tile of the chosen ground that is large enough here.
void Overview::placeNumbers(const QMatrix4x4& matrix) {
    constexpr double kLeast = 22; // pixels
    m_numbers->numbers.clear();
    const SelectInput& input = m_shot.input();
    const Selection& selection = m_shot.exact();
    for (std::size_t g = 0; g < input.grounds.size() && g < selection.grounds.size(); ++g)
        if (input.subjects[input.grounds[g].subject] == m_bench.session.subjectId())
            for (const DrawnTile& tile : selection.grounds[g].tiles) {
                const Bounds b = input.grounds[g].tree->boundsOf(tile.ref);
                const auto low = inPicture(matrix, b.low, size());
                const auto high = inPicture(matrix, b.high, size());
                const auto middle = inPicture(matrix, b.centre(), size());
                if (low && high && middle &&
                    std::min(std::abs(high->x() - low->x()), std::abs(high->y() - low->y())) > kLeast)
                    m_numbers->numbers.emplace_back(*middle, static_cast<int>(tile.ref.level));
            }
    m_numbers->update();
}

View Overview::ownView() const {
    View view = m_camera.view(m_bench.session.scene().settings.view);
    view.aspect = static_cast<double>(width()) / std::max(1, height());
    view.nearMetres = m_camera.distance * 0.002;
    view.farMetres = m_camera.distance * 60;
    return view;
}

std::optional<QPointF> Overview::onScreen(const Vec3d& place) const {
    return inPicture(viewProjectionOf(ownView()), place, size());
}

void Overview::paintGL() {
    if (!m_ready)
        return;
    if (!m_fitted)
        fit();
    m_gl.forget();
    const Look& look = Look::now();
    const double ratio = devicePixelRatioF();
    const View view = ownView();
    const QMatrix4x4 matrix = viewProjectionOf(view);
    m_gl.begin(look.viewTop, look.viewBottom, static_cast<int>(width() * ratio), static_cast<int>(height() * ratio));
    for (const auto& [item, ground] : items())
        m_gl.draw(item, matrix, toQt(view.eye), ground ? Shading::Shaded : Shading::Levels);
    for (const auto& lines : tileLines())
        m_gl.lines(matrix, lines, look.ground);
    const Boxes boxes = copyBoxes();
    for (std::size_t i = 0; i < boxes.drawn.size(); ++i) // small things are seen by their boxes
        m_gl.lines(matrix, boxes.drawn[i], Look::level(static_cast<int>(i)));
    m_hollow = static_cast<int>(boxes.culled.size() / 24);
    QColor quiet = look.text;
    quiet.setAlphaF(0.5F);
    m_gl.lines(matrix, boxes.culled, quiet);
    if (!groundChosen())
        m_gl.dots(matrix, fieldDots());
    m_gl.dots(matrix, m_sweepDots);
    m_gl.lines(matrix, frustumLines(), look.accent);
    m_gl.lines(matrix, routeLines(), look.accent);
    m_gl.dots(matrix, keyDots());
    m_gl.end();
    placeNumbers(matrix);
}

void Overview::refreshLegend() {
    const Selection& s = m_shot.exact();
    int coarsest = 0;
    for (const Run& run : s.runs)
        coarsest = std::max(coarsest, static_cast<int>(run.level));
    for (const TileCut& cut : s.grounds)
        for (const DrawnTile& tile : cut.tiles)
            coarsest = std::max(coarsest, static_cast<int>(tile.ref.level));
    QString text = QStringLiteral("<span style='color:%1'>▱</span> %2")
                       .arg(Look::now().accent.name(), m_shot.frozen() ? tr("frozen") : tr("shot"));
    for (int i = 0; i <= coarsest; ++i)
        text += QStringLiteral(" &nbsp;<span style='color:%1'>■</span> L%2").arg(Look::level(i).name()).arg(i);
    std::uint32_t culled = 0;
    for (std::size_t reason = 1; reason < kCullReasons; ++reason)
        culled += s.total.culledBy[reason];
    text += tr(" &nbsp;▢ %1 culled").arg(groupedText(culled));
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
    m_numbers->resize(size());
    m_legend->move(8, height() - m_legend->height() - 8);
}

void Overview::mousePressEvent(QMouseEvent* event) {
    m_last = event->position();
    setFocus(Qt::MouseFocusReason);
    if (!m_editsRoute || event->button() != Qt::LeftButton || event->modifiers() != Qt::NoModifier)
        return;
    m_key = keyAt(event->position());
    ++m_drags;
    if (const auto seconds = m_key ? std::nullopt : timeAt(event->position())) {
        m_scrubs = true;
        emit timePicked(*seconds);
    } else if (m_key) {
        emit timePicked(m_bench.routes.current()->keys[*m_key].seconds);
    }
    update();
}

void Overview::mouseReleaseEvent(QMouseEvent*) {
    m_key.reset();
    m_scrubs = false;
    update();
}

void Overview::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons().testFlag(Qt::LeftButton) && (m_key || m_scrubs)) {
        if (m_key)
            dragKey(event->position());
        else if (const auto seconds = timeAt(event->position()))
            emit timePicked(*seconds);
        return;
    }
    const QPointF d = event->position() - m_last;
    m_last = event->position();
    if (event->buttons() == Qt::NoButton)
        return;
    if (event->buttons().testFlag(Qt::LeftButton) && !event->modifiers().testFlag(Qt::ShiftModifier))
        m_camera.turn(d.x() * 0.008, d.y() * 0.008);
    else
        m_camera.pan(d.x(), d.y(), m_bench.session.scene().settings.view, height());
    update();
}

void Overview::wheelEvent(QWheelEvent* event) {
    const double steps =
        event->pixelDelta().isNull() ? event->angleDelta().y() / 120.0 : event->pixelDelta().y() / 40.0;
    m_camera.dolly(std::pow(0.86, steps));
    update();
    event->accept();
}

void Overview::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Left:
        m_camera.turn(-0.08, 0);
        break;
    case Qt::Key_Right:
        m_camera.turn(0.08, 0);
        break;
    case Qt::Key_Up:
        m_camera.turn(0, 0.06);
        break;
    case Qt::Key_Down:
        m_camera.turn(0, -0.06);
        break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        m_camera.dolly(0.86);
        break;
    case Qt::Key_Minus:
        m_camera.dolly(1 / 0.86);
        break;
    default:
        QOpenGLWidget::keyPressEvent(event);
        return;
    }
    update();
}

} // namespace thicket::app
