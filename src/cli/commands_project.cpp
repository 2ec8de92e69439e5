#include "base/file.h"
#include "base/text.h"
#include "budget/compare.h"
#include "budget/notes.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "io/json/audit_json.h"
#include "io/project/audit_file.h"
#include "io/project/project.h"
#include "io/ship/ship.h"
#include "scene/smooth.h"

#include "saltmere.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {
using nlohmann::ordered_json;

namespace {

ordered_json encode(const std::vector<Worse>& worse) {
    ordered_json out = ordered_json::array();
    for (const Worse& w : worse)
        out.push_back({{"what", w.what}, {"before", w.before}, {"after", w.after}});
    return out;
}

ordered_json encode(const MemoryUse& memory, const Scene& scene, const Device& device) {
    ordered_json subjects = ordered_json::object();
    for (std::size_t s = 0; s < memory.subjects.size(); ++s)
        subjects[scene.subjects[s].name] = memory.subjects[s];
    return {{"budget_mb", device.memoryMb},
            {"ahead_seconds", device.aheadSeconds},
            {"worst_mb", memory.worst},
            {"worst_seconds", static_cast<double>(memory.worstFrame) / device.frameRate},
            {"frames_over", memory.framesOver},
            {"all_mb", memory.all},
            {"pictures_mb", memory.pictures},
            {"saved_by_sharing_mb", memory.saved},
            {"subjects_mb", subjects}};
}

/// Each limit, and with a baseline each of its figures that got worse, as a test.
std::string junitOf(const Audit& audit, const Device& device, const std::vector<Worse>& worse,
                    const ProjectOptions& options) {
    const auto escaped = [](const std::string& text) {
        std::string out;
        for (const char c : text)
            if (c == '&')
                out += "&amp;";
            else if (c == '<')
                out += "&lt;";
            else if (c == '>')
                out += "&gt;";
            else if (c == '"')
                out += "&quot;";
            else
                out += static_cast<unsigned char>(c) < 0x20 ? ' ' : c;
        return out;
    };
    std::string cases;
    int tests = 0;
    int failures = 0;
    const std::string suite = escaped(audit.route + " on " + audit.device);
    const auto add = [&](const std::string& name, const std::string& problem) {
        ++tests;
        cases += fmt::format("    <testcase classname=\"{}\" name=\"{}\"", suite, escaped(name));
        if (problem.empty()) {
            cases += "/>\n";
            return;
        }
        ++failures;
        cases += fmt::format(">\n      <failure message=\"{0}\">{0}</failure>\n    </testcase>\n", escaped(problem));
    };
    const auto limit = [&](const std::string& name, double budget, const auto& of, const char* unit) {
        std::size_t over = 0;
        double most = 0;
        double at = 0;
        for (const AuditFrame& f : audit.frames) {
            over += of(f) > budget ? 1 : 0;
            if (of(f) > most) {
                most = of(f);
                at = f.seconds;
            }
        }
        add(name, over == 0 ? std::string()
                            : fmt::format("{} frames are over {:.6g}{}; the most is {:.6g}{} at {:.2f} s", over, budget,
                                          unit, most, unit, at));
    };
    limit(
        "frame time", device.frameMs, [](const AuditFrame& f) { return f.ms; }, " ms");
    limit(
        "triangles", static_cast<double>(device.triangleBudget),
        [](const AuditFrame& f) { return static_cast<double>(f.triangles); }, "");
    limit(
        "draws", static_cast<double>(device.drawBudget),
        [](const AuditFrame& f) { return static_cast<double>(f.draws); }, "");
    if (device.memoryMb > 0)
        add("memory", audit.memory.framesOver == 0
                          ? std::string()
                          : fmt::format("{} frames are over {:.6g} MB; the most is {:.6g} MB", audit.memory.framesOver,
                                        device.memoryMb, audit.memory.worst));
    if (!options.against.empty()) {
        std::string problem;
        for (const Worse& w : worse)
            problem += fmt::format("{}{}: {:.4g}, was {:.4g}", problem.empty() ? "" : "; ", w.what, w.after, w.before);
        add("no worse than before", problem);
    }
    return fmt::format("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites>\n  <testsuite name=\"{}\" "
                       "tests=\"{}\" failures=\"{}\">\n{}  </testsuite>\n</testsuites>\n",
                       suite, tests, failures, cases);
}

} // namespace

