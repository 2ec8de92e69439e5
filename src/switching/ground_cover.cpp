#include "switching/ground_cover.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace thicket {
namespace {

constexpr double kFirst = 4;       // metres; where the first ring begins
constexpr double kStand = 0.5;     // cells of heights; what is known of pieces holds above a square so wide
constexpr double kWider = 0.03;    // each ring is so much of its distance wide
constexpr double kLeast = 0.3;     // metres; what is hidden up to there is too little to be looked for
constexpr float kRounding = 1e-5F; // of slopes, with much to spare

/// Angle round the eye as 0..sectors, of the same order as the true one but cheaper.
double sectorOf(double x, double z, int sectors) {
    const double sum = std::abs(x) + std::abs(z);
    if (sum <= 0)
        return 0;
    const double t = x / sum;
    return (z >= 0 ? 1 - t : 3 + t) * (sectors / 4.0);
}

/// The direction that sectorOf() gives that number for, one metre long.
std::array<double, 2> directionOf(double sector, int sectors) {
    double turn = sector / (sectors / 4.0);
    turn -= std::floor(turn / 4) * 4;
    const double x = turn <= 2 ? 1 - turn : turn - 3;
    const double z = turn <= 2 ? 1 - std::abs(x) : std::abs(x) - 1;
    const double length = std::hypot(x, z);
    return {x / length, z / length};
}

/// The directions that a view sees, in sectors; none when it sees straight up or down, all round.
struct Fan {
    double middle = 0;
    double first = 0; ///< less than the middle
    double last = 0;
    double leastDepth = 1; ///< of what is one metre away
};
std::optional<Fan> fanOf(const View& view, int sectors) {
    const double tall = std::tan(view.fovY / 2);
    const double wide = tall * view.aspect;
    const Vec3d right = view.forward.cross(view.up);
    // Straight up or down lies within the picture.
    const double depth = std::abs(view.forward.y());
    if (depth > 1e-6 && std::abs(view.up.y()) <= depth * tall * 1.001 && std::abs(right.y()) <= depth * wide * 1.001)
        return std::nullopt;
    Fan out;
    Vec3d flat(view.forward.x(), 0, view.forward.z());
    if (flat.norm() < 1e-3)
        return std::nullopt;
    out.middle = sectorOf(flat.x(), flat.z(), sectors);
    out.leastDepth = 1 / std::sqrt(1 + tall * tall + wide * wide);
    for (int k = 0; k < 4; ++k) {
        const Vec3d corner =
            view.forward + ((k & 1) != 0 ? wide : -wide) * right + ((k & 2) != 0 ? tall : -tall) * view.up;
        double by = sectorOf(corner.x(), corner.z(), sectors) - out.middle;
        by -= by > sectors / 2.0 ? sectors : 0;
        by += by < -(sectors / 2.0) ? sectors : 0;
        out.first = std::min(out.first, by);
        out.last = std::max(out.last, by);
    }
    if (out.last - out.first > sectors * 0.45)
        return std::nullopt;
    return out;
}

} // namespace

void GroundCover::makeRoom(std::size_t rings) {
    if (rings <= m_stride)
        return;
    m_stride = rings;
    m_slopes.resize(kSectors * m_stride);
    m_coarse.resize(kSectors * m_stride);
    m_known.assign(kSectors * m_stride, {});
}

/// What pieces can be said to reach at least is asked from the middle of the quarter of a cell that the eye is above, with
/// room for all places in it: it holds as long as the eye stays there.
void GroundCover::standIn(const std::shared_ptr<const TileTree>& tree, double first, double fromX, double fromZ) {
    const std::array<double, 3> at{first, fromX, fromZ};
    if (m_tree.lock() == tree && at == m_stood)
        return;
    m_tree = tree;
    m_stood = at;
    if (++m_stand == 0) {
        std::fill(m_known.begin(), m_known.end(), Known());
        m_stand = 1;
    }
}

