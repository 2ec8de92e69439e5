#include "base/memory.h"
#include "io/import/gltf_instances.h"
#include "io/import/gltf_surfaces.h"
#include "io/import/load_gltf.h"
#include "io/import/near_copy.h"
#include "io/import/packed_geometry.h"
#include "io/import/take_apart.h"
#include "io/project/placements_file.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

namespace thicket::detail {
namespace {

constexpr const char* kLevelExtension = "MSFT_lod";
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

/// Subjects in the making: what is one, and which of its levels which nodes make.
class GltfSubjects {
public:
    GltfSubjects(const GltfReader& reader, std::filesystem::path path, Meshes how, const JobContext& job)
        : m_reader(reader), m_path(std::move(path)), m_how(how), m_job(job), m_motion(reader),
          m_stem(splitLevelName(m_path.stem().string()).base) {
        for (const PlacedNode& at : placedNodes(reader.model)) {
            m_transformOf[at.node] = at.transform;
            if (nodeAt(at.node).mesh >= 0)
                m_placed.push_back(at);
        }
        bringNear();
    }

    std::vector<std::string> notes;

    Result<std::vector<ImportedSubject>> read(const std::shared_ptr<const Surfaces>& surfaces) {
        if (auto done = takeLevelExtension(); !done)
            return done.error();
        if (auto done = takeCopies(); !done)
            return done.error();
        if (auto done = takeRest(); !done)
            return done.error();
        return finish(surfaces);
    }

private:
    struct Family {
        std::string name; ///< what projects find it by
        std::string shown;
        std::map<int, Gathering> levels; // by level number
        std::vector<double> coverages;
        GltfRig rig;
        int mesh = -1; // of one that stands in many places
        Placements placed;
        std::uint32_t things = 1; // that it could be taken apart into
        bool ofWhole = false;
    };

    [[nodiscard]] const tinygltf::Node& nodeAt(int node) const {
        return m_reader.model.nodes[static_cast<std::size_t>(node)];
    }
    [[nodiscard]] std::string nameOf(int index) const {
        const tinygltf::Node& node = nodeAt(index);
        if (!node.name.empty() || node.mesh < 0 || node.mesh >= static_cast<int>(m_reader.model.meshes.size()))
            return node.name;
        return m_reader.model.meshes[static_cast<std::size_t>(node.mesh)].name;
    }

    Family& family(const std::string& name) {
        const auto [at, fresh] = m_familyOf.try_emplace(name, m_families.size());
        if (fresh)
            m_families.push_back({name, name, {}, {}, GltfRig(m_reader, m_motion), -1, {}});
        return m_families[at->second];
    }
    /// One whose name no other has.
    Family& newFamily(const std::string& name, const std::string& shown) {
        std::string free = name;
        for (int n = 2; m_familyOf.contains(free); ++n)
            free = fmt::format("{} {}", name, n);
        Family& made = family(free);
        made.shown = shown;
        return made;
    }

    /// Far from the origin floats are coarse (1 m at 10,000 km), so what was placed there is brought near it.
    void bringNear() {
        if (!m_placed.empty() && m_placed.front().transform.translation().norm() > kFarFromOrigin)
            m_shift = m_placed.front().transform.translation().array().round();
        if (m_shift.squaredNorm() > 0)
            m_motion.stand(); // what moves would move where it was
        for (PlacedNode& p : m_placed)
            p.transform.pretranslate(-m_shift);
        for (auto& [node, transform] : m_transformOf)
            transform.pretranslate(-m_shift);
    }

