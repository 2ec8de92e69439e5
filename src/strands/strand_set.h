#pragma once
// Strands: hair, grass, rope. Each is a line of points with a width along it, drawn as a ribbon that faces the camera.

#include "base/job.h"
#include "base/result.h"
#include "mesh/mesh.h"
#include "switching/placement.h"

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace thicket {

/// Strands in one progressive order, of which every beginning is evenly spread. Never changed once made.
/// Points are metres from `origin`, the first of a strand its root; widths are whole ones, metres, one a point.
struct StrandSet {
    std::vector<std::uint32_t> first; ///< strand s has the points first[s] .. first[s + 1] - 1, at least two
    std::vector<Vec3f> points;
    std::vector<float> widths;
    Vec3d origin{0, 0, 0};

    [[nodiscard]] std::size_t size() const { return first.empty() ? 0 : first.size() - 1; }
    [[nodiscard]] std::uint32_t countOf(std::size_t strand) const { return first[strand + 1] - first[strand]; }
    [[nodiscard]] std::size_t segments() const { return points.size() - size(); }
    [[nodiscard]] std::size_t bytes() const {
        return first.size() * sizeof(std::uint32_t) + points.size() * (sizeof(Vec3f) + sizeof(float));
    }
    bool operator==(const StrandSet&) const = default;
};

/// More than these are refused before anything is allocated. The selector counts strands in 24 bits.
constexpr std::size_t kMostStrands = 4'000'000;
constexpr std::size_t kMostStrandPoints = 50'000'000;
constexpr std::uint32_t kMostPointsInStrand = 65'536;

/// Checks a set once, on entry; later loops trust it.
/// ERRORS  BadInput: no strands, one with a single point or with more than kMostPointsInStrand, a place that is no
///         number or beyond 1e6 m from the origin, a width that is negative or no number.
Result<void> checkStrands(const StrandSet& set, const std::string& where);

/// The same strands with the origin in their middle, so that their points are as exact as floats can be.
void centreStrands(StrandSet& set);

/// The same strands in a progressive order, by their roots.
/// ERRORS  Cancelled.
Result<StrandSet> inStrandOrder(const StrandSet& set, const JobContext& job);

/// Hash of all that a set holds, in hexadecimal.
std::string contentOf(const StrandSet& set);

/// What the selector places: one a strand, at the middle of its box, with the strand's number + 1 as its id.
/// `bounds` and `radius` hold every strand about its own middle.
struct StrandPlaces {
    SharedPlacements places;
    Bounds bounds;
    double radius = 0;
    Bounds world; ///< of all strands, the world
    double meanLength = 0;
    double meanWidth = 0; ///< by length
};
StrandPlaces placesOf(const StrandSet& set);

} // namespace thicket
