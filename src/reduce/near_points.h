#pragma once
// The nearest of some points.

#include "mesh/vec.h"

#include <memory>
#include <span>
#include <vector>

namespace thicket::reduce {

/// Points in a k-d tree.
/// COST    O(n log n) to make, O(k log n) a query.
/// THREADS queries may run at the same time.
class NearPoints {
public:
    explicit NearPoints(std::vector<Vec3d> points);
    ~NearPoints();
    NearPoints(const NearPoints&) = delete;
    NearPoints& operator=(const NearPoints&) = delete;
    /// As many as `found` has room for and there are, the nearest first. Returns how many.
    std::size_t nearest(const Vec3d& to, std::span<std::uint32_t> found) const;

private:
    struct Tree;
    std::unique_ptr<Tree> m_tree;
};

} // namespace thicket::reduce