    /// Adds a node's mesh to a level. `place`: what its points are brought to. `carrier`: the node that it goes along with
    /// where that moves; -1: none, and it stands still.
    Result<void> add(int index, const Eigen::Affine3d& place, int carrier, Family& family, int level) {
        if (m_job.cancelled())
            return cancelledError();
        const tinygltf::Node& node = nodeAt(index);
        if (node.mesh >= static_cast<int>(m_reader.model.meshes.size()))
            return m_reader.bad("a node names a mesh that does not exist");
        if (node.mesh < 0)
            return {};
        const tinygltf::Mesh& mesh = m_reader.model.meshes[static_cast<std::size_t>(node.mesh)];
        const auto rest = m_transformOf.find(carrier);
        const auto joints = family.rig.use(index, rest != m_transformOf.end() ? carrier : -1,
                                           rest != m_transformOf.end() ? rest->second : Eigen::Affine3d::Identity());
        if (!joints)
            return joints.error();
        // A skinned mesh stands where its joints put it, whatever its own node says.
        const Eigen::Affine3d own = node.skin >= 0 && joints->count > 0 ? Eigen::Affine3d::Identity() : place;
        Gathering& to = family.levels[level];
        const std::size_t before = to.mesh.indices.size();
        for (const tinygltf::Primitive& primitive : mesh.primitives) {
            if (primitive.mode == TINYGLTF_MODE_LINE || primitive.mode == TINYGLTF_MODE_LINE_LOOP ||
                primitive.mode == TINYGLTF_MODE_LINE_STRIP)
                m_lines = true;
            if (auto done =
                    m_reader.append(primitive, GltfRig::morphNames(mesh), *joints, own, to.mesh, to.materialOfTriangle);
                !done)
                return done;
        }
        if (to.mesh.indices.size() == before)
            notes.push_back(fmt::format("mesh {}{} holds no triangles and was left out", node.mesh,
                                        mesh.name.empty() ? "" : " (" + mesh.name + ")"));
        return {};
    }

    /// The nodes of a node's coarser levels, by the level-of-detail extension.
    [[nodiscard]] std::vector<int> levelsBelow(const tinygltf::Node& node) const {
        std::vector<int> out;
        const auto lod = node.extensions.find(kLevelExtension);
        if (lod == node.extensions.end() || !lod->second.Has("ids"))
            return out;
        const auto& ids = lod->second.Get("ids");
        const auto count = static_cast<int>(m_reader.model.nodes.size());
        for (std::size_t i = 0; ids.IsArray() && i < ids.ArrayLen(); ++i)
            if (const int id = ids.Get(static_cast<int>(i)).GetNumberAsInt(); id >= 0 && id < count)
                out.push_back(id);
        return out;
    }

    Result<void> takeLevelExtension() {
        for (const auto& [node, transform] : m_transformOf) {
            const tinygltf::Node& first = nodeAt(node);
            const std::vector<int> levels = levelsBelow(first);
            if (levels.empty())
                continue;
            Family& f = family(splitLevelName(nameOf(node)).base);
            auto instances = instancesOf(m_reader, first, transform, notes);
            if (!instances)
                return instances.error();
            const bool instanced = !instances->empty();
            f.placed.insert(f.placed.end(), instances->begin(), instances->end());
            m_used.insert(node);
            m_used.insert(levels.begin(), levels.end());
            if (instanced && f.mesh == first.mesh) // another block of the same thing
                continue;
            f.mesh = instanced ? first.mesh : f.mesh;
            const int carrier = instanced ? -1 : node;
            if (auto done = add(node, instanced ? Eigen::Affine3d::Identity() : transform, carrier, f, 0); !done)
                return done;
            // A level's node replaces the first in the same place, so it stands where the first's parent puts it.
            const Eigen::Affine3d parent = transform * GltfReader::localOf(first).inverse(Eigen::Affine);
            for (std::size_t i = 0; i < levels.size(); ++i) {
                const Eigen::Affine3d place =
                    instanced ? Eigen::Affine3d::Identity() : parent * GltfReader::localOf(nodeAt(levels[i]));
                if (auto done = add(levels[i], place, carrier, f, static_cast<int>(i) + 1); !done)
                    return done;
            }
            if (first.extras.Has(kCoverageExtra)) {
                const auto& list = first.extras.Get(kCoverageExtra);
                for (std::size_t i = 0; list.IsArray() && i < list.ArrayLen(); ++i)
                    f.coverages.push_back(list.Get(static_cast<int>(i)).GetNumberAsDouble());
            }
        }
        return {};
    }

