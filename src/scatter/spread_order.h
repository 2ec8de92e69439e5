#pragma once
// The progressive order of points: every beginning of it is spread evenly over where they lie.

#include "base/job.h"
#include "base/result.h"
#include "mesh/vec.h"

#include <cstdint>
#include <span>
#include <vector>

namespace thicket {

/// The first `wanted` of the points in such an order, as indices.
/// apart     one a point or empty: how many times as far it stands from others as it would (where fewer are wanted).
/// seed      another seed gives another order, which is as good.
/// COST      O(N log N); some 2 us a point.
/// ERRORS    Cancelled.
/// SOURCE    dart throwing with a falling radius: McCool & Fiume 1992, "Hierarchical Poisson disk sampling
///           distributions"; on a grid over x and z, distances in space.
Result<std::vector<std::uint32_t>> spreadOrder(std::span<const Vec3d> points, std::span<const float> apart,
                                               std::size_t wanted, std::uint64_t seed, const JobContext& job);

/// A number that looks random and depends on nothing but these: what scattering draws its lots with.
/// SOURCE    the finalizer of splitmix64 (Steele, Lea, Flood 2014).
constexpr std::uint64_t lot(std::uint64_t seed, std::uint64_t which) {
    std::uint64_t v = seed + (which + 1) * 0x9E3779B97F4A7C15ULL;
    v = (v ^ (v >> 30)) * 0xBF58476D1CE4E5B9ULL;
    v = (v ^ (v >> 27)) * 0x94D049BB133111EBULL;
    return v ^ (v >> 31);
}
/// The same as a number 0..1, without 1.
constexpr double share(std::uint64_t seed, std::uint64_t which) {
    return static_cast<double>(lot(seed, which) >> 11) * 0x1.0p-53;
}

} // namespace thicket
