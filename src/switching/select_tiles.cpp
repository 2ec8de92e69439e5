#include "switching/select_tiles.h"

#include "switching/sectors.h"

#include <algorithm>
#include <cmath>

namespace thicket {

namespace {
using detail::kSectors;
constexpr float kOpenSky = -1e30F;
} // namespace

void TileState::settle(const std::shared_ptr<const TileTree>& tree) {
    if (m_tree == tree)
        return;
    // An edited terrain of the same shape keeps what was drawn, so that what changed can be told.
    const bool alike = m_tree && tree && m_tree->tiles.size() == tree->tiles.size() &&
                       m_tree->columns == tree->columns && m_tree->cells == tree->cells;
    m_tree = tree;
    if (alike || !tree)
        return;
    m_nodes.assign(tree->tiles.size(), {});
    m_leaves.assign(tree->levels.size(), {});
    for (auto& leaves : m_leaves)
        leaves.reserve(1024);
    m_before.clear();
    m_before.reserve(4096);
    m_horizon.assign(kSectors, kOpenSky);
    m_stamp = 1;
}

/// One selection.
class TilePass {
public:
    TilePass(const View& view, const TileRule& rule, TileState& state, TileCut& out)
        : m_view(view), m_rule(rule), m_state(state), m_tree(*state.m_tree), m_out(out), m_frustum(frustumOf(view)),
          m_pixelScale(view.pixelScale()), m_scale(m_pixelScale * rule.factor) {
        for (std::size_t p = 0; p < 6; ++p)
            m_reachOfPlane[p] = rule.margin + m_frustum.offset[p];
        const double merge = rule.allowPx / (1 + rule.band);
        m_mergePx = merge;
        m_morphScale = rule.band > 0 ? 1 / (rule.allowPx - merge) : 0;
    }

    void run() {
        ++m_state.m_stamp;
        for (auto& leaves : m_state.m_leaves)
            leaves.clear();
        m_out.tiles.clear();
        m_out.added.clear();
        m_out.removed.clear();
        m_out.restitched.clear();
        m_out.triangles = m_out.vertices = 0;
        m_out.pixels = m_out.worstErrorPx = 0;
        m_out.outOfView = m_out.beyondReach = m_out.hidden = m_out.forced = m_out.split = m_out.merged = 0;
        visit({static_cast<std::uint32_t>(m_tree.levels.size() - 1), 0, 0}, m_rule.cullView ? 63U : 0U);
        balance();
        if (m_rule.horizon)
            std::fill(m_state.m_horizon.begin(), m_state.m_horizon.end(), kOpenSky);
        collect({static_cast<std::uint32_t>(m_tree.levels.size() - 1), 0, 0}, 0);
        stitch();
        compare();
    }

private:
    struct Box {
        double lowX, lowY, lowZ, highX, highY, highZ;
    };

    [[nodiscard]] TileState::Node& node(TileTree::Ref r) { return m_state.m_nodes[m_tree.index(r)]; }
    [[nodiscard]] bool reached(TileTree::Ref r) { return node(r).stamp == m_state.m_stamp; }

    /// What a tile covers; or that and the strips that it answers for.
    [[nodiscard]] Box boxOf(TileTree::Ref r, const TileTree::Tile& tile, bool strips) const {
        const double wider =
            strips && r.level > 0 ? static_cast<double>(std::uint64_t{1} << (r.level - 1)) * m_tree.spacing : 0;
        const double side = static_cast<double>(std::uint64_t{m_tree.cells} << r.level) * m_tree.spacing;
        const double x = m_tree.origin.x() + r.x * side;
        const double z = m_tree.origin.z() + r.y * side;
        return {x - wider,
                m_tree.origin.y() + static_cast<double>(strips ? tile.reachLow : tile.low),
                z - wider,
                std::min(x + side, m_tree.origin.x() + (m_tree.columns - 1) * m_tree.spacing) + wider,
                m_tree.origin.y() + static_cast<double>(strips ? tile.reachHigh : tile.high),
                std::min(z + side, m_tree.origin.z() + (m_tree.rows - 1) * m_tree.spacing) + wider};
    }
    [[nodiscard]] double distanceTo(const Box& b) const {
        const auto beyond = [](double low, double high, double at) { return std::max({low - at, 0.0, at - high}); };
        const double x = beyond(b.lowX, b.highX, m_view.eye.x());
        const double y = beyond(b.lowY, b.highY, m_view.eye.y());
        const double z = beyond(b.lowZ, b.highZ, m_view.eye.z());
        return std::sqrt(x * x + y * y + z * z);
    }

