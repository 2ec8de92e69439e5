#include "io/import.h"

#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include <algorithm>
#include <cstring>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <tiny_gltf.h>

namespace thicket::detail {
namespace {

constexpr const char* kLevelExtension = "MSFT_lod";
constexpr const char* kCoverageExtra = "MSFT_screencoverage";

/// Extensions that may be required without a mesh being read wrongly.
const std::set<std::string> kUnderstood{kLevelExtension,
                                        "KHR_mesh_quantization",
                                        "KHR_texture_transform",
                                        "KHR_materials_unlit",
                                        "KHR_materials_emissive_strength",
                                        "KHR_lights_punctual",
                                        "KHR_materials_specular",
                                        "KHR_materials_ior",
                                        "KHR_materials_clearcoat",
                                        "KHR_materials_sheen",
                                        "KHR_materials_transmission",
                                        "KHR_materials_volume",
                                        "KHR_materials_variants"};

struct Reader {
    const tinygltf::Model& model;
    std::string where;

    [[nodiscard]] Error bad(std::string what, std::string remedy = "export the file again") const {
        return {ErrorCode::BadInput, where, std::move(what), std::move(remedy)};
    }

    static double component(const unsigned char* at, int type, bool normalized) {
        const auto read = [at](auto value) {
            std::memcpy(&value, at, sizeof value);
            return static_cast<double>(value);
        };
        switch (type) {
        case TINYGLTF_COMPONENT_TYPE_FLOAT:
            return read(float{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
            return read(std::uint32_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
            return read(std::uint16_t{}) / (normalized ? 65535.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_SHORT:
            return std::max(read(std::int16_t{}) / (normalized ? 32767.0 : 1.0), normalized ? -1.0 : -1e9);
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
            return read(std::uint8_t{}) / (normalized ? 255.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_BYTE:
            return std::max(read(std::int8_t{}) / (normalized ? 127.0 : 1.0), normalized ? -1.0 : -1e9);
        default:
            return 0;
        }
    }

    /// Bytes of `count` elements in a view, checked against the buffer's real size.
    Result<const unsigned char*> bytesOf(int viewIndex, std::size_t offset, std::size_t count, std::size_t element,
                                         std::size_t& stride, const std::string& what) const {
        if (viewIndex < 0 || viewIndex >= static_cast<int>(model.bufferViews.size()))
            return bad(what + " names a buffer view that does not exist");
        const tinygltf::BufferView& view = model.bufferViews[static_cast<std::size_t>(viewIndex)];
        if (view.buffer < 0 || view.buffer >= static_cast<int>(model.buffers.size()))
            return bad(what + " names a buffer that does not exist");
        const auto& data = model.buffers[static_cast<std::size_t>(view.buffer)].data;
        stride = view.byteStride > 0 ? view.byteStride : element;
        const std::size_t size = data.size();
        if (view.byteOffset > size || view.byteLength > size - view.byteOffset || offset > view.byteLength)
            return bad(what + " reaches beyond its buffer", "the file is cut short or damaged; export it again");
        const std::size_t left = view.byteLength - offset;
        if (count == 0 || left < element || (left - element) / stride < count - 1)
            return bad(what + " reaches beyond its buffer", "the file is cut short or damaged; export it again");
        return data.data() + view.byteOffset + offset;
    }

    /// All values of an accessor as doubles, `wanted` components each. Handles sparse accessors.
    Result<std::vector<double>> values(int index, int wanted, const std::string& what) const {
        if (index < 0 || index >= static_cast<int>(model.accessors.size()))
            return bad(what + " names an accessor that does not exist");
        const tinygltf::Accessor& a = model.accessors[static_cast<std::size_t>(index)];
        const int components = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type));
        const int size = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.componentType));
        if (components < wanted || size <= 0)
            return bad(what + " is of a type that does not fit");
        std::size_t total = 0;
        for (const auto& buffer : model.buffers)
            total += buffer.data.size();
        if (a.count > std::max<std::size_t>(total, 1) && a.bufferView >= 0)
            return bad(fmt::format("{} claims {} elements, more than the file holds", what, a.count),
                       "the file is damaged; export it again");
        if (a.bufferView < 0 && a.count > 100'000'000)
            return bad(fmt::format("{} claims {} elements without data", what, a.count));
        std::vector<double> out(a.count * static_cast<std::size_t>(wanted), 0.0);
        const auto element = static_cast<std::size_t>(components * size);
        const auto readInto = [&](const unsigned char* from, std::size_t target) {
            for (int c = 0; c < wanted; ++c)
                out[target * static_cast<std::size_t>(wanted) + static_cast<std::size_t>(c)] =
                    component(from + c * size, a.componentType, a.normalized);
        };
        if (a.bufferView >= 0) {
            std::size_t stride = 0;
            auto from = bytesOf(a.bufferView, a.byteOffset, a.count, element, stride, what);
            if (!from)
                return from.error();
            for (std::size_t i = 0; i < a.count; ++i)
                readInto(*from + i * stride, i);
        }
        if (a.sparse.isSparse) {
            const auto count = static_cast<std::size_t>(std::max(a.sparse.count, 0));
            const int indexSize =
                tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.sparse.indices.componentType));
            std::size_t indexStride = 0;
            std::size_t valueStride = 0;
            auto at = bytesOf(a.sparse.indices.bufferView, static_cast<std::size_t>(a.sparse.indices.byteOffset), count,
                              static_cast<std::size_t>(std::max(indexSize, 1)), indexStride, what);
            auto from = bytesOf(a.sparse.values.bufferView, static_cast<std::size_t>(a.sparse.values.byteOffset), count,
                                element, valueStride, what);
            if (!at || !from)
                return !at ? at.error() : from.error();
            for (std::size_t i = 0; i < count; ++i) {
                const double target = component(*at + i * indexStride, a.sparse.indices.componentType, false);
                if (target < 0 || target >= static_cast<double>(a.count))
                    return bad(what + " has a sparse index out of range");
                readInto(*from + i * valueStride, static_cast<std::size_t>(target));
            }
        }
        return out;
    }

