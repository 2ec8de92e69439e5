#include "measure/pose_deviation.h"

#include <algorithm>

namespace thicket {

Result<std::vector<PosedDeviation>> deviationInPoses(const Mesh& reference, std::span<const Mesh* const> levels,
                                                     const Rig& rig, const PoseOptions& options,
                                                     const JobContext& job) {
    std::vector<PosedDeviation> out(levels.size());
    if (!moves(reference))
        return out;
    const std::vector<Moment> moments = momentsOf(rig, options.moments);
    std::vector<std::vector<std::pair<double, std::size_t>>> found(levels.size()); // by vertices, with the moment
    for (std::size_t i = 0; i < moments.size(); ++i) {
        job.report(0.7 * static_cast<double>(i) / static_cast<double>(moments.size()), "measuring in motion");
        const Pose pose = poseAt(rig, moments[i]);
        const Mesh whole = posed(reference, pose);
        const SurfaceQuery query(whole);
        for (std::size_t l = 0; l < levels.size(); ++l) {
            if (job.cancelled())
                return cancelledError();
            if (levels[l] != nullptr && moves(*levels[l]))
                found[l].emplace_back(sampleDeviation(whole, query, posed(*levels[l], pose), options.points).max, i);
        }
    }
    DeviationOptions full;
    full.samples = 0;
    for (std::size_t l = 0; l < levels.size(); ++l) {
        std::sort(found[l].rbegin(), found[l].rend());
        found[l].resize(std::min(found[l].size(), options.inFull));
        for (const auto& [off, i] : found[l]) {
            const Pose pose = poseAt(rig, moments[i]);
            const auto whole =
                measureDeviation(posed(reference, pose), posed(*levels[l], pose), full, job.part(0.7, 1));
            if (!whole)
                return whole.error();
            if (whole->max() > out[l].max)
                out[l] = {whole->max(), moments[i]};
        }
    }
    return out;
}

} // namespace thicket
