#include "io/import/gltf_check.h"

#include "io/json/fields.h"

#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <set>
#include <vector>

namespace thicket::detail {
namespace {

using json::FieldError;
using json::ordered_json;

/// Extensions that may be required without a mesh being read wrongly.
const std::set<std::string> kUnderstood{"MSFT_lod",
                                        "EXT_mesh_gpu_instancing",
                                        "KHR_mesh_quantization",
                                        "KHR_draco_mesh_compression",
                                        "KHR_texture_transform",
                                        "KHR_materials_unlit",
                                        "EXT_texture_webp",
                                        "KHR_materials_emissive_strength",
                                        "KHR_lights_punctual",
                                        "KHR_materials_specular",
                                        "KHR_materials_ior",
                                        "KHR_materials_clearcoat",
                                        "KHR_materials_sheen",
                                        "KHR_materials_transmission",
                                        "KHR_materials_volume",
                                        "KHR_materials_variants"};

/// Members that count or measure bytes: whole and not negative wherever they stand.
void checkSizes(const ordered_json& object, const std::string& path, std::initializer_list<const char*> names) {
    constexpr double kMost = 9e15;
    for (const char* name : names)
        if (object.contains(name)) {
            const double value = json::number(object, name, path, 0, kMost);
            if (value != std::floor(value))
                throw FieldError(fmt::format("{}{}: {} is not a whole number", path, name, value));
        }
}

/// Calls `each(item, path)` for a list of objects, where there is one.
template <class Each> void forAll(const ordered_json& in, const char* name, const std::string& path, const Each& each) {
    if (!in.contains(name))
        return;
    const ordered_json& items = json::list(in, name, path);
    for (std::size_t i = 0; i < items.size(); ++i) {
        const std::string at = fmt::format("{}{}[{}].", path, name, i);
        if (!items[i].is_object())
            throw FieldError(at.substr(0, at.size() - 1) + ": is not an object");
        each(items[i], at);
    }
}

std::size_t countOf(const ordered_json& root, const char* name) {
    return root.contains(name) ? json::list(root, name, "").size() : 0;
}

/// One index, or those of a list, of things of which there are `count`.
std::vector<std::size_t> indices(const ordered_json& in, const char* name, const std::string& path, std::size_t count) {
    std::vector<std::size_t> out;
    if (!in.contains(name))
        return out;
    const ordered_json& value = in[name];
    const auto add = [&](const ordered_json& one) {
        if (!one.is_number_integer() || one.get<std::int64_t>() < 0 ||
            static_cast<std::uint64_t>(one.get<std::int64_t>()) >= count)
            throw FieldError(fmt::format("{}{}: there is no {}", path, name, one.dump()));
        out.push_back(static_cast<std::size_t>(one.get<std::int64_t>()));
    };
    if (!value.is_array()) {
        add(value);
        return out;
    }
    for (const ordered_json& one : value)
        add(one);
    return out;
}

void checkNumbers(const ordered_json& node, const char* name, const std::string& path, std::size_t count) {
    if (node.contains(name) && json::numbers(node, name, path).size() != count)
        throw FieldError(fmt::format("{}{}: needs {} numbers", path, name, count));
}

/// Nodes make trees: every one has at most one parent, and none is below itself.
void checkNodes(const ordered_json& root) {
    const std::size_t nodes = countOf(root, "nodes");
    const std::size_t meshes = countOf(root, "meshes");
    std::vector<std::size_t> parent(nodes, nodes);
    std::size_t index = 0;
    forAll(root, "nodes", "", [&](const ordered_json& node, const std::string& path) {
        checkNumbers(node, "matrix", path, 16);
        checkNumbers(node, "translation", path, 3);
        checkNumbers(node, "rotation", path, 4);
        checkNumbers(node, "scale", path, 3);
        (void)indices(node, "mesh", path, meshes);
        for (const std::size_t child : indices(node, "children", path, nodes)) {
            if (child == index)
                throw FieldError(path + "children: a node is its own child");
            if (parent[child] != nodes)
                throw FieldError(fmt::format("{}children: node {} has two parents", path, child));
            parent[child] = index;
        }
        ++index;
    });
    // With one parent each, a cycle is a chain of parents that never ends.
    std::vector<std::uint8_t> known(nodes, 0); // 1: being followed, 2: leads to a root
    for (std::size_t i = 0; i < nodes; ++i) {
        std::vector<std::size_t> way;
        std::size_t at = i;
        for (; at != nodes && known[at] == 0; at = parent[at]) {
            known[at] = 1;
            way.push_back(at);
        }
        if (at != nodes && known[at] == 1)
            throw FieldError(fmt::format("nodes[{}]: is below itself", at));
        for (const std::size_t n : way)
            known[n] = 2;
    }
    forAll(root, "scenes", "",
           [&](const ordered_json& scene, const std::string& path) { (void)indices(scene, "nodes", path, nodes); });
    (void)indices(root, "scene", "", countOf(root, "scenes"));
}

void checkBuffers(const ordered_json& root) {
    forAll(root, "buffers", "",
           [](const ordered_json& b, const std::string& path) { checkSizes(b, path, {"byteLength"}); });
    forAll(root, "bufferViews", "", [&](const ordered_json& view, const std::string& path) {
        checkSizes(view, path, {"byteOffset", "byteLength", "byteStride"});
        (void)indices(view, "buffer", path, countOf(root, "buffers"));
    });
    const std::size_t views = countOf(root, "bufferViews");
    forAll(root, "accessors", "", [&](const ordered_json& accessor, const std::string& path) {
        checkSizes(accessor, path, {"byteOffset", "count"});
        (void)indices(accessor, "bufferView", path, views);
        if (!accessor.contains("sparse"))
            return;
        const ordered_json& sparse = json::object(accessor, "sparse", path);
        checkSizes(sparse, path + "sparse.", {"count"});
        for (const char* part : {"indices", "values"}) {
            const std::string at = path + "sparse." + part + ".";
            const ordered_json& own = json::object(sparse, part, path + "sparse.");
            checkSizes(own, at, {"byteOffset"});
            (void)indices(own, "bufferView", at, views);
        }
    });
}

void checkTree(const ordered_json& root) {
    const ordered_json& asset = json::object(root, "asset", "");
    const std::string version = json::string(asset, "version", "asset.");
    if (!version.starts_with("2."))
        throw FieldError("is glTF version " + version + ", which is not supported");
    if (root.contains("extensionsRequired"))
        (void)json::list(root, "extensionsRequired", "");
    checkBuffers(root);
    checkNodes(root);
}

/// The first extension that the file cannot be read without and that is not understood; empty when there is none.
std::string notUnderstood(const ordered_json& root) {
    const auto required = root.find("extensionsRequired");
    if (required == root.end() || !required->is_array())
        return {};
    for (const ordered_json& name : *required)
        if (name.is_string() && !kUnderstood.contains(name.get<std::string>()))
            return name.get<std::string>();
    return {};
}

} // namespace

Result<void> checkGltf(const std::filesystem::path& path, std::span<const std::byte> data, bool binary) {
    const auto bad = [&path](std::string what, const char* remedy) {
        return Error{ErrorCode::BadInput, path.string(), std::move(what), remedy};
    };
    std::string_view text(reinterpret_cast<const char*>(data.data()), data.size());
    if (binary) {
        std::uint32_t version = 0;
        std::uint32_t length = 0;
        if (text.size() < 20)
            return bad("is cut short", "export it again");
        std::memcpy(&version, text.data() + 4, 4);
        std::memcpy(&length, text.data() + 12, 4);
        if (version != 2)
            return bad(fmt::format("is glTF version {}, which is not supported", version), "export it as glTF 2.0");
        if (length > text.size() - 20)
            return bad("is cut short", "export it again");
        text = text.substr(20, length);
    }
    if (json::tooDeep(text))
        return bad(fmt::format("is nested deeper than {} lists and objects", json::kDeepest),
                   "it is no mesh that a program exported");
    const auto root = ordered_json::parse(text.begin(), text.end(), nullptr, false);
    if (!root.is_object())
        return bad("is not a readable glTF file", "check that it is whole; export it again");
    const auto stated = root.find("asset");
    if (stated == root.end() || !stated->is_object() || !stated->contains("version") ||
        !(*stated)["version"].is_string())
        return bad("is not glTF 2.0", "export it as glTF 2.0");
    const std::string extension = notUnderstood(root);
    if (!extension.empty() && (*stated)["version"].get<std::string>().starts_with("2."))
        return bad("needs the extension " + extension + ", which is not supported", "export it again without that");
    const auto done = json::decoded(path.string(), "export it again, as glTF 2.0", [&root] {
        checkTree(root);
        return true;
    });
    if (!done)
        return done.error();
    return {};
}

} // namespace thicket::detail
