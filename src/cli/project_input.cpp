#include "cli/project_input.h"

#include "io/import/import.h"
#include "io/project/project.h"
#include "scene/edits.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <numbers>

namespace thicket::cli {

Result<Scene> openWhole(const std::filesystem::path& path, const JobContext& job) {
    auto load = readProject(path, job, ProjectFindings::None);
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

Result<const Device*> deviceOf(const Scene& scene, const std::string& name, const std::filesystem::path& project) {
    const auto& devices = scene.settings.devices;
    const auto named =
        std::find_if(devices.begin(), devices.end(), [&name](const Device& d) { return d.name == name; });
    const Device* device = name.empty() ? scene.currentDevice() : named != devices.end() ? &*named : nullptr;
    if (device == nullptr)
        return Error{ErrorCode::BadInput, project.string(),
                     name.empty() ? "has no device" : "has no device called " + name,
                     name.empty() ? "add one in Budget" : "name one of the project's devices"};
    return device;
}

Result<Flight> flightOf(const Scene& scene, const ProjectOptions& options) {
    const auto device = deviceOf(scene, options.device, options.project);
    if (!device)
        return device.error();
    const Route* route = options.route.empty() ? scene.currentRoute() : nullptr;
    for (const Route& r : scene.settings.routes)
        if (route == nullptr && r.name == options.route)
            route = &r;
    if (route == nullptr)
        return Error{ErrorCode::BadInput, options.project.string(),
                     options.route.empty() ? "has no route" : "has no route called " + options.route,
                     options.route.empty() ? "key a camera move in Budget first" : "name one of the project's routes"};
    return Flight{*device, route};
}

Error inProject(Error error, const ProjectOptions& options) {
    error.where = options.project.string() + (error.where.empty() ? "" : ", " + error.where);
    return error;
}

Result<void> addSurface(Scene& scene, const std::filesystem::path& file, const JobContext& job) {
    auto read = readModel(file, job);
    if (!read)
        return read.error();
    std::vector<Subject> made;
    for (ImportedSubject& one : joinFamilies(std::move(*read))) {
        one.placed.clear();
        auto subject = makeSubject(std::move(one), job);
        if (!subject)
            return subject.error();
        subject->role = Role::Horizon;
        made.push_back(std::move(*subject));
    }
    const std::size_t before = scene.subjects.size();
    apply(scene, addSubjects(scene, std::move(made), "Add"));
    for (std::size_t i = before; i < scene.subjects.size(); ++i) {
        Placement standing;
        standing.id = scene.nextId++;
        scene.subjects[i].mesh().placed = std::make_shared<const Placements>(Placements{standing});
    }
    return {};
}

View viewWith(double fovDegrees, int lines) {
    View view;
    view.fovY = fovDegrees * std::numbers::pi / 180;
    view.lines = lines;
    return view;
}

} // namespace thicket::cli
