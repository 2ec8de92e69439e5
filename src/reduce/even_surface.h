#pragma once
// The working state of an even rebuild: triangles that are split, collapsed and flipped in place.

#include "reduce/rebuild.h"

#include <array>
#include <optional>
#include <span>
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
    /// How far a triangle is off at a few places of it, metres.
    struct Off {
        double most = 0;
        double out = 0;         ///< to its outside, at least 0
        double in = 0;          ///< to its inside, at most 0
        std::uint8_t probe = 0; ///< where the most was found
        bool known = false;
    };
    [[nodiscard]] static Off offOf(const std::array<Vec3d, 3>& corner, const SurfaceQuery& source, std::uint32_t hint);
    /// Whether a point and the triangles round it, were it at `place`, are all off by less than `most`; then `found` says
    /// by how much. `worstFirst`: those triangles, in an order in which it is soon told.
    [[nodiscard]] bool nearerThan(double most, std::uint32_t p, const Vec3d& place, const SurfaceQuery& source,
                                  std::span<const std::uint32_t> worstFirst, double& found) const;
    /// Moves one free point where that helps; true when it did.
    bool improveAt(std::uint32_t p, const SurfaceQuery& source);
    /// A triangle has changed: what is known of it, and of points that could not be moved to the better, no longer holds.
    void touched(std::uint32_t t);
    /// The same of all of them.
    void forget();
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
    std::vector<Off> m_off;                           ///< one a triangle; empty: nothing is known of any
    std::vector<std::uint8_t> m_settled;              ///< one a point: it was tried as it is, and stays
    std::vector<std::uint32_t> m_tips;                ///< scratch
};

} // namespace thicket::reduce
