#include "mesh/mesh.h"

#include "base/file.h"
#include "mesh/alike.h"

#include <array>
#include <bit>
#include <cmath>
#include <fmt/format.h>
#include <numeric>
#include <span>

namespace thicket {

std::size_t Mesh::bytes() const {
    std::size_t extra = 0;
    extras.each([&extra](const auto& values) {
        extra += values.size() * sizeof(typename std::decay_t<decltype(values)>::value_type);
    });
    return positions.size() * sizeof(Vec3f) + normals.size() * sizeof(Vec3f) + uvs.size() * sizeof(Vec2f) +
           colors.size() * sizeof(Vec4f) + indices.size() * sizeof(std::uint32_t) + extra;
}

std::string contentOf(const Mesh& mesh) {
    std::string hashes;
    const auto addBytes = [&hashes](const auto& values) {
        hashes += contentHash(std::as_bytes(std::span(values.data(), values.size())));
    };
    std::vector<float> plain;
    const auto add = [&]<class T>(const std::vector<T>& values) {
        if constexpr (requires(T v) {
                          { v.data() } -> std::same_as<float*>;
                      }) {
            plain.clear();
            for (const T& v : values)
                for (int i = 0; i < static_cast<int>(T::SizeAtCompileTime); ++i)
                    plain.push_back(v[i] + 0.0F); // a negative zero is the same number, and does not outlive a file
            addBytes(plain);
        } else {
            addBytes(values);
        }
    };
    add(mesh.positions);
    add(mesh.normals);
    add(mesh.uvs);
    add(mesh.colors);
    add(mesh.indices);
    mesh.extras.each(add);
    addBytes(mesh.parts);
    return contentHash(std::as_bytes(std::span(hashes.data(), hashes.size())));
}

std::string shapeOf(const Mesh& mesh) {
    std::vector<float> corners;
    corners.reserve(3 * mesh.indices.size());
    for (const std::uint32_t v : mesh.indices)
        for (int axis = 0; axis < 3; ++axis)
            corners.push_back(mesh.positions[v][axis] + 0.0F); // a negative zero is the same place
    return contentHash(std::as_bytes(std::span(corners)));
}

Bounds boundsOf(const Mesh& mesh) {
    Vec3f low = mesh.positions.front();
    Vec3f high = low;
    for (const Vec3f& p : mesh.positions) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    }
    return {low.cast<double>(), high.cast<double>()};
}

double radiusAround(const Mesh& mesh, const Vec3d& centre) {
    double largest = 0;
    for (const Vec3f& p : mesh.positions)
        largest = std::max(largest, (p.cast<double>() - centre).squaredNorm());
    return std::sqrt(largest);
}

Result<void> checkMesh(const Mesh& mesh, const std::string& where) {
    const auto bad = [&](std::string what, std::string remedy) {
        return Error{ErrorCode::BadInput, where, std::move(what), std::move(remedy)};
    };
    constexpr float kLargest = 1e12F;
    const std::size_t count = mesh.positions.size();
    if (mesh.indices.empty())
        return bad("holds no triangles", "choose a file with a triangle mesh");
    if (mesh.indices.size() % 3 != 0)
        return bad("the number of indices is not a multiple of three", "export the mesh as triangles");
    for (std::size_t i = 0; i < count; ++i) {
        const Vec3f& p = mesh.positions[i];
        if (!p.allFinite())
            return bad(fmt::format("the position of vertex {} is not a number", i),
                       "repair the mesh where it was made");
        if (p.cwiseAbs().maxCoeff() > kLargest)
            return bad(fmt::format("the position of vertex {} is out of all measure", i), "check the file's unit");
    }
    for (std::size_t i = 0; i < mesh.indices.size(); ++i)
        if (mesh.indices[i] >= count)
            return bad(fmt::format("triangle {} uses vertex {}, but there are only {}", i / 3, mesh.indices[i], count),
                       "export the file again");
    const auto fits = [count](std::size_t n) { return n == 0 || n == count; };
    bool extrasFit = mesh.extras.weights.size() == mesh.extras.joints.size();
    mesh.extras.each([&](const auto& values) { extrasFit &= fits(values.size()); });
    if (!fits(mesh.normals.size()) || !fits(mesh.uvs.size()) || !fits(mesh.colors.size()) || !extrasFit)
        return bad("an attribute has not one entry a vertex", "export the file again");
    std::uint64_t next = 0;
    for (const MeshPart& part : mesh.parts) {
        if (part.firstTriangle != next)
            return bad("the parts leave a gap or overlap", "export the file again");
        next += part.triangleCount;
    }
    if (next != mesh.triangleCount())
        return bad("the parts do not cover all triangles", "export the file again");
    return {};
}

