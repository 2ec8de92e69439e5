#include "io/import/other_rig.h"

#include <algorithm>
#include <assimp/scene.h>
#include <cmath>

namespace thicket::detail {
namespace {

constexpr std::size_t kJointsAtMost = 65536;

Vec3f vectorOf(const aiVector3D& v, float otherwise) {
    const Vec3f out(v.x, v.y, v.z);
    return out.allFinite() ? out : Vec3f::Constant(otherwise);
}
Vec4f quaternionOf(const aiQuaternion& q) {
    const Vec4f v(q.x, q.y, q.z, q.w);
    return v.allFinite() && v.norm() > 1e-6F ? Vec4f(v.normalized()) : Vec4f(0, 0, 0, 1);
}

RigNode atRest(const aiNode& node, int parent) {
    aiVector3D scale;
    aiVector3D move;
    aiQuaternion turn;
    node.mTransformation.Decompose(scale, turn, move);
    return {node.mName.C_Str(), parent, vectorOf(move, 0), quaternionOf(turn), vectorOf(scale, 1)};
}

void nameAll(const aiNode& node, std::map<std::string, const aiNode*>& named) {
    named.emplace(node.mName.C_Str(), &node); // the first, as the import library takes it
    for (unsigned i = 0; i < node.mNumChildren; ++i)
        nameAll(*node.mChildren[i], named);
}

/// Keys in their order, without those that are no numbers. `put` appends a key's value.
template <class Key, class Put>
void takeKeys(const Key* keys, unsigned count, double aTick, RigChannel& to, const Put& put) {
    std::vector<std::pair<float, unsigned>> order;
    for (unsigned i = 0; i < count; ++i)
        if (const auto seconds = static_cast<float>(keys[i].mTime * aTick); std::isfinite(seconds))
            order.emplace_back(seconds, i);
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [seconds, i] : order) {
        const std::size_t before = to.values.size();
        put(keys[i].mValue);
        if (std::all_of(to.values.begin() + static_cast<std::ptrdiff_t>(before), to.values.end(),
                        [](float v) { return std::isfinite(v); }))
            to.times.push_back(seconds);
        else
            to.values.resize(before);
    }
}

/// Whether a channel says the same at all times, and that is where the node is at rest: exporters write such for all that
/// stands still.
bool saysNothing(const RigChannel& channel, const RigNode& node) {
    constexpr float kSame = 1e-4F;
    if (channel.path == RigChannel::Path::Rotation) {
        for (std::size_t i = 0; i + 3 < channel.values.size(); i += 4) // either sign is the same turn
            if (std::abs(Eigen::Map<const Vec4f>(&channel.values[i]).dot(node.rotation)) < 1 - kSame * kSame)
                return false;
        return true;
    }
    const Vec3f& rest = channel.path == RigChannel::Path::Translation ? node.translation : node.scale;
    for (std::size_t i = 0; i + 2 < channel.values.size(); i += 3)
        if ((Eigen::Map<const Vec3f>(&channel.values[i]) - rest).norm() > kSame * std::max(1.0F, rest.norm()))
            return false;
    return true;
}

/// What an animation says of a node, where that is anything.
std::vector<RigChannel> channelsOf(const aiNodeAnim& animation, double aTick, const RigNode& rest, int node) {
    std::vector<RigChannel> out;
    const auto add = [&](RigChannel::Path path, const auto* keys, unsigned count, const auto& put) {
        RigChannel own;
        own.node = node;
        own.path = path;
        takeKeys(keys, count, aTick, own, [&](const auto& value) { put(value, own.values); });
        if (!own.times.empty() && !saysNothing(own, rest))
            out.push_back(std::move(own));
    };
    const auto vector = [](const aiVector3D& v, std::vector<float>& to) { to.insert(to.end(), {v.x, v.y, v.z}); };
    add(RigChannel::Path::Translation, animation.mPositionKeys, animation.mNumPositionKeys, vector);
    add(RigChannel::Path::Rotation, animation.mRotationKeys, animation.mNumRotationKeys,
        [](const aiQuaternion& q, std::vector<float>& to) {
            const Vec4f turn = quaternionOf(q);
            to.insert(to.end(), turn.data(), turn.data() + 4);
        });
    add(RigChannel::Path::Scale, animation.mScalingKeys, animation.mNumScalingKeys, vector);
    return out;
}

double secondsATick(const aiAnimation& animation) {
    constexpr double kUnsaid = 25; // ticks a second
    return 1 / (animation.mTicksPerSecond > 0 ? animation.mTicksPerSecond : kUnsaid);
}

} // namespace

