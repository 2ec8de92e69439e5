#include "base/file.h"
#include "base/memory.h"
#include "base/parallel.h"
#include "base/text.h"
#include "image/take_picture.h"
#include "io/import/gltf_reader.h"
#include "io/import/load_gltf.h"
#include "io/import/near_copy.h"
#include "io/import/packed_geometry.h"
#include "io/project/placements_file.h"

#include <algorithm>
#include <cstring>
#include <fmt/format.h>
#include <map>
#include <set>

namespace thicket::detail {
namespace {

constexpr const char* kLevelExtension = "MSFT_lod";
constexpr const char* kInstancingExtension = "EXT_mesh_gpu_instancing";
constexpr const char* kCoverageExtra = "MSFT_screencoverage";

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

/// Pictures are what their bytes say; what is no picture is left out, and said in `notes`.
void readSurfaces(tinygltf::Model& model, Surfaces& out, std::vector<std::string>& notes, const JobContext& job) {
    std::vector<Result<Image>> taken(model.images.size(), Image());
    parallelChunks(taken.size(), 1, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const auto bytes = std::as_bytes(std::span(model.images[i].image));
            taken[i] = takePicture(model.images[i].name, {bytes.begin(), bytes.end()});
            model.images[i].image = {};
        }
    });
    for (std::size_t i = 0; i < taken.size(); ++i) {
        Result<Image>& own = taken[i];
        const tinygltf::Image& image = model.images[i];
        if (!own) {
            notes.push_back(fmt::format("picture {}{} {} and was left out", out.images.size(),
                                        image.name.empty() ? "" : " (" + image.name + ")", own.error().what));
            own = Image{image.name, {}, {}};
        }
        out.images.push_back(std::move(*own));
    }
    const auto imageOf = [&](int texture) {
        if (texture < 0 || texture >= static_cast<int>(model.textures.size()))
            return -1;
        const tinygltf::Texture& of = model.textures[static_cast<std::size_t>(texture)];
        const auto there = [&out](int source) {
            return source >= 0 && source < static_cast<int>(out.images.size()) &&
                   !out.images[static_cast<std::size_t>(source)].encoded.empty();
        };
        if (there(of.source))
            return of.source;
        const auto webp = of.extensions.find("EXT_texture_webp");
        if (webp == of.extensions.end() || !webp->second.Has("source") || !webp->second.Get("source").IsInt())
            return -1;
        const int source = webp->second.Get("source").GetNumberAsInt();
        return there(source) ? source : -1;
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
        int slot = 0;
        for (const int set : {pbr.baseColorTexture.texCoord, pbr.metallicRoughnessTexture.texCoord,
                              m.normalTexture.texCoord, m.occlusionTexture.texCoord, m.emissiveTexture.texCoord})
            own.secondUv = static_cast<std::uint8_t>(own.secondUv | (set == 1 ? 1 : 0) << slot++);
        out.materials.push_back(own);
    }
}

/// A transform as a placement; empty where it shears, mirrors or stretches unevenly, or has no size.
std::optional<Placement> placementOf(const Eigen::Affine3d& t) {
    const Eigen::Matrix3d m = t.linear();
    const double scale = std::cbrt(m.determinant());
    if (!(scale >= 1e-6) || !(scale <= 1e6) || !t.translation().allFinite())
        return std::nullopt;
    const Eigen::Matrix3d turn = m / scale;
    constexpr double kSame = 1e-4;
    if ((turn * turn.transpose() - Eigen::Matrix3d::Identity()).cwiseAbs().maxCoeff() > kSame)
        return std::nullopt;
    Placement p;
    p.position = t.translation();
    p.rotation = Quatd(turn).normalized();
    p.scale = scale;
    return p;
}

using Copies = std::map<int, std::vector<std::pair<int, Placement>>>;

/// Meshes that stand in more places than are baked into one: mesh to nodes and where they stand.
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

/// Where a node's instances stand in the world, when it has the extension. Those that are stretched are left out.
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

/// What all placed nodes would take, before any of it is made.
Result<void> checkSize(const tinygltf::Model& model, const std::vector<PlacedNode>& placed, const Copies& copies,
                       const std::filesystem::path& path) {
    constexpr double kBytesEach = 160; // of a vertex with all it carries and the triangles round it
    std::size_t held = 0;              // what claims more than the file holds is said where it is read
    for (const tinygltf::Buffer& buffer : model.buffers)
        held += buffer.data.size();
    std::map<int, double> cost;
    double bytes = 0;
    for (const PlacedNode& p : placed) {
        const int index = model.nodes[static_cast<std::size_t>(p.node)].mesh;
        if (copies.contains(index) || index >= static_cast<int>(model.meshes.size()))
            continue;
        auto [at, fresh] = cost.try_emplace(index, 0.0);
        if (fresh)
            for (const tinygltf::Primitive& primitive : model.meshes[static_cast<std::size_t>(index)].primitives)
                if (const auto position = primitive.attributes.find("POSITION");
                    position != primitive.attributes.end() && position->second >= 0 &&
                    position->second < static_cast<int>(model.accessors.size()))
                    at->second +=
                        kBytesEach * static_cast<double>(std::min(
                                         held, model.accessors[static_cast<std::size_t>(position->second)].count));
        bytes += at->second;
    }
    auto fits = checkMemory(bytes, availableMemory(), "what its nodes place");
    if (fits)
        return {};
    Error error = fits.error();
    error.where = path.string();
    return error;
}

} // namespace

