#include "base/file.h"
#include "io/import/import.h"
#include "io/import/near_copy.h"
#include "io/import/other_rig.h"
#include "io/import/other_surfaces.h"

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

/// Whether some line has at least so many letters.
bool hasLongLine(std::istream& in, std::size_t least) {
    std::vector<char> block(std::size_t{1} << 20);
    std::size_t length = 0; // of the line so far
    while (in.read(block.data(), static_cast<std::streamsize>(block.size())) || in.gcount() > 0) {
        const char* at = block.data();
        const char* const end = at + in.gcount();
        while (const void* newline = std::memchr(at, '\n', static_cast<std::size_t>(end - at))) {
            if (length + static_cast<std::size_t>(static_cast<const char*>(newline) - at) >= least)
                return true;
            at = static_cast<const char*>(newline) + 1;
            length = 0;
        }
        length += static_cast<std::size_t>(end - at);
    }
    return length >= least;
}

/// Of an OBJ: the import library's triangles of a polygon take the square of its corners, so no face may have very many.
Result<void> checkFaces(std::istream& in, const fs::path& path) {
    constexpr std::size_t kMostCorners = 4096;
    if (!hasLongLine(in, 2 * kMostCorners))
        return {};
    in.clear();
    in.seekg(0);
    std::string line;
    for (std::size_t number = 1; std::getline(in, line); ++number) {
        if (line.size() < 2 * kMostCorners || line[0] != 'f')
            continue;
        std::size_t corners = 0;
        for (std::size_t i = 1; i < line.size(); ++i)
            corners += line[i] != ' ' && line[i] != '\t' && (line[i - 1] == ' ' || line[i - 1] == '\t') ? 1 : 0;
        if (corners > kMostCorners)
            return Error{ErrorCode::BadInput, path.string(),
                         fmt::format("line {} is a face of {} corners, more than the {} that are read", number, corners,
                                     kMostCorners),
                         "triangulate it before it is exported"};
    }
    return {};
}

/// Headers that promise more than the file holds are refused before anything is allocated for them.
Result<void> checkClaims(const fs::path& path, const std::string& suffix) {
    std::ifstream in(path, std::ios::binary | std::ios::ate);
    const auto size = static_cast<double>(in.tellg());
    in.seekg(0);
    const auto lying = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, path.string(), what, "the file is cut short or damaged; export it again"};
    };
    if (suffix == ".stl") {
        char head[84] = {};
        in.read(head, sizeof head);
        if (in.gcount() < 15)
            return lying("is too short for an STL file");
        const bool text = std::string(head, 5) == "solid";
        std::uint32_t count = 0;
        std::memcpy(&count, head + 80, 4);
        if (!text && in.gcount() == 84 && 84.0 + 50.0 * count > size)
            return lying(fmt::format("claims {} triangles, more than the file holds", count));
    }
    if (suffix == ".obj")
        return checkFaces(in, path);
    if (suffix == ".ply") {
        std::string line;
        double least = 0;
        double count = 0;
        bool ended = false;
        bool text = false;
        for (int i = 0; i < 256 && std::getline(in, line); ++i) {
            std::istringstream words(line);
            std::string first;
            std::string second;
            words >> first >> second;
            if (i == 0 && first != "ply")
                return lying("does not begin as a PLY file");
            if (first == "format")
                text = second == "ascii";
            if (first == "element") {
                words >> count;
                if (!(count >= 0) || count > 4e9)
                    return lying("claims an element count that cannot be");
            }
            if (first == "property")
                least +=
                    count *
                    (second == "list" || second == "char" || second == "uchar" || second == "int8" || second == "uint8"
                         ? 1
                     : second == "short" || second == "ushort" || second == "int16" || second == "uint16" ? 2
                     : second == "double" || second == "float64"                                          ? 8
                                                                                                          : 4) *
                    (text ? 0.25 : 1.0);
            if (first == "end_header") {
                ended = true;
                break;
            }
        }
        if (!ended)
            return lying("has no end of its header");
        if (least > size)
            return lying("claims more elements than the file holds");
    }
    return {};
}

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

} // namespace

Result<std::vector<ImportedSubject>> readOther(const fs::path& path, const JobContext& job) {
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
    std::vector<Piece> pieces;
    collect(*scene, *scene->mRootNode, aiMatrix4x4(), pieces);
    std::stable_sort(pieces.begin(), pieces.end(),
                     [](const Piece& a, const Piece& b) { return a.mesh->mMaterialIndex < b.mesh->mMaterialIndex; });
    ImportedSubject common;
    if (moved)
        common.notes.push_back(movedNote(moved->shift));
    common.metresPerUnit = metresPerUnit(*scene, suffix);
    if (common.metresPerUnit != 1)
        common.notes.push_back(unitNote(common.metresPerUnit));
    if (morphs(*scene))
        common.notes.emplace_back("its morph targets were left out: export it as glTF to keep them");
    OtherSurfaces surfaces = otherSurfaces(*scene, path);
    common.surfaces = std::move(surfaces.surfaces);
    std::move(surfaces.notes.begin(), surfaces.notes.end(), std::back_inserter(common.notes));
    const std::string stem = path.stem().string();
    std::map<std::string, std::map<int, std::vector<const Piece*>>> families;
    std::map<std::string, std::map<int, int>> numbers;
    for (const Piece& piece : pieces)
        if (const LevelName split = splitLevelName(piece.name); split.level >= 0)
            ++numbers[split.base][split.level];
    for (const Piece& piece : pieces) {
        const LevelName split = splitLevelName(piece.name);
        const bool level = split.level >= 0 && numbers[split.base].size() > 1;
        families[level ? split.base : stem][level ? split.level : 0].push_back(&piece);
    }
    std::vector<ImportedSubject> subjects;
    for (const auto& [name, levels] : families) {
        ImportedSubject subject = common;
        subject.name = name;
        subject.source.family = families.size() > 1 ? name : "";
        OtherRig rig(*scene);
        bool moves = false;
        for (const auto& [number, list] : levels)
            for (const Piece* piece : list)
                moves |= rig.moves(*piece->node, *piece->mesh);
        for (const auto& [number, list] : levels) {
            const auto any = [&list = list](auto has) {
                return std::any_of(list.begin(), list.end(), [&](const Piece* p) { return has(*p->mesh); });
            };
            Mesh mesh;
            std::vector<std::uint32_t> pieceOf; // of a vertex: those of one piece are joined
            for (const Piece* piece : list) {
                append(*piece, any([](const aiMesh& m) { return m.HasNormals(); }),
                       any([](const aiMesh& m) { return m.HasTextureCoords(0); }),
                       any([](const aiMesh& m) { return m.HasVertexColors(0); }), mesh);
                if (moves)
                    rig.append(*piece->node, *piece->mesh, piece->transform, mesh.extras);
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
        if (!subject.levels.empty())
            subjects.push_back(std::move(subject));
    }
    if (subjects.empty())
        return Error{ErrorCode::BadInput, path.string(), "holds no triangles", "choose a file with a triangle mesh"};
    return subjects;
}

} // namespace thicket::detail