/// Notes where how coarse tiles are drawn.
void GroundCover::markTiles(const TileTree& tree, const TileCut& cut, double reach) {
    for (std::size_t s = 0; s < kSectors; ++s)
        if (m_reaches[s] > 0)
            std::fill_n(&m_coarse[s * m_stride], m_rings.size(), std::uint8_t{0});
    m_last = 0;
    m_under = 0;
    for (const DrawnTile& tile : cut.tiles) {
        const Bounds b = tree.boundsOf(tile.ref);
        if (const double near = nearestOf(b.low.x(), b.high.x(), b.low.z(), b.high.z()); near > reach) {
            m_last = std::max(m_last, near);
            continue;
        }
        const Sight sight = sightOf(b.low.x(), b.high.x(), b.low.z(), b.high.z());
        if (sight.near <= 0)
            m_under = std::max(m_under, tile.ref.level);
        m_last = std::max(m_last, sight.far);
        const auto from = std::lower_bound(m_rings.begin(), m_rings.end(), sight.near) - m_rings.begin();
        const auto to = std::upper_bound(m_rings.begin(), m_rings.end(), sight.far) - m_rings.begin();
        const std::ptrdiff_t end = std::min(to + 1, std::ssize(m_rings));
        const auto level = static_cast<std::uint8_t>(tile.ref.level + 1);
        for (int s = sight.first; s <= sight.last; ++s) {
            if (m_reaches[turned(s)] <= sight.near)
                continue;
            std::uint8_t* const row = &m_coarse[turned(s) * m_stride];
            for (std::ptrdiff_t ring = from; ring < end; ++ring)
                row[ring] = std::max(row[ring], level);
        }
    }
}