OtherMotion::OtherMotion(const aiScene& scene) : m_scene(scene) {
    nameAll(*scene.mRootNode, m_named);
    for (unsigned a = 0; a < scene.mNumAnimations; ++a)
        for (unsigned c = 0; c < scene.mAnimations[a]->mNumChannels; ++c) {
            const aiNodeAnim& channel = *scene.mAnimations[a]->mChannels[c];
            const auto node = m_named.find(channel.mNodeName.C_Str());
            if (node != m_named.end() && !m_animated.contains(node->second) &&
                !channelsOf(channel, secondsATick(*scene.mAnimations[a]), atRest(*node->second, -1), 0).empty())
                m_animated.insert(node->second);
        }
}

bool OtherMotion::moves(const aiNode& node, const aiMesh& mesh) const {
    if (mesh.HasBones())
        return true;
    for (const aiNode* n = &node; n != nullptr; n = n->mParent)
        if (m_animated.contains(n))
            return true;
    return false;
}

const aiNode* OtherMotion::find(const std::string& name) const {
    const auto found = m_named.find(name);
    return found != m_named.end() ? found->second : nullptr;
}

int OtherRig::nodeFor(const aiNode& node) {
    std::vector<const aiNode*> line;
    for (const aiNode* n = &node; n != nullptr; n = n->mParent)
        line.push_back(n);
    int parent = -1;
    for (auto n = line.rbegin(); n != line.rend(); ++n) {
        const auto [at, fresh] = m_nodes.try_emplace(*n, static_cast<int>(m_rig.nodes.size()));
        if (fresh)
            m_rig.nodes.push_back(atRest(**n, parent));
        parent = at->second;
    }
    return parent;
}

std::size_t OtherRig::jointFor(const aiNode& node, const aiMatrix4x4& inverseBind) {
    Bind bind{};
    for (unsigned row = 0; row < 4; ++row)
        for (unsigned column = 0; column < 4; ++column)
            bind[4 * column + row] = inverseBind[row][column];
    if (!std::all_of(bind.begin(), bind.end(), [](float v) { return std::isfinite(v); })) // of a node without a size
        bind = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
    const int at = nodeFor(node);
    const auto [joint, fresh] = m_joints.try_emplace({at, bind}, m_rig.joints.size());
    if (fresh) {
        m_rig.joints.push_back(at);
        m_rig.inverseBind.push_back(bind);
    }
    return joint->second;
}

void OtherRig::append(const aiNode& node, const aiMesh& mesh, const aiMatrix4x4& world, VertexExtras& to) {
    aiMatrix4x4 back = world;
    back.Inverse();
    struct Held {
        float weight = 0;
        std::size_t joint = 0;
    };
    std::vector<std::array<Held, 4>> held(mesh.mNumVertices); // of each vertex the most first
    bool all = mesh.HasBones();
    for (unsigned b = 0; b < mesh.mNumBones; ++b) {
        const aiBone& bone = *mesh.mBones[b];
        const aiNode* found = m_motion.find(bone.mName.C_Str());
        if (found == nullptr)
            continue;
        const std::size_t joint = jointFor(*found, bone.mOffsetMatrix * back);
        for (unsigned i = 0; i < bone.mNumWeights; ++i) {
            Held own{bone.mWeights[i].mWeight, joint};
            if (bone.mWeights[i].mVertexId >= mesh.mNumVertices || !(own.weight > 0) || !std::isfinite(own.weight))
                continue;
            for (Held& h : held[bone.mWeights[i].mVertexId])
                if (own.weight > h.weight)
                    std::swap(own, h);
        }
    }
    for (const auto& of : held)
        all &= of[0].weight > 0;
    const std::size_t whole = all ? 0 : jointFor(node, back);
    for (const auto& of : held) {
        const float sum = of[0].weight + of[1].weight + of[2].weight + of[3].weight;
        Joints joints{};
        Vec4f weights(1, 0, 0, 0);
        joints[0] = static_cast<std::uint16_t>(whole);
        for (std::size_t k = 0; k < 4 && sum > 0; ++k) {
            joints[k] = static_cast<std::uint16_t>(of[k].weight > 0 ? of[k].joint : 0);
            weights[static_cast<Eigen::Index>(k)] = of[k].weight / sum;
        }
        to.joints.push_back(joints);
        to.weights.push_back(weights);
    }
}

