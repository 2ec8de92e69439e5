#include "io/import/gltf_reader.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket::detail {

Result<void> GltfReader::append(const tinygltf::Primitive& primitive, const std::vector<std::string>& morphNames,
                                const JointRange& jointRange, const Eigen::Affine3d& transform, Mesh& mesh,
                                std::vector<std::uint32_t>& materialOfTriangle) const {
    const int mode = primitive.mode < 0 ? TINYGLTF_MODE_TRIANGLES : primitive.mode;
    if (mode != TINYGLTF_MODE_TRIANGLES && mode != TINYGLTF_MODE_TRIANGLE_STRIP && mode != TINYGLTF_MODE_TRIANGLE_FAN)
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
    const auto colorAt = primitive.attributes.find("COLOR_0");
    const bool alpha = colorAt != primitive.attributes.end() && colorAt->second >= 0 &&
                       colorAt->second < static_cast<int>(model.accessors.size()) &&
                       model.accessors[static_cast<std::size_t>(colorAt->second)].type == TINYGLTF_TYPE_VEC4;
    const std::size_t width = alpha ? 4 : 3;
    auto colors = optional("COLOR_0", alpha ? 4 : 3);
    auto uvs2 = optional("TEXCOORD_1", 2);
    auto tangents = optional("TANGENT", 4);
    auto joints = optional("JOINTS_0", 4);
    auto weights = optional("WEIGHTS_0", 4);
    for (const auto* r : {&normals, &uvs, &colors, &uvs2, &tangents, &joints, &weights})
        if (!*r)
            return r->error();
    // Primitives of one mesh may differ in what they carry: what one lacks is filled in so that the arrays stay
    // full.
    // What is of unit length already stays the same to the last bit, however often it is written and read.
    const auto unit = [](const Vec3d& n) {
        return Vec3f((std::abs(n.squaredNorm() - 1) < 1e-6 ? n : n.normalized()).cast<float>());
    };
    const auto fill = [&](auto& target, const auto& value) { target.resize(base, value); };
    if (!normals->empty() || !mesh.normals.empty()) {
        fill(mesh.normals, Vec3f(0, 1, 0));
        for (std::size_t i = 0; i < count; ++i)
            mesh.normals.push_back(normals->empty() ? Vec3f(0, 1, 0)
                                                    : unit(normalTurn * Vec3d((*normals)[3 * i], (*normals)[3 * i + 1],
                                                                              (*normals)[3 * i + 2])));
    }
    if (!uvs->empty() || !mesh.uvs.empty()) {
        fill(mesh.uvs, Vec2f(0, 0));
        for (std::size_t i = 0; i < count; ++i)
            mesh.uvs.push_back(uvs->empty()
                                   ? Vec2f(0, 0)
                                   : Vec2f(static_cast<float>((*uvs)[2 * i]), static_cast<float>((*uvs)[2 * i + 1])));
    }
    if (!colors->empty() || !mesh.colors.empty()) {
        fill(mesh.colors, Vec4f(1, 1, 1, 1));
        for (std::size_t i = 0; i < count; ++i)
            mesh.colors.push_back(colors->empty() ? Vec4f(1, 1, 1, 1)
                                                  : Vec4f(static_cast<float>((*colors)[width * i]),
                                                          static_cast<float>((*colors)[width * i + 1]),
                                                          static_cast<float>((*colors)[width * i + 2]),
                                                          alpha ? static_cast<float>((*colors)[width * i + 3]) : 1));
    }
    VertexExtras& extras = mesh.extras;
    if (!uvs2->empty() || !extras.uvs2.empty()) {
        fill(extras.uvs2, Vec2f(0, 0));
        for (std::size_t i = 0; i < count; ++i)
            extras.uvs2.push_back(
                uvs2->empty() ? Vec2f(0, 0)
                              : Vec2f(static_cast<float>((*uvs2)[2 * i]), static_cast<float>((*uvs2)[2 * i + 1])));
    }
    if (!tangents->empty() || !extras.tangents.empty()) {
        fill(extras.tangents, Vec4f(1, 0, 0, 1));
        for (std::size_t i = 0; i < count; ++i) {
            Vec4f own(1, 0, 0, 1);
            if (!tangents->empty()) {
                const Vec3d way = turn * Vec3d((*tangents)[4 * i], (*tangents)[4 * i + 1], (*tangents)[4 * i + 2]);
                own.head<3>() = unit(way);
                own.w() = ((*tangents)[4 * i + 3] < 0) != (turn.determinant() < 0) ? -1.0F : 1.0F;
            }
            extras.tangents.push_back(own);
        }
    }
    const bool skinned = jointRange.count > 0 && !jointRange.whole && !joints->empty() && !weights->empty();
    if (skinned || jointRange.whole || !extras.joints.empty()) {
        fill(extras.joints, Joints{});
        fill(extras.weights, Vec4f(1, 0, 0, 0));
        for (std::size_t i = 0; i < count; ++i) {
            Joints own{};
            own[0] = static_cast<std::uint16_t>(jointRange.whole ? jointRange.first : 0);
            Vec4f share(1, 0, 0, 0);
            for (std::size_t k = 0; k < 4 && skinned; ++k) {
                const double joint = (*joints)[4 * i + k] + jointRange.first;
                share[static_cast<Eigen::Index>(k)] = static_cast<float>((*weights)[4 * i + k]);
                if (!((*joints)[4 * i + k] >= 0) || (*joints)[4 * i + k] >= jointRange.count)
                    return bad(fmt::format("vertex {} names joint {:.0f}, but there are only {:.0f}", i,
                                           (*joints)[4 * i + k], jointRange.count));
                own[k] = static_cast<std::uint16_t>(joint);
            }
            extras.joints.push_back(own);
            extras.weights.push_back(share);
        }
    }
    if (auto done = appendMorphs(primitive, morphNames, turn, normalTurn, base, count, extras); !done)
        return done;

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

Result<void> GltfReader::appendMorphs(const tinygltf::Primitive& primitive, const std::vector<std::string>& names,
                                      const Eigen::Matrix3d& turn, const Eigen::Matrix3d& normalTurn,
                                      std::uint32_t base, std::size_t count, VertexExtras& extras) const {
    const std::size_t targets = std::max(primitive.targets.size(), extras.morphs.size());
    extras.morphs.resize(targets);
    for (std::size_t i = 0; i < targets; ++i) {
        MorphTarget& morph = extras.morphs[i];
        if (i < names.size())
            morph.name = names[i];
        const auto append = [&](const char* name, const Eigen::Matrix3d& by, std::vector<Vec3f>& to) -> Result<void> {
            std::vector<double> read;
            if (i < primitive.targets.size())
                if (const auto found = primitive.targets[i].find(name); found != primitive.targets[i].end()) {
                    auto v = values(found->second, 3, std::string("morph target ") + name);
                    if (!v)
                        return v.error();
                    if (v->size() != 3 * count)
                        return bad("a morph target has not one entry a vertex");
                    read = std::move(*v);
                }
            if (read.empty() && to.empty() && std::string_view(name) != "POSITION")
                return {};
            to.resize(base, Vec3f::Zero());
            for (std::size_t v = 0; v < count; ++v)
                to.push_back(read.empty()
                                 ? Vec3f(0, 0, 0)
                                 : Vec3f((by * Vec3d(read[3 * v], read[3 * v + 1], read[3 * v + 2])).cast<float>()));
            return {};
        };
        if (auto done = append("POSITION", turn, morph.moves); !done)
            return done;
        if (auto done = append("NORMAL", normalTurn, morph.normalMoves); !done)
            return done;
    }
    return {};
}

} // namespace thicket::detail