std::uint32_t mendAttributes(Mesh& mesh) {
    std::uint32_t mended = 0;
    for (Vec3f& n : mesh.normals) {
        const float size = n.norm();
        if (!std::isfinite(size) || size < 1e-6F) {
            n = Vec3f(0, 1, 0);
            ++mended;
        } else if (std::abs(size - 1) > 1e-3F) {
            n /= size;
            ++mended;
        }
    }
    for (Vec2f& uv : mesh.uvs)
        if (!uv.allFinite() || uv.cwiseAbs().maxCoeff() > 1e6F) {
            uv = Vec2f(0, 0);
            ++mended;
        }
    for (Vec2f& uv : mesh.extras.uvs2)
        if (!uv.allFinite() || uv.cwiseAbs().maxCoeff() > 1e6F) {
            uv = Vec2f(0, 0);
            ++mended;
        }
    for (Vec4f& t : mesh.extras.tangents)
        if (const float size = t.head<3>().norm(); !t.allFinite() || size < 1e-6F) {
            t = Vec4f(1, 0, 0, 1);
            ++mended;
        } else if (std::abs(size - 1) > 1e-3F) {
            t.head<3>() /= size;
            ++mended;
        }
    for (Vec4f& w : mesh.extras.weights)
        if (const float sum = w.cwiseMax(0).sum(); !w.allFinite() || !(sum > 0)) {
            w = Vec4f(1, 0, 0, 0);
            ++mended;
        } else if (std::abs(sum - 1) > 1e-3F || w.minCoeff() < 0) {
            w = w.cwiseMax(0) / sum;
            ++mended;
        }
    // A joint without weight is none: readers warn of it, and it would keep equal vertices apart.
    for (std::size_t v = 0; v < mesh.extras.joints.size(); ++v)
        for (std::size_t k = 0; k < 4; ++k)
            if (mesh.extras.weights[v][static_cast<Eigen::Index>(k)] == 0)
                mesh.extras.joints[v][k] = 0;
    for (MorphTarget& morph : mesh.extras.morphs)
        for (std::vector<Vec3f>* moves : {&morph.moves, &morph.normalMoves})
            for (Vec3f& move : *moves)
                if (!move.allFinite()) {
                    move.setZero();
                    ++mended;
                }
    for (Vec4f& c : mesh.colors)
        if (!c.allFinite()) {
            c = Vec4f(1, 1, 1, 1);
            ++mended;
        }
    return mended;
}

namespace {
constexpr std::uint32_t kNoPart = 0xFFFFFFFFU;

template <class Visit> void forEachCorner(const Mesh& mesh, const Visit& visit) {
    for (const MeshPart& part : mesh.parts)
        for (std::size_t c = 3 * std::size_t{part.firstTriangle};
             c < 3 * (std::size_t{part.firstTriangle} + part.triangleCount); ++c)
            visit(c, part.material);
}
} // namespace

bool sharesVerticesAcrossMaterials(const Mesh& mesh) {
    if (mesh.parts.size() < 2)
        return false;
    std::vector<std::uint32_t> owner(mesh.positions.size(), kNoPart);
    bool shared = false;
    forEachCorner(mesh, [&](std::size_t c, std::uint32_t material) {
        std::uint32_t& first = owner[mesh.indices[c]];
        shared |= first != kNoPart && first != material;
        first = material;
    });
    return shared;
}

Mesh splitByMaterial(const Mesh& mesh, std::vector<std::uint32_t>* doubled) {
    Mesh out = mesh;
    std::vector<std::uint32_t> owner(mesh.positions.size(), kNoPart);
    std::vector<std::uint32_t> copyOf(mesh.positions.size());
    forEachCorner(mesh, [&](std::size_t c, std::uint32_t material) {
        const std::uint32_t v = mesh.indices[c];
        if (owner[v] == kNoPart)
            copyOf[v] = v;
        if (owner[v] != kNoPart && owner[v] != material) {
            copyOf[v] = out.vertexCount();
            if (doubled != nullptr)
                doubled->push_back(v);
            const auto again = [v](auto& values) {
                if (!values.empty())
                    values.push_back(values[v]);
            };
            again(out.normals);
            again(out.uvs);
            again(out.colors);
            out.extras.each(again);
            again(out.positions);
        }
        owner[v] = material;
        out.indices[c] = copyOf[v];
    });
    return out;
}

