#include "io/ship/write_glb.h"

#include "base/file.h"
#include "io/json/level_json.h"

#include <cstring>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>

namespace thicket {
namespace {

using nlohmann::ordered_json;

constexpr int kFloat = 5126;
constexpr int kUnsignedShort = 5123;
constexpr int kUnsignedInt = 5125;
constexpr int kVertexTarget = 34962;
constexpr int kIndexTarget = 34963;

struct Writer {
    ordered_json root = ordered_json::object();
    std::vector<std::byte> buffer;

    std::size_t view(const void* data, std::size_t size, int target) {
        while (buffer.size() % 4 != 0)
            buffer.push_back(std::byte{0});
        ordered_json v{{"buffer", 0}, {"byteOffset", buffer.size()}, {"byteLength", size}};
        if (target != 0)
            v["target"] = target;
        root["bufferViews"].push_back(v);
        const auto* bytes = static_cast<const std::byte*>(data);
        buffer.insert(buffer.end(), bytes, bytes + size);
        return root["bufferViews"].size() - 1;
    }
    std::size_t accessor(std::size_t viewIndex, std::size_t offset, int component, std::size_t count,
                         const char* type) {
        ordered_json a{{"bufferView", viewIndex}, {"componentType", component}, {"count", count}, {"type", type}};
        if (offset > 0)
            a["byteOffset"] = offset;
        root["accessors"].push_back(a);
        return root["accessors"].size() - 1;
    }

    std::vector<float> morphWeights; ///< at rest, for every mesh
    std::vector<bool> skinned;       ///< a mesh each: has joints; levels such as cards have none
    std::vector<bool> morphs;

    /// An accessor of three floats each with the bounds that positions must have.
    std::size_t moves(const std::vector<Vec3f>& values) {
        const std::size_t at = accessor(view(values.data(), values.size() * sizeof(Vec3f), kVertexTarget), 0, kFloat,
                                        values.size(), "VEC3");
        Vec3f low = values.front();
        Vec3f high = low;
        for (const Vec3f& p : values) {
            low = low.cwiseMin(p);
            high = high.cwiseMax(p);
        }
        root["accessors"].back()["min"] = {low.x(), low.y(), low.z()};
        root["accessors"].back()["max"] = {high.x(), high.y(), high.z()};
        return at;
    }

    /// Joints and animations after the nodes of the levels. Channels of the mesh itself go to every level.
    void rig(const Rig& r, std::size_t levels, ordered_json& sceneNodes) {
        const std::size_t first = levels;
        for (const RigNode& node : r.nodes)
            root["nodes"].push_back(
                {{"name", node.name},
                 {"translation", {node.translation.x(), node.translation.y(), node.translation.z()}},
                 {"rotation", {node.rotation[0], node.rotation[1], node.rotation[2], node.rotation[3]}},
                 {"scale", {node.scale.x(), node.scale.y(), node.scale.z()}}});
        for (std::size_t i = 0; i < r.nodes.size(); ++i) {
            if (r.nodes[i].parent >= 0)
                root["nodes"][first + static_cast<std::size_t>(r.nodes[i].parent)]["children"].push_back(first + i);
            else
                sceneNodes.push_back(first + i);
        }
        if (!r.joints.empty()) {
            ordered_json joints = ordered_json::array();
            for (const int joint : r.joints)
                joints.push_back(first + static_cast<std::size_t>(joint));
            const std::size_t matrices = accessor(view(r.inverseBind.data(), r.inverseBind.size() * 64, 0), 0, kFloat,
                                                  r.inverseBind.size(), "MAT4");
            root["skins"].push_back({{"joints", joints}, {"inverseBindMatrices", matrices}});
            for (std::size_t i = 0; i < levels; ++i)
                if (skinned[i])
                    root["nodes"][i]["skin"] = 0;
        }
        for (const RigAnimation& animation : r.animations)
            this->animation(animation, first, levels);
    }

