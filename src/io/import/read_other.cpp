#include "base/file.h"
#include "io/import/import.h"
#include "io/import/near_copy.h"
#include "io/import/other_claims.h"
#include "io/import/other_rig.h"
#include "io/import/other_surfaces.h"
#include "io/import/take_apart.h"

#include <algorithm>
#include <assimp/DefaultIOSystem.h>
#include <assimp/Importer.hpp>
#include <assimp/MemoryIOWrapper.h>
#include <assimp/ProgressHandler.hpp>
#include <assimp/config.h>
#include <assimp/metadata.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <map>
#include <sstream>

namespace thicket::detail {
namespace fs = std::filesystem;
namespace {

class Progress : public Assimp::ProgressHandler {
public:
    explicit Progress(const JobContext& job) : m_job(job) {}
    bool Update(float fraction) override {
        m_job.report(std::clamp(static_cast<double>(fraction), 0.0, 1.0), "reading");
        return !m_job.cancelled();
    }

private:
    const JobContext& m_job;
};

constexpr std::uintmax_t kMostBeside = std::uintmax_t{2} << 30;

/// The file that is read and what stands in its folder, and nothing else. `data`, when given, stands in for the contents
/// of the file that is read.
class Fenced : public Assimp::DefaultIOSystem {
public:
    Fenced(fs::path path, const std::string* data) : m_path(std::move(path)), m_data(data) {}
    bool Exists(const char* file) const override { return m_path == file || allowed(file); }
    Assimp::IOStream* Open(const char* file, const char* mode) override {
        if (std::strchr(mode, 'w') != nullptr || std::strchr(mode, 'a') != nullptr)
            return nullptr;
        if (m_path != file)
            return allowed(file) ? DefaultIOSystem::Open(file, mode) : nullptr;
        if (m_data != nullptr)
            return new Assimp::MemoryIOStream(reinterpret_cast<const std::uint8_t*>(m_data->data()), m_data->size());
        return DefaultIOSystem::Open(file, mode);
    }

private:
    [[nodiscard]] bool allowed(const fs::path& file) const {
        const fs::path folder = m_path.parent_path().empty() ? fs::path(".") : m_path.parent_path();
        std::error_code ec;
        const fs::path inside =
            fs::absolute(file, ec).lexically_normal().lexically_relative(fs::absolute(folder, ec).lexically_normal());
        return !inside.empty() && referencedFile(folder, inside.string(), kMostBeside).has_value();
    }
    fs::path m_path;
    const std::string* m_data;
};

/// What a length of 1 in the file is, metres, where it says so in words of its own; the import library brings other formats
/// to metres. Only FBX does not.
double metresPerUnit(const aiScene& scene, const std::string& suffix) {
    if (suffix != ".fbx" || scene.mMetaData == nullptr)
        return 1;
    double centimetres = 0;
    float inFloats = 0;
    if (!scene.mMetaData->Get("UnitScaleFactor", centimetres) && scene.mMetaData->Get("UnitScaleFactor", inFloats))
        centimetres = static_cast<double>(inFloats);
    return centimetres >= 1e-3 && centimetres <= 1e6 ? centimetres / 100 : 1;
}

std::string unitNote(double metres) {
    for (const LengthUnit& unit : kLengthUnits)
        if (std::abs(unit.metres / metres - 1) < 1e-6)
            return fmt::format("it is made in {}, as it says", unit.name);
    return fmt::format("its lengths are in units of {:.6g} m, as it says", metres);
}

bool morphs(const aiScene& scene) {
    return std::any_of(scene.mMeshes, scene.mMeshes + scene.mNumMeshes,
                       [](const aiMesh* m) { return m->mNumAnimMeshes > 0; });
}

struct Piece {
    std::string name;
    const aiMesh* mesh;
    aiMatrix4x4 transform;
    const aiNode* node;
};

void collect(const aiScene& scene, const aiNode& node, const aiMatrix4x4& parent, std::vector<Piece>& pieces) {
    const aiMatrix4x4 world = parent * node.mTransformation;
    for (unsigned i = 0; i < node.mNumMeshes; ++i) {
        const aiMesh* mesh = scene.mMeshes[node.mMeshes[i]];
        std::string name = node.mName.C_Str();
        if (splitLevelName(name).level < 0 && splitLevelName(mesh->mName.C_Str()).level >= 0)
            name = mesh->mName.C_Str();
        pieces.push_back({name, mesh, world, &node});
    }
    for (unsigned i = 0; i < node.mNumChildren; ++i)
        collect(scene, *node.mChildren[i], world, pieces);
}

/// What moves in a file, by the numbers of its nodes.
class Moving {
public:
    explicit Moving(const OtherMotion& motion) : m_motion(motion) {
        std::vector<int> parents;
        number(*motion.scene().mRootNode, -1, parents);
        std::vector<bool> moves(parents.size(), false);
        for (const auto& [node, index] : m_number)
            moves[static_cast<std::size_t>(index)] = motion.animates(*node);
        for (unsigned m = 0; m < motion.scene().mNumMeshes; ++m)
            for (unsigned b = 0; b < motion.scene().mMeshes[m]->mNumBones; ++b)
                if (const aiNode* bone = motion.find(motion.scene().mMeshes[m]->mBones[b]->mName.C_Str());
                    bone != nullptr)
                    moves[static_cast<std::size_t>(m_number.at(bone))] = true;
        m_objects.emplace(std::move(parents), std::move(moves));
    }
    /// Which object something belongs to: that of its first bone, where it bends; -1 where it stands still.
    [[nodiscard]] int objectOf(const aiNode& node, const aiMesh& mesh) const {
        const aiNode* bone = mesh.HasBones() ? m_motion.find(mesh.mBones[0]->mName.C_Str()) : nullptr;
        return m_objects->of(m_number.at(bone != nullptr ? bone : &node));
    }

private:
    void number(const aiNode& node, int parent, std::vector<int>& parents) {
        const auto own = static_cast<int>(parents.size());
        m_number.emplace(&node, own);
        parents.push_back(parent);
        for (unsigned i = 0; i < node.mNumChildren; ++i)
            number(*node.mChildren[i], own, parents);
    }

