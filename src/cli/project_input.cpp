#include "cli/project_input.h"

#include "io/project/project.h"
#include "scene/thin_subject.h"

#include <algorithm>

namespace thicket::cli {

Result<Scene> openWhole(const std::filesystem::path& path, const JobContext& job) {
    auto load = readProject(path, job);
    if (!load)
        return load.error();
    if (!load->problems.empty())
        return load->problems.front();
    for (Subject& subject : load->scene.subjects) {
        if (std::find(load->toCut.begin(), load->toCut.end(), subject.id) == load->toCut.end())
            continue;
        auto state = recordSubject(subject, {}, job);
        if (!state)
            return state.error();
        subject = restoreLevels(subject, *state);
    }
    return std::move(load->scene);
}

} // namespace thicket::cli