    void animation(const RigAnimation& animation, std::size_t first, std::size_t levels) {
        static const char* const kPaths[] = {"translation", "rotation", "scale", "weights"};
        static const char* const kBetween[] = {"LINEAR", "STEP", "CUBICSPLINE"};
        ordered_json out{
            {"name", animation.name}, {"channels", ordered_json::array()}, {"samplers", ordered_json::array()}};
        for (const RigChannel& c : animation.channels) {
            const bool scalar = c.path == RigChannel::Path::MorphWeights;
            const std::size_t width = scalar ? 1 : c.path == RigChannel::Path::Rotation ? 4 : 3;
            const std::size_t times =
                accessor(view(c.times.data(), c.times.size() * 4, 0), 0, kFloat, c.times.size(), "SCALAR");
            root["accessors"].back()["min"] = {c.times.front()};
            root["accessors"].back()["max"] = {c.times.back()};
            const std::size_t values =
                accessor(view(c.values.data(), c.values.size() * 4, 0), 0, kFloat, c.values.size() / width,
                         scalar       ? "SCALAR"
                         : width == 4 ? "VEC4"
                                      : "VEC3");
            out["samplers"].push_back({{"input", times},
                                       {"output", values},
                                       {"interpolation", kBetween[static_cast<std::size_t>(c.between)]}});
            const auto channel = [&](std::size_t node) {
                out["channels"].push_back(
                    {{"sampler", out["samplers"].size() - 1},
                     {"target", {{"node", node}, {"path", kPaths[static_cast<std::size_t>(c.path)]}}}});
            };
            if (c.node >= 0)
                channel(first + static_cast<std::size_t>(c.node));
            else
                for (std::size_t i = 0; i < levels; ++i)
                    if (morphs[i])
                        channel(i);
        }
        root["animations"].push_back(out);
    }

    /// A level's vertices as accessors, and how many there are.
    struct Vertices {
        ordered_json attributes;
        ordered_json targets = ordered_json::array();
        ordered_json targetNames = ordered_json::array();
        std::size_t count = 0;
    };

    Vertices vertices(const Mesh& m) {
        Vertices out;
        ordered_json& attributes = out.attributes;
        out.count = m.positions.size();
        const std::size_t n = m.positions.size();
        attributes["POSITION"] =
            accessor(view(m.positions.data(), n * sizeof(Vec3f), kVertexTarget), 0, kFloat, n, "VEC3");
        Vec3f low = m.positions.front();
        Vec3f high = low;
        for (const Vec3f& p : m.positions) {
            low = low.cwiseMin(p);
            high = high.cwiseMax(p);
        }
        root["accessors"].back()["min"] = {low.x(), low.y(), low.z()};
        root["accessors"].back()["max"] = {high.x(), high.y(), high.z()};
        if (!m.normals.empty())
            attributes["NORMAL"] =
                accessor(view(m.normals.data(), n * sizeof(Vec3f), kVertexTarget), 0, kFloat, n, "VEC3");
        if (!m.uvs.empty())
            attributes["TEXCOORD_0"] =
                accessor(view(m.uvs.data(), n * sizeof(Vec2f), kVertexTarget), 0, kFloat, n, "VEC2");
        if (!m.colors.empty())
            attributes["COLOR_0"] =
                accessor(view(m.colors.data(), n * sizeof(Vec4f), kVertexTarget), 0, kFloat, n, "VEC4");
        const VertexExtras& e = m.extras;
        const auto extra = [&](const char* attribute, const auto& values, int component, const char* type) {
            if (!values.empty())
                attributes[attribute] =
                    accessor(view(values.data(), n * sizeof(values[0]), kVertexTarget), 0, component, n, type);
        };
        extra("TEXCOORD_1", e.uvs2, kFloat, "VEC2");
        extra("TANGENT", e.tangents, kFloat, "VEC4");
        extra("JOINTS_0", e.joints, kUnsignedShort, "VEC4");
        extra("WEIGHTS_0", e.weights, kFloat, "VEC4");
        for (const MorphTarget& morph : e.morphs) {
            ordered_json target;
            target["POSITION"] = moves(morph.moves);
            if (!morph.normalMoves.empty())
                target["NORMAL"] = moves(morph.normalMoves);
            out.targets.push_back(target);
            out.targetNames.push_back(morph.name);
        }
        return out;
    }

    std::map<std::pair<std::string, bool>, std::size_t> indexViews; ///< by content; of meshes side by side
    bool shareIndices = false;

    std::size_t indexViewOf(const std::vector<std::uint32_t>& indices, bool small) {
        std::pair<std::string, bool> key;
        if (shareIndices) {
            key = {contentHash(std::as_bytes(std::span(indices))), small};
            if (const auto known = indexViews.find(key); known != indexViews.end())
                return known->second;
        }
        const std::vector<std::uint16_t> narrow(small ? indices.begin() : indices.end(), indices.end());
        const std::size_t made = small ? view(narrow.data(), narrow.size() * 2, kIndexTarget)
                                       : view(indices.data(), indices.size() * 4, kIndexTarget);
        if (shareIndices)
            indexViews[key] = made;
        return made;
    }

