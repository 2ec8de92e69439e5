#pragma once
// One placed copy. What is placed, and how often, lies in shared arrays that are never changed once made: an edit puts
// another array in place of one, so undo, jobs and the selector hold on to what they began with.

#include "mesh/vec.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace thicket {

struct Placement {
    std::uint32_t id = 0;    ///< unique in a project and never used again; 0: nobody has placed it
    std::uint32_t asset = 0; ///< in a field: which of its assets, by place in its list
    Vec3d position{0, 0, 0};
    Quatd rotation{1, 0, 0, 0};
    double scale = 1;
    double importance = 1; ///< 0.1..10; this copy's switches come in so many times as far

    bool operator==(const Placement& o) const {
        return id == o.id && asset == o.asset && position == o.position && rotation.coeffs() == o.rotation.coeffs() &&
               scale == o.scale && importance == o.importance;
    }
};

using Placements = std::vector<Placement>;
using SharedPlacements = std::shared_ptr<const Placements>;

} // namespace thicket
