#include "base/file.h"
#include "base/text.h"
#include "budget/sweep.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "io/import/read_cameras.h"
#include "io/project/project.h"
#include "io/ship/write_camera.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <iterator>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {
namespace {

using nlohmann::ordered_json;

ordered_json encode(const SweepPlace& p) {
    return {{"x", p.x},
            {"z", p.z},
            {"eye", p.eye},
            {"ms", p.ms},
            {"triangles", p.triangles},
            {"draws", p.draws},
            {"degrees", p.degrees},
            {"over", p.over}};
}

/// A project, however much of what it is made of is there.
Result<Scene> routesOf(const std::filesystem::path& project, const JobContext& job) {
    auto load = readProject(project, job, ProjectFindings::None);
    if (!load)
        return load.error();
    return std::move(load->scene);
}

} // namespace

int sweep(const Console& console, const SweepCommandOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    const auto device = deviceOf(*scene, options.device, options.project);
    if (!device)
        return fail(console, device.error());
    SweepOptions how;
    how.spacing = options.spacing;
    how.eyeHeight = options.eyeHeight;
    how.directions = options.directions;
    if (options.area.size() == 4)
        how.area = {options.area[0], options.area[1], options.area[2], options.area[3]};
    const auto start = std::chrono::steady_clock::now();
    const auto made = sweepScene(*scene, **device, how, console.job);
    if (!made) {
        Error error = made.error();
        error.where = options.project.string();
        return fail(console, error);
    }
    const double ms = msSince(start);
    if (!options.out.empty())
        if (auto written = writeTextFile(options.out, sweepTable(*made)); !written)
            return fail(console, written.error());
    ordered_json worst = ordered_json::array();
    for (const std::size_t i : made->dearest)
        worst.push_back(encode(made->places[i]));
    if (console.json) {
        print(console, nlohmann::ordered_json{{"project", options.project.string()},
                                              {"device", (*device)->name},
                                              {"spacing", made->spacing},
                                              {"columns", made->columns},
                                              {"rows", made->rows},
                                              {"places", made->places.size()},
                                              {"over", made->over},
                                              {"worst", worst},
                                              {"sweep_ms", ms}});
        return 0;
    }
    console.out << fmt::format("{} x {} places, {:.4g} m apart, {} directions each, on {}: looked round in {:.1f} s\n",
                               made->columns, made->rows, made->spacing, options.directions, (*device)->name,
                               ms / 1000);
    console.out << fmt::format("  over budget at {} of {}\n  the dearest places:\n", grouped(made->over),
                               grouped(made->places.size()));
    for (const ordered_json& p : worst)
        console.out << fmt::format(
            "  {:>9.1f} {:>9.1f}  {:>7.2f} ms {:>12} triangles {:>6} draws, towards {:.0f} degrees\n",
            p["x"].get<double>(), p["z"].get<double>(), p["ms"].get<double>(),
            grouped(p["triangles"].get<std::int64_t>()), p["draws"].get<std::int64_t>(), p["degrees"].get<double>());
    return 0;
}

int routes(const Console& console, const RouteOptions& options) {
    // What is written again must have been read whole.
    auto opened =
        options.cameras.empty() ? routesOf(options.project, console.job) : openWhole(options.project, console.job);
    if (!opened)
        return fail(console, opened.error());
    Scene& scene = *opened;
    if (!options.cameras.empty()) {
        auto read = readCameras(options.cameras, console.job);
        if (!read)
            return fail(console, read.error());
        std::move(read->begin(), read->end(), std::back_inserter(scene.settings.routes));
        const auto& out = options.out.empty() ? options.project : options.out;
        if (auto written = writeProject(scene, out, true); !written)
            return fail(console, written.error());
    }
    if (!options.camera.empty()) {
        const Route* route = options.route.empty() ? scene.currentRoute() : nullptr;
        for (const Route& r : scene.settings.routes)
            if (r.name == options.route)
                route = &r;
        if (route == nullptr || route->length() <= 0)
            return fail(console, {ErrorCode::BadInput, options.project.string(),
                                  route == nullptr
                                      ? options.route.empty() ? "has no route" : "has no route called " + options.route
                                      : "the route " + route->name + " has no length",
                                  "name one of the project's routes that goes somewhere"});
        if (auto written = writeCamera(options.camera, *route, scene.statedView()); !written)
            return fail(console, written.error());
    }
    ordered_json list = ordered_json::array();
    for (const Route& r : scene.settings.routes)
        list.push_back({{"name", r.name}, {"seconds", r.length()}, {"keys", r.keys.size()}, {"loop", r.loop}});
    if (console.json) {
        print(console, nlohmann::ordered_json{{"project", options.project.string()}, {"routes", list}});
        return 0;
    }
    for (const Route& r : scene.settings.routes)
        console.out << fmt::format("{:<24} {:>8.1f} s {:>5} keys{}\n", r.name, r.length(), r.keys.size(),
                                   r.loop ? ", closed" : "");
    return 0;
}

} // namespace thicket::cli
