#pragma once
// How much may be drawn while the camera moves, so that it moves smoothly on any machine.

#include <array>
#include <cstddef>
#include <cstdint>

namespace thicket::app {

/// Learns from what frames took: so much a triangle, so much a pixel. Where a frame would take too long, the scene is
/// lightened by one allowance factor, a subject by itself to so many triangles, and where that is not enough, what is
/// drawn has fewer pixels than the window. Pixels get at least half of the time.
class MovingBudget {
public:
    static constexpr double kFrameMs = 40; ///< a twentieth of a second, less what the window answers meanwhile
    static constexpr double kMostFactor = 64;
    static constexpr double kLeastScale = 0.375;

    [[nodiscard]] double factor() const { return m_factor; }
    [[nodiscard]] double soloTriangles() const;
    /// Of the window's width and height that is drawn.
    [[nodiscard]] double scale() const { return m_scale; }

    /// How many times the cells of tiles of ground are halved, where so many triangles of them are drawn with the
    /// present factor: near the eye a terrain has the same tiles whatever the factor.
    [[nodiscard]] int halvingsOf(std::uint64_t groundTriangles);

    /// A moving frame took so long to draw, so many triangles and pixels, beside what went before it in `otherMs`.
    /// window   pixels that it has at full size
    void sceneTook(double drawMs, double otherMs, std::uint64_t triangles, double pixels, double window);
    void soloTook(double drawMs, double otherMs, std::uint64_t triangles, double pixels, double window);
    /// A picture at rest took so long; until something has moved, all that is known.
    void restTook(double ms, std::uint64_t triangles);
    /// Whether a selection of so many triangles, made with the present factor, will take too long; then the factor is
    /// larger, and it is to be made again.
    bool lighten(std::uint64_t triangles);
    /// Whether one of so many triangles and pixels is known to be drawn within that.
    [[nodiscard]] bool within(double ms, std::uint64_t triangles, double pixels) const {
        return m_count > 0 && m_msPerTriangle * static_cast<double>(triangles) + m_msPerPixel * pixels < ms;
    }
    /// Whether a frame of so many triangles keeps the window waiting.
    [[nodiscard]] bool tooLong(std::uint64_t triangles) const {
        return m_msPerTriangle * static_cast<double>(triangles) > kFrameMs;
    }
    /// What the window does after a frame, counted with it.
    void windowTook(double ms);
    [[nodiscard]] double windowMs() const { return m_windowMs; }

private:
    struct Frame {
        double ms = 0;
        double triangles = 0;
        double pixels = 0;
    };
    void fit();
    void learn(double drawMs, double otherMs, double triangles, double pixels, double window);
    /// Milliseconds that are left for drawing, and of these for triangles.
    [[nodiscard]] double forDrawing() const;
    [[nodiscard]] double forTriangles() const;

    std::array<Frame, 20> m_frames;
    std::size_t m_count = 0;
    std::size_t m_next = 0;
    double m_factor = 1;
    double m_scale = 1;
    int m_halvings = 0;
    double m_msPerTriangle = 0;
    double m_msPerPixel = 0;
    double m_window = 0;   ///< pixels
    double m_windowMs = 0; ///< smoothed
    double m_otherMs = 0;  ///< of the last frame
};

} // namespace thicket::app
