#include "io/import/gltf_instances.h"

#include "io/import/take_apart.h"

#include <algorithm>
#include <fmt/format.h>

namespace thicket::detail {

Copies copiesOf(const tinygltf::Model& model, const std::vector<PlacedNode>& placed, const std::set<int>& used) {
    Copies out;
    for (const PlacedNode& p : placed) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(p.node)];
        if (used.contains(p.node) || node.skin >= 0)
            continue;
        if (const auto placement = placementOf(p.transform))
            out[node.mesh].emplace_back(p.node, *placement);
    }
    std::erase_if(out, [](const auto& entry) { return static_cast<int>(entry.second.size()) <= kMostBaked; });
    for (auto& [mesh, places] : out) // the walk may have met them in any order
        std::sort(places.begin(), places.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    return out;
}

Result<std::vector<Placement>> instancesOf(const GltfReader& reader, const tinygltf::Node& node,
                                           const Eigen::Affine3d& world, std::vector<std::string>& notes) {
    std::vector<Placement> out;
    const auto extension = node.extensions.find(kInstancingExtension);
    if (extension == node.extensions.end())
        return out;
    const tinygltf::Value& attributes = extension->second.Get("attributes");
    if (!attributes.IsObject())
        return reader.bad("has instances without attributes");
    std::vector<double> values[3];
    const char* const names[3] = {"TRANSLATION", "ROTATION", "SCALE"};
    const int widths[3] = {3, 4, 3};
    std::size_t count = 0;
    for (int i = 0; i < 3; ++i) {
        if (!attributes.Has(names[i]))
            continue;
        const tinygltf::Value& index = attributes.Get(names[i]);
        auto read = reader.values(index.IsInt() ? index.GetNumberAsInt() : -1, widths[i], names[i]);
        if (!read)
            return read.error();
        const std::size_t own = read->size() / static_cast<std::size_t>(widths[i]);
        if (count > 0 && own != count)
            return reader.bad("has instances whose attributes differ in number");
        count = own;
        values[i] = std::move(*read);
    }
    std::size_t stretched = 0;
    for (std::size_t k = 0; k < count; ++k) {
        Eigen::Affine3d local = Eigen::Affine3d::Identity();
        if (!values[0].empty())
            local.translate(Vec3d(values[0][3 * k], values[0][3 * k + 1], values[0][3 * k + 2]));
        if (!values[1].empty()) {
            Quatd turn(values[1][4 * k + 3], values[1][4 * k], values[1][4 * k + 1], values[1][4 * k + 2]);
            if (!(turn.norm() > 1e-6))
                return reader.bad("has an instance whose rotation has no length");
            turn.normalize();
            local.rotate(turn.toRotationMatrix());
        }
        if (!values[2].empty())
            local.scale(Vec3d(values[2][3 * k], values[2][3 * k + 1], values[2][3 * k + 2]));
        const Eigen::Affine3d placed = world * local;
        if (!placed.matrix().allFinite())
            return reader.bad("has an instance that stands nowhere");
        if (const auto placement = placementOf(placed))
            out.push_back(*placement);
        else
            ++stretched;
    }
    if (stretched > 0)
        notes.push_back(fmt::format("{} instances are stretched and were left out", stretched));
    return out;
}

} // namespace thicket::detail