    /// Of the planes in `planes`, those that the box is not wholly inside of; empty: it is wholly outside of one.
    [[nodiscard]] std::optional<unsigned> against(const Box& b, unsigned planes) const {
        unsigned left = 0;
        for (unsigned p = 0; p < 6; ++p) {
            if ((planes >> p & 1U) == 0)
                continue;
            const Vec3d& n = m_frustum.normal[p];
            const double far = n.x() * (n.x() > 0 ? b.highX : b.lowX) + n.y() * (n.y() > 0 ? b.highY : b.lowY) +
                               n.z() * (n.z() > 0 ? b.highZ : b.lowZ) + m_reachOfPlane[p];
            if (far < 0)
                return std::nullopt;
            const double near = n.x() * (n.x() > 0 ? b.lowX : b.highX) + n.y() * (n.y() > 0 ? b.lowY : b.highY) +
                                n.z() * (n.z() > 0 ? b.lowZ : b.highZ) + m_reachOfPlane[p];
            if (near < 0)
                left |= 1U << p;
        }
        return left;
    }

    /// Whether a tile must be split, and how far its children are on their way to it.
    [[nodiscard]] bool mustSplit(TileTree::Ref r, const TileTree::Tile& tile, double distance, float& morph) const {
        morph = 0;
        if (r.level == 0)
            return false;
        if (m_rule.finest)
            return true;
        if (r.level < m_rule.fromMetres.size() && m_rule.fromMetres[r.level]) {
            const double from = *m_rule.fromMetres[r.level] * m_rule.factor;
            const double whole = from * (1 + m_rule.band);
            if (distance >= whole)
                return false;
            morph = m_rule.band > 0 ? static_cast<float>(std::clamp((distance - from) / (whole - from), 0.0, 1.0)) : 0;
            return true;
        }
        const double px = static_cast<double>(tile.error) * m_scale;
        if (px <= m_mergePx * distance)
            return false;
        if (px < m_rule.allowPx * distance)
            morph = static_cast<float>((m_rule.allowPx - px / distance) * m_morphScale);
        return true;
    }

    /// Gives a tile its fate by view and reach; true: it may be drawn.
    bool admit(TileTree::Ref r, unsigned& planes, double& distance) {
        const TileTree::Tile& tile = m_tree.tiles[m_tree.index(r)];
        TileState::Node& own = node(r);
        own.stamp = m_state.m_stamp;
        own.morph = 0;
        if ((tile.triangles & TileTree::kHoles) != 0 && m_tree.holes[tile.triangles & ~TileTree::kHoles][0] == 0) {
            own.fate = TileFate::Empty;
            return false;
        }
        const Box box = boxOf(r, tile, true);
        own.distance = distance = distanceTo(box);
        if (m_rule.reach > 0 && distance > m_rule.reach) {
            own.fate = TileFate::BeyondReach;
            ++m_out.beyondReach;
            return false;
        }
        if (planes != 0) {
            const auto left = against(box, planes);
            if (!left) {
                own.fate = TileFate::OutOfView;
                ++m_out.outOfView;
                return false;
            }
            planes = *left;
        }
        return true;
    }

