// Emitters at the command line: what every level has alive and draws over, before anything runs.

#include "base/file.h"
#include "base/text.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "emitters/emitter_look.h"
#include "io/project/emitter_file.h"
#include "io/project/project.h"
#include "scene/edits.h"
#include "scene/emitter_subject.h"

#include <fmt/format.h>

namespace thicket::cli {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

int emitter(const Console& console, const EmitterOptions& options) {
    auto file = readEmitterFile(options.file);
    if (!file)
        return fail(console, file.error());
    if (options.add > 0) {
        const EmitterLevel& last = file->emitter.levels.back();
        file->emitter.levels.push_back(
            nextLevel(file->emitter, options.add,
                      last.from.unit == DecideBy::Distance && last.from.value > 0 ? 2 * last.from.value : 25));
    }
    auto made = makeEmitter(file->name, file->emitter, file->sprites);
    if (!made) {
        Error error = made.error();
        error.where = options.file.string();
        return fail(console, error);
    }
    made->source = {fs::absolute(options.file).lexically_normal(), file->hash, {}};
    const View view = viewWith(options.fovDegrees, options.heightPx);
    const ResolvedChain chain = emitterChain(*made, view);
    const auto pops = emitterPops(file->emitter, chain.fromMetres, view, console.job);
    if (!pops)
        return fail(console, pops.error());
    ordered_json out{{"emitter", file->name}, {"parts", file->emitter.parts.size()}};
    out["levels"] = ordered_json::array();
    std::string lines;
    for (std::size_t l = 0; l < file->emitter.levels.size(); ++l) {
        const auto parts = partsAt(file->emitter, l);
        const EmitterForecast forecast = forecastOf(parts);
        ordered_json over = ordered_json::array();
        std::string overText;
        for (const double metres : options.distances) {
            const double overdraw = forecast.overdraw(metres, view);
            over.push_back({{"metres", metres}, {"overdraw", overdraw}});
            overText += fmt::format("  {} x at {}", figure(overdraw, 2), length(metres));
        }
        ordered_json byPart = ordered_json::array();
        for (const EmitterPart& part : parts)
            byPart.push_back({{"part", part.name}, {"on", part.on}, {"live", forecastOf({part}).live}});
        out["levels"].push_back({{"from_metres", chain.fromMetres[l]},
                                 {"own_values", ownValues(file->emitter.levels[l])},
                                 {"live", forecast.live},
                                 {"worst", forecast.worst},
                                 {"draws", forecast.draws},
                                 {"bytes", forecast.bytes()},
                                 {"overdraw", over},
                                 {"parts", byPart}});
        lines += fmt::format("  L{}  {:>8} live, {:>8} at worst, {} of {} parts, from {}\n     {}\n", l,
                             grouped(std::lround(forecast.live)), grouped(std::lround(forecast.worst)),
                             forecast.partsOn, parts.size(), length(chain.fromMetres[l]), overText);
        if (l > 0) {
            const EmitterPop& pop = (*pops)[l - 1];
            out["levels"].back()["switch"] = {{"cover_before_px", pop.coverBefore},
                                              {"cover_after_px", pop.coverAfter},
                                              {"lightness_before", pop.lightBefore},
                                              {"lightness_after", pop.lightAfter},
                                              {"delta_e", pop.deltaE},
                                              {"unseen", pop.unseen()}};
            lines += fmt::format("     where it comes in: cover {} to {} px, colours apart by {} ({})\n",
                                 grouped(std::lround(pop.coverBefore)), grouped(std::lround(pop.coverAfter)),
                                 figure(pop.deltaE, 2), pop.unseen() ? "unseen" : "seen");
        }
    }
    if (options.resolved) {
        const std::string text = encodeEmitterFile(file->name, file->emitter, EmitterText::Resolved,
                                                   fs::absolute(options.out).parent_path());
        if (auto done = writeTextFile(options.out, text); !done)
            return fail(console, done.error());
    } else if (!options.out.empty()) {
        Placement standing;
        if (options.at.size() == 3)
            standing.position = {options.at[0], options.at[1], options.at[2]};
        Scene scene;
        scene.settings.name = options.out.stem().stem().string();
        standing.id = scene.nextId++;
        std::get<EmitterBody>(made->body).placed = std::make_shared<const Placements>(Placements{standing});
        apply(scene, addSubjects(scene, {std::move(*made)}, "Emitter"));
        if (auto done = writeProject(scene, options.out, true); !done)
            return fail(console, done.error());
    }
    if (!options.out.empty()) {
        out["written"] = options.out.string();
        lines += fmt::format("  {}\n", options.out.string());
    }
    if (console.json)
        print(console, out);
    else
        console.out << file->name << '\n' << lines;
    return 0;
}

} // namespace thicket::cli