    /// Appends one primitive, transformed, to a mesh under construction.
    Result<void> append(const tinygltf::Primitive& primitive, const Eigen::Affine3d& transform, Mesh& mesh,
                        std::vector<std::uint32_t>& materialOfTriangle) const {
        const int mode = primitive.mode < 0 ? TINYGLTF_MODE_TRIANGLES : primitive.mode;
        if (mode != TINYGLTF_MODE_TRIANGLES && mode != TINYGLTF_MODE_TRIANGLE_STRIP &&
            mode != TINYGLTF_MODE_TRIANGLE_FAN)
            return {};
        const auto position = primitive.attributes.find("POSITION");
        if (position == primitive.attributes.end())
            return {};
        auto points = values(position->second, 3, "POSITION");
        if (!points)
            return points.error();
        const std::size_t count = points->size() / 3;
        const auto base = mesh.vertexCount();
        const Eigen::Matrix3d turn = transform.linear();
        const Eigen::Matrix3d normalTurn =
            std::abs(turn.determinant()) > 1e-30 ? Eigen::Matrix3d(turn.inverse().transpose()) : turn;
        for (std::size_t i = 0; i < count; ++i)
            mesh.positions.push_back(
                (transform * Vec3d((*points)[3 * i], (*points)[3 * i + 1], (*points)[3 * i + 2])).cast<float>());

        const auto optional = [&](const char* name, int wanted) -> Result<std::vector<double>> {
            const auto found = primitive.attributes.find(name);
            if (found == primitive.attributes.end())
                return std::vector<double>{};
            auto v = values(found->second, wanted, name);
            if (v && v->size() != count * static_cast<std::size_t>(wanted))
                return bad(std::string(name) + " has not one entry a vertex");
            return v;
        };
        auto normals = optional("NORMAL", 3);
        auto uvs = optional("TEXCOORD_0", 2);
        auto colors = optional("COLOR_0", 3);
        for (const auto* r : {&normals, &uvs, &colors})
            if (!*r)
                return r->error();
        // Primitives of one mesh may differ in what they carry: what one lacks is filled in so that the arrays stay
        // full.
        const auto fill = [&](auto& target, const auto& value) { target.resize(base, value); };
        if (!normals->empty() || !mesh.normals.empty()) {
            fill(mesh.normals, Vec3f(0, 1, 0));
            for (std::size_t i = 0; i < count; ++i)
                mesh.normals.push_back(
                    normals->empty()
                        ? Vec3f(0, 1, 0)
                        : Vec3f((normalTurn * Vec3d((*normals)[3 * i], (*normals)[3 * i + 1], (*normals)[3 * i + 2]))
                                    .normalized()
                                    .cast<float>()));
        }
        if (!uvs->empty() || !mesh.uvs.empty()) {
            fill(mesh.uvs, Vec2f(0, 0));
            for (std::size_t i = 0; i < count; ++i)
                mesh.uvs.push_back(
                    uvs->empty() ? Vec2f(0, 0)
                                 : Vec2f(static_cast<float>((*uvs)[2 * i]), static_cast<float>((*uvs)[2 * i + 1])));
        }
        if (!colors->empty() || !mesh.colors.empty()) {
            fill(mesh.colors, Vec4f(1, 1, 1, 1));
            for (std::size_t i = 0; i < count; ++i)
                mesh.colors.push_back(colors->empty() ? Vec4f(1, 1, 1, 1)
                                                      : Vec4f(static_cast<float>((*colors)[3 * i]),
                                                              static_cast<float>((*colors)[3 * i + 1]),
                                                              static_cast<float>((*colors)[3 * i + 2]), 1.0F));
        }

        std::vector<std::uint32_t> run;
        if (primitive.indices >= 0) {
            auto list = values(primitive.indices, 1, "indices");
            if (!list)
                return list.error();
            run.reserve(list->size());
            for (std::size_t i = 0; i < list->size(); ++i) {
                if (!((*list)[i] >= 0) || (*list)[i] >= static_cast<double>(count))
                    return bad(
                        fmt::format("triangle {} uses vertex {:.0f}, but there are only {}", i / 3, (*list)[i], count));
                run.push_back(base + static_cast<std::uint32_t>((*list)[i]));
            }
        } else {
            for (std::uint32_t i = 0; i < count; ++i)
                run.push_back(base + i);
        }
        const auto material = static_cast<std::uint32_t>(std::max(primitive.material, 0));
        if (primitive.material >= static_cast<int>(model.materials.size()))
            return bad("a primitive names a material that does not exist");
        const bool mirrored = turn.determinant() < 0;
        const auto triangle = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
            mesh.indices.insert(mesh.indices.end(), {a, mirrored ? c : b, mirrored ? b : c});
            materialOfTriangle.push_back(material);
        };
        if (mode == TINYGLTF_MODE_TRIANGLES)
            for (std::size_t i = 0; i + 2 < run.size(); i += 3)
                triangle(run[i], run[i + 1], run[i + 2]);
        else
            for (std::size_t i = 0; i + 2 < run.size(); ++i) {
                if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
                    triangle(run[0], run[i + 1], run[i + 2]);
                else
                    triangle(run[i], run[i + 1 + i % 2], run[i + 2 - i % 2]);
            }
        return {};
    }

