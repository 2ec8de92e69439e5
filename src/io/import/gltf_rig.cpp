#include "io/import/gltf_reader.h"

#include <algorithm>
#include <cmath>

namespace thicket::detail {

namespace {
/// Of points that no joint holds, until all of a level is there.
constexpr std::uint16_t kStillJoint = 65535;

/// A NaN would pass for sorted, and cannot be written out again.
bool finite(const std::vector<float>& values) {
    return std::all_of(values.begin(), values.end(), [](float v) { return std::isfinite(v); });
}

/// Whether a channel leaves a node where it is at rest: exporters write such for all that stands still.
bool standsStill(const GltfReader& reader, const tinygltf::Animation& animation,
                 const tinygltf::AnimationChannel& channel) {
    const tinygltf::Node& node = reader.model.nodes[static_cast<std::size_t>(channel.target_node)];
    if (channel.target_path == "weights")
        return true; // moves points, not the node
    if (!node.matrix.empty() || channel.sampler < 0 || channel.sampler >= static_cast<int>(animation.samplers.size()))
        return false;
    const tinygltf::AnimationSampler& sampler = animation.samplers[static_cast<std::size_t>(channel.sampler)];
    const bool turns = channel.target_path == "rotation";
    std::vector<double> rest = turns ? node.rotation : channel.target_path == "scale" ? node.scale : node.translation;
    if (rest.empty())
        rest = turns                            ? std::vector<double>{0, 0, 0, 1}
               : channel.target_path == "scale" ? std::vector<double>{1, 1, 1}
                                                : std::vector<double>{0, 0, 0};
    const auto values = reader.values(sampler.output, static_cast<int>(rest.size()), "animation values");
    if (!values || sampler.interpolation == "CUBICSPLINE")
        return false;
    constexpr double kSame = 1e-4;
    const Eigen::Map<const Eigen::VectorXd> still(rest.data(), static_cast<Eigen::Index>(rest.size()));
    for (std::size_t i = 0; i + rest.size() <= values->size(); i += rest.size()) {
        const Eigen::Map<const Eigen::VectorXd> value(&(*values)[i], static_cast<Eigen::Index>(rest.size()));
        const double off = turns && value.dot(still) < 0 ? (value + still).norm() : (value - still).norm();
        if (!(off <= kSame * std::max(1.0, still.norm())))
            return false;
    }
    return true;
}
} // namespace

GltfMotion::GltfMotion(const GltfReader& reader) : m_parents(reader.model.nodes.size(), -1) {
    const tinygltf::Model& model = reader.model;
    const auto count = static_cast<int>(m_parents.size());
    for (int i = 0; i < count; ++i)
        for (const int child : model.nodes[static_cast<std::size_t>(i)].children)
            if (child >= 0 && child < count && child != i)
                m_parents[static_cast<std::size_t>(child)] = i;
    for (const tinygltf::Animation& animation : model.animations)
        for (const tinygltf::AnimationChannel& channel : animation.channels)
            if (channel.target_node >= 0 && channel.target_node < count && !m_animated.contains(channel.target_node) &&
                !standsStill(reader, animation, channel))
                m_animated.insert(channel.target_node);
    for (int i = 0; i < count && !m_any; ++i) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(i)];
        m_any = node.mesh >= 0 && (node.skin >= 0 || moves(i));
    }
}

bool GltfMotion::moves(int node) const {
    if (m_animated.empty())
        return false;
    std::size_t steps = 0; // a damaged file may go round
    for (int n = node; n >= 0 && steps <= m_parents.size(); n = m_parents[static_cast<std::size_t>(n)], ++steps)
        if (m_animated.contains(n))
            return true;
    return false;
}

GltfRig::GltfRig(const GltfReader& reader, const GltfMotion& motion) : m_reader(reader), m_motion(motion) {}

std::vector<std::string> GltfRig::morphNames(const tinygltf::Mesh& mesh) {
    std::vector<std::string> names;
    if (mesh.extras.Has("targetNames")) {
        const auto& list = mesh.extras.Get("targetNames");
        for (std::size_t i = 0; list.IsArray() && i < list.ArrayLen(); ++i)
            names.push_back(list.Get(static_cast<int>(i)).IsString() ? list.Get(static_cast<int>(i)).Get<std::string>()
                                                                     : std::string());
    }
    return names;
}