std::vector<std::uint32_t> findVertices(const Mesh& in, const Mesh& of) {
    const auto alike = [](const auto& a, const auto& b) { return a.empty() == b.empty(); };
    bool comparable = alike(in.normals, of.normals) && alike(in.uvs, of.uvs) && alike(in.colors, of.colors) &&
                      in.extras.morphs.size() == of.extras.morphs.size();
    if (comparable) {
        VertexExtras copy = in.extras;
        copy.eachWith(of.extras, [&](const auto& a, const auto& b) { comparable &= alike(a, b); });
    }
    if (!comparable)
        return {};
    const auto less = [](const Vec3f& a, const Vec3f& b) {
        return std::lexicographical_compare(a.data(), a.data() + 3, b.data(), b.data() + 3);
    };
    std::vector<std::uint32_t> order(in.positions.size());
    std::iota(order.begin(), order.end(), 0U);
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        return less(in.positions[a], in.positions[b]) || (in.positions[a] == in.positions[b] && a < b);
    });
    const auto equal = [&](std::uint32_t a, std::uint32_t b) {
        const auto same = [a, b](const auto& x, const auto& y) { return x.empty() || x[a] == y[b]; };
        const VertexExtras& e = in.extras;
        const VertexExtras& f = of.extras;
        bool all = same(in.normals, of.normals) && same(in.uvs, of.uvs) && same(in.colors, of.colors) &&
                   same(e.uvs2, f.uvs2) && same(e.tangents, f.tangents) && same(e.joints, f.joints) &&
                   same(e.weights, f.weights);
        for (std::size_t m = 0; m < e.morphs.size() && all; ++m)
            all = same(e.morphs[m].moves, f.morphs[m].moves) && same(e.morphs[m].normalMoves, f.morphs[m].normalMoves);
        return all;
    };
    std::vector<std::uint32_t> out;
    out.reserve(of.positions.size());
    for (std::uint32_t v = 0; v < of.vertexCount(); ++v) {
        auto at = std::lower_bound(order.begin(), order.end(), of.positions[v],
                                   [&](std::uint32_t a, const Vec3f& p) { return less(in.positions[a], p); });
        while (at != order.end() && in.positions[*at] == of.positions[v] && !equal(*at, v))
            ++at;
        if (at == order.end() || in.positions[*at] != of.positions[v])
            return {};
        out.push_back(*at);
    }
    return out;
}

std::uint32_t dropUnusedVertices(Mesh& mesh) {
    constexpr std::uint32_t kUnused = 0xFFFFFFFFU;
    std::vector<std::uint32_t> number(mesh.positions.size(), kUnused);
    for (const std::uint32_t v : mesh.indices)
        number[v] = 0;
    std::uint32_t kept = 0;
    const auto move = [&](auto& values) {
        if (values.empty())
            return;
        for (std::size_t v = 0; v < number.size(); ++v)
            if (number[v] != kUnused)
                values[number[v]] = values[v];
        values.resize(kept);
    };
    for (std::uint32_t& n : number)
        if (n != kUnused)
            n = kept++;
    const auto dropped = static_cast<std::uint32_t>(number.size()) - kept;
    if (dropped == 0)
        return 0;
    for (std::uint32_t& v : mesh.indices)
        v = number[v];
    move(mesh.normals);
    move(mesh.uvs);
    move(mesh.colors);
    mesh.extras.each(move);
    move(mesh.positions);
    return dropped;
}

namespace {

/// Open addressing over vertex ids: ids are handed out in order of first use, so the result is the same every time.
template <class Hash, class Same>
Weld weldBy(std::size_t count, const Hash& hashOf, const Same& same, const JobContext& job) {
    constexpr std::uint32_t kEmpty = 0xFFFFFFFFU;
    const std::size_t capacity = std::bit_ceil(count * 2 + 8);
    std::vector<std::uint32_t> table(capacity, kEmpty);
    Weld weld;
    weld.pointOf.resize(count);
    const auto place = [&](std::uint32_t i, std::size_t slot) {
        while (table[slot] != kEmpty && !same(table[slot], i))
            slot = (slot + 1) & (capacity - 1);
        if (table[slot] == kEmpty) {
            table[slot] = i;
            weld.pointOf[i] = weld.pointCount++;
        } else {
            weld.pointOf[i] = weld.pointOf[table[slot]];
        }
    };
    // Most of the time goes into waiting for the table: its lines are asked for some entries ahead.
    constexpr std::uint32_t kAhead = 32;
    std::array<std::size_t, kAhead> slots{};
    for (std::uint32_t i = 0; i < count + kAhead; ++i) {
        const std::size_t hashed = slots[i % kAhead];
        if (i < count) {
            slots[i % kAhead] = hashOf(i) & (capacity - 1);
            __builtin_prefetch(&table[slots[i % kAhead]]);
        }
        if (i % 65536 == 0 && job.cancelled())
            return weld;
        if (i >= kAhead)
            place(i - kAhead, hashed);
    }
    return weld;
}

} // namespace