    const OtherMotion& m_motion;
    std::map<const aiNode*, int> m_number;
    std::optional<MovingObjects> m_objects;
};

Eigen::Affine3d affineOf(const aiMatrix4x4& m) {
    Eigen::Affine3d out = Eigen::Affine3d::Identity();
    for (Eigen::Index row = 0; row < 3; ++row)
        for (Eigen::Index column = 0; column < 4; ++column)
            out(row, column) = m[static_cast<unsigned>(row)][static_cast<unsigned>(column)];
    return out;
}
aiMatrix4x4 matrixOf(const Eigen::Affine3d& a) {
    aiMatrix4x4 out;
    for (Eigen::Index row = 0; row < 3; ++row)
        for (Eigen::Index column = 0; column < 4; ++column)
            out[static_cast<unsigned>(row)][static_cast<unsigned>(column)] = static_cast<float>(a(row, column));
    return out;
}

/// A subject in the making: its levels' pieces by their numbers.
struct Family {
    std::map<int, std::vector<Piece>> levels;
    Placements placed;
    std::uint32_t things = 1;
    bool ofWhole = false;
};
using Families = std::map<std::string, Family>;

/// What its names do not say to be levels of something.
class Rest {
public:
    explicit Rest(const OtherMotion& motion) : m_moving(motion) {}