/// The rig's node for one of the model's, its ancestors first.
int GltfRig::nodeFor(int modelNode) {
    std::vector<int> line;
    std::set<int> met;
    for (int n = modelNode; n >= 0 && met.insert(n).second; n = m_motion.parents()[static_cast<std::size_t>(n)])
        line.push_back(n);
    int parent = -1;
    for (auto n = line.rbegin(); n != line.rend(); ++n) {
        const auto [at, fresh] = m_node.try_emplace(*n, static_cast<int>(m_rig.nodes.size()));
        if (fresh) {
            const tinygltf::Node& node = m_reader.model.nodes[static_cast<std::size_t>(*n)];
            const Eigen::Affine3d local = GltfReader::localOf(node);
            Eigen::Matrix3d rotation;
            Eigen::Matrix3d scaling;
            local.computeRotationScaling(&rotation, &scaling);
            const Eigen::Quaterniond q(rotation);
            m_rig.nodes.push_back({node.name, parent, local.translation().cast<float>(),
                                   Vec4f(static_cast<float>(q.x()), static_cast<float>(q.y()),
                                         static_cast<float>(q.z()), static_cast<float>(q.w())),
                                   scaling.diagonal().cast<float>()});
        }
        parent = at->second;
    }
    return parent;
}

Result<GltfReader::JointRange> GltfRig::use(int node, int carrier, const Eigen::Affine3d& rest) {
    const tinygltf::Model& model = m_reader.model;
    m_meshNodes.insert(node);
    const tinygltf::Node& own = model.nodes[static_cast<std::size_t>(node)];
    const tinygltf::Mesh* mesh = own.mesh >= 0 && own.mesh < static_cast<int>(model.meshes.size())
                                     ? &model.meshes[static_cast<std::size_t>(own.mesh)]
                                     : nullptr;
    if (const auto& weights = own.weights.empty() && mesh != nullptr ? mesh->weights : own.weights;
        m_rig.morphWeights.empty())
        m_rig.morphWeights.assign(weights.begin(), weights.end());
    m_morphs |= mesh != nullptr && std::any_of(mesh->primitives.begin(), mesh->primitives.end(),
                                               [](const auto& primitive) { return !primitive.targets.empty(); });
    if (own.skin >= 0)
        return bend(own.skin);
    return m_motion.any() ? goWith(carrier, rest) : GltfReader::JointRange{};
}

GltfReader::JointRange GltfRig::goWith(int carrier, const Eigen::Affine3d& rest) {
    if (carrier < 0 || !m_motion.moves(carrier) || m_rig.joints.size() >= kStillJoint)
        return {kStillJoint, 1, true};
    const auto [at, fresh] = m_carrier.try_emplace(carrier, m_rig.joints.size());
    if (fresh) {
        const Eigen::Matrix4f back = std::abs(rest.linear().determinant()) > 1e-30
                                         ? Eigen::Matrix4f(rest.inverse(Eigen::Affine).matrix().cast<float>())
                                         : Eigen::Matrix4f(Eigen::Matrix4f::Identity());
        std::array<float, 16> bind{};
        std::copy(back.data(), back.data() + 16, bind.begin()); // columns first, both
        m_rig.joints.push_back(nodeFor(carrier));
        m_rig.inverseBind.push_back(bind);
    }
    return {static_cast<double>(at->second), 1, true};
}

void GltfRig::hang(VertexExtras& extras) {
    const auto still = [](const Joints& joints) { return joints[0] == kStillJoint; };
    if (std::all_of(extras.joints.begin(), extras.joints.end(), still)) {
        extras.joints.clear();
        extras.weights.clear();
    }
    if (std::none_of(extras.joints.begin(), extras.joints.end(), still))
        return;
    if (!m_still) {
        m_still = static_cast<std::uint16_t>(m_rig.joints.size());
        m_rig.joints.push_back(static_cast<int>(m_rig.nodes.size()));
        m_rig.nodes.push_back({"still", -1, Vec3f(0, 0, 0), Vec4f(0, 0, 0, 1), Vec3f(1, 1, 1)});
        m_rig.inverseBind.push_back({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1});
    }
    for (Joints& joints : extras.joints)
        if (still(joints))
            joints[0] = *m_still;
}

