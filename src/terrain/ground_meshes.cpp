#include "terrain/ground_meshes.h"

#include "base/memory.h"
#include "base/text.h"
#include "terrain/greedy_mesh.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

RightTriangles::Bound boundFor(const std::shared_ptr<const Heights>& heights, const GroundMeshAsk& ask, double error) {
    RightTriangles::Bound bound;
    bound.error = error;
    bound.keepBorder = ask.keepBorder;
    if (ask.falloff)
        bound.errorAt = [falloff = *ask.falloff, error, heights](double x, double z) {
            const Vec3d place(x, heights->heightAt(x, z).value_or(0), z);
            const double share = std::clamp((place - falloff.from).norm() / falloff.range, 0.0, 1.0);
            return error + (falloff.error - error) * std::pow(share, falloff.power);
        };
    return bound;
}

Result<RightTriangles> networkOf(const std::shared_ptr<const Heights>& heights, const JobContext& job) {
    const double bytes = 8.0 * static_cast<double>(heights->grid.size());
    if (auto fits = checkMemory(bytes, availableMemory(), "a mesh of this ground"); !fits)
        return fits.error();
    return RightTriangles::measure(heights, job);
}

} // namespace

double bytesOf(const RightTriangles::Count& count) {
    return 24.0 * static_cast<double>(count.vertices) + 12.0 * static_cast<double>(count.triangles);
}

Result<void> checkAsk(const GroundMeshAsk& ask) {
    const auto refuse = [](const std::string& what, const std::string& remedy) {
        return Error{ErrorCode::BadInput, "the mesh", what, remedy};
    };
    if (ask.errors.empty() ||
        std::any_of(ask.errors.begin(), ask.errors.end(), [](double e) { return !(e >= 0 && std::isfinite(e)); }))
        return refuse("has no error to keep to", "state metres of 0 and above");
    if (ask.falloff && !(ask.falloff->error > 0 && ask.falloff->range > 0 && ask.falloff->power > 0))
        return refuse("gets coarser by an error, a range or a power that is not above 0", "give others");
    if (ask.fewest && (ask.keepBorder || ask.falloff))
        return refuse("of fewest triangles keeps no border and has one error everywhere",
                      "leave out the border and the falloff");
    return {};
}

Result<std::vector<RightTriangles::Count>> forecastMeshes(const std::shared_ptr<const Heights>& heights,
                                                          const GroundMeshAsk& ask, const JobContext& job) {
    auto network = networkOf(heights, job);
    if (!network)
        return network.error();
    std::vector<RightTriangles::Count> out;
    for (const double error : ask.errors)
        out.push_back(network->count(boundFor(heights, ask, error)));
    return out;
}

Result<std::vector<std::shared_ptr<const Mesh>>> makeGroundMeshes(const std::shared_ptr<const Heights>& heights,
                                                                  const GroundMeshAsk& ask, std::uint64_t most,
                                                                  const JobContext& job) {
    if (auto good = checkAsk(ask); !good)
        return good.error();
    std::vector<std::shared_ptr<const Mesh>> out;
    std::optional<RightTriangles> network;
    if (!ask.fewest) {
        auto measured = networkOf(heights, job.part(0, 0.6));
        if (!measured)
            return measured.error();
        network = std::move(*measured);
    }
    const double n = static_cast<double>(ask.errors.size());
    std::vector<double> errors = ask.errors;
    std::sort(errors.begin(), errors.end());
    for (const double error : errors) {
        const double at = static_cast<double>(out.size());
        const JobContext own = ask.fewest ? job.part(at / n, (at + 1) / n) : job.part(0.6, 1);
        if (network) {
            const RightTriangles::Count count = network->count(boundFor(heights, ask, error));
            if (count.triangles > most)
                return Error{ErrorCode::TooLarge, "",
                             fmt::format("a mesh within {} would have {} triangles and take {}", length(error),
                                         grouped(static_cast<std::int64_t>(count.triangles)),
                                         memorySize(bytesOf(count))),
                             "allow a larger error, or more triangles"};
        }
        auto mesh = ask.fewest ? greedyMesh(*heights, error, most, own)
                               : network->mesh(boundFor(heights, ask, error), most, own);
        if (!mesh)
            return mesh.error();
        out.push_back(std::make_shared<const Mesh>(std::move(*mesh)));
    }
    return out;
}

} // namespace thicket