    /// `indices`: into the vertices; those of the mesh itself, or of the level whose vertices it uses.
    std::size_t mesh(const std::string& name, const Mesh& m, const Vertices& v,
                     const std::vector<std::uint32_t>& indices) {
        const auto& [attributes, targets, targetNames, count] = v;
        const bool small = count < 65535;
        const std::size_t indexView = indexViewOf(indices, small);
        ordered_json primitives = ordered_json::array();
        for (const MeshPart& part : m.parts) {
            const std::size_t offset = 3 * std::size_t{part.firstTriangle} * (small ? 2 : 4);
            // A 16-bit run may begin on any even byte, as the accessor's own alignment asks.
            primitives.push_back({{"attributes", attributes},
                                  {"indices", accessor(indexView, offset, small ? kUnsignedShort : kUnsignedInt,
                                                       3 * std::size_t{part.triangleCount}, "SCALAR")},
                                  {"material", part.material}});
            if (!targets.empty())
                primitives.back()["targets"] = targets;
        }
        root["meshes"].push_back({{"name", name}, {"primitives", primitives}});
        skinned.push_back(!m.extras.joints.empty());
        morphs.push_back(!m.extras.morphs.empty());
        if (!targets.empty()) {
            root["meshes"].back()["extras"]["targetNames"] = targetNames;
            if (morphWeights.size() == targets.size())
                root["meshes"].back()["weights"] = morphWeights;
        }
        return root["meshes"].size() - 1;
    }

    /// Where the copies of a block stand, as the attributes of its nodes.
    ordered_json instances(const InstanceBlock& block) {
        std::vector<float> places;
        std::vector<float> turns;
        std::vector<float> scales;
        for (const Placement& p : block.copies) {
            for (int axis = 0; axis < 3; ++axis) {
                places.push_back(static_cast<float>(p.position[axis] - block.origin[axis]));
                scales.push_back(static_cast<float>(p.scale));
            }
            for (int part = 0; part < 4; ++part)
                turns.push_back(static_cast<float>(p.rotation.coeffs()[part]));
        }
        const std::size_t n = block.copies.size();
        const auto put = [&](const std::vector<float>& values, const char* type) {
            return accessor(view(values.data(), values.size() * sizeof(float), 0), 0, kFloat, n, type);
        };
        return {
            {"attributes",
             {{"TRANSLATION", put(places, "VEC3")}, {"ROTATION", put(turns, "VEC4")}, {"SCALE", put(scales, "VEC3")}}}};
    }

    void surfaces(const Surfaces& s) {
        for (const Image& image : s.images) {
            ordered_json i{{"bufferView", view(image.encoded.data(), image.encoded.size(), 0)},
                           {"mimeType", image.mimeType}};
            if (!image.name.empty())
                i["name"] = image.name;
            root["images"].push_back(i);
            root["textures"].push_back({{"source", root["images"].size() - 1}});
        }
        for (const Material& m : s.materials) {
            ordered_json pbr{{"baseColorFactor", {m.baseColor[0], m.baseColor[1], m.baseColor[2], m.baseColor[3]}},
                             {"metallicFactor", m.metallic},
                             {"roughnessFactor", m.roughness}};
            ordered_json out = ordered_json::object();
            if (!m.name.empty())
                out["name"] = m.name;
            const auto texture = [&m](int index, int slot) {
                ordered_json t{{"index", index}};
                if ((m.secondUv >> slot & 1) != 0)
                    t["texCoord"] = 1;
                return t;
            };
            if (m.baseColorImage >= 0)
                pbr["baseColorTexture"] = texture(m.baseColorImage, 0);
            if (m.metallicRoughnessImage >= 0)
                pbr["metallicRoughnessTexture"] = texture(m.metallicRoughnessImage, 1);
            out["pbrMetallicRoughness"] = pbr;
            if (m.normalImage >= 0)
                out["normalTexture"] = texture(m.normalImage, 2);
            if (m.occlusionImage >= 0)
                out["occlusionTexture"] = texture(m.occlusionImage, 3);
            if (m.emissiveImage >= 0)
                out["emissiveTexture"] = texture(m.emissiveImage, 4);
            if (m.emissive.squaredNorm() > 0)
                out["emissiveFactor"] = {m.emissive[0], m.emissive[1], m.emissive[2]};
            if (m.alphaMode == AlphaMode::Mask) {
                out["alphaMode"] = "MASK";
                out["alphaCutoff"] = m.alphaCutoff;
            } else if (m.alphaMode == AlphaMode::Blend) {
                out["alphaMode"] = "BLEND";
            }
            if (m.doubleSided)
                out["doubleSided"] = true;
            root["materials"].push_back(out);
        }
    }

