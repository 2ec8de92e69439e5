#pragma once
// What is hidden behind others, conservatively: nothing that would be seen is ever said to be hidden.
//
// Occluders are drawn, as they are shown, into a small buffer of depths. A pixel of it counts only where an occluder
// covers all of it. As one walks over the picture, the number of front faces one looks through changes only where one
// crosses a contour: an edge between a face turned to the eye and one turned away, or an open edge. So a pixel that no
// contour touches, and whose middle is covered, is covered whole. What is hidden lies, with its whole box, behind the
// farthest of the front faces of all pixels that it could touch.
// SOURCE  the idea of conservative coverage by silhouette edges: Aila & Miettinen 2004, simplified.

#include "switching/view.h"

#include <cstdint>
#include <span>
#include <vector>

namespace thicket {

/// A mesh that can hide others: its triangles by places, and who shares each edge.
struct Occluder {
    struct Edge {
        std::uint32_t from = 0;
        std::uint32_t to = 0;
        std::uint32_t left = 0; ///< triangles; the same twice where the edge is open or shared by more than two
        std::uint32_t right = 0;
    };
    /// Triangles that lie together, so that those out of view cost one look.
    struct Cluster {
        Vec3f centre{0, 0, 0};
        float radius = 0;
        std::uint32_t first = 0; ///< triangle
        std::uint32_t count = 0;
    };
    std::vector<Vec3f> places;
    std::vector<std::uint32_t> indices; ///< three a triangle
    std::vector<Edge> edges;
    std::vector<Cluster> clusters; ///< cover all triangles, in order
    [[nodiscard]] std::size_t triangleCount() const { return indices.size() / 3; }
};

/// The triangles of a mesh whose parts are `solid` (one a part; nothing shines through them). Vertices at one place are
/// one.
/// COST       O(T log T).
Occluder occluderOf(const Mesh& mesh, const std::vector<bool>& solid);

/// A box anywhere: its middle and the way from there to the middle of three of its sides.
struct OrientedBox {
    Vec3d middle{0, 0, 0};
    std::array<Vec3d, 3> half;
};

/// Depths of what is certainly covered, of one view.
class CoverBuffer {
public:
    /// Empties it for a view; `rows` high, as wide as the view's aspect asks for.
    void begin(const View& view, int rows);
    /// From now on only what these boxes may touch is drawn: nothing else is asked about. Sooner done.
    void keepTo(std::span<const OrientedBox> boxes);
    /// REQUIRES all of it lies before the far plane.
    void add(const Occluder& occluder, const Vec3d& position, const Quatd& rotation, double scale);
    /// Adds what another buffer of the same view has been given.
    void merge(const CoverBuffer& other);
    /// Whether a box is certainly not seen. False when any of it is before the near plane.
    [[nodiscard]] bool hides(const OrientedBox& box) const;
    /// False when nothing that lies in a box, or in a sphere, can be hidden. True says nothing.
    [[nodiscard]] bool mayHide(const OrientedBox& box) const;
    [[nodiscard]] bool mayHide(const Vec3d& middle, double radius) const;
    /// False when no box that has its middle there can be hidden. True says nothing.
    [[nodiscard]] bool mayHide(const Vec3d& middle) const;
    /// The same of all that have it no more than `off` metres from there. Sooner told.
    [[nodiscard]] bool mayHideAbout(const Vec3d& middle, double off) const;
    /// False when nothing within `radius` of the line between two places lies in the picture: then none of it is hidden,
    /// since that is not for this to say.
    [[nodiscard]] bool mayShow(const Vec3d& from, const Vec3d& to, double radius) const;
    /// Share of the pixels that are covered.
    [[nodiscard]] double covered() const;

private:
    struct Spot { ///< on the buffer, pixels, with one over the depth
        float x, y, inverse;
    };
    struct Point { ///< in front of the camera, metres
        float x, y, z;
    };
    struct Extent { ///< pixels that a box may touch; none where left > right
        int left = 0;
        int right = -1;
        int top = 0;
        int bottom = -1;
    };
    /// REQUIRES all of it lies behind the near plane. `half` as in OrientedBox, in the camera's axes.
    [[nodiscard]] Extent extentOf(const Point& middle, const std::array<Point, 3>& half) const;
    [[nodiscard]] Extent extentOf(const Point& middle, float radius) const;
    [[nodiscard]] std::array<Point, 3> turned(const OrientedBox& box) const;
    [[nodiscard]] float at(int x, int y) const {
        return m_inverse[static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x)];
    }
    [[nodiscard]] float block(int x, int y) const {
        return m_blocks[static_cast<std::size_t>(y) * static_cast<std::size_t>(m_blocksWide) +
                        static_cast<std::size_t>(x)];
    }
    [[nodiscard]] Point inCamera(const Vec3d& p) const;
    [[nodiscard]] Spot onBuffer(const Point& p) const;
    void drawTriangle(const Spot& a, const Spot& b, const Spot& c);
    void drawContour(const Point& a, const Point& b);
    void fillFront(const Point& a, const Point& b, const Point& c);

    View m_view;
    Vec3d m_right{1, 0, 0};
    int m_width = 0;
    int m_height = 0;
    float m_scaleX = 1; ///< pixels of a metre at one metre of depth
    float m_scaleY = 1;
    float m_near = 0.1F;
    static constexpr int kBlock = 8; ///< pixels a side
    void raise(int x, int y, float inverse);
    /// Whether something in there is covered before an inverse depth.
    [[nodiscard]] bool coveredBefore(const Extent& e, float inverse) const;
    /// The same of the blocks that it touches: true says nothing.
    [[nodiscard]] bool blocksCoveredBefore(const Extent& e, float inverse) const;

    Extent m_window; ///< what is drawn
    /// Whether a sphere is wholly outside of it, or before the near plane.
    [[nodiscard]] bool beside(const Vec3f& centre, float radius) const;

    int m_blocksWide = 0;
    std::vector<float> m_blocks;  ///< of each block of pixels the largest of m_inverse
    std::vector<float> m_inverse; ///< of the depth behind which a pixel hides everything; 0: it hides nothing
    // Of the occluder that is being drawn
    struct Cell {
        float inverse = 0; ///< of the farthest front face that touches it
        bool touched = false;
        bool middle = false; ///< its middle is covered
        bool contour = false;
    };
    std::vector<Cell> m_cells;
    std::vector<Point> m_points;
    std::vector<std::uint32_t> m_turned; ///< for which occluder each of these was worked out
    std::uint32_t m_added = 0;           ///< occluders so far
    std::vector<std::uint8_t> m_facing;  ///< a triangle: 1 turned to the eye, 0 away, 2 out of view
    int m_left = 0;                      ///< the part of the buffer that it touched
    int m_right2 = 0;
    int m_top = 0;
    int m_bottom = 0;
};

} // namespace thicket
