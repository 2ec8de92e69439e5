#pragma once
// A cell through moments in turn, without looking at all of its copies at each. Internal to the selector.

#include "switching/copy_lanes.h"

#include <optional>

namespace thicket::detail {

/// What the copies of a cell are asked by, where the eye goes some metres at most.
struct LaneLook {
    LaneRule rule;
    std::array<LaneRule::Switch, kMostLevels> switches; ///< of which few are filled
    std::array<std::uint8_t, 6> planes;                 ///< of the view: those of the rule
    double room = 0;                                    ///< metres beyond those until more may have to be asked
};

struct BatchPass;

/// A cell through moments in turn. One look at all of its copies finds those that may become something else while the eye
/// goes on to the last of these moments, and when they come into view and leave it; until then only they are looked at.
class CellAhead {
public:
    /// `moments`: this one and those that follow until more than the camera changes; at most kMostMoments.
    void begin(std::span<const BatchPass* const> moments) {
        m_moments = moments;
        m_at = 0;
        m_open = false;
        m_changedCount = 0;
    }
    [[nodiscard]] bool open() const { return m_open; }
    void close() { m_open = false; }
    /// Decides about the cell at the next moment. REQUIRES open().
    void goOn(std::uint32_t index);
    /// Copies that became something else at this moment; of no account where all of the cell's are alike now.
    [[nodiscard]] std::span<const std::uint8_t> changed() const { return std::span(m_changed).first(m_changedCount); }
    void note(std::uint32_t k) { m_changed[m_changedCount++] = static_cast<std::uint8_t>(k); }

private:
    friend struct BatchPass;
    struct Way {
        double metres = 0;    ///< that the eye goes
        double withTurns = 0; ///< and that planes of the view go by, its turning included
    };
    /// To the last moment, for copies that are so far from the eye at most.
    [[nodiscard]] Way wayFrom(double farthest) const;
    /// After a look at `looked` copies of a cell.
    void take(const BatchPass& pass, std::uint32_t index, const Way& way, std::uint32_t looked,
              const LaneAnswers& found, double growth);
    void findSides(const CellTable::Cell& cell, std::uint32_t looked, const LaneAnswers& found, double growth);
    void gather(const BatchPass& pass, std::uint32_t slot, std::uint32_t k);
    void look(const BatchPass& pass, std::uint32_t index, LaneAnswers& found);
    [[nodiscard]] CopyCode codeNow(std::uint8_t k) const;

    std::span<const BatchPass* const> m_moments;
    std::size_t m_at = 0;
    bool m_open = false;
    std::uint32_t m_changedCount = 0;
    std::array<std::uint8_t, kMostInCell> m_changed;
    std::optional<LaneLook> m_look;
    // Copies that come into view or leave it, and are one thing else: at each moment those that do.
    LaneSides m_sides;
    std::vector<LaneRule::Plane> m_planes; ///< at each moment those of the look
    std::array<std::uint32_t, kMostMoments> m_events;
    std::array<std::array<std::uint8_t, kMostInCell>, kMostMoments> m_coming;
    KeptCodes m_inView; ///< what they are in view
    // The others, side by side:
    std::uint32_t m_count = 0;
    std::array<std::uint8_t, kMostInCell> m_which;
    alignas(32) std::array<float, kMostInCell> m_x, m_y, m_z, m_scale, m_factor;
    std::array<std::uint16_t, kMostInCell> m_spread;
    std::array<std::uint32_t, kMostInCell> m_places;
    std::vector<CopyMemory> m_memories;
    double m_far = 0;   ///< how far copies were from the eye at most
    double m_moved = 0; ///< SelectState::moved and turned at the last look
    double m_turned = 0;
    Way m_room; ///< from there until one of those may be something else
};

} // namespace thicket::detail