void GroundCover::look(const View& view, const std::shared_ptr<const TileTree>& ground, const TileRule& rule,
                       const TileCut& cut, const std::vector<Bounds>* only) {
    const TileTree& tree = *ground;
    m_rings.clear();
    m_eye = view.eye;
    const GroundLows& lows = tree.lows;
    const auto fan = fanOf(view, kSectors);
    if (!fan || lows.lows.empty() || cut.tiles.empty())
        return;
    const double overSpacing = 1 / tree.spacing;
    const double eyeX = (view.eye.x() - tree.origin.x()) * overSpacing;
    const double eyeZ = (view.eye.z() - tree.origin.z()) * overSpacing;
    if (!(eyeX >= 0 && eyeZ >= 0 && eyeX <= tree.columns - 1 && eyeZ <= tree.rows - 1))
        return;
    // The eye must be above the ground, and no ground so near that it is cut off and looked through.
    const double eyeY = view.eye.y() - tree.origin.y();
    const double clipped = 1.01 * view.nearMetres / fan->leastDepth;
    double reach = rule.reach > 0 ? rule.reach : view.farMetres;
    reach = std::sqrt(std::max(0.0, reach * reach - std::pow(std::max(eyeY - static_cast<double>(tree.low), 0.0), 2)));
    m_until.fill(0);
    m_reaches.fill(only == nullptr ? reach : 0);
    if (only != nullptr) {
        double farthest = 0;
        for (const Bounds& box : *only) {
            const Sight sight = sightOf(box.low.x(), box.high.x(), box.low.z(), box.high.z());
            farthest = std::max(farthest, sight.far);
            for (int s = sight.first; s <= sight.last; ++s) {
                double& own = m_reaches[turned(s)];
                own = std::max(own, sight.far);
            }
        }
        reach = std::min(reach, farthest);
    }
    const double first = std::max(kFirst, clipped);
    double end = first;
    for (double begin = first; begin < reach; begin = end) {
        end = begin + std::max(kWider * begin, lows.side * tree.spacing);
        m_rings.push_back(end);
    }
    makeRoom(m_rings.size());
    markTiles(tree, cut, reach);
    const double about = clipped * overSpacing + static_cast<double>(std::uint64_t{2} << m_under);
    if (eyeY - static_cast<double>(lows.highest(eyeX - about, eyeZ - about, eyeX + about, eyeZ + about)) <= clipped) {
        m_rings.clear();
        return;
    }
    // What lies beyond the last ring is behind all of them.
    m_rings.erase(std::upper_bound(m_rings.begin(), m_rings.end(), m_last), m_rings.end());
    if (m_rings.empty())
        return;
    m_most.assign(m_rings.size(), kOpenSky);
    bool dips = false; // ground that lies lower than nearer ground hides: else nothing that stands on it is hidden
    struct Ring {
        double begin, over;    // metres
        double aBegin, anOver; // one over them
        double fromCells, toCells;
    };
    std::vector<Ring> rings;
    for (double begin = first; const double over : m_rings) {
        rings.push_back({begin, over, 1 / begin, 1 / over, begin * overSpacing, over * overSpacing});
        begin = over;
    }
    const double fromX = (std::floor(eyeX / kStand) + 0.5) * kStand;
    const double fromZ = (std::floor(eyeZ / kStand) + 0.5) * kStand;
    standIn(ground, first, fromX, fromZ);
    const auto firstSector = static_cast<int>(std::floor(fan->middle + fan->first));
    const auto lastSector = static_cast<int>(std::floor(fan->middle + fan->last));
    for (int s = firstSector; s <= lastSector; ++s) {
        const double sectorReach = m_reaches[turned(s)];
        if (sectorReach <= 0)
            continue;
        const std::size_t row = turned(s) * m_stride;
        const auto west = directionOf(s, kSectors);
        const auto east = directionOf(s + 1, kSectors);
        const auto [lowX, highX] = std::minmax(west[0], east[0]);
        const auto [lowZ, highZ] = std::minmax(west[1], east[1]);
        // The arc of a ring bulges out between its ends.
        const double bulge =
            1 / std::sqrt(1 - 0.25 * (std::pow(west[0] - east[0], 2) + std::pow(west[1] - east[1], 2)));
        float horizon = kOpenSky;
        bool open = false; // from here on one may see through the ground, and under what lies behind
        for (std::size_t k = 0; k < rings.size() && rings[k].begin < sectorReach; ++k) {
            const Ring& ring = rings[k];
            const std::size_t piece = row + k;
            if (!open && m_coarse[piece] > 0) {
                Known& known = m_known[piece];
                if (known.stand != m_stand || known.coarse != m_coarse[piece]) {
                    // What is drawn there lies between heights two of its cells around.
                    const double wider = static_cast<double>(std::uint64_t{1} << m_coarse[piece]) + kStand / 2;
                    const double a = ring.fromCells;
                    const double b = ring.toCells * bulge;
                    const double x0 = fromX + std::min(lowX * a, lowX * b) - wider;
                    const double x1 = fromX + std::max(highX * a, highX * b) + wider;
                    const double z0 = fromZ + std::min(lowZ * a, lowZ * b) - wider;
                    const double z1 = fromZ + std::max(highZ * a, highZ * b) + wider;
                    const double across = std::max(x1 - x0, z1 - z0);
                    std::uint32_t level = 0;
                    for (double squares = 4.0 * lows.side; level + 1 < lows.lows.size() && squares < across;
                         squares *= 2)
                        ++level;
                    known = {lows.lowest(level, x0, z0, x1, z1), m_stand, m_coarse[piece]};
                }
                const float low = known.low;
                open = low <= GroundLows::kNoGround;
                const double up = static_cast<double>(low) - eyeY;
                if (!open) {
                    dips = dips || up + kLeast < static_cast<double>(horizon) * ring.begin;
                    horizon =
                        std::max(horizon, static_cast<float>(up * (up > 0 ? ring.anOver : ring.aBegin)) - kRounding);
                }
            }
            m_slopes[piece] = horizon;
            m_until[turned(s)] = static_cast<std::uint32_t>(k + 1);
            m_most[k] = std::max(m_most[k], horizon);
        }
    }
    if (!dips)
        m_rings.clear();
}

double GroundCover::nearestOf(double lowX, double highX, double lowZ, double highZ) const {
    return std::hypot(std::max({lowX - m_eye.x(), 0.0, m_eye.x() - highX}),
                      std::max({lowZ - m_eye.z(), 0.0, m_eye.z() - highZ}));
}