    std::vector<std::byte> glb() {
        while (buffer.size() % 4 != 0)
            buffer.push_back(std::byte{0});
        root["buffers"] = {{{"byteLength", buffer.size()}}};
        std::string json = root.dump(-1, ' ', false, decltype(root)::error_handler_t::replace);
        json.append((4 - json.size() % 4) % 4, ' ');
        std::vector<std::byte> out;
        const auto word = [&out](std::uint32_t value) {
            const auto* bytes = reinterpret_cast<const std::byte*>(&value);
            out.insert(out.end(), bytes, bytes + 4);
        };
        word(0x46546C67); // "glTF"
        word(2);
        word(static_cast<std::uint32_t>(12 + 8 + json.size() + 8 + buffer.size()));
        word(static_cast<std::uint32_t>(json.size()));
        word(0x4E4F534A); // "JSON"
        const auto* text = reinterpret_cast<const std::byte*>(json.data());
        out.insert(out.end(), text, text + json.size());
        word(static_cast<std::uint32_t>(buffer.size()));
        word(0x004E4942); // "BIN"
        out.insert(out.end(), buffer.begin(), buffer.end());
        return out;
    }
};

} // namespace

std::vector<std::byte> encodeGlb(const std::string& name, const std::vector<std::shared_ptr<const Mesh>>& levels,
                                 const Surfaces& surfaces, GlbLevels how, const std::vector<double>& coverages,
                                 const Rig* rig, bool shareVertices, const std::vector<ViewGrid>& views,
                                 const std::vector<InstanceBlock>& blocks) {
    Writer writer;
    writer.root["asset"] = {{"version", "2.0"}, {"generator", "Lean Thicket"}};
    writer.root["scene"] = 0;
    if (rig != nullptr)
        writer.morphWeights = rig->morphWeights;
    ordered_json sceneNodes = ordered_json::array();
    Writer::Vertices first;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const std::string levelName = fmt::format("{}_LOD{}", name, i);
        std::vector<std::uint32_t> indices = levels[i]->indices;
        const auto found =
            shareVertices && i > 0 ? findVertices(*levels.front(), *levels[i]) : std::vector<std::uint32_t>();
        for (std::uint32_t& index : indices)
            index = found.empty() ? index : found[index];
        if (i == 0)
            first = writer.vertices(*levels[0]);
        const std::size_t mesh =
            writer.mesh(levelName, *levels[i], i == 0 || !found.empty() ? first : writer.vertices(*levels[i]), indices);
        writer.root["nodes"].push_back({{"name", levelName}, {"mesh", mesh}});
        if (i < views.size() && views[i].across > 0)
            writer.root["nodes"].back()["extras"]["viewGrid"] = json::encode(views[i]);
        if (i == 0 || how == GlbLevels::Named)
            sceneNodes.push_back(i);
    }
    if (how == GlbLevels::Extension && levels.size() > 1) {
        ordered_json ids = ordered_json::array();
        for (std::size_t i = 1; i < levels.size(); ++i)
            ids.push_back(i);
        writer.root["extensionsUsed"] = {"MSFT_lod"};
        writer.root["nodes"][0]["extensions"]["MSFT_lod"]["ids"] = ids;
        if (!coverages.empty())
            writer.root["nodes"][0]["extras"]["MSFT_screencoverage"] = coverages;
    }
    if (!blocks.empty()) { // the nodes of the levels once for every block
        const ordered_json own = writer.root["nodes"];
        writer.root["nodes"] = ordered_json::array();
        sceneNodes.clear();
        for (const InstanceBlock& block : blocks) {
            const ordered_json placed = writer.instances(block);
            const std::size_t base = writer.root["nodes"].size();
            sceneNodes.push_back(base);
            for (std::size_t i = 0; i < levels.size(); ++i) {
                ordered_json node = own[i];
                node["translation"] = {block.origin.x(), block.origin.y(), block.origin.z()};
                node["extensions"]["EXT_mesh_gpu_instancing"] = placed;
                if (i == 0 && levels.size() > 1) {
                    ordered_json ids = ordered_json::array();
                    for (std::size_t k = 1; k < levels.size(); ++k)
                        ids.push_back(base + k);
                    node["extensions"]["MSFT_lod"]["ids"] = ids;
                }
                writer.root["nodes"].push_back(std::move(node));
            }
        }
        writer.root["extensionsUsed"].push_back("EXT_mesh_gpu_instancing");
    }
    if (rig != nullptr)
        writer.rig(*rig, levels.size(), sceneNodes);
    writer.root["scenes"] = {{{"nodes", sceneNodes}}};
    writer.surfaces(surfaces);
    return writer.glb();
}

