#include "base/text.h"
#include "budget/fit.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "io/project/project.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {
namespace {

using nlohmann::ordered_json;

ordered_json encode(const Audit& audit) {
    const Pacing pacing = pacingOf(audit);
    return {{"holds", audit.holds()},  {"frames", audit.frames.size()}, {"frames_over", audit.framesOver},
            {"p50_ms", pacing.p50},    {"p95_ms", pacing.p95},          {"p99_ms", pacing.p99},
            {"worst_ms", pacing.worst}};
}

ordered_json encode(const Fit& fit, const Scene& scene) {
    ordered_json rows = ordered_json::array();
    for (const FitRow& row : fit.rows)
        rows.push_back({{"subject", scene.find(row.subject)->name},
                        {"id", row.subject},
                        {"before", row.before},
                        {"times", row.times},
                        {"error_px_before", row.errorBefore},
                        {"error_px_after", row.errorAfter},
                        {"saves_ms", row.savesMs},
                        {"saves_triangles", row.savesTriangles}});
    ordered_json unheld = ordered_json::array();
    for (const Unheld& u : fit.unheld)
        unheld.push_back({{"limit", keyOf(u.limit)},
                          {"frames", u.frames},
                          {"seconds", u.seconds},
                          {"needed", u.needed},
                          {"budget", u.budget},
                          {"without", u.without != 0 ? ordered_json(scene.find(u.without)->name) : ordered_json()}});
    return {{"before", encode(fit.before)},
            {"after", encode(fit.after)},
            {"flights", fit.flights},
            {"subjects", rows},
            {"unheld", unheld}};
}

void print(const Console& console, const Fit& fit, const Scene& scene) {
    console.out << "subject                 allowance      pixels off          saves at the worst frame\n";
    for (const FitRow& row : fit.rows) {
        if (row.times == row.before && row.times == 1)
            continue;
        console.out << fmt::format("{:<22} x {:>4} -> {:<4} {:>6.2f} -> {:<6.2f} {:>8.2f} ms {:>12} triangles\n",
                                   scene.find(row.subject)->name, figure(row.before, 3), figure(row.times, 3),
                                   row.errorBefore, row.errorAfter, row.savesMs,
                                   grouped(std::llround(row.savesTriangles)));
    }
    const auto say = [&](const char* when, const Audit& audit) {
        const Pacing pacing = pacingOf(audit);
        console.out << fmt::format("  {:<8} {:>6} of {} frames over, worst {:.2f} ms, 99 % {:.2f} ms\n", when,
                                   grouped(audit.framesOver), grouped(static_cast<std::int64_t>(audit.frames.size())),
                                   pacing.worst, pacing.p99);
    };
    say("as it is", fit.before);
    say("fitted", fit.after);
    for (const Unheld& u : fit.unheld)
        console.out << "  " << sentenceOf(u, scene) << '\n';
}

} // namespace

int fit(const Console& console, const ProjectOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    const auto flight = flightOf(*scene, options);
    if (!flight)
        return fail(console, flight.error());
    FitOptions how;
    how.most = options.most;
    for (const std::string& name : options.leave) {
        const auto found = std::find_if(scene->subjects.begin(), scene->subjects.end(),
                                        [&name](const Subject& s) { return s.name == name; });
        if (found == scene->subjects.end())
            return fail(console, {ErrorCode::BadInput, options.project.string(), "has no subject called " + name,
                                  "name one of the project's subjects after --leave"});
        how.leftOut.insert(found->id);
    }
    const auto start = std::chrono::steady_clock::now();
    auto made = fitScene(*scene, *flight->route, *flight->device, how, console.job);
    if (!made)
        return fail(console, inProject(made.error(), options));
    const double ms = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
    const auto index = static_cast<std::size_t>(flight->device - scene->settings.devices.data());
    const std::string device = flight->device->name;
    const std::string route = flight->route->name;
    if (!options.dryRun) {
        scene->settings.devices[index].fitted = made->fitted;
        if (auto done = writeProject(*scene, options.out.empty() ? options.project : options.out, true); !done)
            return fail(console, done.error());
    }
    if (console.json) {
        ordered_json out = encode(*made, *scene);
        out["project"] = options.project.string();
        out["device"] = device;
        out["route"] = route;
        out["fit_ms"] = ms;
        console.out << out.dump(2, ' ', false, ordered_json::error_handler_t::replace) << '\n';
    } else {
        console.out << fmt::format("{} on {}, {} flights in {:.1f} s\n", route, device, made->flights, ms / 1000);
        print(console, *made, *scene);
    }
    return made->holds() ? 0 : 3;
}

} // namespace thicket::cli