    void add(const Piece& piece) {
        if (m_nodes.empty() || m_nodes.back().front().node != piece.node) {
            m_nodes.emplace_back();
            m_standing.push_back({piece.name, {}, -1, affineOf(piece.transform)});
        }
        m_nodes.back().push_back(piece);
        StandingMesh& standing = m_standing.back();
        standing.meshes.push_back(static_cast<int>(m_meshes.try_emplace(piece.mesh, m_meshes.size()).first->second));
        standing.object = std::max(standing.object, m_moving.objectOf(*piece.node, *piece.mesh));
    }
    void becomeOne(const std::string& name, Families& families) const {
        if (m_nodes.empty())
            return;
        Family& whole = families[name];
        whole.things = static_cast<std::uint32_t>(takeApart(m_standing, name).size());
        for (const std::vector<Piece>& node : m_nodes)
            whole.levels[0].insert(whole.levels[0].end(), node.begin(), node.end());
    }
    void becomeThings(const std::string& nameless, Families& families) const {
        FreeNames free;
        for (const auto& [name, family] : families)
            free.take(name);
        for (const Thing& thing : takeApart(m_standing, nameless)) {
            Family& family = families[free.take(thing.name)];
            family.placed = thing.placed;
            family.ofWhole = true;
            for (const std::size_t member : thing.members)
                for (Piece piece : m_nodes[member]) {
                    if (thing.own)
                        piece.transform = matrixOf(*thing.own);
                    family.levels[0].push_back(std::move(piece));
                }
        }
    }

private:
    Moving m_moving;
    std::vector<std::vector<Piece>> m_nodes; ///< the pieces of each
    std::vector<StandingMesh> m_standing;    ///< the same nodes
    std::map<const aiMesh*, std::size_t> m_meshes;
};

Families familiesOf(const OtherMotion& motion, const std::string& stem, Meshes how) {
    std::vector<Piece> pieces;
    collect(motion.scene(), *motion.scene().mRootNode, aiMatrix4x4(), pieces);
    std::map<std::string, std::map<int, int>> numbers;
    for (const Piece& piece : pieces)
        if (const LevelName split = splitLevelName(piece.name); split.level >= 0)
            ++numbers[split.base][split.level];
    Families families;
    Rest rest(motion);
    for (const Piece& piece : pieces) {
        const LevelName split = splitLevelName(piece.name);
        if (split.level >= 0 && numbers[split.base].size() > 1)
            families[split.base].levels[split.level].push_back(piece);
        else
            rest.add(piece);
    }
    if (how == Meshes::Together)
        rest.becomeOne(stem, families);
    else
        rest.becomeThings(stem, families);
    for (auto& [name, family] : families) {
        if (how == Meshes::Apart && family.placed.empty())
            family.placed.emplace_back();
        for (auto& [number, list] : family.levels)
            std::stable_sort(list.begin(), list.end(), [](const Piece& a, const Piece& b) {
                return a.mesh->mMaterialIndex < b.mesh->mMaterialIndex;
            });
    }
    return families;
}

void append(const Piece& piece, bool withNormals, bool withUvs, bool withColors, Mesh& mesh) {
    const auto base = mesh.vertexCount();
    const aiMatrix3x3 turn(piece.transform);
    aiMatrix3x3 normalTurn = turn;
    normalTurn.Inverse().Transpose();
    const bool mirrored = turn.Determinant() < 0;
    for (unsigned v = 0; v < piece.mesh->mNumVertices; ++v) {
        const aiVector3D p = piece.transform * piece.mesh->mVertices[v];
        mesh.positions.emplace_back(p.x, p.y, p.z);
        if (withNormals) {
            const aiVector3D n =
                piece.mesh->HasNormals() ? (normalTurn * piece.mesh->mNormals[v]).NormalizeSafe() : aiVector3D(0, 1, 0);
            mesh.normals.emplace_back(n.x, n.y, n.z);
        }
        if (withUvs) {
            const aiVector3D uv = piece.mesh->HasTextureCoords(0) ? piece.mesh->mTextureCoords[0][v] : aiVector3D();
            mesh.uvs.emplace_back(uv.x, 1 - uv.y);
        }
        if (withColors) {
            const aiColor4D c = piece.mesh->HasVertexColors(0) ? piece.mesh->mColors[0][v] : aiColor4D(1, 1, 1, 1);
            mesh.colors.emplace_back(c.r, c.g, c.b, c.a);
        }
    }
    const auto first = mesh.triangleCount();
    for (unsigned f = 0; f < piece.mesh->mNumFaces; ++f) {
        const aiFace& face = piece.mesh->mFaces[f];
        if (face.mNumIndices != 3)
            continue;
        for (const int k : {0, mirrored ? 2 : 1, mirrored ? 1 : 2})
            mesh.indices.push_back(base + face.mIndices[k]);
    }
    const auto count = mesh.triangleCount() - first;
    if (count == 0)
        return;
    if (!mesh.parts.empty() && mesh.parts.back().material == piece.mesh->mMaterialIndex)
        mesh.parts.back().triangleCount += count;
    else
        mesh.parts.push_back({first, count, piece.mesh->mMaterialIndex});
}

/// Joins vertices of one piece that are alike; their normals but for what rounding made of them, since many files hold one
/// for each corner.
void joinAlike(Mesh& mesh, const std::vector<std::uint32_t>& pieceOf) {
    constexpr float kSteps = 8192; // of a normal's coordinate
    std::vector<Vec3f> normals = mesh.normals;
    for (Vec3f& n : mesh.normals)
        n = (n * kSteps).array().round();
    const Weld weld = weldVertices(mesh, pieceOf);
    mesh.normals = std::move(normals);
    joinVertices(mesh, weld);
}

ImportedSubject subjectOf(const OtherMotion& motion, const std::string& name, const Family& family,
                          const ImportedSubject& common) {
    ImportedSubject subject = common;
    subject.name = name;
    subject.source.things = family.things;
    subject.placed = family.placed;
    subject.ofWhole = family.ofWhole;
    if (subject.placed.size() > 1)
        subject.notes.push_back(
            fmt::format("it stands {} times in the file and keeps its places", subject.placed.size()));
    OtherRig rig(motion);
    bool moves = false;
    for (const auto& [number, list] : family.levels)
        for (const Piece& piece : list)
            moves |= motion.moves(*piece.node, *piece.mesh);
    for (const auto& [number, list] : family.levels) {
        const auto any = [&list = list](auto has) {
            return std::any_of(list.begin(), list.end(), [&](const Piece& p) { return has(*p.mesh); });
        };
        Mesh mesh;
        std::vector<std::uint32_t> pieceOf; // of a vertex: those of one piece are joined
        for (const Piece& piece : list) {
            append(piece, any([](const aiMesh& m) { return m.HasNormals(); }),
                   any([](const aiMesh& m) { return m.HasTextureCoords(0); }),
                   any([](const aiMesh& m) { return m.HasVertexColors(0); }), mesh);
            if (moves)
                rig.append(*piece.node, *piece.mesh, piece.transform, mesh.extras);
            pieceOf.resize(mesh.vertexCount(), static_cast<std::uint32_t>(pieceOf.size()));
        }
        joinAlike(mesh, pieceOf);
        if (!mesh.indices.empty())
            subject.levels.push_back({fmt::format("{}_LOD{}", name, number), number, std::move(mesh)});
    }
    subject.rig = rig.finish();
    if (subject.rig.empty() && moves) {
        for (ImportedLevel& level : subject.levels)
            level.mesh.extras = {};
        subject.notes.emplace_back("it has more than 65,536 joints, which were left out: split the character");
    }
    return subject;
}

} // namespace

Result<std::vector<ImportedSubject>> readOther(const fs::path& path, Meshes how, const JobContext& job) {
    std::string suffix = path.extension().string();
    std::transform(suffix.begin(), suffix.end(), suffix.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (auto fine = checkClaims(path, suffix); !fine)
        return fine.error();
    Assimp::Importer importer;
    Progress progress(job);
    importer.SetProgressHandler(&progress);
    importer.SetPropertyBool(AI_CONFIG_IMPORT_NO_SKELETON_MESHES,
                             true); // it makes meshes up where there are bones alone
    const auto moved = nearCopyOf(path, suffix);
    importer.SetIOHandler(new Fenced(path, moved ? &moved->data : nullptr)); // the importer's own now
    // Its ways to leave out points and lines, and to join what is alike, take longer than all the rest.
    const aiScene* scene = importer.ReadFile(path.string(), aiProcess_Triangulate);
    importer.SetProgressHandler(nullptr);
    if (job.cancelled())
        return cancelledError();
    if (scene == nullptr || scene->mRootNode == nullptr) {
        std::string reason = importer.GetErrorString();
        reason = reason.substr(0, reason.find('\n'));
        if (reason.find("No meshes remaining") != std::string::npos)
            return Error{ErrorCode::BadInput, path.string(), "holds no triangles",
                         "choose a file with a triangle mesh"};
        if (reason.find("bad_alloc") != std::string::npos)
            return Error{ErrorCode::TooLarge, path.string(), "claims to hold far more than a file of its size can",
                         "it is likely damaged; export it again"};
        const bool unknown = reason.find("No suitable reader") != std::string::npos;
        return Error{ErrorCode::BadInput, path.string(),
                     unknown ? "is of a kind that cannot be read" : "cannot be read (" + reason + ")",
                     unknown ? "export it as glTF, OBJ, PLY or STL" : "check that it is whole; export it again"};
    }
    ImportedSubject common;
    if (moved)
        common.notes.push_back(movedNote(moved->shift));
    common.metresPerUnit = metresPerUnit(*scene, suffix);
    if (common.metresPerUnit != 1)
        common.notes.push_back(unitNote(common.metresPerUnit));
    if (morphs(*scene))
        common.notes.emplace_back("its morph targets were left out: export it as glTF to keep them");
    OtherSurfaces surfaces = otherSurfaces(*scene, path);
    common.surfaces = sharedSurfaces(std::move(surfaces.surfaces));
    std::move(surfaces.notes.begin(), surfaces.notes.end(), std::back_inserter(common.notes));
    const OtherMotion motion(*scene);
    const Families families = familiesOf(motion, path.stem().string(), how);
    std::vector<ImportedSubject> subjects;
    for (const auto& [name, family] : families) {
        ImportedSubject subject = subjectOf(motion, name, family, common);
        if (subject.levels.empty())
            continue;
        subject.source.family = families.size() > 1 ? name : "";
        if (how == Meshes::Apart) // what is said of the file is said once
            common.notes.clear();
        subjects.push_back(std::move(subject));
    }
    if (subjects.empty())
        return Error{ErrorCode::BadInput, path.string(), "holds no triangles", "choose a file with a triangle mesh"};
    return subjects;
}

} // namespace thicket::detail
