#include "app/viewport/tile_maker.h"

#include "scene/grounds.h"
#include "terrain/tile_grid.h"

#include <algorithm>
#include <chrono>
#include <utility>

namespace thicket::app {
namespace {

/// The number of a grid's point: 0 inside, else 1 + the side it lies on, in the order of kSides.
float sideOf(std::uint32_t cells, std::uint32_t i, std::uint32_t j) {
    return j == 0 ? 1.0F : i == cells ? 2.0F : j == cells ? 3.0F : i == 0 ? 4.0F : 0.0F;
}

constexpr int kHalvings = 2;
constexpr std::uint32_t kFewestCells = 8;

/// halvings  how many lighter ones are made besides.
std::shared_ptr<const GroundMesh> makeGrid(const Heights& heights, const TileTree& tree, TileTree::Ref ref,
                                           std::uint8_t stitch, int halvings) {
    const std::uint32_t n = tree.cells;
    TilePoints points = tilePoints(heights, tree, ref);
    auto out = std::make_shared<GroundMesh>();
    Mesh& mesh = out->mesh;
    mesh.indices = tileTriangles(heights, tree, ref, stitch);
    mesh.normals = std::move(points.normals);
    mesh.positions.reserve(points.heights.size());
    out->extras.reserve(5 * points.heights.size());
    const std::uint32_t x0 = sampleAt(tree, ref.level, ref.x, 0, heights.columns);
    const std::uint32_t y0 = sampleAt(tree, ref.level, ref.y, 0, heights.rows);
    for (std::uint32_t j = 0; j <= n; ++j)
        for (std::uint32_t i = 0; i <= n; ++i) {
            const std::size_t at = mesh.positions.size();
            const std::uint32_t x = sampleAt(tree, ref.level, ref.x, i, heights.columns);
            const std::uint32_t y = sampleAt(tree, ref.level, ref.y, j, heights.rows);
            mesh.positions.emplace_back(static_cast<float>((x - x0) * tree.spacing), points.heights[at],
                                        static_cast<float>((y - y0) * tree.spacing));
            const Vec3f color = groundColor(points.heights[at], mesh.normals[at].y());
            for (const float v :
                 {points.coarser[at] - points.heights[at], sideOf(n, i, j), color.x(), color.y(), color.z()})
                out->extras.push_back(v);
        }
    mesh.parts = {{0, mesh.triangleCount(), 0}};
    if (halvings > 0 && n % 4 == 0 && n / 2 >= kFewestCells) {
        // With half as many cells a side, a tile of the next level in its numbering lies where this one does.
        TileTree half;
        half.columns = tree.columns;
        half.rows = tree.rows;
        half.cells = n / 2;
        half.spacing = tree.spacing;
        half.origin = tree.origin;
        out->lighter = makeGrid(heights, half, {ref.level + 1, ref.x, ref.y}, stitch, halvings - 1);
    }
    return out;
}

} // namespace

std::shared_ptr<const GroundMesh> makeGroundTile(const Heights& heights, const TileTree& tree, TileTree::Ref ref,
                                                 std::uint8_t stitch) {
    return makeGrid(heights, tree, ref, stitch, kHalvings);
}

TileMaker::TileMaker(std::function<void()> arrived)
    : m_arrived(std::move(arrived)), m_thread([this](const std::stop_token& stop) { run(stop); }) {}

TileMaker::~TileMaker() {
    m_thread.request_stop();
}

void TileMaker::want(std::vector<Wanted> tiles) {
    std::reverse(tiles.begin(), tiles.end());
    const bool some = !tiles.empty();
    {
        const std::scoped_lock lock(m_mutex);
        m_wanted = std::move(tiles);
        // What is there already and has not been taken yet need not be made twice.
        for (const Made& made : m_made)
            std::erase_if(m_wanted, [&](const Wanted& w) {
                return w.subject == made.of.subject && w.tree == made.of.tree && w.ref == made.of.ref &&
                       w.stitch == made.of.stitch;
            });
    }
    if (some)
        m_wake.notify_one();
}

std::vector<TileMaker::Made> TileMaker::take() {
    const std::scoped_lock lock(m_mutex);
    return std::exchange(m_made, {});
}

void TileMaker::run(const std::stop_token& stop) {
    // Not for each tile anew: what follows is a picture.
    constexpr auto kTogether = std::chrono::milliseconds(40);
    auto told = std::chrono::steady_clock::now();
    std::unique_lock lock(m_mutex);
    while (m_wake.wait(lock, stop, [this] { return !m_wanted.empty(); }) && !stop.stop_requested()) {
        const Wanted next = std::move(m_wanted.back());
        m_wanted.pop_back();
        lock.unlock();
        auto mesh = makeGroundTile(*next.heights, *next.tree, next.ref, next.stitch);
        lock.lock();
        m_made.push_back({next, std::move(mesh)});
        const auto now = std::chrono::steady_clock::now();
        if (!m_wanted.empty() && now - told < kTogether)
            continue;
        told = now;
        lock.unlock();
        m_arrived();
        lock.lock();
    }
}

} // namespace thicket::app