Result<std::vector<std::byte>> encodeNodes(const std::vector<NamedMesh>& meshes, const Surfaces& surfaces) {
    double bytes = 0;
    for (const NamedMesh& m : meshes)
        bytes += static_cast<double>(m.mesh->bytes()) + 1000;
    if (bytes > 4e9)
        return Error{ErrorCode::TooLarge, "", fmt::format("would be {:.1f} GB; a GLB holds 4 GB", bytes / 1e9),
                     "write fewer at once"};
    Writer writer;
    writer.shareIndices = true;
    writer.root["asset"] = {{"version", "2.0"}, {"generator", "Lean Thicket"}};
    writer.root["scene"] = 0;
    ordered_json sceneNodes = ordered_json::array();
    for (const NamedMesh& m : meshes) {
        if (m.mesh->indices.empty())
            continue;
        const std::size_t mesh = writer.mesh(m.name, *m.mesh, writer.vertices(*m.mesh), m.mesh->indices);
        sceneNodes.push_back(sceneNodes.size());
        writer.root["nodes"].push_back({{"name", m.name}, {"mesh", mesh}});
    }
    writer.root["scenes"] = {{{"nodes", sceneNodes}}};
    writer.surfaces(surfaces);
    return writer.glb();
}

std::vector<std::byte> encodeCamera(const std::string& name, const RigAnimation& animation, const View& view) {
    Writer writer;
    writer.root["asset"] = {{"version", "2.0"}, {"generator", "Lean Thicket"}};
    writer.root["scene"] = 0;
    writer.root["cameras"] = {
        {{"type", "perspective"},
         {"perspective",
          {{"yfov", view.fovY}, {"aspectRatio", view.aspect}, {"znear", view.nearMetres}, {"zfar", view.farMetres}}}}};
    writer.root["nodes"] = {{{"name", name}, {"camera", 0}}};
    writer.root["scenes"] = {{{"nodes", {0}}}};
    writer.animation(animation, 0, 0);
    return writer.glb();
}

Result<std::vector<std::byte>> encodeLines(const std::string& name, const StrandSet& set) {
    const double bytes = 16.0 * static_cast<double>(set.points.size()) + 8.0 * static_cast<double>(set.segments());
    if (bytes > 4e9)
        return Error{ErrorCode::TooLarge, name, fmt::format("would be {:.1f} GB; a GLB holds 4 GB", bytes / 1e9),
                     "write fewer strands"};
    Writer writer;
    writer.root["asset"] = {{"version", "2.0"}, {"generator", "Lean Thicket"}};
    writer.root["scene"] = 0;
    ordered_json attributes{{"POSITION", writer.moves(set.points)}};
    std::vector<float> radii(set.widths);
    for (float& r : radii)
        r /= 2;
    attributes["_RADIUS"] = writer.accessor(writer.view(radii.data(), radii.size() * sizeof(float), kVertexTarget), 0,
                                            kFloat, radii.size(), "SCALAR");
    std::vector<std::uint32_t> indices;
    indices.reserve(2 * set.segments());
    for (std::size_t s = 0; s < set.size(); ++s)
        for (std::uint32_t i = set.first[s] + 1; i < set.first[s + 1]; ++i)
            indices.insert(indices.end(), {i - 1, i});
    constexpr int kLines = 1;
    const std::size_t indexView = writer.view(indices.data(), indices.size() * sizeof(std::uint32_t), kIndexTarget);
    writer.root["meshes"] = {
        {{"name", name},
         {"primitives",
          {{{"attributes", attributes},
            {"mode", kLines},
            {"indices", writer.accessor(indexView, 0, kUnsignedInt, indices.size(), "SCALAR")}}}}}};
    writer.root["nodes"] = {{{"name", name}, {"mesh", 0}, {"translation", json::array3(set.origin)}}};
    writer.root["scenes"] = {{{"nodes", {0}}}};
    return writer.glb();
}

std::vector<std::byte> encodeAt(const std::string& name, const Mesh& mesh, const Surfaces& surfaces, const Vec3d& at) {
    Writer writer;
    writer.root["asset"] = {{"version", "2.0"}, {"generator", "Lean Thicket"}};
    writer.root["scene"] = 0;
    const std::size_t index = writer.mesh(name, mesh, writer.vertices(mesh), mesh.indices);
    writer.root["nodes"] = {{{"name", name}, {"mesh", index}, {"translation", json::array3(at)}}};
    writer.root["scenes"] = {{{"nodes", {0}}}};
    writer.surfaces(surfaces);
    return writer.glb();
}

} // namespace thicket