void OtherRig::addAnimation(const aiAnimation& animation) {
    RigAnimation out{animation.mName.C_Str(), {}};
    float first = 0; // glTF's times begin at 0 or later
    for (unsigned c = 0; c < animation.mNumChannels; ++c) {
        const aiNode* named = m_motion.find(animation.mChannels[c]->mNodeName.C_Str());
        const auto node = named != nullptr ? m_nodes.find(named) : m_nodes.end();
        if (node == m_nodes.end())
            continue; // moves something that is not here
        for (RigChannel& channel : channelsOf(*animation.mChannels[c], secondsATick(animation),
                                              m_rig.nodes[static_cast<std::size_t>(node->second)], node->second)) {
            first = std::min(first, channel.times.front());
            out.channels.push_back(std::move(channel));
        }
    }
    for (RigChannel& channel : out.channels)
        for (float& seconds : channel.times)
            seconds -= first;
    if (!out.channels.empty())
        m_rig.animations.push_back(std::move(out));
}

Rig OtherRig::finish() {
    if (m_rig.joints.size() > kJointsAtMost)
        return {};
    if (!m_rig.joints.empty())
        for (unsigned a = 0; a < m_motion.scene().mNumAnimations; ++a)
            addAnimation(*m_motion.scene().mAnimations[a]);
    return std::move(m_rig);
}

bool isSound(const Rig& rig) {
    const auto nodes = static_cast<int>(rig.nodes.size());
    for (int i = 0; i < nodes; ++i) {
        const RigNode& node = rig.nodes[static_cast<std::size_t>(i)];
        if (node.parent < -1 || node.parent >= i || !node.translation.allFinite() || !node.rotation.allFinite() ||
            !node.scale.allFinite())
            return false;
    }
    const auto finite = [](const auto& values) {
        return std::all_of(values.begin(), values.end(), [](float v) { return std::isfinite(v); });
    };
    if (!std::all_of(rig.inverseBind.begin(), rig.inverseBind.end(), finite))
        return false;
    const auto there = [nodes](int node) { return node >= 0 && node < nodes; };
    if (rig.joints.size() != rig.inverseBind.size() || !std::all_of(rig.joints.begin(), rig.joints.end(), there))
        return false;
    for (const RigAnimation& animation : rig.animations)
        for (const RigChannel& channel : animation.channels) {
            const std::size_t width = channel.path == RigChannel::Path::Rotation ? 4 : 3;
            if (!there(channel.node) || channel.path > RigChannel::Path::Scale ||
                channel.between != RigChannel::Between::Linear || channel.times.empty() ||
                channel.values.size() != width * channel.times.size() ||
                !std::is_sorted(channel.times.begin(), channel.times.end()) || !finite(channel.times) ||
                !finite(channel.values))
                return false;
        }
    return true;
}

bool isSound(const VertexExtras& extras, const Rig& rig) {
    return std::all_of(extras.joints.begin(), extras.joints.end(), [&rig](const Joints& of) {
        return std::all_of(of.begin(), of.end(), [&rig](std::uint16_t joint) { return joint < rig.joints.size(); });
    });
}

} // namespace thicket::detail
