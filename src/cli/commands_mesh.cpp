#include "base/file.h"
#include "base/text.h"
#include "cli/commands.h"
#include "cli/report.h"
#include "io/import/care_mask.h"
#include "io/import/import.h"
#include "io/ship/chain_json.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "io/ship/write_obj.h"
#include "measure/drift.h"
#include "mesh/finding_places.h"
#include "reduce/untangle.h"
#include "scene/smooth.h"
#include "scene/thin_subject.h"
#include "scene/thin_unseen.h"

#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <numbers>
#include <ostream>
#include <set>
#include <sys/resource.h>

namespace thicket::cli {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

int fail(const Console& console, const Error& error) {
    console.err << "thicket: " << error.text() << '\n';
    switch (error.code) {
    case ErrorCode::Cancelled:
        return 4;
    case ErrorCode::CheckFailed:
        return 3;
    default:
        return 1;
    }
}

namespace {

ordered_json encode(const OneSidedDeviation& d) {
    return {{"max", d.max}, {"bound", d.bound}, {"p99", d.p99}, {"rms", d.rms}};
}

Result<std::vector<ImportedSubject>> readAll(const std::vector<fs::path>& files, Meshes how, const JobContext& job) {
    std::vector<ImportedSubject> all;
    for (const fs::path& file : files) {
        auto read = readModel(file, job, how);
        if (!read)
            return read.error();
        std::move(read->begin(), read->end(), std::back_inserter(all));
    }
    return joinFamilies(std::move(all));
}

/// The path of a file as it stood on the command line.
fs::path asGiven(const fs::path& source, const std::vector<fs::path>& files) {
    for (const fs::path& file : files)
        if (fs::absolute(file).lexically_normal() == source)
            return file;
    return source;
}

std::vector<LevelTarget> targetsOf(const ThinOptions& o, std::uint32_t triangles) {
    std::vector<LevelTarget> targets;
    const auto list = [&targets](const std::vector<double>& values, TargetKind kind) {
        for (const double value : values)
            targets.push_back({kind, value});
    };
    list(o.ratios, TargetKind::ShareOfFirst);
    list(o.triangles, TargetKind::Triangles);
    list(o.deviations, TargetKind::DeviationMetres);
    for (int i = 0; i < o.levels; ++i)
        targets.push_back({TargetKind::ShareOfPrevious, 0.25});
    if (targets.empty())
        targets = presetFor(o.role.empty() ? Role::WorkingPiece : *fromKey<Role>(o.role), triangles).targets;
    return targets;
}

struct Thinned {
    Subject subject;
    ChainTimings timings;
    double readMs = 0;
    double checkMs = 0; ///< what is wrong with it, and how far off levels are that the file brought
    double curveMs = 0;
    double writeMs = 0;
    fs::path file;               ///< as asked for
    std::vector<fs::path> files; ///< as written
    std::uint32_t reachable = 0;
};

ordered_json encode(const Thinned& t, const View& view) {
    const Subject& s = t.subject;
    const ResolvedChain chain = chainOf(s, view);
    ordered_json levels = ordered_json::array();
    for (std::size_t i = 0; i < s.mesh().levels.size(); ++i) {
        const Level& l = s.mesh().levels[i];
        ordered_json level = shippedLevel(s, chain, i, view);
        level["pieces"] = i == 0 ? s.mesh().pieces : l.pieces;
        level["posedDeviation"] = l.posed;
        for (const char* drift : {"textureDriftTexels", "normalDriftDegrees"})
            if (!level.contains(drift))
                level[drift] = nullptr;
        level["switchDistance"] = level["fromMetres"];
        level["screenHeight"] = i == 0 ? ordered_json(nullptr) : level["fromScreenHeight"];
        levels.push_back(json::snakeCase(level));
    }
    ordered_json names = ordered_json::array();
    for (const fs::path& file : t.files)
        names.push_back(file.string());
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return {{"subject", s.name},
            {"source", s.source.path.string()},
            {"file", t.files.front().string()},
            {"files", names},
            {"fewest_triangles", t.reachable},
            {"pieces",
             {{"count", s.mesh().pieces}, {"aggregate", s.mesh().aggregate}, {"keep", s.mesh().cutRules.keepPieces}}},
            {"shared_vertex_bytes", std::llround(sharedVertexBytes(s))},
            {"levels", levels},
            {"timings",
             {{"read_ms", t.readMs},
              {"check_ms", t.checkMs},
              {"record_ms", t.timings.recordMs},
              {"curve_ms", t.curveMs},
              {"cut_ms", t.timings.cutMs},
              {"polish_ms", t.timings.polishMs},
              {"measure_ms", t.timings.measureMs},
              {"looks_ms", t.timings.looksMs},
              {"write_ms", t.writeMs},
              {"peak_bytes", static_cast<std::uint64_t>(usage.ru_maxrss) * 1024}}}};
}

void print(const Console& console, const Thinned& t, const View& view) {
    const Subject& s = t.subject;
    const ResolvedChain chain = chainOf(s, view);
    console.out << fmt::format("{}  {:.3g} x {:.3g} x {:.3g} m  -> {}\n", s.name, s.bounds.size().x(),
                               s.bounds.size().y(), s.bounds.size().z(),
                               t.files.size() > 1
                                   ? fmt::format("{} and {} more", t.files.front().string(), t.files.size() - 1)
                                   : t.files.front().string());
    console.out
        << "  level   triangles    vertices   deviation     visible         p99         rms        from   on screen\n";
    for (std::size_t i = 0; i < s.mesh().levels.size(); ++i) {
        const Level& l = s.mesh().levels[i];
        const double height = heightWhere(s.rule, s.radius, chain.fromMetres[i], view);
        console.out << fmt::format("  L{:<4} {:>11} {:>11} {:>11} {:>11} {:>11} {:>11} {:>11} {:>11}\n", i,
                                   grouped(l.triangles), grouped(l.vertices), length(l.deviation), length(l.visible),
                                   length(l.p99), length(l.rms), length(chain.fromMetres[i]),
                                   i == 0 ? "" : fmt::format("{:.1f} %", 100 * height));
    }
    console.out << fmt::format(
        "  read {:.0f} ms, check {:.0f} ms, record {:.0f} ms, curve {:.0f} ms, cut {:.0f} ms, polish {:.0f} ms, "
        "measure {:.0f} ms, looks {:.0f} ms, write "
        "{:.0f} ms\n",
        t.readMs, t.checkMs, t.timings.recordMs, t.curveMs, t.timings.cutMs, t.timings.polishMs, t.timings.measureMs,
        t.timings.looksMs, t.writeMs);
}

/// The largest places of a finding.
ordered_json encodePlaces(const FindingPlaces& places) {
    constexpr std::size_t kMost = 100;
    ordered_json out = ordered_json::array();
    for (std::size_t i = 0; i < std::min(places.spots.size(), kMost); ++i) {
        const FindingSpot& spot = places.spots[i];
        out.push_back({{"centre", {spot.centre.x(), spot.centre.y(), spot.centre.z()}},
                       {"radius", spot.radius},
                       {"count", spot.count}});
    }
    return out;
}

} // namespace

int inspect(const Console& console, const std::vector<fs::path>& files, Meshes how) {
    auto all = readAll(files, how, console.job);
    if (!all)
        return fail(console, all.error());
    ordered_json report = ordered_json::array();
    for (ImportedSubject& imported : *all) {
        const std::vector<std::string> notes = imported.notes;
        auto subject = makeSubject(std::move(imported), console.job);
        if (!subject)
            return fail(console, subject.error());
        ordered_json levels = ordered_json::array();
        for (const Level& l : subject->mesh().levels)
            levels.push_back({{"triangles", l.triangles},
                              {"vertices", l.vertices},
                              {"draws", l.draws},
                              {"deviation_max", l.deviation}});
        const Mesh& mesh = *subject->mesh().source().mesh;
        ordered_json findings = ordered_json::array();
        for (const Finding& f : subject->findings) {
            findings.push_back({{"text", f.text()}, {"count", f.count}, {"level", f.level}, {"serious", f.serious}});
            if (const auto places = placesOf(mesh, f.kind))
                findings.back()["places"] = encodePlaces(*places);
        }
        const Vec3d size = subject->bounds.size();
        report.push_back({{"subject", subject->name},
                          {"file", subject->source.path.string()},
                          {"size_metres", {size.x(), size.y(), size.z()}},
                          {"materials", subject->mesh().surfaces->materials.size()},
                          {"images", subject->mesh().surfaces->images.size()},
                          {"normals", !mesh.normals.empty()},
                          {"uvs", !mesh.uvs.empty()},
                          {"colors", !mesh.colors.empty()},
                          {"levels", levels},
                          {"findings", findings},
                          {"notes", notes}});
        if (console.json)
            continue;
        console.out << fmt::format("{}  {:.3g} x {:.3g} x {:.3g} m\n", subject->name, size.x(), size.y(), size.z());
        for (std::size_t i = 0; i < subject->mesh().levels.size(); ++i)
            console.out << fmt::format("  L{}  {:>11} triangles {:>11} vertices  {} draws\n", i,
                                       grouped(subject->mesh().levels[i].triangles),
                                       grouped(subject->mesh().levels[i].vertices), subject->mesh().levels[i].draws);
        for (const Finding& f : subject->findings)
            console.out << (f.serious ? "  ! " : "  - ") << f.text() << '\n';
        for (const std::string& note : notes)
            console.out << "  - " << note << '\n';
    }
    if (console.json)
        console.out << ordered_json{{"subjects", report}}.dump(2, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
    return 0;
}

namespace {

/// Levels of even triangles with the counts of those that were cut.
Result<Subject> rebuildLevels(const Subject& cut, const ThinState& state, const JobContext& job) {
    Subject out = cut;
    out.mesh().levels.resize(1);
    for (std::size_t i = 1; i < cut.mesh().levels.size(); ++i) {
        auto made = addRebuilt(out, state, cut.mesh().levels[i].triangles, job);
        if (made)
            out = std::move(*made);
        else if (made.error().code != ErrorCode::CheckFailed ||
                 (i + 1 == cut.mesh().levels.size() && out.mesh().levels.size() == 1))
            return made.error(); // a level that comes out no lighter is left out, as long as another one is not
    }
    return out;
}

/// Swaps as material numbers.
Result<std::vector<std::pair<std::uint32_t, std::uint32_t>>> swapsOf(const std::vector<std::string>& named,
                                                                     const Subject& subject) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> out;
    const auto& materials = subject.mesh().surfaces->materials;
    const auto numberOf = [&materials](const std::string& name) {
        const auto found =
            std::find_if(materials.begin(), materials.end(), [&name](const Material& m) { return m.name == name; });
        return static_cast<std::uint32_t>(found - materials.begin());
    };
    for (const std::string& swap : named) {
        const auto at = swap.find('=');
        const std::uint32_t from = numberOf(swap.substr(0, at));
        const std::uint32_t to = at == std::string::npos ? from : numberOf(swap.substr(at + 1));
        if (at == std::string::npos || from >= materials.size() || to >= materials.size()) {
            std::string known;
            for (const Material& m : materials)
                known += (known.empty() ? "" : ", ") + m.name;
            return Error{ErrorCode::BadInput, subject.name,
                         "--swap-material \"" + swap + "\" names no two of its materials",
                         "write FROM=TO with two of: " + known};
        }
        out.emplace_back(from, to);
    }
    return out;
}

/// A file a level beside the one that was named: NAME_LOD0.obj and so on.
Result<void> writeObjs(Thinned& t, bool quads) {
    for (std::size_t i = 0; i < t.subject.mesh().levels.size(); ++i) {
        const Level& level = t.subject.mesh().levels[i];
        fs::path file = t.file;
        file.replace_filename(fmt::format("{}_LOD{}.obj", t.file.stem().string(), i));
        if (auto done = writeObj(file, fmt::format("{}_LOD{}", t.subject.name, i), *level.mesh,
                                 *surfacesOf(t.subject, level), {quads});
            !done)
            return done;
        t.files.push_back(file);
    }
    return {};
}

} // namespace

int thin(const Console& console, const ThinOptions& options) {
    if (!options.role.empty() && !fromKey<Role>(options.role)) {
        console.err << "thicket: --role: \"" << options.role
                    << "\" is not a role; use landmark, working-piece, dressing, ground-cover or horizon\n";
        return 2;
    }
    View view;
    view.fovY = options.fovDegrees * std::numbers::pi / 180;
    view.lines = options.heightPx;
    view.pixelsADegree = options.pixelsADegree;
    const auto start = std::chrono::steady_clock::now();
    auto all = readAll(options.files, options.apart ? Meshes::Apart : Meshes::Together, console.job);
    if (!all)
        return fail(console, all.error());
    const double readMs = msSince(start);
    std::vector<Thinned> done;
    for (ImportedSubject& imported : *all) {
        Thinned t;
        t.readMs = readMs;
        if (imported.levels.size() > 1)
            imported.levels.resize(1); // the coarser ones are made anew from the finest
        imported.screenCoverages.clear();
        const fs::path source = imported.source.path;
        const std::string name = imported.name;
        const bool only = imported.source.family.empty();
        // An error of a subject names its file, as it was given.
        const auto ofFile = [&](Error error) {
            const fs::path given = asGiven(source, options.files);
            if (error.where.empty() || error.where == name)
                error.where = given.string() + (only ? "" : " (" + name + ")");
            return error;
        };
        const auto checked = std::chrono::steady_clock::now();
        auto subject = makeSubject(std::move(imported), console.job);
        if (!subject)
            return fail(console, ofFile(subject.error()));
        t.checkMs = msSince(checked);
        if (!options.role.empty())
            subject->role = *fromKey<Role>(options.role);
        subject->rule.everyPoint = options.everyPoint;
        subject->rule.allowPx = options.allowPx > 0 ? options.allowPx : presetFor(subject->role, 1000).allowPx;
        subject->mesh().cutRules = options.cutRules;
        if (!options.careColor.empty()) {
            if (subject->mesh().source().mesh->colors.empty())
                return fail(console, ofFile({ErrorCode::BadInput, subject->name,
                                             "has no vertex colours to take care from", "leave out --care-color"}));
            CareStroke stroke;
            stroke.kind = CareStroke::Kind::FromColor;
            stroke.channel = options.careColor == "red"     ? 0
                             : options.careColor == "green" ? 1
                             : options.careColor == "blue"  ? 2
                                                            : 3;
            subject->mesh().care = std::make_shared<const Care>(Care{stroke});
        }
        if (!options.careMask.empty()) {
            if (subject->mesh().source().mesh->uvs.empty())
                return fail(console, ofFile({ErrorCode::BadInput, subject->name, "has no UVs to lay a mask by",
                                             "leave out --care-mask"}));
            auto mask = readCareMask(options.careMask);
            if (!mask)
                return fail(console, mask.error());
            CareStroke stroke;
            stroke.kind = CareStroke::Kind::FromMask;
            stroke.mask = *mask;
            Care care = subject->mesh().care ? *subject->mesh().care : Care();
            care.push_back(stroke);
            subject->mesh().care = std::make_shared<const Care>(std::move(care));
        }
        auto state = recordSubject(*subject, {}, console.job);
        if (!state)
            return fail(console, ofFile(state.error()));
        t.timings.recordMs = state->recordMs;
        t.curveMs = state->curveMs;
        t.reachable = state->record->fewestTriangles();
        const std::vector<LevelTarget> targets = targetsOf(options, subject->mesh().source().triangles);
        const bool unseen = options.looks && !targets.empty() && targets.front().kind == TargetKind::VisibleOfRadius;
        auto thinned = unseen ? thinUnseen(*subject, *state, targets, view, console.job, &t.timings)
                              : thinSubject(*subject, *state, targets, console.job, &t.timings);
        if (thinned && options.rebuild)
            thinned = rebuildLevels(*thinned, *state, console.job);
        if (!thinned)
            return fail(console, ofFile(thinned.error()));
        MaterialChoice materials = options.materials;
        if (auto named = swapsOf(options.swaps, *thinned); !named)
            return fail(console, ofFile(named.error()));
        else
            materials.swaps = std::move(*named);
        if (materials.any())
            for (std::size_t i = 1; i < thinned->mesh().levels.size(); ++i) {
                Level& level = thinned->mesh().levels[i];
                level.materials = materials;
                if (auto dressed = dressLevel(*thinned, level, level.mesh, console.job); !dressed)
                    return fail(console, ofFile(dressed.error()));
            }
        if (options.cards > 0) {
            CardOptions how;
            how.cards = options.cards;
            how.texelsTall = options.cardTexels;
            thinned = addCards(*thinned, how, console.job);
            if (!thinned)
                return fail(console, ofFile(thinned.error()));
        }
        if (options.views > 0) {
            ImpostorOptions how;
            how.across = options.views;
            how.texels = options.viewTexels;
            thinned = addImpostor(*thinned, how, console.job);
            if (!thinned)
                return fail(console, ofFile(thinned.error()));
        }
        // What was changed after its levels were looked at is looked at again.
        if (options.looks &&
            (!unseen || options.rebuild || materials.any() || options.cards > 0 || options.views > 0)) {
            const auto lookStart = std::chrono::steady_clock::now();
            auto looked = lookAtSwitches(*thinned, view, std::nullopt, console.job);
            if (!looked)
                return fail(console, ofFile(looked.error()));
            thinned = std::move(looked->subject);
            t.timings.looksMs += msSince(lookStart);
        }
        t.subject = std::move(*thinned);
        done.push_back(std::move(t));
    }
    const bool obj = options.out.extension() == ".obj";
    const bool toFolder =
        done.size() > 1 || fs::is_directory(options.out) || (!obj && options.out.extension() != ".glb");
    if (obj && done.size() > 1) {
        console.err << "thicket: --out: an OBJ holds one subject, and there are " << done.size()
                    << "; name a folder or a GLB\n";
        return 2;
    }
    if (options.quads && !obj) {
        console.err << "thicket: --quads: only OBJ files can hold quads; name the output FILE.obj\n";
        return 2;
    }
    ordered_json report = ordered_json::array();
    std::set<std::string> names;
    for (Thinned& t : done) {
        const auto writeStart = std::chrono::steady_clock::now();
        t.file = toFolder ? options.out / (freeFileName(t.subject.name, names) + ".glb") : options.out;
        const LevelSet set = joinLevels(t.subject);
        if (obj) {
            if (auto written = writeObjs(t, options.quads); !written)
                return fail(console, written.error());
        } else if (auto written =
                       writeFile(t.file, encodeGlb(t.subject.name, set.meshes, set.surfaces, GlbLevels::Named, {},
                                                   t.subject.mesh().rig.get(), t.subject.mesh().cutRules.reuseVertices,
                                                   viewsOf(t.subject)));
                   !written)
            return fail(console, written.error());
        if (!obj)
            t.files = {t.file};
        t.writeMs = msSince(writeStart);
        if (console.json)
            report.push_back(encode(t, view));
        else
            print(console, t, view);
    }
    if (console.json)
        console.out << ordered_json{{"view", {{"fov_degrees", options.fovDegrees}, {"height_px", options.heightPx}}},
                                    {"subjects", report}}
                           .dump(2, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
    return 0;
}

namespace {
ordered_json encode(const std::optional<DriftSpread>& drift) {
    return drift ? ordered_json{{"max", drift->max}, {"p99", drift->p99}, {"rms", drift->rms}} : ordered_json(nullptr);
}
} // namespace

int measure(const Console& console, const MeasureOptions& options) {
    std::vector<Mesh> meshes;
    std::vector<int> texels;
    for (const fs::path& file : {options.reference, options.level}) {
        auto read = readModel(file, console.job);
        if (!read)
            return fail(console, read.error());
        toMetres(read->front());
        if (meshes.empty())
            texels = texelsAcross(*read->front().surfaces);
        meshes.push_back(std::move(read->front().levels.front().mesh));
    }
    DeviationOptions how;
    how.samples = options.samples;
    const SurfaceQuery query(meshes[0]);
    auto d = measureDeviation(meshes[0], query, meshes[1], how, console.job);
    if (!d)
        return fail(console, d.error());
    const auto drift =
        measureDrift(meshes[0], query, meshes[1], {std::min(options.samples, 200'000U), texels}, console.job);
    if (!drift)
        return fail(console, drift.error());
    const std::uint32_t turned = countTurned(meshes[0], query, meshes[1]);
    if (console.json) {
        console.out << ordered_json{{"reference",
                                     {{"file", options.reference.string()}, {"triangles", meshes[0].triangleCount()}}},
                                    {"level",
                                     {{"file", options.level.string()}, {"triangles", meshes[1].triangleCount()}}},
                                    {"max", d->max()},
                                    {"visible", d->visible},
                                    {"bound", d->bound()},
                                    {"p99", d->p99()},
                                    {"rms", d->rms()},
                                    {"there", encode(d->there)},
                                    {"back", encode(d->back)},
                                    {"texture_drift_metres", encode(drift->textureMetres)},
                                    {"texture_drift_texels", encode(drift->textureTexels)},
                                    {"normal_drift_degrees", encode(drift->normalDegrees)},
                                    {"turned_triangles", turned},
                                    {"samples", options.samples},
                                    {"sample_spacing", d->spacing}}
                           .dump(2, ' ', false, ordered_json::error_handler_t::replace)
                    << '\n';
        return 0;
    }
    console.out << fmt::format("two-sided deviation of {} ({} triangles) from {} ({})\n", options.level.string(),
                               grouped(meshes[1].triangleCount()), options.reference.string(),
                               grouped(meshes[0].triangleCount()));
    console.out << fmt::format("  max {}   (reference to level {}, back {})\n  visible {}\n  p99 {}\n  rms {}\n",
                               length(d->max()), length(d->there.max), length(d->back.max), length(d->visible),
                               length(d->p99()), length(d->rms()));
    if (turned > 0)
        console.out << fmt::format("  turned {}   triangles that face against what is nearest to their middle\n",
                                   grouped(turned));
    if (drift->textureMetres)
        console.out << fmt::format(
            "  texture drift: max {}, p99 {}{}\n", length(drift->textureMetres->max), length(drift->textureMetres->p99),
            drift->textureTexels ? fmt::format(" ({:.2f} texels)", drift->textureTexels->p99) : std::string());
    if (drift->normalDegrees)
        console.out << fmt::format("  normal drift: max {:.1f} degrees, p99 {:.1f}\n", drift->normalDegrees->max,
                                   drift->normalDegrees->p99);
    return 0;
}

} // namespace thicket::cli
