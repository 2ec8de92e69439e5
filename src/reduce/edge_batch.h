#pragma once
// Weighing several edges of one point at once, a lane each.

#include "reduce/quadric.h"

namespace thicket::reduce {

/// Edges from one place to up to kLanes others. Numbers of the same kind of all edges stand side by side, so that the
/// processor takes four or eight of them in one step. Every lane does what a single edge would, operation by operation,
/// so results depend neither on how many are weighed at once nor on the processor.
struct EdgeBatch {
    static constexpr std::size_t kLanes = 8;
    template <class T> using Lanes = std::array<T, kLanes>;

    Quadric own; ///< of the place that all edges start from
    Vec3d from{0, 0, 0};
    std::size_t count = 0;
    // What belongs to the other end: its quadric, and with it what the attributes add.
    alignas(64) std::array<Lanes<double>, 6> a;
    std::array<Lanes<double>, 3> b;
    Lanes<double> c;
    Lanes<double> weight;
    std::array<Lanes<double>, 3> to;
    // What comes out.
    std::array<Lanes<double>, 3> place; ///< where the edge's point should go
    Lanes<double> cost;
    Lanes<std::int64_t> far; ///< not 0: the best place is so far off that it is not to be trusted

    void begin(const Quadric& quadric, const Vec3d& start) {
        own = quadric;
        from = start;
        count = 0;
    }
    void add(const Quadric& quadric, const Vec3d& end) {
        for (std::size_t k = 0; k < 6; ++k)
            a[k][count] = quadric.a[k];
        for (std::size_t k = 0; k < 3; ++k) {
            b[k][count] = quadric.b[static_cast<int>(k)];
            to[k][count] = end[static_cast<int>(k)];
        }
        c[count] = quadric.c;
        weight[count] = quadric.weight;
        ++count;
    }
    /// The whole quadric of an edge.
    [[nodiscard]] Quadric quadricOf(std::size_t lane) const;
    /// What an edge costs whose quadric has this value.
    [[nodiscard]] double costOf(std::size_t lane, double value) const;
    [[nodiscard]] Vec3d placeOf(std::size_t lane) const { return {place[0][lane], place[1][lane], place[2][lane]}; }
};

/// Fills `place` with the best one for each edge, and `cost` with the squared distances there plus 1e-11 of the edge's
/// squared length (where nothing is lost the short ones go first), over the square root of the weight.
/// REQUIRES   count > 0.
void weighBatch(EdgeBatch& batch);

} // namespace thicket::reduce