    /// Nodes with instances and one level, and what stands in many places: their meshes are subjects of their own.
    Result<void> takeCopies() {
        Copies instanced;
        for (const PlacedNode& p : m_placed) {
            const tinygltf::Node& node = nodeAt(p.node);
            if (m_used.contains(p.node) || !node.extensions.contains(kInstancingExtension))
                continue;
            const auto instances = instancesOf(m_reader, node, p.transform, notes);
            if (!instances)
                return instances.error();
            for (const Placement& copy : *instances)
                instanced[node.mesh].emplace_back(p.node, copy);
            m_used.insert(p.node);
        }
        Copies copies = m_how == Meshes::Together ? copiesOf(m_reader.model, m_placed, m_used) : Copies();
        for (auto& [mesh, places] : instanced)
            copies[mesh].insert(copies[mesh].end(), places.begin(), places.end());
        for (const auto& [mesh, places] : copies) {
            std::vector<std::string> names;
            std::set<int> nodes;
            for (const auto& [node, placement] : places)
                if (nodes.insert(node).second)
                    names.push_back(nameOf(node));
            Family& f = newFamily(nameOf(places.front().first), commonName(names));
            f.mesh = mesh;
            if (auto done = add(places.front().first, Eigen::Affine3d::Identity(), -1, f, 0); !done)
                return done;
            for (const auto& [node, placement] : places)
                f.placed.push_back(placement);
            if (std::any_of(nodes.begin(), nodes.end(), [this](int node) { return m_motion.moves(node); }))
                notes.push_back(fmt::format("copies of {} move in the file and stand still here", f.shown));
            m_used.insert(nodes.begin(), nodes.end());
        }
        return {};
    }

    /// About what a mesh takes once it is read, bytes.
    [[nodiscard]] double costOf(int mesh) {
        const tinygltf::Model& model = m_reader.model;
        if (mesh < 0 || mesh >= static_cast<int>(model.meshes.size()))
            return 0;
        const auto [at, fresh] = m_cost.try_emplace(mesh, 0.0);
        if (!fresh)
            return at->second;
        constexpr double kBytesEach = 160; // of a vertex with all it carries and the triangles round it
        std::size_t held = 0;              // what claims more than the file holds is said where it is read
        for (const tinygltf::Buffer& buffer : model.buffers)
            held += buffer.data.size();
        for (const tinygltf::Primitive& primitive : model.meshes[static_cast<std::size_t>(mesh)].primitives)
            if (const auto position = primitive.attributes.find("POSITION");
                position != primitive.attributes.end() && position->second >= 0 &&
                position->second < static_cast<int>(model.accessors.size()))
                at->second +=
                    kBytesEach * static_cast<double>(
                                     std::min(held, model.accessors[static_cast<std::size_t>(position->second)].count));
        return at->second;
    }

    /// Whether what these nodes place fits in memory, before any of it is made.
    [[nodiscard]] Result<void> checkFits(const std::vector<int>& nodes) {
        double bytes = 0;
        for (const int node : nodes)
            bytes += costOf(nodeAt(node).mesh);
        auto fits = checkMemory(bytes, availableMemory(), "what its nodes place");
        if (fits)
            return {};
        Error error = fits.error();
        error.where = m_path.string();
        return error;
    }

