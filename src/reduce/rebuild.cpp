#include "reduce/rebuild.h"

#include "reduce/even_surface.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace thicket {

Result<Mesh> rebuildEven(const Mesh& source, const SurfaceQuery& query, const Mesh& start,
                         const RebuildOptions& options, const JobContext& job) {
    reduce::EvenSurface surface(start, options.creaseDegrees);
    const double area = surface.area();
    if (!(area > 0))
        return Error{ErrorCode::BadInput, "", "all triangles are without area", "check the file's unit and the mesh"};
    // The edge of an equilateral triangle of the mean area; corrected by what comes out.
    double edge = std::sqrt(4 * area / (std::sqrt(3.0) * options.triangles));
    for (int round = 0; round < options.rounds; ++round) {
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(round) / options.rounds, "rebuilding evenly");
        surface.split(4.0 / 3 * edge, query);
        if (job.cancelled())
            return cancelledError();
        surface.collapse(4.0 / 5 * edge, 4.0 / 3 * edge);
        surface.flip();
        if (job.cancelled())
            return cancelledError();
        surface.relax(query);
        if (round + 2 < options.rounds)
            edge *= std::clamp(std::sqrt(static_cast<double>(surface.triangleCount()) / options.triangles), 0.8, 1.25);
    }
    surface.flip();
    for (int i = 0; i < 3; ++i)
        surface.relax(query);
    if (job.cancelled())
        return cancelledError();
    Mesh out = surface.finish(source, query);
    job.report(1, "rebuilt");
    return out;
}

std::vector<FacesOfPart> pairIntoQuads(const Mesh& mesh) {
    struct Candidate {
        double badness;
        std::uint32_t first;
        std::uint32_t second;
        Face face;
    };
    std::vector<Candidate> candidates;
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> edgeOf; // directed: the triangle that runs it
    const auto place = [&](std::uint32_t v) { return mesh.positions[v].cast<double>(); };
    for (const MeshPart& part : mesh.parts) {
        edgeOf.clear();
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t)
            for (std::size_t k = 0; k < 3; ++k)
                edgeOf[{mesh.indices[3 * std::size_t{t} + k], mesh.indices[3 * std::size_t{t} + (k + 1) % 3]}] = t;
        for (const auto& [edge, t] : edgeOf) {
            const auto other = edgeOf.find({edge.second, edge.first});
            if (other == edgeOf.end() || other->second <= t)
                continue;
            const auto tip = [&, edge = edge](std::uint32_t triangle) {
                for (std::size_t k = 0; k < 3; ++k)
                    if (const std::uint32_t v = mesh.indices[3 * std::size_t{triangle} + k];
                        v != edge.first && v != edge.second)
                        return v;
                return edge.first;
            };
            const Face face{edge.first, tip(other->second), edge.second, tip(t)};
            double badness = 0;
            bool convex = true;
            const Vec3d n = (place(face[2]) - place(face[0])).cross(place(face[3]) - place(face[1])).normalized();
            for (std::size_t k = 0; k < 4; ++k) {
                const Vec3d to = (place(face[(k + 1) % 4]) - place(face[k])).normalized();
                const Vec3d from = (place(face[(k + 3) % 4]) - place(face[k])).normalized();
                badness = std::max(badness, std::abs(to.dot(from)));
                convex &= to.cross(from).dot(n) > 0.1;
            }
            if (convex && badness < 0.87)
                candidates.push_back({badness, t, other->second, face});
        }
    }
    std::sort(candidates.begin(), candidates.end(), [](const Candidate& a, const Candidate& b) {
        return a.badness != b.badness ? a.badness < b.badness : a.first < b.first;
    });
    std::vector<const Candidate*> quadOf(mesh.triangleCount(), nullptr);
    for (const Candidate& c : candidates)
        if (quadOf[c.first] == nullptr && quadOf[c.second] == nullptr)
            quadOf[c.first] = quadOf[c.second] = &c;
    std::vector<FacesOfPart> out;
    for (const MeshPart& part : mesh.parts) {
        FacesOfPart faces{part.material, {}};
        for (std::uint32_t t = part.firstTriangle; t < part.firstTriangle + part.triangleCount; ++t) {
            if (quadOf[t] == nullptr)
                faces.faces.push_back({mesh.indices[3 * std::size_t{t}], mesh.indices[3 * std::size_t{t} + 1],
                                       mesh.indices[3 * std::size_t{t} + 2], kNoCorner});
            else if (quadOf[t]->first == t)
                faces.faces.push_back(quadOf[t]->face);
        }
        out.push_back(std::move(faces));
    }
    return out;
}

} // namespace thicket
