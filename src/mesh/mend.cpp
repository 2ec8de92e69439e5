#include "mesh/mend.h"

#include "mesh/mesh_checks.h"
#include "mesh/upright.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <numbers>

namespace thicket {
namespace {

/// Takes triangles away, and parts that are left without any. The order of the rest stays.
void dropTriangles(Mesh& mesh, const TriangleList& dropped) {
    std::vector<std::uint32_t> indices;
    std::vector<MeshPart> parts;
    indices.reserve(mesh.indices.size());
    auto next = dropped.begin();
    for (const MeshPart& part : mesh.parts) {
        MeshPart left{static_cast<std::uint32_t>(indices.size() / 3), 0, part.material};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            if (next != dropped.end() && *next == t) {
                ++next;
                continue;
            }
            indices.insert(indices.end(), {mesh.indices[3 * t], mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]});
            ++left.triangleCount;
        }
        if (left.triangleCount > 0)
            parts.push_back(left);
    }
    mesh.indices = std::move(indices);
    mesh.parts = std::move(parts);
}

/// Puts points where others are.
void movePoints(Mesh& mesh, const Weld& weld, const std::vector<std::pair<std::uint32_t, std::uint32_t>>& moves) {
    constexpr std::uint32_t kNone = ~0U;
    std::vector<std::uint32_t> vertexAt(weld.pointCount, kNone);
    for (std::uint32_t v = 0; v < weld.pointOf.size(); ++v)
        if (vertexAt[weld.pointOf[v]] == kNone)
            vertexAt[weld.pointOf[v]] = v;
    std::vector<std::uint32_t> to(weld.pointCount, kNone);
    for (const auto& [from, goal] : moves)
        to[from] = goal;
    const std::vector<Vec3f> before = mesh.positions;
    for (std::uint32_t v = 0; v < weld.pointOf.size(); ++v)
        if (to[weld.pointOf[v]] != kNone)
            mesh.positions[v] = before[vertexAt[to[weld.pointOf[v]]]];
}

void turnRound(Mesh& mesh, const TriangleList& flipped) {
    for (const std::uint32_t t : flipped)
        std::swap(mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
    if (mesh.normals.empty())
        return;
    // Normals follow where they now point to the back of what they belong to.
    std::vector<Vec3f> faces(mesh.positions.size(), Vec3f(0, 0, 0));
    for (std::size_t i = 0; i < mesh.indices.size(); i += 3) {
        const Vec3f& a = mesh.positions[mesh.indices[i]];
        const Vec3f normal = (mesh.positions[mesh.indices[i + 1]] - a).cross(mesh.positions[mesh.indices[i + 2]] - a);
        for (std::size_t k = 0; k < 3; ++k)
            faces[mesh.indices[i + k]] += normal;
    }
    std::vector<bool> touched(mesh.positions.size(), false);
    for (const std::uint32_t t : flipped)
        for (std::uint32_t k = 0; k < 3; ++k)
            touched[mesh.indices[3 * t + k]] = true;
    for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
        if (!touched[v] || faces[v].dot(mesh.normals[v]) >= 0)
            continue;
        mesh.normals[v] = -mesh.normals[v];
        if (!mesh.extras.tangents.empty())
            mesh.extras.tangents[v].w() = -mesh.extras.tangents[v].w();
        for (MorphTarget& morph : mesh.extras.morphs)
            if (!morph.normalMoves.empty())
                morph.normalMoves[v] = -morph.normalMoves[v];
    }
}

double thinnessOf(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double longest = std::max({(b - a).squaredNorm(), (c - a).squaredNorm(), (c - b).squaredNorm()});
    return longest > 0 ? (b - a).cross(c - a).norm() / longest : 0;
}