    template <class Each> void eachChild(TileTree::Ref r, const Each& each) {
        const TileTree::Level& below = m_tree.levels[r.level - 1];
        for (std::uint32_t k = 0; k < 4; ++k) {
            const TileTree::Ref child{r.level - 1, 2 * r.x + (k & 1U), 2 * r.y + (k >> 1U)};
            if (child.x < below.across && child.y < below.down)
                each(child);
        }
    }

    void visit(TileTree::Ref r, unsigned planes) {
        double distance = 0;
        if (!admit(r, planes, distance))
            return;
        TileState::Node& own = node(r);
        if (!mustSplit(r, m_tree.tiles[m_tree.index(r)], distance, own.morph)) {
            makeLeaf(r);
            return;
        }
        own.fate = TileFate::Inner;
        eachChild(r, [&](TileTree::Ref child) { visit(child, planes); });
    }

    void makeLeaf(TileTree::Ref r) {
        node(r).fate = TileFate::Drawn;
        m_state.m_leaves[r.level].push_back(m_tree.index(r));
    }

    /// The tile that was reached in this selection and holds another.
    [[nodiscard]] TileTree::Ref holderOf(TileTree::Ref r) {
        while (!reached(r))
            r = {r.level + 1, r.x / 2, r.y / 2};
        return r;
    }

    void balance() {
        for (std::uint32_t level = 0; level + 2 < m_tree.levels.size(); ++level) {
            const TileTree::Level& row = m_tree.levels[level];
            for (std::size_t i = 0; i < m_state.m_leaves[level].size(); ++i) {
                const std::uint32_t in = m_state.m_leaves[level][i] - row.first;
                const TileTree::Ref own{level, in % row.across, in / row.across};
                if (node(own).fate != TileFate::Drawn)
                    continue;
                for (std::size_t side = 0; side < 4; ++side) {
                    const TileTree::Ref beside{level, own.x + static_cast<std::uint32_t>(kSideX[side]),
                                               own.y + static_cast<std::uint32_t>(kSideY[side])};
                    if (beside.x < row.across && beside.y < row.down)
                        splitUntil({level + 1, beside.x / 2, beside.y / 2});
                }
            }
        }
    }

    /// Splits what holds a tile until that tile itself is reached, or is culled with what holds it.
    void splitUntil(TileTree::Ref wanted) {
        for (TileTree::Ref holder = holderOf(wanted); holder.level > wanted.level; holder = holderOf(wanted)) {
            TileState::Node& own = node(holder);
            if (own.fate != TileFate::Drawn)
                return;
            own.fate = TileFate::Inner;
            own.morph = m_rule.band > 0 ? 1.0F : 0.0F;
            ++m_out.forced;
            eachChild(holder, [&](TileTree::Ref child) {
                unsigned planes = m_rule.cullView ? 63U : 0U;
                double distance = 0;
                if (admit(child, planes, distance))
                    makeLeaf(child);
            });
        }
    }

    /// The drawn tiles, nearest quadrants first, so that whatever hides a tile was there before it.
    void collect(TileTree::Ref r, float morph) {
        TileState::Node& own = node(r);
        if (own.fate == TileFate::Drawn) {
            const TileTree::Tile& tile = m_tree.tiles[m_tree.index(r)];
            if (m_rule.horizon && behindHorizon(r, tile)) {
                own.fate = TileFate::Hidden;
                ++m_out.hidden;
                return;
            }
            DrawnTile drawn;
            drawn.ref = r;
            drawn.morph = morph;
            m_out.tiles.push_back(drawn);
            return;
        }
        if (own.fate != TileFate::Inner)
            return;
        const double side = static_cast<double>(std::uint64_t{m_tree.cells} << (r.level - 1)) * m_tree.spacing;
        const std::uint32_t east = m_view.eye.x() > m_tree.origin.x() + (2.0 * r.x + 1) * side ? 1 : 0;
        const std::uint32_t south = m_view.eye.z() > m_tree.origin.z() + (2.0 * r.y + 1) * side ? 1 : 0;
        const TileTree::Level& below = m_tree.levels[r.level - 1];
        for (std::uint32_t k = 0; k < 4; ++k) {
            const TileTree::Ref child{r.level - 1, 2 * r.x + (east ^ (k & 1U)), 2 * r.y + (south ^ (k >> 1U))};
            if (child.x < below.across && child.y < below.down)
                collect(child, own.morph);
        }
    }

