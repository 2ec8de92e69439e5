#pragma once
// What ground certainly hides of what stands behind it. Nothing that would be seen is ever said to be hidden.
//
// Seen from an eye above it, ground that is sure to reach a slope (height over distance along the ground) at some
// distance hides everything behind that lies lower in that direction. Directions are taken in sectors, distances in
// rings; of each such piece the lowest that the ground can lie there counts, as it is drawn and not only as it is: a
// coarse tile runs from height to height over what lies between.

#include "switching/occlusion.h"
#include "switching/sectors.h"
#include "switching/select_tiles.h"

#include <algorithm>
#include <array>
#include <memory>

namespace thicket {

/// Something of which it is asked whether ground hides it.
struct AskedOfGround {
    /// All of the box at once, behind what is nearer than any of it; one thing in its middle; or any things in it.
    enum class As : std::uint8_t { Whole, One, Any };
    Bounds box;
    As as = As::Any;
    double lowestTop = -1e30; ///< metres; no top of what is asked about lies lower
};

/// What one terrain hides, of one view.
class GroundCover {
public:
    /// Looks along the ground in the directions that the view sees. `cut`: what of it is drawn there. `only`: nothing but
    /// this is asked about; null: anything may be.
    /// COST       O(sectors seen * rings); several times as much where there are holes, or anything may be asked.
    void look(const View& view, const std::shared_ptr<const TileTree>& ground, const TileRule& rule, const TileCut& cut,
              const std::vector<AskedOfGround>* only = nullptr);
    /// Nothing is hidden by it.
    [[nodiscard]] bool empty() const { return m_rings.empty(); }
    [[nodiscard]] bool hides(const OrientedBox& box) const;
    /// False when nothing that has its middle in there can be hidden. True says nothing.
    [[nodiscard]] bool mayHide(const Vec3d& middle, const Vec3d& half) const;
    [[nodiscard]] bool mayHide(const Vec3d& middle) const;

private:
    static constexpr int kSectors = detail::kSectors;
    static constexpr float kOpenSky = -1e30F; ///< slope of a horizon that nothing reaches
    struct Sight {                            ///< a box as seen from the eye
        double near = 0;                      ///< along the ground
        double far = 0;
        int first = 0; ///< sector; may be below 0 or beyond the last, for one less a turn round
        int last = 0;
    };
    [[nodiscard]] double nearestOf(double lowX, double highX, double lowZ, double highZ) const; ///< along the ground
    [[nodiscard]] Sight sightOf(const Bounds& b) const { return sightOf(b.low.x(), b.high.x(), b.low.z(), b.high.z()); }
    [[nodiscard]] Sight sightOf(double lowX, double highX, double lowZ, double highZ) const;
    /// The ring by whose end a distance is not reached yet; -1: before the first.
    [[nodiscard]] int ringBefore(double distance) const;
    /// Sectors may be given one turn less or more.
    [[nodiscard]] static std::size_t turned(int sector) {
        return static_cast<std::size_t>((sector + 2 * kSectors) % kSectors);
    }
    /// What is less steep than this behind a ring is hidden there.
    [[nodiscard]] float slopeAt(int ring, int sector) const {
        const std::size_t s = turned(sector);
        return static_cast<std::uint32_t>(ring) < m_until[s] ? m_slopes[s * m_stride + static_cast<std::size_t>(ring)]
                                                             : kOpenSky;
    }
    /// The most that slopeAt() says of it up to that ring, where it matters.
    [[nodiscard]] float steepestBefore(int ring, int sector) const {
        const std::size_t s = turned(sector);
        const std::size_t rings = std::min(static_cast<std::size_t>(ring) + 1, std::size_t{m_until[s]});
        return rings > 0 ? m_slopes[s * m_stride + rings - 1] : kOpenSky;
    }

    void makeRoom(std::size_t rings);
    /// How far it matters in each sector for what is asked about; returns the farthest.
    double reachTo(const std::vector<AskedOfGround>& only);
    /// It matters nowhere but in these sectors.
    void keepTo(int firstSector, int lastSector);
    /// Leaves out all pieces that cannot hide anything that is asked about, as far as the heights in their middles tell.
    /// REQUIRES ground without holes.
    void keepTo(const std::vector<AskedOfGround>& only, const TileTree& tree);
    /// How steep pieces of a sector can be at most, by ring.
    void mostAlong(const TileTree& tree, std::size_t sector, float* out) const;
    void lookOutward(const TileTree& tree);
    /// What a piece reaches at least, above the terrain's origin.
    [[nodiscard]] float lowestIn(const TileTree& tree, std::size_t sector, std::size_t ring) const;
    /// What is less steep is hidden behind a ring whose ground reaches that height above the terrain's origin.
    [[nodiscard]] float slopeOf(const TileTree& tree, float height, std::size_t ring) const {
        constexpr double kRounding = 1e-5; // with much to spare
        const double up = static_cast<double>(height) - (m_eye.y() - tree.origin.y());
        return static_cast<float>(up / (up > 0 ? m_rings[ring] : beginOf(ring)) - kRounding);
    }
    [[nodiscard]] double beginOf(std::size_t ring) const { return ring == 0 ? m_first : m_rings[ring - 1]; }
    void markTiles(const TileTree& tree, const TileCut& cut, double reach);

    Vec3d m_eye{0, 0, 0};
    std::vector<double> m_rings;                   ///< where each ends, metres from the eye
    std::size_t m_stride = 0;                      ///< rings that there is room for in each sector
    std::array<double, kSectors> m_reaches{};      ///< how far it matters in each sector; 0: nowhere
    std::array<std::uint32_t, kSectors> m_until{}; ///< rings that were looked at in each
    // By sector, by ring:
    std::vector<float> m_slopes;        ///< what is less steep behind that ring is hidden
    std::vector<std::uint8_t> m_coarse; ///< the coarsest level drawn there, plus one; 0: none, or of no account
    std::vector<float> m_most;          ///< by ring, of all sectors, where it matters up to there
    double m_last = 0;                  ///< where the last of what is drawn of the ground ends
    std::uint32_t m_under = 0;          ///< the coarsest level drawn where the eye is
    double m_first = 0;                 ///< where the first ring begins, metres
};

} // namespace thicket