    /// What names say to be levels, and all that is left.
    Result<void> takeRest() {
        std::map<std::string, std::set<int>> numbers; // which level numbers each base name has
        for (const PlacedNode& p : m_placed)
            if (const LevelName split = splitLevelName(nameOf(p.node)); split.level >= 0 && !m_used.contains(p.node))
                numbers[split.base].insert(split.level);
        std::vector<const PlacedNode*> levels;
        std::vector<const PlacedNode*> left;
        for (const PlacedNode& p : m_placed) {
            if (m_used.contains(p.node))
                continue;
            const LevelName split = splitLevelName(nameOf(p.node));
            (split.level >= 0 && numbers[split.base].size() > 1 ? levels : left).push_back(&p);
        }
        if (m_how == Meshes::Apart) // in the order of the file, which the walk does not keep
            std::sort(left.begin(), left.end(), [](const auto* a, const auto* b) { return a->node < b->node; });
        std::vector<StandingMesh> standing;
        const MovingObjects objects = movingObjects();
        for (const PlacedNode* p : left)
            standing.push_back({nameOf(p->node), {nodeAt(p->node).mesh}, objectOf(objects, p->node), p->transform});
        const std::vector<Thing> things = takeApart(standing, m_stem);

        std::vector<int> nodes;
        for (const PlacedNode* p : levels)
            nodes.push_back(p->node);
        if (m_how == Meshes::Together)
            for (const PlacedNode* p : left)
                nodes.push_back(p->node);
        else
            for (const Thing& thing : things)
                for (const std::size_t member : thing.members)
                    nodes.push_back(left[member]->node);
        if (auto fits = checkFits(nodes); !fits)
            return fits;

        for (const PlacedNode* p : levels) {
            const LevelName split = splitLevelName(nameOf(p->node));
            if (auto done = add(p->node, p->transform, p->node, family(split.base), split.level); !done)
                return done;
        }
        return m_how == Meshes::Together ? takeTogether(left, things.size()) : takeThings(left, things);
    }

    Result<void> takeTogether(const std::vector<const PlacedNode*>& left, std::size_t things) {
        if (left.empty())
            return {};
        Family& whole = family(m_stem);
        whole.things = static_cast<std::uint32_t>(things);
        for (const PlacedNode* p : left) {
            if (auto done = add(p->node, p->transform, p->node, whole, 0); !done)
                return done;
        }
        return {};
    }

    Result<void> takeThings(const std::vector<const PlacedNode*>& left, const std::vector<Thing>& things) {
        std::set<int> copies; // of meshes that are subjects of their own in either case
        for (const auto& [mesh, places] : copiesOf(m_reader.model, m_placed, m_used))
            for (const auto& [node, placement] : places)
                copies.insert(node);
        for (const Thing& thing : things) {
            Family& f = newFamily(thing.name, thing.name);
            f.placed = thing.placed;
            f.ofWhole = !copies.contains(left[thing.members.front()]->node);
            for (const std::size_t member : thing.members) {
                const PlacedNode& p = *left[member];
                if (auto done = add(p.node, thing.own.value_or(p.transform), thing.own ? -1 : p.node, f, 0); !done)
                    return done;
            }
        }
        return {};
    }

    [[nodiscard]] MovingObjects movingObjects() const {
        const tinygltf::Model& model = m_reader.model;
        std::vector<bool> moves;
        for (std::size_t n = 0; n < model.nodes.size(); ++n)
            moves.push_back(m_motion.animates(static_cast<int>(n)));
        for (const tinygltf::Skin& skin : model.skins)
            for (const int joint : skin.joints)
                if (joint >= 0 && joint < static_cast<int>(moves.size()))
                    moves[static_cast<std::size_t>(joint)] = true;
        return {m_motion.parents(), moves};
    }
    /// Which moving object a node belongs to: that of its first joint, where it has a skin.
    [[nodiscard]] int objectOf(const MovingObjects& objects, int node) const {
        const int skin = nodeAt(node).skin;
        const auto& skins = m_reader.model.skins;
        if (skin < 0 || skin >= static_cast<int>(skins.size()))
            return objects.of(node);
        const auto& joints = skins[static_cast<std::size_t>(skin)].joints;
        const bool sound =
            !joints.empty() && joints.front() >= 0 && joints.front() < static_cast<int>(m_reader.model.nodes.size());
        return sound ? objects.of(joints.front()) : -1;
    }

