#pragma once
// The vector types that meshes are made of.

#include <Eigen/Core>
#include <Eigen/Geometry>

namespace thicket {

using Vec2f = Eigen::Vector2f;
using Vec2d = Eigen::Vector2d;
using Vec3f = Eigen::Vector3f;
using Vec4f = Eigen::Matrix<float, 4, 1, Eigen::DontAlign>;
using Vec3d = Eigen::Vector3d;
using Quatd = Eigen::Quaternion<double, Eigen::DontAlign>;

/// Upwards, as in glTF.
inline const Vec3d kUp{0, 1, 0};

} // namespace thicket
