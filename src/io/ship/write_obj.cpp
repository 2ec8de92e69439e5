#include "io/ship/write_obj.h"

#include "base/file.h"
#include "reduce/rebuild.h"

#include <fmt/format.h>
#include <iterator>

namespace thicket {
namespace {

/// Names end at white space in this format.
std::string word(std::string name) {
    for (char& c : name)
        if (std::isspace(static_cast<unsigned char>(c)) != 0)
            c = '_';
    return name.empty() ? "unnamed" : name;
}

std::vector<FacesOfPart> trianglesOf(const Mesh& mesh) {
    std::vector<FacesOfPart> out;
    for (const MeshPart& part : mesh.parts) {
        out.push_back({part.material, {}});
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            const std::uint32_t* c = &mesh.indices[3 * std::size_t{t}];
            out.back().faces.push_back({c[0], c[1], c[2], kNoCorner});
        }
    }
    return out;
}

} // namespace

Result<void> writeObj(const std::filesystem::path& file, const std::string& name, const Mesh& mesh,
                      const Surfaces& surfaces, const ObjOptions& options) {
    std::string text = "# metres, +Y up\no " + word(name) + "\n";
    auto out = std::back_inserter(text);
    for (const Vec3f& p : mesh.positions)
        fmt::format_to(out, "v {:.9g} {:.9g} {:.9g}\n", p.x(), p.y(), p.z());
    for (const Vec2f& uv : mesh.uvs)
        fmt::format_to(out, "vt {:.9g} {:.9g}\n", uv.x(), 1 - uv.y()); // from the bottom here
    for (const Vec3f& n : mesh.normals)
        fmt::format_to(out, "vn {:.6g} {:.6g} {:.6g}\n", n.x(), n.y(), n.z());
    for (const FacesOfPart& part : options.quads ? pairIntoQuads(mesh) : trianglesOf(mesh)) {
        const bool known = part.material < surfaces.materials.size();
        fmt::format_to(out, "usemtl {}\n", word(known ? surfaces.materials[part.material].name : std::string()));
        for (const Face& face : part.faces) {
            text += 'f';
            for (const std::uint32_t v : face) {
                if (v == kNoCorner)
                    continue;
                fmt::format_to(out, " {}", v + 1);
                if (!mesh.uvs.empty())
                    fmt::format_to(out, "/{}", v + 1);
                if (!mesh.normals.empty())
                    fmt::format_to(out, "{}/{}", mesh.uvs.empty() ? "/" : "", v + 1);
            }
            text += '\n';
        }
    }
    return writeTextFile(file, text);
}

} // namespace thicket
