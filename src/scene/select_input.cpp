#include "scene/select_input.h"

#include "scene/kinds.h"

#include <algorithm>
#include <map>
#include <set>

namespace thicket {
namespace {

/// Where the copies that distances are measured from stand: id to the middle of the copy. Only those that are asked
/// for are looked up, and all of them in one pass.
std::map<std::uint32_t, Vec3d> targetsOf(const Scene& scene) {
    std::set<std::uint32_t> wanted;
    for (const Subject& subject : scene.subjects)
        if (subject.rule.target != 0)
            wanted.insert(subject.rule.target);
    std::map<std::uint32_t, Vec3d> out;
    if (wanted.empty())
        return out;
    for (const Subject& subject : scene.subjects)
        if (subject.isMesh() && subject.mesh().placed)
            for (const Placement& p : *subject.mesh().placed)
                if (wanted.contains(p.id))
                    out[p.id] = centreOf(p, subject.bounds);
    return out;
}

std::set<std::uint32_t> assetsOf(const Scene& scene) {
    std::set<std::uint32_t> out;
    for (const Subject& subject : scene.subjects)
        if (const InstancesBody* field = subject.instances())
            out.insert(field->assets.begin(), field->assets.end());
    return out;
}

/// The one copy of what nobody has placed; the same array as before where it stands in the same place.
SharedPlacements standingAt(double x, std::uint32_t id, const SelectInput* before) {
    if (before != nullptr)
        for (const Batch& batch : before->batches)
            if (const Placements& p = *batch.copies->placements; before->subjects[batch.subject] == id &&
                                                                 p.size() == 1 && p.front().id == 0 &&
                                                                 p.front().position.x() == x)
                return batch.copies->placements;
    Placement standing;
    standing.position.x() = x;
    return std::make_shared<const Placements>(Placements{standing});
}

} // namespace

SelectInput selectInput(const Scene& scene, const View& view, const SelectInput* before) {
    SelectInput out;
    for (const Subject& subject : scene.subjects)
        out.subjects.push_back(subject.id);
    const auto targets = targetsOf(scene);
    const auto assets = assetsOf(scene);
    double right = 0;
    bool first = true;
    for (std::uint32_t i = 0; i < scene.subjects.size(); ++i) {
        const Subject& subject = scene.subjects[i];
        std::vector<Batch> batches = batchesOf(scene, i, view, before);
        if (batches.empty() && subject.isMesh() && !assets.contains(subject.id)) {
            const Bounds& bounds = subject.bounds;
            const double at = first ? 0 : right - bounds.low.x() + 0.2 * bounds.size().x();
            right = at + bounds.high.x();
            first = false;
            Scene one;
            one.subjects = {subject};
            one.subjects.front().mesh().placed = standingAt(at, subject.id, before);
            batches = batchesOf(one, 0, view, before);
            for (Batch& batch : batches)
                batch.subject = batch.asset = i;
        }
        if (auto ground = groundBatchOf(subject, i, view))
            out.grounds.push_back(std::move(*ground));
        for (Batch& batch : batches) {
            if (const auto target = targets.find(batch.chain.rule.target); target != targets.end())
                batch.chain.measuredFrom = target->second;
            out.batches.push_back(std::move(batch));
        }
    }
    return out;
}

SelectOptions selectOptions(const Scene& scene, double speed) {
    SelectOptions options;
    options.speed = speed;
    options.halfSpeed = scene.settings.halfSpeed;
    options.cullHidden = scene.settings.cullHidden;
    return options;
}

std::optional<std::uint32_t> indexOf(const SelectInput& input, std::uint32_t subject) {
    const auto found = std::find(input.subjects.begin(), input.subjects.end(), subject);
    if (found == input.subjects.end())
        return std::nullopt;
    return static_cast<std::uint32_t>(found - input.subjects.begin());
}

} // namespace thicket
