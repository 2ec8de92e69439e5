#pragma once
// Triangle meshes as plain arrays, with the materials and pictures that go with them.

#include "base/job.h"
#include "base/result.h"
#include "mesh/vec.h"
#include "mesh/vertex_extras.h"

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

namespace thicket {

/// A run of triangles with one material. One part is one draw.
struct MeshPart {
    std::uint32_t firstTriangle = 0;
    std::uint32_t triangleCount = 0;
    std::uint32_t material = 0; ///< index into the asset's materials
};

/// Arrays of one entry a vertex; `normals`, `uvs`, `colors` are empty or as long as `positions`.
/// Positions are metres, right-handed, +Y up. Kept apart so that work on positions alone reads only positions.
struct Mesh {
    std::vector<Vec3f> positions;
    std::vector<Vec3f> normals; ///< unit length
    std::vector<Vec2f> uvs;     ///< origin top left, as in glTF
    std::vector<Vec4f> colors;  ///< linear RGBA, 0..1
    VertexExtras extras;
    std::vector<std::uint32_t> indices; ///< three a triangle, counter-clockwise seen from outside
    std::vector<MeshPart> parts;        ///< cover all triangles, in order, without gaps

    [[nodiscard]] std::uint32_t triangleCount() const { return static_cast<std::uint32_t>(indices.size() / 3); }
    [[nodiscard]] std::uint32_t vertexCount() const { return static_cast<std::uint32_t>(positions.size()); }
    [[nodiscard]] std::size_t bytes() const;
};

enum class AlphaMode { Opaque, Mask, Blend };

/// A metallic-roughness material. Picture fields are indices into the asset's images, -1 for none.
struct Material {
    std::string name;
    Vec4f baseColor{1, 1, 1, 1};
    float metallic = 0;
    float roughness = 0.8F;
    Vec3f emissive{0, 0, 0};
    AlphaMode alphaMode = AlphaMode::Opaque;
    float alphaCutoff = 0.5F;
    bool doubleSided = false;
    int baseColorImage = -1;
    int metallicRoughnessImage = -1;
    int normalImage = -1;
    int occlusionImage = -1;
    int emissiveImage = -1;
    std::uint8_t secondUv = 0; ///< bits of the pictures, in this order, that lie by the second UV set
};

/// A picture as it stood in its file, so that it is passed on without loss.
struct Image {
    std::string name;
    std::string mimeType; ///< image/png or image/jpeg
    std::vector<std::byte> encoded;
};

/// What the levels of one subject share, or of all subjects of a file.
struct Surfaces {
    std::vector<Material> materials; ///< at least one once a mesh uses it
    std::vector<Image> images;
};

struct Bounds {
    Vec3d low{0, 0, 0};
    Vec3d high{0, 0, 0};
    [[nodiscard]] Vec3d centre() const { return (low + high) / 2; }
    [[nodiscard]] Vec3d size() const { return high - low; }
    [[nodiscard]] double diagonal() const { return size().norm(); }
};

/// Box of all positions.
/// REQUIRES   at least one vertex.
/// COST       O(V).
Bounds boundsOf(const Mesh& mesh);
/// Radius of the sphere round `centre` that holds every vertex, metres.
double radiusAround(const Mesh& mesh, const Vec3d& centre);

/// Hash of all that a mesh holds, in hexadecimal.
std::string contentOf(const Mesh& mesh);

/// Hash of the surface alone: the places of all corners in the order of the triangles. The same however the vertices
/// are numbered and whatever they carry, so a mesh that was written and read back keeps it.
std::string shapeOf(const Mesh& mesh);

/// Checks a mesh once, on entry; later loops trust it.
/// ERRORS  BadInput naming the first bad element: no triangles, an index out of range, a position that is not a finite
///         number or larger than 1e12, arrays of unlike length, parts that do not cover the triangles.
Result<void> checkMesh(const Mesh& mesh, const std::string& where);

/// Sets normals and UVs right where they are not finite or not of unit length. Returns how many were mended.
std::uint32_t mendAttributes(Mesh& mesh);

/// Drops vertices that no triangle uses, keeping the order of the rest. Returns how many went.
std::uint32_t dropUnusedVertices(Mesh& mesh);

/// For every vertex of `of` a vertex of `in` that agrees in all it carries; empty when one has none, or when the two
/// carry unlike things.
/// COST       O(V log V).
std::vector<std::uint32_t> findVertices(const Mesh& in, const Mesh& of);

/// True when some vertex is used by triangles of more than one material.
bool sharesVerticesAcrossMaterials(const Mesh& mesh);
/// The same surface with such vertices doubled, so that each belongs to one material. `doubled`, when given, becomes
/// the vertices that the new ones at the end are copies of.
Mesh splitByMaterial(const Mesh& mesh, std::vector<std::uint32_t>* doubled = nullptr);

/// Groups vertices by exact position. Returns one point id a vertex, numbered by first use, and the count of points.
/// Looks at the job every 65,536 vertices; what is returned once it is cancelled is of no use.
struct Weld {
    std::vector<std::uint32_t> pointOf; ///< V entries
    std::uint32_t pointCount = 0;
};
Weld weldPositions(const Mesh& mesh, const JobContext& job = {});

/// Groups vertices that agree in position, attributes and material (the caller gives one material a vertex).
Weld weldVertices(const Mesh& mesh, const std::vector<std::uint32_t>& materialOfVertex, const JobContext& job = {});

/// Makes one vertex of each group: triangles use the first of it, and those that none uses go.
/// REQUIRES   groups numbered by first use, as the above return them.
void joinVertices(Mesh& mesh, const Weld& weld);

/// Gives every vertex an area-weighted normal; edges sharper than `creaseRadians` stay hard by splitting vertices.
void makeNormals(Mesh& mesh, double creaseRadians);

} // namespace thicket