Weld weldPositions(const Mesh& mesh, const JobContext& job) {
    const auto& p = mesh.positions;
    return weldBy(
        p.size(), [&](std::uint32_t i) { return detail::mixAll(1, p[i]) >> 7; },
        [&](std::uint32_t a, std::uint32_t b) { return detail::alike(p[a], p[b]); }, job);
}

Weld weldVertices(const Mesh& mesh, const std::vector<std::uint32_t>& materialOfVertex, const JobContext& job) {
    const auto hashOf = [&](std::uint32_t i) {
        std::uint64_t hash = detail::mixAll(materialOfVertex[i] + 1, mesh.positions[i]);
        const auto add = [&hash, i](const auto& values) {
            if (!values.empty())
                hash = detail::mixAll(hash, values[i]);
        };
        add(mesh.normals);
        add(mesh.uvs);
        add(mesh.colors);
        return mesh.extras.mixSame(hash, i) >> 7;
    };
    const auto same = [&](std::uint32_t a, std::uint32_t b) {
        const auto alike = [a, b](const auto& values) { return values.empty() || detail::alike(values[a], values[b]); };
        return alike(mesh.positions) && materialOfVertex[a] == materialOfVertex[b] && alike(mesh.normals) &&
               alike(mesh.uvs) && alike(mesh.colors) && mesh.extras.same(a, b);
    };
    return weldBy(mesh.positions.size(), hashOf, same, job);
}

void joinVertices(Mesh& mesh, const Weld& weld) {
    std::vector<std::uint32_t> first;
    first.reserve(weld.pointCount);
    for (std::uint32_t v = 0; v < mesh.vertexCount(); ++v)
        if (weld.pointOf[v] == first.size())
            first.push_back(v);
    for (std::uint32_t& v : mesh.indices)
        v = first[weld.pointOf[v]];
    dropUnusedVertices(mesh);
}

void makeNormals(Mesh& mesh, double creaseRadians) {
    const Weld weld = weldPositions(mesh);
    const std::size_t corners = mesh.indices.size();
    std::vector<Vec3f> faceNormal(corners / 3);
    for (std::size_t t = 0; t < corners / 3; ++t) {
        const Vec3f& a = mesh.positions[mesh.indices[3 * t]];
        faceNormal[t] =
            (mesh.positions[mesh.indices[3 * t + 1]] - a).cross(mesh.positions[mesh.indices[3 * t + 2]] - a);
    }
    std::vector<std::uint32_t> first(weld.pointCount + 1, 0);
    for (const std::uint32_t v : mesh.indices)
        ++first[weld.pointOf[v] + 1];
    for (std::size_t i = 1; i < first.size(); ++i)
        first[i] += first[i - 1];
    std::vector<std::uint32_t> faces(corners);
    std::vector<std::uint32_t> fill(first.begin(), first.end() - 1);
    for (std::size_t c = 0; c < corners; ++c)
        faces[fill[weld.pointOf[mesh.indices[c]]]++] = static_cast<std::uint32_t>(c / 3);

    const auto threshold = static_cast<float>(std::cos(creaseRadians));
    Mesh split;
    split.parts = mesh.parts;
    split.indices.resize(corners);
    for (std::size_t c = 0; c < corners; ++c) {
        const std::uint32_t v = mesh.indices[c];
        const std::uint32_t point = weld.pointOf[v];
        const Vec3f own = faceNormal[c / 3].normalized();
        Vec3f sum = Vec3f::Zero();
        for (std::uint32_t i = first[point]; i < first[point + 1]; ++i)
            if (own.dot(faceNormal[faces[i]].normalized()) >= threshold)
                sum += faceNormal[faces[i]];
        const float size = sum.norm();
        split.positions.push_back(mesh.positions[v]);
        split.normals.push_back(size > 0 ? Vec3f(sum / size) : Vec3f(0, 1, 0));
        if (!mesh.uvs.empty())
            split.uvs.push_back(mesh.uvs[v]);
        if (!mesh.colors.empty())
            split.colors.push_back(mesh.colors[v]);
        split.extras.eachWith(mesh.extras, [v](auto& to, const auto& from) {
            if (!from.empty())
                to.push_back(from[v]);
        });
        split.indices[c] = static_cast<std::uint32_t>(c);
    }
    joinVertices(split, weldVertices(split, std::vector<std::uint32_t>(corners, 0)));
    mesh = std::move(split);
}

} // namespace thicket