/// Turns the longest side of flat needles, those whose third corner lies on it, where that leaves two better ones. The
/// side must be inside one surface: the same two vertices on both sides.
std::uint32_t turnSides(Mesh& mesh, const TriangleList& needles, std::vector<bool>& busy) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> sides;
    for (const std::uint32_t t : needles)
        for (std::uint32_t k = 0; k < 3; ++k)
            sides[std::minmax(mesh.indices[3 * t + k], mesh.indices[3 * t + (k + 1) % 3])];
    std::vector<std::uint32_t> partOf(mesh.triangleCount());
    for (std::uint32_t p = 0; p < mesh.parts.size(); ++p)
        std::fill_n(partOf.begin() + mesh.parts[p].firstTriangle, mesh.parts[p].triangleCount, p);
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
        for (std::uint32_t k = 0; k < 3; ++k) {
            const auto found = sides.find(std::minmax(mesh.indices[3 * t + k], mesh.indices[3 * t + (k + 1) % 3]));
            if (found != sides.end())
                found->second.push_back(t);
        }
    const auto at = [&mesh](std::uint32_t v) { return Vec3d(mesh.positions[v].cast<double>()); };
    std::uint32_t turned = 0;
    for (const std::uint32_t t : needles) {
        std::uint32_t k = 0; // the longest side goes from corner k to the one after it
        double longest = -1;
        for (std::uint32_t i = 0; i < 3; ++i) {
            const double l = (at(mesh.indices[3 * t + i]) - at(mesh.indices[3 * t + (i + 1) % 3])).squaredNorm();
            if (l > longest) {
                longest = l;
                k = i;
            }
        }
        const std::uint32_t a = mesh.indices[3 * t + k];
        const std::uint32_t b = mesh.indices[3 * t + (k + 1) % 3];
        const std::uint32_t c = mesh.indices[3 * t + (k + 2) % 3];
        const auto& beside = sides[std::minmax(a, b)];
        if (beside.size() != 2)
            continue;
        const std::uint32_t other = beside[0] == t ? beside[1] : beside[0];
        if (busy[t] || busy[other] || partOf[t] != partOf[other])
            continue;
        std::uint32_t m = 0;
        while (m < 3 && mesh.indices[3 * other + m] != b)
            ++m;
        if (m == 3 || mesh.indices[3 * other + (m + 1) % 3] != a)
            continue; // it faces the other way
        const std::uint32_t d = mesh.indices[3 * other + (m + 2) % 3];
        const Vec3d normal = (at(a) - at(b)).cross(at(d) - at(b));
        const Vec3d first = (at(d) - at(a)).cross(at(c) - at(a));
        const Vec3d second = (at(b) - at(d)).cross(at(c) - at(d));
        const double before = std::min(thinnessOf(at(a), at(b), at(c)), thinnessOf(at(b), at(a), at(d)));
        const double after = std::min(thinnessOf(at(a), at(d), at(c)), thinnessOf(at(d), at(b), at(c)));
        if (after <= before || first.dot(normal) <= 0 || second.dot(normal) <= 0 || c == d)
            continue;
        const std::array<std::uint32_t, 3> one{a, d, c};
        const std::array<std::uint32_t, 3> two{d, b, c};
        std::copy(one.begin(), one.end(), mesh.indices.begin() + 3 * t);
        std::copy(two.begin(), two.end(), mesh.indices.begin() + 3 * other);
        busy[t] = busy[other] = true;
        ++turned;
    }
    return turned;
}

/// Closes short sides and turns long ones until no needle is left that one of the two would help.
std::uint32_t mendNeedles(Mesh& mesh, double share) {
    constexpr int kMostRounds = 16;
    std::uint32_t mended = 0;
    for (int round = 0; round < kMostRounds; ++round) {
        const Weld weld = weldPositions(mesh);
        const TriangleList needles = needleTriangles(mesh, weld, share);
        if (needles.empty())
            break;
        // A point goes or is gone to once a round: the rim of a fan is thinned out, not drawn together in one place.
        std::vector<bool> still(weld.pointCount, true);
        std::vector<std::pair<std::uint32_t, std::uint32_t>> moves;
        TriangleList flat;
        for (const std::uint32_t t : needles) {
            std::array<std::pair<double, std::uint32_t>, 3> sides;
            for (std::uint32_t k = 0; k < 3; ++k)
                sides[k] = {
                    (mesh.positions[mesh.indices[3 * t + k]] - mesh.positions[mesh.indices[3 * t + (k + 1) % 3]])
                        .cast<double>()
                        .norm(),
                    k};
            std::sort(sides.begin(), sides.end());
            if (sides[0].first > 4 * share * sides[2].first) {
                flat.push_back(t);
                continue;
            }
            const std::uint32_t k = sides[0].second;
            const auto [to, from] =
                std::minmax(weld.pointOf[mesh.indices[3 * t + k]], weld.pointOf[mesh.indices[3 * t + (k + 1) % 3]]);
            if (!still[to] || !still[from])
                continue;
            still[to] = still[from] = false;
            moves.emplace_back(from, to);
        }
        std::vector<bool> busy(mesh.triangleCount(), false);
        for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t)
            for (std::uint32_t k = 0; k < 3; ++k)
                if (!still[weld.pointOf[mesh.indices[3 * t + k]]])
                    busy[t] = true;
        const std::uint32_t turned = turnSides(mesh, flat, busy);
        if (moves.empty() && turned == 0)
            break;
        movePoints(mesh, weld, moves);
        const std::uint32_t before = mesh.triangleCount();
        dropTriangles(mesh, trianglesWithoutArea(mesh, weldPositions(mesh)));
        mended += before - mesh.triangleCount() + turned;
    }
    return mended;
}

void scaleMesh(Mesh& mesh, float by) {
    for (Vec3f& p : mesh.positions)
        p *= by;
    for (MorphTarget& morph : mesh.extras.morphs)
        for (Vec3f& move : morph.moves)
            move *= by;
}

void turnMeshUp(Mesh& mesh, Up up) {
    const auto turn = [up](auto& vectors) {
        for (auto& v : vectors)
            v = turnedUp(up, v);
    };
    turn(mesh.positions);
    turn(mesh.normals);
    turn(mesh.extras.tangents);
    for (MorphTarget& morph : mesh.extras.morphs) {
        turn(morph.moves);
        turn(morph.normalMoves);
    }
}

} // namespace

