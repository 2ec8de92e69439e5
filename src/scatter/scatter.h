#pragma once
// From a recipe to copies: on triangles, as dense as asked for, in one progressive order.

#include "base/job.h"
#include "base/result.h"
#include "scatter/recipe.h"
#include "switching/placement.h"

#include <array>
#include <functional>
#include <optional>

namespace thicket {

/// More copies than this are refused before anything is allocated.
constexpr double kMostScattered = 4e6;

/// What a recipe is scattered on and kept away from, all in the world.
struct ScatterGround {
    std::vector<Vec3d> points;
    std::vector<std::array<std::uint32_t, 3>> triangles;
    /// Where it is given, places on the triangles are moved up or down to the ground there; without ground they are
    /// none. Densities are then those of the map.
    struct Place {
        double height = 0;
        Vec3d normal{0, 1, 0};
    };
    std::function<std::optional<Place>(double x, double z)> drape;
    struct Mask { ///< over the extent of the triangles on the map, or low .. high: x to the right, z downwards
        int width = 0;
        int height = 0;
        std::vector<std::uint8_t> grey;
        Vec2d low{0, 0};
        Vec2d high{0, 0};
    } mask;          ///< without pixels: everywhere
    struct Outline { ///< a line from point to point on the map, or circles
        std::vector<Vec2d> line;
        struct Circle {
            Vec2d centre{0, 0};
            double radius = 0;
        };
        std::vector<Circle> circles;
        double least = 0;
        double most = 1e9;
    };
    std::vector<Outline> outlines;
};

/// A rectangle of level ground.
ScatterGround levelGround(const ScatterRecipe& recipe);

/// How many copies a recipe makes at most, before masks, heights and outlines take some away.
double forecast(const ScatterRecipe& recipe, const ScatterGround& ground);

/// Copies in their progressive order, without ids. The same recipe on the same ground gives the same
/// copies, whatever the machine.
/// ERRORS   BadInput when a value cannot be, or nothing is left; TooLarge with the forecast beyond kMostScattered;
///          Cancelled.
/// COST     some 3 us a copy.
Result<Placements> scatter(const ScatterRecipe& recipe, const ScatterGround& ground, const JobContext& job);

/// What is wrong with a recipe's values; empty when nothing is.
std::string problemOf(const ScatterRecipe& recipe);

/// Copies of a table in a progressive order; each keeps its id.
/// ERRORS   Cancelled.
Result<Placements> inSpreadOrder(const Placements& copies, const JobContext& job);

} // namespace thicket