    Result<std::vector<ImportedSubject>> finish(const std::shared_ptr<const Surfaces>& surfaces) {
        std::vector<ImportedSubject> subjects;
        const bool places =
            std::any_of(m_families.begin(), m_families.end(), [](const Family& f) { return !f.placed.empty(); });
        FreeNames names;
        for (Family& f : m_families) {
            ImportedSubject subject;
            subject.name = names.take(f.shown.empty() ? m_stem : f.shown);
            subject.source.family = m_families.size() > 1 ? (f.name.empty() ? m_stem : f.name) : "";
            subject.source.things = f.things;
            subject.ofWhole = f.ofWhole;
            subject.screenCoverages = f.coverages;
            if (f.placed.size() > kMostPlacements)
                return Error{ErrorCode::TooLarge, m_path.string(),
                             fmt::format("places one mesh {} times, more than {}", f.placed.size(), kMostPlacements),
                             "divide it into several files"};
            if (f.placed.size() > 1)
                subject.notes.push_back(
                    fmt::format("it stands {} times in the file and keeps its places", f.placed.size()));
            if (places && f.placed.empty()) // the others stand where they stood beside it
                f.placed.emplace_back();
            subject.placed = std::move(f.placed);
            for (auto& [number, gathering] : f.levels)
                f.rig.hang(gathering.mesh.extras);
            auto rig = f.rig.finish();
            if (!rig)
                return rig.error();
            for (auto& [number, gathering] : f.levels) {
                if (gathering.mesh.indices.empty())
                    continue;
                subject.levels.push_back({fmt::format("{}_LOD{}", subject.name, number), number, gathering.finish()});
            }
            if (subject.levels.empty())
                continue;
            subject.rig = std::move(*rig);
            subject.surfaces = surfaces;
            if (m_how == Meshes::Together || subjects.empty())
                subject.notes.insert(subject.notes.end(), notes.begin(), notes.end());
            if (m_lines && subjects.empty())
                subject.notes.emplace_back(kLinesNote);
            if (m_shift.squaredNorm() > 0)
                subject.notes.push_back(movedNote(-m_shift));
            subjects.push_back(std::move(subject));
        }
        if (subjects.empty())
            return m_reader.bad("holds no triangles", "choose a file with a triangle mesh");
        return subjects;
    }

    const GltfReader& m_reader;
    std::filesystem::path m_path;
    Meshes m_how;
    const JobContext& m_job;
    GltfMotion m_motion;
    std::string m_stem;
    std::vector<PlacedNode> m_placed; ///< that have a mesh
    std::map<int, Eigen::Affine3d> m_transformOf;
    Vec3d m_shift{0, 0, 0};
    std::vector<Family> m_families;
    std::map<std::string, std::size_t> m_familyOf; ///< by name
    std::map<int, double> m_cost;                  ///< of meshes
    std::set<int> m_used;
    bool m_lines = false; ///< some primitives are none of a mesh
};

} // namespace

Result<std::vector<ImportedSubject>> readGltf(const std::filesystem::path& path, std::span<const std::byte> data,
                                              Meshes how, const JobContext& job) {
    auto loaded = loadGltf(path, data);
    if (!loaded)
        return loaded.error();
    if (auto unpacked = unpackGeometry(loaded->model, path, job); !unpacked)
        return unpacked.error();
    if (job.cancelled())
        return cancelledError();
    const GltfReader reader{loaded->model, path.string()};
    GltfSubjects subjects(reader, path, how, job);
    if (!loaded->refused.empty())
        subjects.notes.push_back("a picture was left out: " + loaded->refused);
    const auto surfaces = readSurfaces(loaded->model, subjects.notes, job);
    if (job.cancelled())
        return cancelledError();
    return subjects.read(surfaces);
}

} // namespace thicket::detail