    [[nodiscard]] static Eigen::Affine3d localOf(const tinygltf::Node& node) {
        Eigen::Affine3d t = Eigen::Affine3d::Identity();
        if (node.matrix.size() == 16) {
            for (int c = 0; c < 4; ++c)
                for (int r = 0; r < 4; ++r)
                    t.matrix()(r, c) = node.matrix[static_cast<std::size_t>(4 * c + r)];
            return t;
        }
        if (node.translation.size() == 3)
            t.translate(Vec3d(node.translation[0], node.translation[1], node.translation[2]));
        if (node.rotation.size() == 4)
            t.rotate(Eigen::Quaterniond(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2])
                         .normalized());
        if (node.scale.size() == 3)
            t.scale(Vec3d(node.scale[0], node.scale[1], node.scale[2]));
        return t;
    }
};

struct Placed {
    int node;
    Eigen::Affine3d transform;
};

/// One level in the making: parts are put together once all its nodes are in, grouped by material.
struct Gathering {
    Mesh mesh;
    std::vector<std::uint32_t> materialOfTriangle;

    Mesh finish() {
        std::vector<std::uint32_t> order(materialOfTriangle.size());
        for (std::uint32_t i = 0; i < order.size(); ++i)
            order[i] = i;
        std::stable_sort(order.begin(), order.end(), [this](std::uint32_t a, std::uint32_t b) {
            return materialOfTriangle[a] < materialOfTriangle[b];
        });
        std::vector<std::uint32_t> indices;
        indices.reserve(mesh.indices.size());
        for (const std::uint32_t t : order) {
            indices.insert(indices.end(), mesh.indices.begin() + 3 * t, mesh.indices.begin() + 3 * t + 3);
            if (mesh.parts.empty() || mesh.parts.back().material != materialOfTriangle[t])
                mesh.parts.push_back({static_cast<std::uint32_t>(indices.size() / 3 - 1), 0, materialOfTriangle[t]});
            ++mesh.parts.back().triangleCount;
        }
        mesh.indices = std::move(indices);
        return std::move(mesh);
    }
};

