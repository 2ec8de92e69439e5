#pragma once
// What ground certainly hides of what stands behind it. Nothing that would be seen is ever said to be hidden.
//
// Seen from an eye above it, ground that is sure to reach a slope (height over distance along the ground) at some
// distance hides everything behind that lies lower in that direction. Directions are taken in sectors, distances in
// rings; of each such piece the lowest that the ground can lie there counts, as it is drawn and not only as it is: a
// coarse tile runs from height to height over what lies between.

#include "switching/occlusion.h"
#include "switching/select_tiles.h"

#include <array>
#include <memory>

namespace thicket {

/// What one terrain hides, of one view.
class GroundCover {
public:
    /// Looks along the ground in the directions that the view sees. `cut`: what of it is drawn there. `only`: nothing but
    /// what is in these boxes is asked about; null: anything may be.
    /// COST       O(sectors seen * rings); a few times as much where the eye was not above the same quarter of a cell of
    ///            heights the time before.
    void look(const View& view, const std::shared_ptr<const TileTree>& ground, const TileRule& rule, const TileCut& cut,
              const std::vector<Bounds>* only = nullptr);
    /// Nothing is hidden by it.
    [[nodiscard]] bool empty() const { return m_rings.empty(); }
    [[nodiscard]] bool hides(const OrientedBox& box) const;
    /// False when nothing that has its middle in there can be hidden. True says nothing.
    [[nodiscard]] bool mayHide(const Vec3d& middle, const Vec3d& half) const;
    [[nodiscard]] bool mayHide(const Vec3d& middle) const;

private:
    static constexpr int kSectors = 256;
    static constexpr float kOpenSky = -1e30F;
    struct Sight {       ///< a box as seen from the eye
        double near = 0; ///< along the ground
        double far = 0;
        int first = 0; ///< sector; may be below 0 or beyond the last, for one less a turn round
        int last = 0;
    };
    [[nodiscard]] double nearestOf(double lowX, double highX, double lowZ, double highZ) const; ///< along the ground
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

    void makeRoom(std::size_t rings);
    void standIn(const std::shared_ptr<const TileTree>& tree, double first, double fromX, double fromZ);
    void markTiles(const TileTree& tree, const TileCut& cut, double reach);

    Vec3d m_eye{0, 0, 0};
    std::vector<double> m_rings;                   ///< where each ends, metres from the eye
    std::size_t m_stride = 0;                      ///< rings that there is room for in each sector
    std::array<double, kSectors> m_reaches{};      ///< how far it matters in each sector; 0: nowhere
    std::array<std::uint32_t, kSectors> m_until{}; ///< rings that were looked at in each
    // By sector, by ring:
    std::vector<float> m_slopes;        ///< what is less steep behind that ring is hidden
    std::vector<std::uint8_t> m_coarse; ///< the coarsest level drawn there, plus one; 0: none
    /// What a piece reaches at least, and from where and for which `m_coarse` that was asked.
    struct Known {
        float low = 0;
        std::uint16_t stand = 0;
        std::uint8_t coarse = 0;
    };
    std::vector<Known> m_known;
    std::uint16_t m_stand = 1;
    std::vector<float> m_most;            ///< by ring, of all sectors
    double m_last = 0;                    ///< where the last of what is drawn of the ground ends
    std::uint32_t m_under = 0;            ///< the coarsest level drawn where the eye is
    std::weak_ptr<const TileTree> m_tree; ///< that of which it is known
    std::array<double, 3> m_stood{};      ///< and from where: the first ring's begin, and the part of a cell
};

} // namespace thicket