Result<std::vector<ImportedSubject>> readGltf(const std::filesystem::path& path, std::span<const std::byte> data,
                                              const JobContext& job) {
    auto loaded = loadGltf(path, data);
    if (!loaded)
        return loaded.error();
    if (auto unpacked = unpackGeometry(loaded->model, path, job); !unpacked)
        return unpacked.error();
    tinygltf::Model& model = loaded->model;
    if (job.cancelled())
        return cancelledError();
    const GltfReader reader{model, path.string()};
    const auto nodeCount = static_cast<int>(model.nodes.size());

    std::vector<PlacedNode> placed;
    std::map<int, Eigen::Affine3d> transformOf;
    std::map<int, std::vector<int>> levelsOf; // node -> the nodes of its coarser levels
    for (const PlacedNode& at : placedNodes(model)) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(at.node)];
        transformOf[at.node] = at.transform;
        if (node.mesh >= 0)
            placed.push_back(at);
        if (const auto lod = node.extensions.find(kLevelExtension);
            lod != node.extensions.end() && lod->second.Has("ids")) {
            const auto& ids = lod->second.Get("ids");
            for (std::size_t i = 0; ids.IsArray() && i < ids.ArrayLen(); ++i)
                if (const int id = ids.Get(static_cast<int>(i)).GetNumberAsInt(); id >= 0 && id < nodeCount)
                    levelsOf[at.node].push_back(id);
        }
    }

    // Far from the origin floats are coarse (1 m at 10,000 km), so what was placed there is brought near it.
    Vec3d shift(0, 0, 0);
    if (!placed.empty() && placed.front().transform.translation().norm() > kFarFromOrigin)
        shift = placed.front().transform.translation().array().round();
    for (PlacedNode& p : placed)
        p.transform.pretranslate(-shift);
    for (auto& [node, transform] : transformOf)
        transform.pretranslate(-shift);

    Surfaces surfaces;
    std::vector<std::string> notes;
    if (!loaded->refused.empty())
        notes.push_back("a picture was left out: " + loaded->refused);
    readSurfaces(model, surfaces, notes, job);
    if (job.cancelled())
        return cancelledError();
    std::vector<ImportedSubject> subjects;
    int lines = 0; // primitives that are none of a mesh
    const auto meshInto = [&](int nodeIndex, const Eigen::Affine3d& world, GltfRig& rig,
                              Gathering& to) -> Result<void> {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(nodeIndex)];
        if (node.mesh >= static_cast<int>(model.meshes.size()))
            return reader.bad("a node names a mesh that does not exist");
        if (node.mesh < 0)
            return {};
        const tinygltf::Mesh& mesh = model.meshes[static_cast<std::size_t>(node.mesh)];
        const auto joints = rig.use(nodeIndex);
        if (!joints)
            return joints.error();
        // A skinned mesh stands where its joints put it, whatever its own node says.
        const Eigen::Affine3d place = joints->count > 0 ? Eigen::Affine3d::Identity() : world;
        const std::size_t before = to.mesh.indices.size();
        for (const tinygltf::Primitive& primitive : mesh.primitives)
            lines += primitive.mode == TINYGLTF_MODE_LINE || primitive.mode == TINYGLTF_MODE_LINE_LOOP ||
                             primitive.mode == TINYGLTF_MODE_LINE_STRIP
                         ? 1
                         : 0;
        for (const tinygltf::Primitive& primitive : mesh.primitives)
            if (auto done =
                    reader.append(primitive, GltfRig::morphNames(mesh), *joints, place, to.mesh, to.materialOfTriangle);
                !done)
                return done;
        if (to.mesh.indices.size() == before)
            notes.push_back(fmt::format("mesh {}{} holds no triangles and was left out", node.mesh,
                                        mesh.name.empty() ? "" : " (" + mesh.name + ")"));
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
        GltfRig rig;
        int mesh = -1; // of one that stands in many places
        Placements placed;
    };
    std::vector<Family> families;
    const auto family = [&](const std::string& name) -> Family& {
        for (Family& f : families)
            if (f.name == name)
                return f;
        families.push_back({name, {}, {}, GltfRig(reader), -1, {}});
        return families.back();
    };
    std::set<int> used;
    for (const auto& [node, levels] : levelsOf) {
        Family& f = family(splitLevelName(nameOf(node)).base);
        const tinygltf::Node& first = model.nodes[static_cast<std::size_t>(node)];
        auto instances = instancesOf(reader, first, transformOf[node], notes);
        if (!instances)
            return instances.error();
        const bool instanced = !instances->empty();
        f.placed.insert(f.placed.end(), instances->begin(), instances->end());
        used.insert(node);
        if (instanced && f.mesh == first.mesh) { // another block of the same thing
            used.insert(levels.begin(), levels.end());
            continue;
        }
        f.mesh = instanced ? first.mesh : f.mesh;
        if (auto done = meshInto(node, instanced ? Eigen::Affine3d::Identity() : transformOf[node], f.rig, f.levels[0]);
            !done)
            return done.error();
        for (std::size_t i = 0; i < levels.size(); ++i) {
            // A level's node replaces the first in the same place, so it stands where the first's parent puts it.
            const Eigen::Affine3d parent = transformOf[node] * GltfReader::localOf(first).inverse(Eigen::Affine);
            const tinygltf::Node& own = model.nodes[static_cast<std::size_t>(levels[i])];
            if (auto done =
                    meshInto(levels[i], instanced ? Eigen::Affine3d::Identity() : parent * GltfReader::localOf(own),
                             f.rig, f.levels[static_cast<int>(i) + 1]);
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
    // Nodes with instances and one level: their meshes are subjects of their own too.
    Copies instanced;
    for (const PlacedNode& p : placed) {
        const tinygltf::Node& node = model.nodes[static_cast<std::size_t>(p.node)];
        if (used.contains(p.node) || !node.extensions.contains(kInstancingExtension))
            continue;
        const auto instances = instancesOf(reader, node, p.transform, notes);
        if (!instances)
            return instances.error();
        for (const Placement& copy : *instances)
            instanced[node.mesh].emplace_back(p.node, copy);
        used.insert(p.node);
    }
    auto copies = copiesOf(model, placed, used);
    for (auto& [mesh, places] : instanced)
        copies[mesh].insert(copies[mesh].end(), places.begin(), places.end());
    if (auto fits = checkSize(model, placed, copies, path); !fits)
        return fits.error();
    for (const auto& [mesh, places] : copies) {
        std::string name = nameOf(places.front().first);
        for (int n = 2; std::any_of(families.begin(), families.end(), [&](const Family& f) { return f.name == name; });)
            name = fmt::format("{} {}", nameOf(places.front().first), n++);
        families.push_back({name, {}, {}, GltfRig(reader), mesh, {}});
        Family& f = families.back();
        if (auto done = meshInto(places.front().first, Eigen::Affine3d::Identity(), f.rig, f.levels[0]); !done)
            return done.error();
        for (const auto& [node, placement] : places) {
            used.insert(node);
            f.placed.push_back(placement);
        }
    }
    std::map<std::string, std::set<int>> numbers; // which level numbers each base name has
    for (const PlacedNode& p : placed)
        if (const LevelName split = splitLevelName(nameOf(p.node)); split.level >= 0 && !used.contains(p.node))
            numbers[split.base].insert(split.level);
    const std::string stem = splitLevelName(path.stem().string()).base;
    for (const PlacedNode& p : placed) {
        if (used.contains(p.node))
            continue;
        const LevelName split = splitLevelName(nameOf(p.node));
        const bool level = split.level >= 0 && numbers[split.base].size() > 1;
        Family& f = family(level ? split.base : stem);
        if (auto done = meshInto(p.node, p.transform, f.rig, f.levels[level ? split.level : 0]); !done)
            return done.error();
        if (job.cancelled())
            return cancelledError();
    }
    for (Family& f : families) {
        ImportedSubject subject;
        subject.name = f.name.empty() ? stem : f.name;
        subject.source.family = families.size() > 1 ? subject.name : "";
        subject.screenCoverages = f.coverages;
        subject.placed = f.placed;
        if (f.placed.size() > kMostPlacements)
            return Error{ErrorCode::TooLarge, path.string(),
                         fmt::format("places one mesh {} times, more than {}", f.placed.size(), kMostPlacements),
                         "divide it into several files"};
        if (!f.placed.empty())
            subject.notes.push_back(
                fmt::format("it stands {} times in the file and keeps its places", f.placed.size()));
        for (auto& [number, gathering] : f.levels) {
            if (gathering.mesh.indices.empty())
                continue;
            subject.levels.push_back({fmt::format("{}_LOD{}", subject.name, number), number, gathering.finish()});
        }
        if (subject.levels.empty())
            continue;
        subject.surfaces = surfaces;
        subject.notes.insert(subject.notes.end(), notes.begin(), notes.end());
        if (lines > 0 && subjects.empty())
            subject.notes.push_back(kLinesNote);
        if (shift.squaredNorm() > 0)
            subject.notes.push_back(movedNote(-shift));
        auto rig = f.rig.finish();
        if (!rig)
            return rig.error();
        subject.rig = std::move(*rig);
        subjects.push_back(std::move(subject));
    }
    if (subjects.empty())
        return reader.bad("holds no triangles", "choose a file with a triangle mesh");
    return subjects;
}

} // namespace thicket::detail