void readSurfaces(const tinygltf::Model& model, Surfaces& out) {
    for (const tinygltf::Image& image : model.images) {
        Image own{image.name, image.mimeType, {}};
        own.encoded.resize(image.image.size());
        std::memcpy(own.encoded.data(), image.image.data(), image.image.size());
        if (own.encoded.size() > 3)
            own.mimeType = own.encoded[0] == std::byte{0x89} ? "image/png" : "image/jpeg";
        out.images.push_back(std::move(own));
    }
    const auto imageOf = [&](int texture) {
        if (texture < 0 || texture >= static_cast<int>(model.textures.size()))
            return -1;
        const int source = model.textures[static_cast<std::size_t>(texture)].source;
        return source >= 0 && source < static_cast<int>(out.images.size()) &&
                       !out.images[static_cast<std::size_t>(source)].encoded.empty()
                   ? source
                   : -1;
    };
    for (const tinygltf::Material& m : model.materials) {
        Material own;
        own.name = m.name;
        const auto& pbr = m.pbrMetallicRoughness;
        for (std::size_t i = 0; i < 4 && i < pbr.baseColorFactor.size(); ++i)
            own.baseColor[static_cast<Eigen::Index>(i)] = static_cast<float>(pbr.baseColorFactor[i]);
        own.metallic = static_cast<float>(pbr.metallicFactor);
        own.roughness = static_cast<float>(pbr.roughnessFactor);
        for (std::size_t i = 0; i < 3 && i < m.emissiveFactor.size(); ++i)
            own.emissive[static_cast<Eigen::Index>(i)] = static_cast<float>(m.emissiveFactor[i]);
        own.alphaMode = m.alphaMode == "MASK"    ? AlphaMode::Mask
                        : m.alphaMode == "BLEND" ? AlphaMode::Blend
                                                 : AlphaMode::Opaque;
        own.alphaCutoff = static_cast<float>(m.alphaCutoff);
        own.doubleSided = m.doubleSided;
        own.baseColorImage = imageOf(pbr.baseColorTexture.index);
        own.metallicRoughnessImage = imageOf(pbr.metallicRoughnessTexture.index);
        own.normalImage = imageOf(m.normalTexture.index);
        own.occlusionImage = imageOf(m.occlusionTexture.index);
        own.emissiveImage = imageOf(m.emissiveTexture.index);
        out.materials.push_back(own);
    }
}

bool keepEncoded(tinygltf::Image* image, int, std::string*, std::string*, int, int, const unsigned char* bytes,
                 int size, void*) {
    image->image.assign(bytes, bytes + size);
    return true;
}

} // namespace

