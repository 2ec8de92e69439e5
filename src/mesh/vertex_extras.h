#pragma once
// What vertices carry besides what is needed to draw and to judge them: passed on through every level.

#include "mesh/vec.h"

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace thicket {

using Joints = std::array<std::uint16_t, 4>;

/// One shape that a mesh can take on: what is added to positions and normals at full strength.
struct MorphTarget {
    std::string name;
    std::vector<Vec3f> moves;       ///< metres
    std::vector<Vec3f> normalMoves; ///< empty, or as long as `moves`
};

/// Arrays of one entry a vertex, each empty or full.
struct VertexExtras {
    std::vector<Vec2f> uvs2;     ///< second UV set (often for baked light)
    std::vector<Vec4f> tangents; ///< unit, w is the side of the bitangent
    std::vector<Joints> joints;  ///< numbers of the skin's joints
    std::vector<Vec4f> weights;  ///< of those joints; sum 1
    std::vector<MorphTarget> morphs;

    [[nodiscard]] bool empty() const { return uvs2.empty() && tangents.empty() && joints.empty() && morphs.empty(); }
    template <class F> void each(const F& visit) { visitAll(*this, visit); }
    template <class F> void each(const F& visit) const { visitAll(*this, visit); }
    /// The same arrays of another one of the same make-up, two by two.
    template <class F> void eachWith(const VertexExtras& other, const F& visit) {
        visit(uvs2, other.uvs2);
        visit(tangents, other.tangents);
        visit(joints, other.joints);
        visit(weights, other.weights);
        morphs.resize(other.morphs.size());
        for (std::size_t i = 0; i < morphs.size(); ++i) {
            morphs[i].name = other.morphs[i].name;
            visit(morphs[i].moves, other.morphs[i].moves);
            visit(morphs[i].normalMoves, other.morphs[i].normalMoves);
        }
    }
    /// Whether two vertices carry what is the same on both sides of a seam.
    [[nodiscard]] bool same(std::uint32_t a, std::uint32_t b) const;
    /// A hash with what same() asks of a vertex.
    [[nodiscard]] std::uint64_t mixSame(std::uint64_t hash, std::uint32_t v) const;
    /// Adds a vertex that is the mean of others, weighted (the weights sum to 1): joints by their joint weights, of
    /// which the four largest stay and are made to sum to 1.
    void addMean(const VertexExtras& from, const std::uint32_t* vertices, const double* shares, std::size_t count);

private:
    template <class Self, class F> static void visitAll(Self& self, const F& visit) {
        visit(self.uvs2);
        visit(self.tangents);
        visit(self.joints);
        visit(self.weights);
        for (auto& morph : self.morphs) {
            visit(morph.moves);
            visit(morph.normalMoves);
        }
    }
};

} // namespace thicket
