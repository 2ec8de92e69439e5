#pragma once
// The working state of an even rebuild: triangles that are split, collapsed and flipped in place.

#include "reduce/rebuild.h"

#include <optional>
#include <unordered_set>

namespace thicket::reduce {

class EvenSurface {
public:
    /// Points are the places of `start`; marks its feature lines.
    EvenSurface(const Mesh& start, double creaseDegrees);

    void split(double longest, const SurfaceQuery& source);
    void collapse(double shortest, double longest);
    /// Turns diagonals towards six edges a point; with a source, only where that is not much farther off it.
    void flip(const SurfaceQuery* source = nullptr);
    void relax(const SurfaceQuery& source);

    /// Turns diagonals whose middle comes nearer to the source by it, where the triangles stay well shaped.
    void flipNearer(const SurfaceQuery& source);
    /// Moves free points along the surface towards those of their triangles that are farthest off, so that all come to
    /// be off by the same, and half-way out of the surface against what their triangles cut off.
    void spreadError(const SurfaceQuery& source);
    /// Moves free points one by one where that makes the worst of their triangles less far off. Never worse.
    void improve(const SurfaceQuery& source);

    [[nodiscard]] std::uint32_t triangleCount() const;
    [[nodiscard]] double area() const;
    /// The share of points that are on no line and may move.
    [[nodiscard]] double freeShare() const;
    /// The surface as a mesh with what its vertices carry taken from the source.
    [[nodiscard]] Mesh finish(const Mesh& source, const SurfaceQuery& query) const;

private:
    using Triangle = std::array<std::uint32_t, 3>;
    enum class Kind { Free, Line, Corner };

    static std::uint64_t key(std::uint32_t a, std::uint32_t b) {
        return a < b ? std::uint64_t{a} << 32 | b : std::uint64_t{b} << 32 | a;
    }
    [[nodiscard]] bool feature(std::uint32_t a, std::uint32_t b) const { return m_features.contains(key(a, b)); }
    [[nodiscard]] bool alive(std::uint32_t t) const { return m_triangles[t][0] != m_triangles[t][1]; }
    [[nodiscard]] Kind kindOf(std::uint32_t p, std::array<std::uint32_t, 2>* along = nullptr) const;
    void neighboursOf(std::uint32_t p, std::vector<std::uint32_t>& out) const;
    void trianglesOf(std::uint32_t a, std::uint32_t b, std::vector<std::uint32_t>& out) const;
    [[nodiscard]] Vec3d cross(const Triangle& t) const;
    [[nodiscard]] bool splinter(std::uint32_t t) const;
    [[nodiscard]] bool holds(std::uint32_t p, std::uint32_t except, const Vec3d& place) const;
    [[nodiscard]] std::vector<std::uint64_t> edges() const;
    void splitEdge(std::uint32_t a, std::uint32_t b, const SurfaceQuery& source);
    bool collapseEdge(std::uint32_t a, std::uint32_t b, double longest);
    [[nodiscard]] bool noFarther(const SurfaceQuery& source, std::uint32_t a, std::uint32_t b, std::uint32_t c,
                                 std::uint32_t d) const;
    struct Worst {
        Vec3d middle{0, 0, 0}; ///< of the triangle that is farthest off
        Vec3d onSource{0, 0, 0};
        double balance = 0; ///< half-way between the farthest out and the farthest in, to the outside
    };
    /// The largest distance found on the triangles round a point, were it at `place`; gives up at `enough`.
    [[nodiscard]] double worstRound(std::uint32_t p, const Vec3d& place, const SurfaceQuery& source, double enough,
                                    Worst* worst) const;
    /// Free points in groups of which no two are joined by an edge.
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> apart() const;
    void dropFrom(std::uint32_t p, std::uint32_t t);
    /// The two triangles of an edge and the tips that it could be turned to; none where it has to stay.
    struct Diagonal {
        std::uint32_t first = 0;
        std::uint32_t second = 0;
        std::uint32_t c = 0;
        std::uint32_t d = 0;
    };
    [[nodiscard]] std::optional<Diagonal> otherDiagonal(std::uint32_t a, std::uint32_t b,
                                                        std::vector<std::uint32_t>& scratch) const;
    void turn(std::uint32_t first, std::uint32_t second, std::uint32_t c, std::uint32_t d);
    [[nodiscard]] bool mayTurn(std::uint32_t first, std::uint32_t second, std::uint32_t c, std::uint32_t d,
                               double leastShape, double leastCosine) const;
    [[nodiscard]] std::uint32_t tipOf(std::uint32_t t, std::uint32_t a, std::uint32_t b) const;

    std::vector<Vec3d> m_points;
    std::vector<std::vector<std::uint32_t>> m_around; ///< triangles of each point
    std::vector<Triangle> m_triangles;                ///< gone ones have equal corners
    std::vector<std::uint32_t> m_material;            ///< a triangle each
    std::unordered_set<std::uint64_t> m_features;     ///< edges that stay lines
    std::vector<std::uint32_t> m_near;                ///< a triangle of the source near each point, for improve
    std::vector<std::uint32_t> m_tips;                ///< scratch
};

} // namespace thicket::reduce
