#include "scene/take_levels.h"

#include "scene/kinds.h"
#include "scene/strand_subject.h"

#include <algorithm>

namespace thicket {
namespace {

Result<void> takeEmitterLevels(Subject& to, const Subject& from) {
    Emitter& own = std::get<EmitterBody>(to.body).emitter;
    const Emitter& other = from.emitter()->emitter;
    // By name, whatever order they stand in; a part that the other has not stays as its source says.
    std::vector<std::optional<std::size_t>> partOf;
    for (const EmitterPart& part : own.parts) {
        const auto found = std::find_if(other.parts.begin(), other.parts.end(),
                                        [&](const EmitterPart& p) { return p.name == part.name; });
        partOf.push_back(found != other.parts.end() ? std::optional<std::size_t>(found - other.parts.begin())
                                                    : std::nullopt);
    }
    if (std::none_of(partOf.begin(), partOf.end(), [](const auto& part) { return part.has_value(); }))
        return Error{ErrorCode::BadInput, to.name, "has no part of a name that " + from.name + " has",
                     "name its parts alike first"};
    std::vector<EmitterLevel> levels;
    for (const EmitterLevel& level : other.levels) {
        EmitterLevel made = level;
        made.parts.assign(own.parts.size(), {});
        for (std::size_t p = 0; p < partOf.size(); ++p)
            if (partOf[p] && *partOf[p] < level.parts.size())
                made.parts[p] = level.parts[*partOf[p]];
        levels.push_back(std::move(made));
    }
    own.levels = std::move(levels);
    own.levelBy = other.levelBy;
    if (own.forced && *own.forced >= own.levels.size())
        own.forced.reset();
    return checkEmitter(own, to.name);
}

} // namespace

Result<Subject> takeLevels(const Subject& subject, const Subject& from, const JobContext& job) {
    if (subject.kind() != from.kind() || subject.id == from.id)
        return Error{ErrorCode::BadInput, subject.name, "cannot have the levels of " + from.name,
                     "take those of another subject of its kind"};
    Subject out = subject;
    out.rule = from.rule;
    if (subject.isMesh()) {
        std::vector<Level>& own = out.mesh().levels;
        const std::vector<Level>& other = from.mesh().levels;
        for (std::size_t i = 1; i < own.size(); ++i)
            own[i].fixed = i < other.size() ? other[i].fixed : std::nullopt;
    } else if (auto* field = std::get_if<InstancesBody>(&out.body)) {
        field->thinning = from.instances()->thinning;
        field->fixed = from.instances()->fixed;
    } else if (auto* ground = std::get_if<TerrainBody>(&out.body)) {
        ground->between = from.terrain()->between;
        ground->fixed = from.terrain()->fixed;
        if (ground->tree)
            ground->fixed.resize(std::min(ground->fixed.size(), ground->tree->levels.size()));
    } else if (auto* strands = std::get_if<StrandsBody>(&out.body)) {
        strands->thinning = from.strands()->thinning;
        if (strands->strands && !strands->levels.empty()) {
            std::vector<StrandLevel> levels = from.strands()->levels;
            levels.front() = strands->levels.front();
            return withStrandLevels(std::move(out), std::move(levels), job);
        }
    } else if (auto done = takeEmitterLevels(out, from); !done) {
        return done.error();
    }
    return out;
}

} // namespace thicket