    /// Whether nearer ground covers all that this tile could show; else adds what it covers itself.
    /// Slopes are heights over distances on the ground, seen from the eye.
    bool behindHorizon(TileTree::Ref r, const TileTree::Tile& tile) {
        const Box b = boxOf(r, tile, false);
        const double lowX = b.lowX - m_view.eye.x();
        const double highX = b.highX - m_view.eye.x();
        const double lowZ = b.lowZ - m_view.eye.z();
        const double highZ = b.highZ - m_view.eye.z();
        const double nearX = std::max({lowX, 0.0, -highX});
        const double nearZ = std::max({lowZ, 0.0, -highZ});
        const double near = std::sqrt(nearX * nearX + nearZ * nearZ);
        if (near <= 0)
            return false;
        const double up = b.highY - m_view.eye.y();
        const double down = b.lowY - m_view.eye.y();
        const double farX = std::max(-lowX, highX);
        const double farZ = std::max(-lowZ, highZ);
        const double far = std::sqrt(farX * farX + farZ * farZ);
        const detail::SectorSpan span = detail::spanOf(lowX, highX, lowZ, highZ);
        const auto top = static_cast<float>(up > 0 ? up / near : up / far);
        const auto from = static_cast<int>(std::floor(span.first));
        const auto to = static_cast<int>(std::floor(span.last));
        bool covered = true;
        for (int s = from; s <= to && covered; ++s)
            covered = m_state.m_horizon[static_cast<std::uint32_t>(s) % kSectors] > top + 1e-6F;
        if (covered)
            return true;
        if ((tile.triangles & TileTree::kHoles) != 0)
            return false; // one sees through holes
        const auto sure = static_cast<float>(down > 0 ? down / far : down / near);
        for (int s = from + 1; s < to; ++s) {
            float& horizon = m_state.m_horizon[static_cast<std::uint32_t>(s) % kSectors];
            horizon = std::max(horizon, sure);
        }
        return false;
    }

    void stitch() {
        for (DrawnTile& drawn : m_out.tiles) {
            const TileTree::Level& row = m_tree.levels[drawn.ref.level];
            const std::uint32_t own = m_tree.index(drawn.ref);
            for (std::size_t side = 0; side < 4; ++side) {
                drawn.edges[side] = drawn.morph;
                const TileTree::Ref beside{drawn.ref.level, drawn.ref.x + static_cast<std::uint32_t>(kSideX[side]),
                                           drawn.ref.y + static_cast<std::uint32_t>(kSideY[side])};
                if (beside.x >= row.across || beside.y >= row.down)
                    continue;
                const TileState::Node& other =
                    m_state.m_nodes[own + static_cast<std::uint32_t>(kSideX[side]) +
                                    static_cast<std::uint32_t>(kSideY[side]) * row.across]; // wraps round and back
                if (other.stamp == m_state.m_stamp) {
                    if (other.fate == TileFate::Inner)
                        drawn.edges[side] = 0;
                    else if (beside.x / 2 != drawn.ref.x / 2 || beside.y / 2 != drawn.ref.y / 2)
                        drawn.edges[side] = std::min(drawn.morph, parentMorph(beside));
                    continue;
                }
                const TileFate coarser = node(holderOf(beside)).fate;
                if (coarser == TileFate::Drawn || coarser == TileFate::Hidden)
                    drawn.stitch |= kSides[side];
            }
            count(drawn, m_state.m_nodes[own].distance);
        }
    }

    [[nodiscard]] float parentMorph(TileTree::Ref r) {
        return r.level + 1 < m_tree.levels.size() ? node({r.level + 1, r.x / 2, r.y / 2}).morph : 0;
    }