int audit(const Console& console, const ProjectOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    const auto flight = flightOf(*scene, options);
    if (!flight)
        return fail(console, flight.error());
    const auto [device, route] = *flight;
    const auto start = std::chrono::steady_clock::now();
    auto result = auditRoute(*scene, *route, *device, console.job);
    if (!result)
        return fail(console, inProject(result.error(), options));
    const double ms = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
    const AuditFrame& worst = result->frames[result->worstFrame];
    const Pacing pacing = pacingOf(*result);
    const AuditSummary summary = summaryOf(*result, *scene);
    std::vector<Worse> worse;
    if (!options.against.empty()) {
        auto before = readAudit(options.against);
        if (!before)
            return fail(console, before.error());
        auto found = worseThan(before->summary, summary, options.worse);
        if (!found) {
            Error error = found.error();
            error.where = options.against.string();
            return fail(console, error);
        }
        worse = std::move(*found);
    }
    std::uint64_t switches = 0;
    std::uint64_t mostTriangles = 0;
    std::uint64_t mostDraws = 0;
    for (const AuditFrame& f : result->frames) {
        switches += f.switches;
        mostTriangles = std::max(mostTriangles, f.triangles);
        mostDraws = std::max(mostDraws, f.draws);
    }
    const std::vector<BudgetNote> noted = notesOn(*result, *scene);
    if (console.json) {
        ordered_json notes = ordered_json::array();
        for (const BudgetNote& note : noted)
            notes.push_back({{"kind", keyOf(note.kind)},
                             {"subject", note.subject != 0 ? scene->find(note.subject)->name : std::string()},
                             {"level", note.level},
                             {"frames", note.frames},
                             {"share", note.share},
                             {"text", note.text}});
        ordered_json frames = ordered_json::array();
        for (const AuditFrame& f : result->frames)
            frames.push_back({{"seconds", f.seconds},
                              {"triangles", f.triangles},
                              {"draws", f.draws},
                              {"ms", f.ms},
                              {"worst_error_px", f.worstErrorPx},
                              {"switches", f.switches}});
        console.out << ordered_json{{"project", options.project.string()},
                                    {"route", route->name},
                                    {"device", device->name},
                                    {"budget",
                                     {{"ms", device->frameMs},
                                      {"triangles", device->triangleBudget},
                                      {"draws", device->drawBudget}}},
                                    {"holds", result->holds()},
                                    {"frames_over", result->framesOver},
                                    {"memory", encode(result->memory, *scene, *device)},
                                    {"pacing",
                                     {{"p50_ms", pacing.p50},
                                      {"p95_ms", pacing.p95},
                                      {"p99_ms", pacing.p99},
                                      {"worst_ms", pacing.worst},
                                      {"longest_over_frames", pacing.longestOver},
                                      {"longest_over_from",
                                       static_cast<double>(pacing.longestFrom) / result->framesPerSecond}}},
                                    {"worst",
                                     {{"seconds", worst.seconds},
                                      {"ms", worst.ms},
                                      {"triangles", worst.triangles},
                                      {"draws", worst.draws}}},
                                    {"summary", json::encodeSummary(summary)},
                                    {"worse", encode(worse)},
                                    {"notes", notes},
                                    {"audit_ms", ms},
                                    {"frames", frames}}
                           .dump(1, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
    } else {
        console.out << fmt::format("{} on {}: {} frames, {:.0f} s of route walked in {:.0f} ms\n", route->name,
                                   device->name, result->frames.size(), route->length(), ms);
        console.out << fmt::format("  worst frame    {:>10.2f} ms  at {:.1f} s, of {:.1f} ms allowed\n", worst.ms,
                                   worst.seconds, device->frameMs);
        console.out << fmt::format("  half of all    {:>10.2f} ms  95 % {:.2f} ms, 99 % {:.2f} ms\n", pacing.p50,
                                   pacing.p95, pacing.p99);
        console.out << fmt::format("  most triangles {:>10}     of {} allowed\n",
                                   grouped(static_cast<std::int64_t>(mostTriangles)),
                                   grouped(static_cast<std::int64_t>(device->triangleBudget)));
        console.out << fmt::format("  most draws     {:>10}     of {} allowed\n",
                                   grouped(static_cast<std::int64_t>(mostDraws)),
                                   grouped(static_cast<std::int64_t>(device->drawBudget)));
        const MemoryUse& memory = result->memory;
        console.out << fmt::format("  most memory    {:>10.1f} MB  at {:.1f} s{}, {:.1f} MB with everything there\n",
                                   memory.worst, static_cast<double>(memory.worstFrame) / result->framesPerSecond,
                                   device->memoryMb > 0 ? fmt::format(", of {:.0f} MB allowed", device->memoryMb) : "",
                                   memory.all);
        console.out << fmt::format("  switches       {:>10}     {:.1f} a second\n",
                                   grouped(static_cast<std::int64_t>(switches)),
                                   static_cast<double>(switches) / route->length());
        console.out << fmt::format("  over budget    {:>10}     frames: {}\n", grouped(result->framesOver),
                                   result->holds() ? "the budget holds" : "the budget does NOT hold");
        if (memory.framesOver > 0)
            console.out << fmt::format("  over memory    {:>10}     frames\n", grouped(memory.framesOver));
        if (pacing.longestOver > 0)
            console.out << fmt::format("  longest over   {:>10}     frames in a row, from {:.1f} s\n",
                                       pacing.longestOver,
                                       static_cast<double>(pacing.longestFrom) / result->framesPerSecond);
        for (const BudgetNote& note : noted)
            console.out << "  note           " << note.text << '\n';
    }
    if (!options.junit.empty())
        if (auto written = writeTextFile(options.junit, junitOf(*result, *device, worse, options)); !written)
            return fail(console, written.error());
    if (!console.json)
        for (const Worse& w : worse)
            console.out << fmt::format("  worse          {}: {:.4g}, was {:.4g}\n", w.what, w.after, w.before);
    // Against an earlier one it is only asked whether anything got worse.
    return (options.against.empty() ? result->holds() : worse.empty()) ? 0 : 3;
}

int pops(const Console& console, const ProjectOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    struct Row {
        const Subject* subject;
        SwitchPlace place;
        PopScore score;
    };
    std::vector<Row> rows;
    for (const SwitchPlace& place : switchesOf(*scene)) {
        const Subject* subject = scene->find(place.subject);
        auto score = scoreSwitch(*subject, place, {}, console.job);
        if (!score)
            return fail(console, score.error());
        rows.push_back({subject, place, std::move(*score)});
    }
    std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) {
        return a.score.severity(a.subject->rule.allowPx) > b.score.severity(b.subject->rule.allowPx);
    });
    ordered_json smoothed = ordered_json::array();
    std::string table;
    for (Subject& subject : scene->subjects) {
        const bool any = std::any_of(rows.begin(), rows.end(), [&subject](const Row& r) {
            return r.subject == &subject && !r.score.unseen(subject.rule.allowPx);
        });
        if (!options.smooth || !any)
            continue;
        auto made = smoothLater(*scene, subject.id, std::nullopt, {}, console.job);
        if (!made)
            return fail(console, made.error());
        for (const SmoothedSwitch& s : made->switches) {
            smoothed.push_back({{"subject", subject.name},
                                {"level", s.level},
                                {"from", s.fromMetres},
                                {"to", s.toMetres},
                                {"unseen", s.unseen}});
            table += fmt::format("{:<18} L{:<2} {:>10} -> {:>10}  {}\n", subject.name, s.level, length(s.fromMetres),
                                 length(s.toMetres),
                                 subject.terrain() != nullptr ? "passes into the next"
                                 : s.unseen                   ? "unseen"
                                                              : "seen wherever it was looked at");
        }
        if (subject.isMesh())
            subject.mesh().levels = made->subject.mesh().levels;
        else
            subject.body = made->subject.body;
    }
    if (!options.out.empty())
        if (auto done = writeProject(*scene, options.out, true); !done)
            return fail(console, done.error());
    const auto seen =
        std::count_if(rows.begin(), rows.end(), [](const Row& r) { return !r.score.unseen(r.subject->rule.allowPx); });
    const double sight = scene->settings.view.pixelsADegree;
    if (console.json) {
        ordered_json list = ordered_json::array();
        for (const Row& r : rows)
            list.push_back({{"subject", r.subject->name},
                            {"level", r.place.level},
                            {"metres", r.place.key.metres},
                            {"pixels_tall", r.score.pixelsTall},
                            {"scale", r.score.scale},
                            {"outline_shift_px", r.score.outlineShift},
                            {"allow_px", r.subject->rule.allowPx},
                            {"changed_pixels", r.score.changedPixels},
                            {"mean_delta_e", r.score.meanDeltaE},
                            {"cloud", r.score.cloud},
                            {"field", r.score.field},
                            {"line_delta_e", r.score.line},
                            {"line_delta_e_sudden", r.score.suddenLine},
                            {"unseen", r.score.unseen(r.subject->rule.allowPx)}});
        ordered_json all{{"seen", seen}, {"pixels_a_degree", sight}, {"switches", list}};
        if (options.smooth)
            all["smoothed"] = smoothed;
        console.out << all.dump(2, ' ', false, ordered_json::error_handler_t::replace) << '\n';
    } else {
        console.out << "subject            to        at     tall    outline   changed   colours\n";
        for (const Row& r : rows)
            console.out << fmt::format("{:<18} L{:<2} {:>10} {:>8.0f} {:>7.2f} px {:>7.1f} % {:>9.1f}  {}\n",
                                       r.subject->name, r.place.level, length(r.place.key.metres), r.score.pixelsTall,
                                       r.score.outlineShift, 100 * r.score.changedPixels, r.score.meanDeltaE,
                                       r.score.unseen(r.subject->rule.allowPx) ? "unseen"
                                       : r.score.field ? fmt::format("line {:.1f}, without the soft band {:.1f}",
                                                                     r.score.line, r.score.suddenLine)
                                                       : "");
        console.out << fmt::format("{} of {} switches are seen{}\n", seen, rows.size(),
                                   sight > 0 ? fmt::format(" by an eye at {:g} pixels a degree", sight) : "")
                    << table;
    }
    return seen > 0 ? 3 : 0;
}

