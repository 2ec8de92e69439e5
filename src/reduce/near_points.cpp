#include "reduce/near_points.h"

#include <nanoflann.hpp>

namespace thicket::reduce {

struct NearPoints::Tree {
    std::vector<Vec3d> points;
    nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Tree>, Tree, 3, std::uint32_t> index;

    explicit Tree(std::vector<Vec3d> all) : points(std::move(all)), index(3, *this) { index.buildIndex(); }

    // What the library asks for, under its names.
    [[nodiscard]] std::size_t kdtree_get_point_count() const { return points.size(); } // NOLINT
    [[nodiscard]] double kdtree_get_pt(std::size_t i, std::size_t axis) const {        // NOLINT
        return points[i][static_cast<Eigen::Index>(axis)];
    }
    template <class Box> bool kdtree_get_bbox(Box& /*box*/) const { return false; } // NOLINT
};

NearPoints::NearPoints(std::vector<Vec3d> points) : m_tree(std::make_unique<Tree>(std::move(points))) {}
NearPoints::~NearPoints() = default;

std::size_t NearPoints::nearest(const Vec3d& to, std::span<std::uint32_t> found) const {
    std::vector<double> squared(found.size());
    return m_tree->index.knnSearch(to.data(), found.size(), found.data(), squared.data());
}

} // namespace thicket::reduce
