#include "mesh/pose.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr std::size_t kPoseChunk = 8192;

struct Local {
    Vec3f translation;
    Eigen::Quaternionf rotation;
    Vec3f scale;
};

Eigen::Quaternionf quaternion(const float* v) {
    return {v[3], v[0], v[1], v[2]};
}

/// The channel's value at a time, `width` floats from `out` on. Rotations come out of unit length.
void sample(const RigChannel& channel, double seconds, std::size_t width, float* out) {
    const auto later = std::upper_bound(channel.times.begin(), channel.times.end(), static_cast<float>(seconds));
    const std::size_t last = channel.times.size() - 1;
    const auto next = std::min(static_cast<std::size_t>(later - channel.times.begin()), last);
    const std::size_t before = later == channel.times.begin() ? 0 : later == channel.times.end() ? last : next - 1;
    const bool cubic = channel.between == RigChannel::Between::CubicSpline;
    const std::size_t stride = cubic ? 3 * width : width;
    const float* a = channel.values.data() + before * stride + (cubic ? width : 0);
    const float* b = channel.values.data() + next * stride + (cubic ? width : 0);
    const float span = channel.times[next] - channel.times[before];
    const float t = span > 0 ? std::clamp((static_cast<float>(seconds) - channel.times[before]) / span, 0.0F, 1.0F) : 0;
    const bool turns = channel.path == RigChannel::Path::Rotation;
    if (channel.between == RigChannel::Between::Step || before == next) {
        std::copy_n(a, width, out);
    } else if (cubic) {
        const float* leaving = a + width;
        const float* arriving = b - width;
        const float t2 = t * t;
        const float t3 = t2 * t;
        for (std::size_t k = 0; k < width; ++k)
            out[k] = (2 * t3 - 3 * t2 + 1) * a[k] + span * (t3 - 2 * t2 + t) * leaving[k] + (3 * t2 - 2 * t3) * b[k] +
                     span * (t3 - t2) * arriving[k];
    } else if (turns) {
        const Eigen::Quaternionf q = quaternion(a).slerp(t, quaternion(b));
        out[0] = q.x();
        out[1] = q.y();
        out[2] = q.z();
        out[3] = q.w();
    } else {
        for (std::size_t k = 0; k < width; ++k)
            out[k] = (1 - t) * a[k] + t * b[k];
    }
}

} // namespace

double durationOf(const RigAnimation& animation) {
    double end = 0;
    for (const RigChannel& channel : animation.channels)
        if (!channel.times.empty())
            end = std::max(end, static_cast<double>(channel.times.back()));
    return end;
}

Pose poseAt(const Rig& rig, const Moment& moment) {
    std::vector<Local> local;
    local.reserve(rig.nodes.size());
    for (const RigNode& node : rig.nodes)
        local.push_back({node.translation, quaternion(node.rotation.data()).normalized(), node.scale});
    Pose pose;
    pose.morphWeights = rig.morphWeights;
    if (moment.animation < rig.animations.size())
        for (const RigChannel& channel : rig.animations[moment.animation].channels) {
            if (channel.times.empty())
                continue;
            if (channel.path == RigChannel::Path::MorphWeights) {
                const std::size_t per = channel.between == RigChannel::Between::CubicSpline ? 3 : 1;
                pose.morphWeights.resize(channel.values.size() / channel.times.size() / per);
                sample(channel, moment.seconds, pose.morphWeights.size(), pose.morphWeights.data());
                continue;
            }
            if (channel.node < 0 || static_cast<std::size_t>(channel.node) >= local.size())
                continue;
            Local& own = local[static_cast<std::size_t>(channel.node)];
            float value[4] = {};
            const bool turns = channel.path == RigChannel::Path::Rotation;
            sample(channel, moment.seconds, turns ? 4 : 3, value);
            if (turns)
                own.rotation = quaternion(value).normalized();
            else if (channel.path == RigChannel::Path::Translation)
                own.translation = Vec3f(value);
            else
                own.scale = Vec3f(value);
        }
    std::vector<Eigen::Affine3f> whole;
    whole.reserve(local.size());
    for (std::size_t i = 0; i < local.size(); ++i) {
        Eigen::Affine3f own = Eigen::Affine3f::Identity();
        own.translate(local[i].translation).rotate(local[i].rotation).scale(local[i].scale);
        const int parent = rig.nodes[i].parent;
        whole.push_back(
            parent >= 0 && static_cast<std::size_t>(parent) < i ? whole[static_cast<std::size_t>(parent)] * own : own);
    }
    for (std::size_t j = 0; j < rig.joints.size(); ++j)
        pose.joints.emplace_back(whole[static_cast<std::size_t>(rig.joints[j])].matrix() *
                                 Eigen::Map<const Eigen::Matrix4f>(rig.inverseBind[j].data()));
    return pose;
}

std::vector<Moment> momentsOf(const Rig& rig, std::size_t most) {
    std::vector<Moment> out;
    double all = 0;
    for (const RigAnimation& animation : rig.animations)
        all += durationOf(animation);
    for (std::size_t a = 0; a < rig.animations.size(); ++a) {
        const double own = durationOf(rig.animations[a]);
        const auto count =
            all > 0
                ? std::max<std::size_t>(1, static_cast<std::size_t>(std::lround(own / all * static_cast<double>(most))))
                : 1;
        // Not at the ends, which are often the pose at rest.
        for (std::size_t i = 0; i < count; ++i)
            out.push_back({a, own * (static_cast<double>(i) + 0.5) / static_cast<double>(count)});
    }
    return out;
}

bool moves(const Mesh& mesh) {
    return !mesh.extras.joints.empty() || !mesh.extras.morphs.empty();
}

Mesh posed(const Mesh& mesh, const Pose& pose) {
    Mesh out;
    out.positions = mesh.positions;
    out.normals = mesh.normals;
    out.uvs = mesh.uvs;
    out.colors = mesh.colors;
    out.extras.uvs2 = mesh.extras.uvs2;
    out.indices = mesh.indices;
    out.parts = mesh.parts;
    const VertexExtras& extras = mesh.extras;
    const bool skinned = !extras.joints.empty() && !pose.joints.empty();
    parallelChunks(mesh.positions.size(), kPoseChunk, [&](std::size_t begin, std::size_t end) {
        for (std::size_t v = begin; v < end; ++v) {
            for (std::size_t m = 0; m < std::min(extras.morphs.size(), pose.morphWeights.size()); ++m) {
                if (!extras.morphs[m].moves.empty())
                    out.positions[v] += pose.morphWeights[m] * extras.morphs[m].moves[v];
                if (!out.normals.empty() && !extras.morphs[m].normalMoves.empty())
                    out.normals[v] += pose.morphWeights[m] * extras.morphs[m].normalMoves[v];
            }
            if (skinned) {
                Eigen::Matrix4f blend = Eigen::Matrix4f::Zero();
                for (int k = 0; k < 4; ++k)
                    if (const std::size_t joint = extras.joints[v][static_cast<std::size_t>(k)];
                        joint < pose.joints.size())
                        blend += extras.weights[v][k] * pose.joints[joint];
                out.positions[v] = (blend * out.positions[v].homogeneous()).head<3>();
                if (!out.normals.empty())
                    out.normals[v] = blend.topLeftCorner<3, 3>() * out.normals[v];
            }
            if (!out.normals.empty())
                if (const float size = out.normals[v].norm(); size > 1e-12F)
                    out.normals[v] /= size;
        }
    });
    return out;
}

} // namespace thicket