namespace {

/// What the JSON says before anything else is read: a file of another version, or one that needs what we cannot do,
/// gets its own message instead of the first thing the reader stumbles over.
Result<void> checkHeader(const std::filesystem::path& path, std::span<const std::byte> data, bool binary) {
    const char* text = reinterpret_cast<const char*>(data.data());
    std::size_t size = data.size();
    if (binary) {
        std::uint32_t version = 0;
        std::uint32_t length = 0;
        if (size < 20)
            return Error{ErrorCode::BadInput, path.string(), "is cut short", "export it again"};
        std::memcpy(&version, text + 4, 4);
        std::memcpy(&length, text + 12, 4);
        if (version != 2)
            return Error{ErrorCode::BadInput, path.string(),
                         fmt::format("is glTF version {}, which is not supported", version), "export it as glTF 2.0"};
        if (length > size - 20)
            return Error{ErrorCode::BadInput, path.string(), "is cut short", "export it again"};
        text += 20;
        size = length;
    }
    const auto json = nlohmann::json::parse(text, text + size, nullptr, false);
    if (!json.is_object())
        return Error{ErrorCode::BadInput, path.string(), "is not a readable glTF file",
                     "check that it is whole; export it again"};
    const auto asset = json.find("asset");
    const bool stated =
        asset != json.end() && asset->is_object() && asset->contains("version") && (*asset)["version"].is_string();
    if (!stated || (*asset)["version"].get<std::string>().rfind("2.", 0) != 0)
        return Error{ErrorCode::BadInput, path.string(), "is not glTF 2.0", "export it as glTF 2.0"};
    if (const auto required = json.find("extensionsRequired"); required != json.end() && required->is_array())
        for (const auto& name : *required)
            if (name.is_string() && !kUnderstood.contains(name.get<std::string>()))
                return Error{ErrorCode::BadInput, path.string(),
                             "needs the extension " + name.get<std::string>() + ", which is not supported",
                             "export it without that extension"};
    return {};
}

} // namespace

