#include "reduce/piece_shape.h"
#include "reduce/pieces.h"

#include <array>
#include <cmath>

namespace thicket {
namespace {
constexpr double kThinnestStrand = 0.001; // of its extent; what is thinner is a sheet folded on itself
constexpr std::uint32_t kNoPiece = 0xFFFFFFFFU;
} // namespace

double areaThatGrows(const Mesh& mesh, const std::vector<std::uint32_t>& pieceOf,
                     std::span<const Record::Piece> kinds) {
    double area = 0;
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        if (!kinds.empty() && !kinds[pieceOf[t]].grows)
            continue;
        const auto at = [&](std::uint32_t k) { return mesh.positions[mesh.indices[3 * t + k]].cast<double>().eval(); };
        area += (at(1) - at(0)).cross(at(2) - at(0)).norm() / 2;
    }
    return area;
}

void growPieces(Mesh& level, const std::vector<std::uint32_t>& pieceOf, std::span<const Record::Piece> kinds,
                double keptShare, double mostMetres) {
    if (level.indices.empty() || keptShare >= 1)
        return;
    const double thicker = std::min(1 / keptShare, kMostGrowth);
    const double larger = std::min(1 / std::sqrt(keptShare), kMostGrowth);
    const Weld points = weldPositions(level);
    struct Grown {
        reduce::PieceShape shape;
        double volume = 0;
        Vec3d anchor{0, 0, 0};     ///< one of its corners: volumes about it cost no digits far from the origin
        Vec3d vectorArea{0, 0, 0}; ///< none when the piece is closed
        Vec3d moment{0, 0, 0};     ///< centre times area
        double reach = 0;          ///< how far it goes from its centre in its outward direction
    };
    std::vector<Grown> pieces(*std::max_element(pieceOf.begin(), pieceOf.end()) + std::size_t{1});
    std::vector<Vec3d> normal(points.pointCount, Vec3d::Zero()); ///< sum of the faces', weighted by angle
    std::vector<double> turn(points.pointCount, 0);              ///< sum of the angles
    std::vector<std::uint32_t> pieceOfVertex(level.vertexCount(), kNoPiece);
    for (std::uint32_t t = 0; t < level.triangleCount(); ++t) {
        Grown& piece = pieces[pieceOf[t]];
        std::array<Vec3d, 3> c;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t v = level.indices[3 * t + k];
            c[k] = level.positions[v].cast<double>();
            if (piece.shape.empty)
                piece.anchor = c[k];
            piece.shape.add(c[k]);
            pieceOfVertex[v] = pieceOf[t];
        }
        const Vec3d cross = (c[1] - c[0]).cross(c[2] - c[0]);
        for (std::uint32_t k = 0; k < 3; ++k) {
            // Weighted by the angle, so that the way a box is cut into triangles does not tilt its corners.
            const Vec3d u = (c[(k + 1) % 3] - c[k]).normalized();
            const Vec3d v = (c[(k + 2) % 3] - c[k]).normalized();
            const double angle = std::atan2(u.cross(v).norm(), u.dot(v));
            if (cross.norm() > 0 && std::isfinite(angle)) {
                normal[points.pointOf[level.indices[3 * t + k]]] += angle * cross.normalized();
                turn[points.pointOf[level.indices[3 * t + k]]] += angle;
            }
        }
        const double area = cross.norm() / 2;
        piece.shape.area += area;
        piece.vectorArea += cross / 2;
        piece.moment += area * (c[0] + c[1] + c[2]) / 3;
        piece.volume += (c[0] - piece.anchor).dot(cross) / 6;
    }
    const auto outwardOf = [&kinds](std::uint32_t piece) {
        return kinds.empty() ? Vec3d(0, 0, 0) : kinds[piece].outward.cast<double>().eval();
    };
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
        if (pieceOfVertex[v] == kNoPiece || !(pieces[pieceOfVertex[v]].shape.area > 0))
            continue;
        Grown& piece = pieces[pieceOfVertex[v]];
        const Vec3d outward = outwardOf(pieceOfVertex[v]);
        if (outward.norm() > 0)
            piece.reach = std::max(piece.reach, outward.normalized().dot(level.positions[v].cast<double>() -
                                                                         piece.moment / piece.shape.area));
    }
    for (std::uint32_t v = 0; v < level.vertexCount(); ++v) {
        if (pieceOfVertex[v] == kNoPiece || (!kinds.empty() && !kinds[pieceOfVertex[v]].grows))
            continue;
        const Grown& piece = pieces[pieceOfVertex[v]];
        if (!(piece.shape.area > 0))
            continue;
        const Vec3d at = level.positions[v].cast<double>();
        const double across = piece.shape.bounds.diagonal();
        const double thickness = 4 * std::abs(piece.volume) / piece.shape.area; // of the circle inside the strand
        const bool closed = piece.vectorArea.norm() < 0.05 * piece.shape.area;
        const bool strand = closed && thickness > kThinnestStrand * across && thickness < 0.25 * across;
        const Vec3d& n = normal[points.pointOf[v]];
        if (strand) {
            // A corner goes farther than the faces beside it, so that these keep their distance.
            const double slant = turn[points.pointOf[v]] > 0 ? n.norm() / turn[points.pointOf[v]] : 0;
            if (slant > 0) {
                const double by = (thicker - 1) * thickness / 2 / std::max(slant, 0.4);
                level.positions[v] = (at + std::min(by, mostMetres) * n.normalized()).cast<float>();
            }
        } else {
            const Vec3d centre = piece.moment / piece.shape.area;
            const double scale = 1 + std::min(larger - 1, 2 * mostMetres / std::max(across, 1e-30));
            const Vec3d inward = -(scale - 1) * piece.reach * outwardOf(pieceOfVertex[v]);
            level.positions[v] = (centre + inward + scale * (at - centre)).cast<float>();
        }
    }
}

} // namespace thicket
