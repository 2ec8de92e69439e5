#pragma once
// Subjects that are balls: what a test of switching, budgets or drawing needs of a mesh with levels.

#include "scene/subject.h"
#include "support/shapes.h"

#include <memory>
#include <string>
#include <vector>

namespace thicket::test {

/// A ball of a metre's radius whose levels are off by so many metres, each of half as many splits as the one before, the
/// first of `splits`. It has no copies.
inline Subject ballOfLevels(std::uint32_t id, const std::vector<double>& off, int splits = 24) {
    Subject out;
    out.id = id;
    out.name = "ball " + std::to_string(id);
    out.mesh().surfaces = std::make_shared<const Surfaces>();
    for (std::size_t i = 0; i < off.size(); ++i, splits /= 2) {
        Deviation d;
        d.there.max = d.there.bound = d.visible = off[i];
        out.mesh().levels.push_back(levelFrom(std::make_shared<const Mesh>(shapes::sphere(splits)), d,
                                              i == 0 ? LevelOrigin::Source : LevelOrigin::Collapsed));
    }
    refreshSubject(out);
    return out;
}

} // namespace thicket::test