    void count(DrawnTile& drawn, double distance) {
        const TileTree::Tile& tile = m_tree.tiles[m_tree.index(drawn.ref)];
        const double scale = m_pixelScale;
        drawn.errorPx = tile.error > 0 ? static_cast<float>(tile.error * scale / std::max(distance, 1e-9)) : 0;
        m_out.worstErrorPx = std::max(m_out.worstErrorPx, static_cast<double>(drawn.errorPx));
        const bool both = m_rule.crossFade && drawn.morph > 0 && drawn.morph < 1;
        m_out.fading += both ? 1 : 0;
        m_out.triangles += (both ? 2 : 1) * std::uint64_t{m_tree.trianglesOf(drawn.ref, drawn.stitch)};
        const std::uint32_t across = m_tree.cellsAcross(drawn.ref);
        const std::uint32_t down = m_tree.cellsDown(drawn.ref);
        m_out.vertices += std::uint64_t{across + 1} * (down + 1);
        // A level square seen from a height: its area, foreshortened, at its middle.
        const Box b = boxOf(drawn.ref, tile, false);
        const Vec3d to = Vec3d((b.lowX + b.highX) / 2, (b.lowY + b.highY) / 2, (b.lowZ + b.highZ) / 2) - m_view.eye;
        const double middle = std::max({to.norm(), distance, m_view.nearMetres});
        const double whole = m_view.lines * m_view.lines * m_view.aspect;
        m_out.pixels += std::min(whole, (b.highX - b.lowX) * (b.highZ - b.lowZ) * scale * scale * std::abs(to.y()) /
                                            (middle * middle * middle));
        m_out.pixels = std::min(m_out.pixels, whole);
    }

    [[nodiscard]] bool quarterWasDrawn(TileTree::Ref r) {
        bool was = false;
        if (r.level > 0)
            eachChild(r, [&](TileTree::Ref child) { was = was || node(child).drawnAt + 1 == m_state.m_stamp; });
        return was;
    }

    void compare() {
        for (const DrawnTile& drawn : m_out.tiles) {
            TileState::Node& own = node(drawn.ref);
            if (own.drawnAt + 1 != m_state.m_stamp) {
                m_out.added.push_back(drawn.ref);
                m_out.merged += quarterWasDrawn(drawn.ref) ? 1 : 0;
            } else if (own.stitch != drawn.stitch) {
                m_out.restitched.push_back(drawn.ref);
            }
            own.drawnAt = m_state.m_stamp;
            own.stitch = drawn.stitch;
        }
        for (const std::uint32_t tile : m_state.m_before)
            if (m_state.m_nodes[tile].drawnAt != m_state.m_stamp) {
                m_out.removed.push_back(m_tree.refOf(tile));
                const TileState::Node& own = m_state.m_nodes[tile];
                m_out.split += own.stamp == m_state.m_stamp && own.fate == TileFate::Inner ? 1 : 0;
            }
        m_state.m_before.clear();
        for (const DrawnTile& drawn : m_out.tiles)
            m_state.m_before.push_back(m_tree.index(drawn.ref));
    }

    const View& m_view;
    const TileRule& m_rule;
    TileState& m_state;
    const TileTree& m_tree;
    TileCut& m_out;
    Frustum m_frustum;
    double m_pixelScale;
    double m_scale;
    double m_mergePx = 1;
    double m_morphScale = 0;
    std::array<double, 6> m_reachOfPlane{};
};

void selectTiles(const View& view, const TileRule& rule, TileState& state, TileCut& out) {
    TilePass(view, rule, state, out).run();
}

double tileSwitchDistance(const TileTree& tree, std::uint32_t level, const TileRule& rule, const View& view) {
    if (level < rule.fromMetres.size() && rule.fromMetres[level])
        return *rule.fromMetres[level] * rule.factor;
    return static_cast<double>(tree.levels[level].worst) * view.pixelScale() * rule.factor / rule.allowPx;
}

} // namespace thicket