int ship(const Console& console, const ProjectOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    ShipOptions what;
    what.ribbons = options.ribbons;
    auto report = shipScene(*scene, options.out, what, console.job);
    if (!report)
        return fail(console, report.error());
    if (console.json) {
        ordered_json files = ordered_json::array();
        for (const ShippedFile& f : report->files)
            files.push_back({{"path", f.path.string()}, {"bytes", f.bytes}, {"verified", f.verified}});
        console.out << ordered_json{{"files", files}, {"skipped", report->skipped}}.dump(
                           2, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
    } else {
        for (const ShippedFile& f : report->files)
            console.out << fmt::format("  {:>9}  {}  {}\n", memorySize(static_cast<double>(f.bytes)),
                                       f.verified ? "read back, equal" : "not verified", f.path.string());
        for (const std::string& s : report->skipped)
            console.out << "  left out: " << s << '\n';
    }
    return 0;
}

int demo(const Console& console, const DemoOptions& options) {
    auto project = demo::writeSaltmere(options.folder, console.job);
    if (!project)
        return fail(console, project.error());
    if (options.thin)
        if (auto done = demo::thinSaltmere(*project, console.job); !done)
            return fail(console, done.error());
    if (console.json)
        console.out << ordered_json{{"project", project->string()}, {"thinned", options.thin}}.dump(
                           2, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
    else
        console.out << project->string() << '\n';
    return 0;
}

} // namespace thicket::cli
