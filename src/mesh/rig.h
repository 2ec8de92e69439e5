#pragma once
// What makes a skinned or morphing mesh move: its skeleton and animations, as glTF has them.

#include "mesh/vec.h"

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace thicket {

struct RigNode {
    std::string name;
    int parent = -1; ///< -1: a root
    Vec3f translation{0, 0, 0};
    Vec4f rotation{0, 0, 0, 1}; ///< quaternion x y z w
    Vec3f scale{1, 1, 1};
};

struct RigChannel {
    enum class Path { Translation, Rotation, Scale, MorphWeights };
    enum class Between { Linear, Step, CubicSpline };
    int node = -1; ///< -1: the mesh itself, for MorphWeights
    Path path = Path::Translation;
    Between between = Between::Linear;
    std::vector<float> times;  ///< seconds, rising
    std::vector<float> values; ///< of a key after the other; CubicSpline: three times as many (in, value, out)
};

struct RigAnimation {
    std::string name;
    std::vector<RigChannel> channels;
};

struct Rig {
    std::vector<RigNode> nodes;
    std::vector<int> joints;                        ///< nodes; what VertexExtras::joints counts in
    std::vector<std::array<float, 16>> inverseBind; ///< one a joint, columns first
    std::vector<float> morphWeights;                ///< at rest
    std::vector<RigAnimation> animations;

    [[nodiscard]] bool empty() const { return joints.empty() && animations.empty() && morphWeights.empty(); }
};

} // namespace thicket