std::optional<double> unitMetres(const std::string& text) {
    for (const LengthUnit& unit : kLengthUnits)
        if (text == unit.name)
            return unit.metres;
    double metres = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), metres);
    const auto [low, high] = mendRange(MendKind::Unit);
    if (error != std::errc() || end != text.data() + text.size() || !(metres >= low && metres <= high))
        return std::nullopt;
    return metres;
}

std::pair<double, double> mendRange(MendKind kind) {
    switch (kind) {
    case MendKind::Unwelded:
        return {1e-9, 1000};
    case MendKind::Normals:
        return {0, 180};
    case MendKind::Specks:
        return {1e-6, 0.5};
    case MendKind::Needles:
        return {1e-6, 0.2};
    case MendKind::Unit:
        return {1e-6, 1e6};
    case MendKind::Upright:
        return {1, 3};
    case MendKind::Area:
    case MendKind::Duplicates:
    case MendKind::Flipped:
    case MendKind::Place:
        return {0, 0};
    }
    return {0, 0};
}

std::optional<Mend> mendFor(FindingKind finding, double diagonal) {
    constexpr double kCreaseDegrees = 45;
    switch (finding) {
    case FindingKind::DegenerateTriangles:
        return Mend{MendKind::Area, 0};
    case FindingKind::DuplicateTriangles:
        return Mend{MendKind::Duplicates, 0};
    case FindingKind::UnweldedPoints:
        return Mend{MendKind::Unwelded, kUnweldedShare * diagonal};
    case FindingKind::MissingNormals:
        return Mend{MendKind::Normals, kCreaseDegrees};
    case FindingKind::LooseSpecks:
        return Mend{MendKind::Specks, kSpeckShare};
    case FindingKind::Needles:
        return Mend{MendKind::Needles, kNeedleShare};
    case FindingKind::FlippedTriangles:
        return Mend{MendKind::Flipped, 0};
    case FindingKind::UnusualSize: // in what it was made is for a person to say
    case FindingKind::NonManifoldEdges:
    case FindingKind::OpenBorders:
    case FindingKind::MissingUvs:
    case FindingKind::LevelsOutOfOrder:
    case FindingKind::LevelBoundsDisagree:
    case FindingKind::TooLight:
    case FindingKind::SeveralThings:
        return std::nullopt;
    }
    return std::nullopt;
}

Result<std::uint32_t> mendMesh(Mesh& mesh, const Mend& mend) {
    const Weld weld = weldPositions(mesh);
    Mesh out = mesh;
    std::uint32_t mended = 0;
    const auto drop = [&](const TriangleList& which) {
        mended = static_cast<std::uint32_t>(which.size());
        dropTriangles(out, which);
    };
    switch (mend.kind) {
    case MendKind::Area:
        drop(trianglesWithoutArea(mesh, weld));
        break;
    case MendKind::Duplicates:
        drop(duplicateTriangles(mesh, weld));
        break;
    case MendKind::Specks:
        drop(speckTriangles(mesh, weld, mend.value));
        break;
    case MendKind::Unwelded: {
        const auto moves = unweldedPoints(mesh, weld, sidesOf(mesh, weld), mend.value);
        mended = static_cast<std::uint32_t>(moves.size());
        movePoints(out, weld, moves);
        dropTriangles(out, trianglesWithoutArea(out, weldPositions(out)));
        break;
    }
    case MendKind::Normals:
        out.extras.tangents.clear(); // they went with the normals of before
        makeNormals(out, mend.value * std::numbers::pi / 180);
        mended = out.vertexCount();
        break;
    case MendKind::Needles:
        mended = mendNeedles(out, mend.value);
        break;
    case MendKind::Flipped: {
        const TriangleList flipped = flippedTriangles(mesh, weld, sidesOf(mesh, weld));
        mended = static_cast<std::uint32_t>(flipped.size());
        turnRound(out, flipped);
        break;
    }
    case MendKind::Unit:
        mended = mend.value == 1 ? 0 : mesh.vertexCount();
        scaleMesh(out, static_cast<float>(mend.value));
        break;
    case MendKind::Upright:
        if (mend.value != 1 && mend.value != 2 && mend.value != 3)
            return Error{ErrorCode::BadInput, {}, fmt::format("{} is no axis that is up", mend.value), "use 1, 2 or 3"};
        mended = mesh.vertexCount();
        turnMeshUp(out, static_cast<Up>(static_cast<int>(mend.value)));
        break;
    case MendKind::Place:
        break;
    }
    if (mended == 0)
        return mended;
    if (out.indices.empty())
        return Error{ErrorCode::BadInput,
                     {},
                     fmt::format("nothing would be left ({})", keyOf(mend.kind)),
                     "choose a smaller value"};
    dropUnusedVertices(out);
    mesh = std::move(out);
    return mended;
}

} // namespace thicket