GroundCover::Sight GroundCover::sightOf(double lowX, double highX, double lowZ, double highZ) const {
    Sight out;
    out.near = nearestOf(lowX, highX, lowZ, highZ);
    lowX -= m_eye.x();
    highX -= m_eye.x();
    lowZ -= m_eye.z();
    highZ -= m_eye.z();
    out.far = std::hypot(std::max(-lowX, highX), std::max(-lowZ, highZ));
    if (out.near <= 0) { // it lies all round the eye
        out.last = kSectors - 1;
        return out;
    }
    const double middle = sectorOf((lowX + highX) / 2, (lowZ + highZ) / 2, kSectors);
    double first = 0;
    double last = 0;
    for (unsigned k = 0; k < 4; ++k) {
        double by = sectorOf((k & 1U) != 0 ? highX : lowX, (k & 2U) != 0 ? highZ : lowZ, kSectors) - middle;
        by -= by > kSectors / 2.0 ? kSectors : 0;
        by += by < -(kSectors / 2.0) ? kSectors : 0;
        first = std::min(first, by);
        last = std::max(last, by);
    }
    out.first = static_cast<int>(std::floor(middle + first - 1e-6));
    out.last = static_cast<int>(std::floor(middle + last + 1e-6));
    return out;
}

int GroundCover::ringBefore(double distance) const {
    return static_cast<int>(std::upper_bound(m_rings.begin(), m_rings.end(), distance) - m_rings.begin()) - 1;
}

bool GroundCover::hides(const OrientedBox& box) const {
    if (m_rings.empty())
        return false;
    const Vec3d half = box.half[0].cwiseAbs() + box.half[1].cwiseAbs() + box.half[2].cwiseAbs();
    const double near = std::hypot(std::max(std::abs(box.middle.x() - m_eye.x()) - half.x(), 0.0),
                                   std::max(std::abs(box.middle.z() - m_eye.z()) - half.z(), 0.0));
    const int ring = ringBefore(near);
    if (ring < 0)
        return false;
    const double up = box.middle.y() + half.y() - m_eye.y();
    if (up > 0 && m_most[static_cast<std::size_t>(ring)] <= static_cast<float>(up / near))
        return false;
    const Sight sight = sightOf(box.middle.x() - half.x(), box.middle.x() + half.x(), box.middle.z() - half.z(),
                                box.middle.z() + half.z());
    const auto top = static_cast<float>(up > 0 ? up / sight.near : up / sight.far);
    if (m_most[static_cast<std::size_t>(ring)] <= top)
        return false;
    for (int s = sight.first; s <= sight.last; ++s)
        if (!(slopeAt(ring, s) > top))
            return false;
    return true;
}

bool GroundCover::mayHide(const Vec3d& middle, const Vec3d& half) const {
    if (m_rings.empty())
        return false;
    const double x = std::abs(middle.x() - m_eye.x());
    const double z = std::abs(middle.z() - m_eye.z());
    const double far = std::hypot(x + half.x(), z + half.z());
    const int ring = ringBefore(far);
    if (ring < 0)
        return false;
    const double near = std::hypot(std::max(x - half.x(), 0.0), std::max(z - half.z(), 0.0));
    if (near <= 0)
        return true;
    const double up = middle.y() - half.y() - m_eye.y(); // the lowest middle
    const auto lowest = static_cast<float>(up > 0 ? up / far : up / near);
    if (m_most[static_cast<std::size_t>(ring)] <= lowest)
        return false;
    const Sight sight =
        sightOf(middle.x() - half.x(), middle.x() + half.x(), middle.z() - half.z(), middle.z() + half.z());
    for (int s = sight.first; s <= sight.last; ++s)
        if (slopeAt(ring, s) > lowest)
            return true;
    return false;
}

bool GroundCover::mayHide(const Vec3d& middle) const {
    const double x = middle.x() - m_eye.x();
    const double z = middle.z() - m_eye.z();
    const double metres = std::sqrt(x * x + z * z);
    const int ring = m_rings.empty() ? -1 : ringBefore(metres);
    return ring >= 0 && slopeAt(ring, static_cast<int>(sectorOf(x, z, kSectors))) >
                            static_cast<float>((middle.y() - m_eye.y()) / metres);
}

} // namespace thicket