/// The joints of a skin.
Result<GltfReader::JointRange> GltfRig::bend(int index) {
    const tinygltf::Model& model = m_reader.model;
    if (index >= static_cast<int>(model.skins.size()))
        return m_reader.bad("a node names a skin that does not exist");
    const tinygltf::Skin& skin = model.skins[static_cast<std::size_t>(index)];
    const auto [at, fresh] = m_skin.try_emplace(index, m_rig.joints.size());
    if (fresh) {
        std::vector<double> matrices;
        if (skin.inverseBindMatrices >= 0) {
            auto read = m_reader.values(skin.inverseBindMatrices, 16, "inverse bind matrices");
            if (!read)
                return read.error();
            matrices = std::move(*read);
        }
        for (std::size_t j = 0; j < skin.joints.size(); ++j) {
            if (skin.joints[j] < 0 || skin.joints[j] >= static_cast<int>(model.nodes.size()))
                return m_reader.bad("a skin names a joint that does not exist");
            m_rig.joints.push_back(nodeFor(skin.joints[j]));
            std::array<float, 16> matrix{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
            for (std::size_t k = 0; k < 16 && 16 * j + k < matrices.size(); ++k)
                matrix[k] = static_cast<float>(matrices[16 * j + k]);
            m_rig.inverseBind.push_back(matrix);
        }
    }
    if (m_rig.joints.size() > kStillJoint)
        return m_reader.bad("has more than 65,535 joints", "split the character");
    return GltfReader::JointRange{static_cast<double>(at->second), static_cast<double>(skin.joints.size()), false};
}

Result<void> GltfRig::addAnimation(const tinygltf::Animation& animation) {
    RigAnimation out{animation.name, {}};
    for (const tinygltf::AnimationChannel& channel : animation.channels) {
        RigChannel own;
        if (channel.target_path == "weights" && m_meshNodes.contains(channel.target_node))
            own.path = RigChannel::Path::MorphWeights;
        else if (const auto node = m_node.find(channel.target_node); node != m_node.end())
            own.node = node->second;
        else
            continue; // moves something that is not here
        if (own.node >= 0)
            own.path = channel.target_path == "translation" ? RigChannel::Path::Translation
                       : channel.target_path == "rotation"  ? RigChannel::Path::Rotation
                                                            : RigChannel::Path::Scale;
        if (channel.sampler < 0 || channel.sampler >= static_cast<int>(animation.samplers.size()))
            return m_reader.bad("an animation names a sampler that does not exist");
        const tinygltf::AnimationSampler& sampler = animation.samplers[static_cast<std::size_t>(channel.sampler)];
        own.between = sampler.interpolation == "STEP"          ? RigChannel::Between::Step
                      : sampler.interpolation == "CUBICSPLINE" ? RigChannel::Between::CubicSpline
                                                               : RigChannel::Between::Linear;
        const int width = own.path == RigChannel::Path::MorphWeights ? 1
                          : own.path == RigChannel::Path::Rotation   ? 4
                                                                     : 3;
        const auto times = m_reader.values(sampler.input, 1, "animation times");
        const auto values = m_reader.values(sampler.output, width, "animation values");
        if (!times || !values)
            return !times ? times.error() : values.error();
        own.times.assign(times->begin(), times->end());
        own.values.assign(values->begin(), values->end());
        // A key has one value, or with splines three; of morph weights as many as the mesh has targets.
        const std::size_t each = own.times.size() * (own.between == RigChannel::Between::CubicSpline ? 3 : 1);
        const bool full = own.path == RigChannel::Path::MorphWeights
                              ? each > 0 && !own.values.empty() && own.values.size() % each == 0
                              : each > 0 && own.values.size() == each * static_cast<std::size_t>(width);
        if (!full || !std::is_sorted(own.times.begin(), own.times.end()) || !finite(own.times) || !finite(own.values))
            return m_reader.bad("an animation has not one value for each of its times, or its times fall");
        out.channels.push_back(std::move(own));
    }
    if (!out.channels.empty())
        m_rig.animations.push_back(std::move(out));
    return {};
}

void GltfRig::follow(int node) {
    m_rig.joints.push_back(nodeFor(node));
    m_rig.inverseBind.push_back({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1});
}

Result<Rig> GltfRig::finish() {
    if (m_node.empty() && !m_morphs) // nothing of it can be animated
        return std::move(m_rig);
    for (const tinygltf::Animation& animation : m_reader.model.animations)
        if (auto done = addAnimation(animation); !done)
            return done.error();
    return std::move(m_rig);
}

} // namespace thicket::detail