Result<std::vector<ImportedSubject>> readGltf(const std::filesystem::path& path, std::span<const std::byte> data,
                                              const JobContext& job) {
    tinygltf::TinyGLTF loader;
    loader.SetImageLoader(keepEncoded, nullptr);
    tinygltf::Model model;
    std::string error;
    std::string warning;
    const auto* bytes = reinterpret_cast<const unsigned char*>(data.data());
    const bool binary = data.size() >= 4 && std::memcmp(bytes, "glTF", 4) == 0;
    if (auto fine = checkHeader(path, data, binary); !fine)
        return fine.error();
    const std::string folder = path.has_parent_path() ? path.parent_path().string() : ".";
    const auto size = static_cast<unsigned int>(data.size());
    const bool read = binary ? loader.LoadBinaryFromMemory(&model, &error, &warning, bytes, size, folder)
                             : loader.LoadASCIIFromString(&model, &error, &warning,
                                                          reinterpret_cast<const char*>(bytes), size, folder);
    if (!read) {
        std::string reason = error.substr(0, error.find('\n'));
        return Error{ErrorCode::BadInput, path.string(),
                     "is not a readable glTF file" + (reason.empty() ? "" : " (" + reason + ")"),
                     "check that it is whole and that the files it names are beside it"};
    }
    if (job.cancelled())
        return cancelledError();
    const Reader reader{model, path.string()};
    const auto nodeCount = static_cast<int>(model.nodes.size());

    // World transforms by a walk from the scene's roots; a node met twice is a loop and is left out.
    std::vector<Placed> placed;
    std::vector<bool> seen(model.nodes.size(), false);
    std::vector<Placed> stack;
    std::vector<int> roots;
    if (!model.scenes.empty()) {
        const int scene = model.defaultScene >= 0 && model.defaultScene < static_cast<int>(model.scenes.size())
                              ? model.defaultScene
                              : 0;
        roots = model.scenes[static_cast<std::size_t>(scene)].nodes;
    } else {
        for (int i = 0; i < nodeCount; ++i)
            roots.push_back(i);
    }
    std::map<int, Eigen::Affine3d> transformOf;
    for (const int root : roots)
        stack.push_back({root, Eigen::Affine3d::Identity()});
    std::map<int, std::vector<int>> levelsOf; // node -> the nodes of its coarser levels
    while (!stack.empty()) {
        const Placed at = stack.back();
        stack.pop_back();
        if (at.node < 0 || at.node >= nodeCount || seen[static_cast<std::size_t>(at.node)])
            continue;
        seen[static_cast<std::size_t>(at.node)] = true;
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(at.node)];
        const Eigen::Affine3d world = at.transform * Reader::localOf(node);
        transformOf[at.node] = world;
        if (node.mesh >= 0)
            placed.push_back({at.node, world});
        for (auto child = node.children.rbegin(); child != node.children.rend(); ++child)
            stack.push_back({*child, world});
        if (const auto lod = node.extensions.find(kLevelExtension);
            lod != node.extensions.end() && lod->second.Has("ids")) {
            const auto& ids = lod->second.Get("ids");
            for (std::size_t i = 0; ids.IsArray() && i < ids.ArrayLen(); ++i)
                if (const int id = ids.Get(static_cast<int>(i)).GetNumberAsInt(); id >= 0 && id < nodeCount)
                    levelsOf[at.node].push_back(id);
        }
    }

    Surfaces surfaces;
    readSurfaces(model, surfaces);
    std::vector<ImportedSubject> subjects;
    const auto meshInto = [&](int nodeIndex, const Eigen::Affine3d& world, Gathering& to) -> Result<void> {
        const int index = model.nodes[static_cast<std::size_t>(nodeIndex)].mesh;
        if (index >= static_cast<int>(model.meshes.size()))
            return reader.bad("a node names a mesh that does not exist");
        if (index >= 0)
            for (const tinygltf::Primitive& primitive : model.meshes[static_cast<std::size_t>(index)].primitives)
                if (auto done = reader.append(primitive, world, to.mesh, to.materialOfTriangle); !done)
                    return done;
        return {};
    };
    const auto nameOf = [&](int nodeIndex) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(nodeIndex)];
        if (!node.name.empty() || node.mesh < 0 || node.mesh >= static_cast<int>(model.meshes.size()))
            return node.name;
        return model.meshes[static_cast<std::size_t>(node.mesh)].name;
    };

    struct Family {
        std::string name;
        std::map<int, Gathering> levels; // by level number
        std::vector<double> coverages;
    };
    std::vector<Family> families;
    const auto family = [&](const std::string& name) -> Family& {
        for (Family& f : families)
            if (f.name == name)
                return f;
        families.push_back({name, {}, {}});
        return families.back();
    };
    std::set<int> used;
    for (const auto& [node, levels] : levelsOf) {
        Family& f = family(splitLevelName(nameOf(node)).base);
        const tinygltf::Node& first = model.nodes[static_cast<std::size_t>(node)];
        if (auto done = meshInto(node, transformOf[node], f.levels[0]); !done)
            return done.error();
        used.insert(node);
        for (std::size_t i = 0; i < levels.size(); ++i) {
            // A level's node replaces the first in the same place, so it stands where the first's parent puts it.
            const Eigen::Affine3d parent = transformOf[node] * Reader::localOf(first).inverse(Eigen::Affine);
            const tinygltf::Node& own = model.nodes[static_cast<std::size_t>(levels[i])];
            if (auto done = meshInto(levels[i], parent * Reader::localOf(own), f.levels[static_cast<int>(i) + 1]);
                !done)
                return done.error();
            used.insert(levels[i]);
        }
        if (first.extras.Has(kCoverageExtra)) {
            const auto& list = first.extras.Get(kCoverageExtra);
            for (std::size_t i = 0; list.IsArray() && i < list.ArrayLen(); ++i)
                f.coverages.push_back(list.Get(static_cast<int>(i)).GetNumberAsDouble());
        }
    }
    std::map<std::string, std::set<int>> numbers; // which level numbers each base name has
    for (const Placed& p : placed)
        if (const LevelName split = splitLevelName(nameOf(p.node)); split.level >= 0 && !used.contains(p.node))
            numbers[split.base].insert(split.level);
    const std::string stem = splitLevelName(path.stem().string()).base;
    for (const Placed& p : placed) {
        if (used.contains(p.node))
            continue;
        const LevelName split = splitLevelName(nameOf(p.node));
        const bool level = split.level >= 0 && numbers[split.base].size() > 1;
        if (auto done =
                meshInto(p.node, p.transform, family(level ? split.base : stem).levels[level ? split.level : 0]);
            !done)
            return done.error();
        if (job.cancelled())
            return cancelledError();
    }
    for (Family& f : families) {
        ImportedSubject subject;
        subject.name = f.name.empty() ? stem : f.name;
        subject.source.family = families.size() > 1 ? subject.name : "";
        subject.screenCoverages = f.coverages;
        for (auto& [number, gathering] : f.levels) {
            if (gathering.mesh.indices.empty())
                continue;
            subject.levels.push_back({fmt::format("{}_LOD{}", subject.name, number), number, gathering.finish()});
        }
        if (subject.levels.empty())
            continue;
        subject.surfaces = surfaces;
        subjects.push_back(std::move(subject));
    }
    if (subjects.empty())
        return reader.bad("holds no triangles", "choose a file with a triangle mesh");
    return subjects;
}

} // namespace thicket::detail
