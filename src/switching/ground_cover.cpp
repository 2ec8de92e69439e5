#include "switching/ground_cover.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>

namespace thicket {
namespace {

constexpr double kFirst = 4;    // metres; where the first ring begins
constexpr double kWider = 0.03; // each ring is so much of its distance wide

using detail::kSectors;

double lengthOf(double x, double z) {
    return std::sqrt(x * x + z * z); // of metres: no need for what keeps their squares from running over
}

/// The direction that sectorOf() gives that number for, one metre long.
std::array<double, 2> directionOf(double sector) {
    double turn = sector / (kSectors / 4.0);
    turn -= std::floor(turn / 4) * 4;
    const double x = turn <= 2 ? 1 - turn : turn - 3;
    const double z = turn <= 2 ? 1 - std::abs(x) : std::abs(x) - 1;
    const double length = lengthOf(x, z);
    return {x / length, z / length};
}

/// What a sector spans: the ends of all directions in it, one metre long.
struct Wedge {
    double lowX = 0, highX = 0, lowZ = 0, highZ = 0;
    double bulge = 1; ///< times as far out as between its ends the arc of a ring reaches
};
const Wedge& wedgeOf(std::size_t sector) {
    static const std::array<Wedge, kSectors> all = [] {
        std::array<Wedge, kSectors> out;
        for (std::size_t s = 0; s < kSectors; ++s) {
            const auto west = directionOf(static_cast<double>(s));
            const auto east = directionOf(static_cast<double>(s) + 1);
            const auto [lowX, highX] = std::minmax(west[0], east[0]);
            const auto [lowZ, highZ] = std::minmax(west[1], east[1]);
            const double across = std::pow(west[0] - east[0], 2) + std::pow(west[1] - east[1], 2);
            out[s] = {lowX, highX, lowZ, highZ, 1 / std::sqrt(1 - 0.25 * across)};
        }
        return out;
    }();
    return all[sector];
}

/// The directions that a view sees, in sectors; none when it sees straight up or down, all round.
struct Fan {
    double middle = 0;
    double first = 0; ///< less than the middle
    double last = 0;
    double leastDepth = 1; ///< of what is one metre away
};
std::optional<Fan> fanOf(const View& view) {
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
    out.middle = detail::sectorOf(flat.x(), flat.z());
    out.leastDepth = 1 / std::sqrt(1 + tall * tall + wide * wide);
    for (int k = 0; k < 4; ++k) {
        const Vec3d corner =
            view.forward + ((k & 1) != 0 ? wide : -wide) * right + ((k & 2) != 0 ? tall : -tall) * view.up;
        double by = detail::sectorOf(corner.x(), corner.z()) - out.middle;
        by -= by > kSectors / 2.0 ? kSectors : 0;
        by += by < -(kSectors / 2.0) ? kSectors : 0;
        out.first = std::min(out.first, by);
        out.last = std::max(out.last, by);
    }
    if (out.last - out.first > kSectors * 0.45)
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
}

/// Notes where how coarse tiles are drawn.
void GroundCover::markTiles(const TileTree& tree, const TileCut& cut, double reach) {
    for (std::size_t s = 0; s < kSectors; ++s)
        std::fill_n(&m_coarse[s * m_stride], m_until[s], std::uint8_t{0});
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
        const auto level = static_cast<std::uint8_t>(tile.ref.level + 1);
        for (int s = sight.first; s <= sight.last; ++s) {
            const std::size_t sector = turned(s);
            std::uint8_t* const row = &m_coarse[sector * m_stride];
            const std::ptrdiff_t end = std::min<std::ptrdiff_t>(to + 1, m_until[sector]);
            for (std::ptrdiff_t ring = from; ring < end; ++ring)
                row[ring] = std::max(row[ring], level);
        }
    }
}

void GroundCover::look(const View& view, const std::shared_ptr<const TileTree>& ground, const TileRule& rule,
                       const TileCut& cut, const std::vector<AskedOfGround>* only) {
    const TileTree& tree = *ground;
    m_rings.clear();
    m_eye = view.eye;
    const GroundLows& lows = tree.lows;
    const auto fan = fanOf(view);
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
    m_reaches.fill(only == nullptr ? reach : 0);
    if (only != nullptr)
        reach = std::min(reach, reachTo(*only));
    keepTo(static_cast<int>(std::floor(fan->middle + fan->first)),
           static_cast<int>(std::floor(fan->middle + fan->last)));
    m_first = std::max(kFirst, clipped);
    double end = m_first;
    for (double begin = m_first; begin < reach; begin = end) {
        end = begin + std::max(kWider * begin, lows.side * tree.spacing);
        m_rings.push_back(end);
    }
    for (std::size_t s = 0; s < kSectors; ++s) // the first ring begins there, others where the one before ends
        m_until[s] = m_reaches[s] <= m_first ? 0
                                             : std::min(static_cast<std::uint32_t>(m_rings.size()),
                                                        static_cast<std::uint32_t>(1 + ringBefore(m_reaches[s]) + 1));
    makeRoom(m_rings.size());
    markTiles(tree, cut, reach);
    const double about = clipped * overSpacing + static_cast<double>(std::uint64_t{2} << m_under);
    if (eyeY - static_cast<double>(lows.highest(eyeX - about, eyeZ - about, eyeX + about, eyeZ + about)) <= clipped) {
        m_rings.clear();
        return;
    }
    // What lies beyond the last ring is behind all of them.
    m_rings.erase(std::upper_bound(m_rings.begin(), m_rings.end(), m_last), m_rings.end());
    for (std::uint32_t& until : m_until)
        until = std::min(until, static_cast<std::uint32_t>(m_rings.size()));
    const bool holes = !(lows.lows.back().at(0, 0) > GroundLows::kNoGround);
    if (only != nullptr && !holes)
        keepTo(*only, tree);
    lookOutward(tree);
}

double GroundCover::reachTo(const std::vector<AskedOfGround>& only) {
    double farthest = 0;
    for (const AskedOfGround& asked : only) {
        const Sight sight = sightOf(asked.box);
        const double matters = asked.as == AskedOfGround::As::Whole ? sight.near : sight.far;
        farthest = std::max(farthest, matters);
        for (int s = sight.first; s <= sight.last; ++s) {
            double& own = m_reaches[turned(s)];
            own = std::max(own, matters);
        }
    }
    return farthest;
}

void GroundCover::keepTo(int firstSector, int lastSector) {
    std::array<bool, kSectors> seen{};
    for (int s = firstSector; s <= lastSector; ++s)
        seen[turned(s)] = true;
    for (std::size_t s = 0; s < kSectors; ++s)
        m_reaches[s] = seen[s] ? m_reaches[s] : 0;
}

void GroundCover::mostAlong(const TileTree& tree, std::size_t sector, float* out) const {
    // Of the squares that a piece is asked from, the finest in its middle says no less than all of them.
    const SharedRows& lows = tree.lows.lows.front();
    const Wedge& wedge = wedgeOf(sector);
    const double over = 1 / (tree.spacing * tree.lows.side);
    const double x = (m_eye.x() - tree.origin.x()) * over;
    const double z = (m_eye.z() - tree.origin.z()) * over;
    const double alongX = (wedge.lowX + wedge.highX) / 4 * over; // a quarter: of two, and of two ends
    const double alongZ = (wedge.lowZ + wedge.highZ) / 4 * over;
    const std::uint8_t* const coarse = &m_coarse[sector * m_stride];
    for (std::size_t ring = 0; ring < m_until[sector]; ++ring) {
        const double column = x + alongX * (beginOf(ring) + m_rings[ring]);
        const double row = z + alongZ * (beginOf(ring) + m_rings[ring]);
        const bool inside = column >= 0 && row >= 0 && column < lows.across() && row < lows.down();
        out[ring] =
            inside && coarse[ring] > 0
                ? slopeOf(tree, lows.at(static_cast<std::uint32_t>(column), static_cast<std::uint32_t>(row)), ring)
                : kOpenSky;
    }
}

void GroundCover::keepTo(const std::vector<AskedOfGround>& only, const TileTree& tree) {
    constexpr float kNothing = -kOpenSky;
    const std::size_t rings = m_rings.size();
    // By sector, by ring: of what ends behind that ring, ground that is less steep hides nothing.
    std::vector<float> least(kSectors * rings, kNothing);
    for (const AskedOfGround& asked : only) {
        const Sight sight = sightOf(asked.box);
        const int last = ringBefore(asked.as == AskedOfGround::As::Whole ? sight.near : sight.far);
        if (last < 0)
            continue;
        const double up = asked.lowestTop - m_eye.y();
        const double top = up > 0 ? up / sight.far : up / std::max(sight.near, 1e-3);
        for (int at = sight.first; at <= sight.last; ++at) {
            const std::size_t s = turned(at);
            if (m_until[s] == 0)
                continue;
            float& own = least[s * rings + std::min(static_cast<std::size_t>(last), std::size_t{m_until[s]} - 1)];
            own = std::min(own, static_cast<float>(std::max(top, -1e29)));
        }
    }
    std::vector<float> most(rings);
    for (std::size_t s = 0; s < kSectors; ++s) {
        mostAlong(tree, s, most.data());
        float of = kNothing;
        bool any = false;
        for (std::uint32_t ring = m_until[s]; ring-- > 0;) {
            of = std::min(of, least[s * rings + ring]);
            if (most[ring] > of)
                any = true;
            else
                m_coarse[s * m_stride + ring] = 0;
        }
        m_until[s] = any ? m_until[s] : 0;
    }
}

void GroundCover::lookOutward(const TileTree& tree) {
    m_most.assign(m_rings.size(), kOpenSky);
    bool any = false;
    for (std::size_t s = 0; s < kSectors; ++s) {
        const std::size_t row = s * m_stride;
        float horizon = kOpenSky;
        bool open = false; // from here on one may see through the ground, and under what lies behind
        for (std::size_t ring = 0; ring < m_until[s]; ++ring) {
            if (!open && m_coarse[row + ring] > 0) {
                const float low = lowestIn(tree, s, ring);
                open = low <= GroundLows::kNoGround;
                horizon = open ? horizon : std::max(horizon, slopeOf(tree, low, ring));
            }
            m_slopes[row + ring] = horizon;
            m_most[ring] = std::max(m_most[ring], horizon);
        }
        any = any || horizon > kOpenSky;
    }
    // A horizon only rises, and sectors end where what is asked about does.
    for (std::size_t ring = 1; ring < m_most.size(); ++ring)
        m_most[ring] = std::max(m_most[ring], m_most[ring - 1]);
    if (!any)
        m_rings.clear();
}

float GroundCover::lowestIn(const TileTree& tree, std::size_t sector, std::size_t ring) const {
    const Wedge& wedge = wedgeOf(sector);
    const GroundLows& lows = tree.lows;
    const double over = 1 / tree.spacing;
    const double x = (m_eye.x() - tree.origin.x()) * over;
    const double z = (m_eye.z() - tree.origin.z()) * over;
    // What is drawn there lies between heights two of its cells around.
    const auto wider = static_cast<double>(std::uint64_t{1} << m_coarse[sector * m_stride + ring]);
    const double a = beginOf(ring) * over;
    const double b = m_rings[ring] * over * wedge.bulge;
    const double x0 = x + std::min(wedge.lowX * a, wedge.lowX * b) - wider;
    const double x1 = x + std::max(wedge.highX * a, wedge.highX * b) + wider;
    const double z0 = z + std::min(wedge.lowZ * a, wedge.lowZ * b) - wider;
    const double z1 = z + std::max(wedge.highZ * a, wedge.highZ * b) + wider;
    const double across = std::max(x1 - x0, z1 - z0);
    std::uint32_t level = 0;
    for (double squares = 4.0 * lows.side; level + 1 < lows.lows.size() && squares < across; squares *= 2)
        ++level;
    return lows.lowest(level, x0, z0, x1, z1);
}

double GroundCover::nearestOf(double lowX, double highX, double lowZ, double highZ) const {
    return lengthOf(std::max({lowX - m_eye.x(), 0.0, m_eye.x() - highX}),
                    std::max({lowZ - m_eye.z(), 0.0, m_eye.z() - highZ}));
}

GroundCover::Sight GroundCover::sightOf(double lowX, double highX, double lowZ, double highZ) const {
    Sight out;
    out.near = nearestOf(lowX, highX, lowZ, highZ);
    lowX -= m_eye.x();
    highX -= m_eye.x();
    lowZ -= m_eye.z();
    highZ -= m_eye.z();
    out.far = lengthOf(std::max(-lowX, highX), std::max(-lowZ, highZ));
    if (out.near <= 0) { // it lies all round the eye
        out.last = kSectors - 1;
        return out;
    }
    const detail::SectorSpan span = detail::spanOf(lowX, highX, lowZ, highZ);
    out.first = static_cast<int>(std::floor(span.first - 1e-6));
    out.last = static_cast<int>(std::floor(span.last + 1e-6));
    return out;
}

int GroundCover::ringBefore(double distance) const {
    return static_cast<int>(std::upper_bound(m_rings.begin(), m_rings.end(), distance) - m_rings.begin()) - 1;
}

bool GroundCover::hides(const OrientedBox& box) const {
    if (m_rings.empty())
        return false;
    const Vec3d half = box.half[0].cwiseAbs() + box.half[1].cwiseAbs() + box.half[2].cwiseAbs();
    const double near = lengthOf(std::max(std::abs(box.middle.x() - m_eye.x()) - half.x(), 0.0),
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
    const double far = lengthOf(x + half.x(), z + half.z());
    const int ring = ringBefore(far);
    if (ring < 0)
        return false;
    const double near = lengthOf(std::max(x - half.x(), 0.0), std::max(z - half.z(), 0.0));
    if (near <= 0)
        return true;
    const double up = middle.y() - half.y() - m_eye.y(); // the lowest middle
    const auto lowest = static_cast<float>(up > 0 ? up / far : up / near);
    if (m_most[static_cast<std::size_t>(ring)] <= lowest)
        return false;
    const Sight sight =
        sightOf(middle.x() - half.x(), middle.x() + half.x(), middle.z() - half.z(), middle.z() + half.z());
    for (int s = sight.first; s <= sight.last; ++s)
        if (steepestBefore(ring, s) > lowest)
            return true;
    return false;
}

bool GroundCover::mayHide(const Vec3d& middle) const {
    const double x = middle.x() - m_eye.x();
    const double z = middle.z() - m_eye.z();
    const double metres = std::sqrt(x * x + z * z);
    const int ring = m_rings.empty() ? -1 : ringBefore(metres);
    return ring >= 0 && slopeAt(ring, static_cast<int>(detail::sectorOf(x, z))) >
                            static_cast<float>((middle.y() - m_eye.y()) / metres);
}

} // namespace thicket
