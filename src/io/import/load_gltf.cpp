#include "io/import/load_gltf.h"

#include "base/file.h"
#include "io/import/gltf_check.h"
#include "io/import/packed_geometry.h"

#include <cstring>

namespace thicket::detail {
namespace {

/// Lets the loader see only files inside the folder of the one that is read.
struct Fence {
    std::filesystem::path folder;
    std::string refused; ///< the first reference that was not followed, and why
    static constexpr std::uintmax_t kMost = std::uintmax_t{8} << 30;

    [[nodiscard]] Result<std::filesystem::path> find(const std::string& joined) const {
        const std::string root = folder.string();
        return referencedFile(folder, joined.starts_with(root + "/") ? joined.substr(root.size() + 1) : joined, kMost);
    }
    static bool exists(const std::string& file, void* user) {
        auto& fence = *static_cast<Fence*>(user);
        const auto found = fence.find(file);
        if (!found && fence.refused.empty())
            fence.refused = found.error().where + " " + found.error().what;
        return found.has_value();
    }
    static bool read(std::vector<unsigned char>* out, std::string* error, const std::string& file, void* user) {
        const auto found = static_cast<Fence*>(user)->find(file);
        const auto data = found ? readFile(*found, kMost) : Result<std::vector<std::byte>>(found.error());
        if (!data || data->empty()) {
            if (error != nullptr)
                *error += data ? file + " is empty" : data.error().where + " " + data.error().what;
            return false;
        }
        const auto* bytes = reinterpret_cast<const unsigned char*>(data->data());
        out->assign(bytes, bytes + data->size());
        return true;
    }
    tinygltf::FsCallbacks callbacks() {
        return {&exists, [](const std::string& file, void*) { return file; }, &read,
                [](std::string*, const std::string&, const std::vector<unsigned char>&, void*) { return false; }, this};
    }
};

bool keepEncoded(tinygltf::Image* image, int, std::string*, std::string*, int, int, const unsigned char* bytes,
                 int size, void*) {
    image->image.assign(bytes, bytes + size);
    return true;
}

} // namespace

Result<LoadedGltf> loadGltf(const std::filesystem::path& path, std::span<const std::byte> data) {
    tinygltf::TinyGLTF loader;
    loader.SetImageLoader(keepEncoded, nullptr);
    LoadedGltf out;
    std::string error;
    std::string warning;
    const bool binary = data.size() >= 4 && std::memcmp(data.data(), "glTF", 4) == 0;
    if (auto fine = checkGltf(path, data, binary); !fine)
        return fine.error();
    const auto eased = withoutPackedCorners(data, binary);
    if (eased)
        data = *eased;
    const auto* bytes = reinterpret_cast<const unsigned char*>(data.data());
    const std::string folder = path.has_parent_path() ? path.parent_path().string() : ".";
    Fence fence{folder, {}};
    loader.SetFsCallbacks(fence.callbacks());
    const auto size = static_cast<unsigned int>(data.size());
    const bool read = binary ? loader.LoadBinaryFromMemory(&out.model, &error, &warning, bytes, size, folder)
                             : loader.LoadASCIIFromString(&out.model, &error, &warning,
                                                          reinterpret_cast<const char*>(bytes), size, folder);
    out.refused = fence.refused;
    if (!read) {
        std::string reason = error.substr(0, error.find('\n'));
        if (!fence.refused.empty())
            return Error{ErrorCode::BadInput, path.string(), "names a file that is not read: " + fence.refused,
                         "put what it names beside it, or export it as GLB"};
        return Error{ErrorCode::BadInput, path.string(),
                     "is not a readable glTF file" + (reason.empty() ? "" : " (" + reason + ")"),
                     "check that it is whole and that the files it names are beside it"};
    }
    return out;
}

std::vector<PlacedNode> placedNodes(const tinygltf::Model& model) {
    const auto nodeCount = static_cast<int>(model.nodes.size());
    std::vector<PlacedNode> out;
    std::vector<bool> seen(model.nodes.size(), false);
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
    std::vector<PlacedNode> stack;
    for (const int root : roots)
        stack.push_back({root, Eigen::Affine3d::Identity()});
    while (!stack.empty()) {
        const PlacedNode at = stack.back();
        stack.pop_back();
        if (at.node < 0 || at.node >= nodeCount || seen[static_cast<std::size_t>(at.node)])
            continue;
        seen[static_cast<std::size_t>(at.node)] = true;
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(at.node)];
        const Eigen::Affine3d world = at.transform * GltfReader::localOf(node);
        out.push_back({at.node, world});
        for (auto child = node.children.rbegin(); child != node.children.rend(); ++child)
            stack.push_back({*child, world});
    }
    return out;
}

} // namespace thicket::detail
