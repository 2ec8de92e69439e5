#pragma once
// How much may be drawn while the camera moves, so that it moves smoothly on any machine.

#include <cstdint>

namespace thicket::app {

/// Learns from what frames took. In the scene everything is lightened by one allowance factor; a subject by itself has
/// so many triangles.
class MovingBudget {
public:
    static constexpr double kFrameMs = 45; ///< a little under a twentieth of a second
    static constexpr double kMostFactor = 64;

    [[nodiscard]] double factor() const { return m_factor; }
    [[nodiscard]] double soloTriangles() const { return m_solo; }
    /// A moving frame of a scene took so long with so many triangles.
    void sceneTook(double ms, std::uint64_t triangles);
    /// The same of a subject by itself.
    void soloTook(double ms, std::uint64_t triangles);
    /// Whether a selection of so many triangles, made with the present factor, will take too long; then the factor is
    /// larger, and it is to be made again.
    bool lighten(std::uint64_t triangles);
    /// What the window does after a frame, counted with it.
    void windowTook(double ms);
    [[nodiscard]] double windowMs() const { return m_windowMs; }

private:
    double m_factor = 1;
    double m_solo = 4e6;
    double m_msPerTriangle = 0;
    double m_windowMs = 0; ///< smoothed
};

} // namespace thicket::app
