// Fields of copies at the command line: placed by a table, scattered by a recipe, and what is drawn of a project.

#include "base/text.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "io/import/import.h"
#include "io/import/placement_table.h"
#include "io/project/project.h"
#include "io/project/recipe_file.h"
#include "scene/fields.h"
#include "scene/occluders.h"
#include "scene/select_input.h"
#include "scene/thin_unseen.h"
#include "switching/explain.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <ostream>

namespace thicket::cli {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

/// Reads meshes into a scene. Those with one level get the levels of a role where `thin` asks for it.
Result<void> addMeshes(Scene& scene, const std::vector<fs::path>& files, bool thin, Role role, const JobContext& job) {
    std::vector<ImportedSubject> all;
    for (const fs::path& file : files) {
        auto read = readModel(file, job);
        if (!read)
            return read.error();
        std::move(read->begin(), read->end(), std::back_inserter(all));
    }
    std::vector<Subject> made;
    for (ImportedSubject& one : joinFamilies(std::move(all))) {
        one.placed.clear(); // its places are the field's
        auto subject = makeSubject(std::move(one), job);
        if (!subject)
            return subject.error();
        subject->role = role;
        if (thin && subject->mesh().levels.size() == 1) {
            auto state = recordSubject(*subject, {}, job);
            if (!state)
                return state.error();
            const RolePreset preset = presetFor(role, subject->mesh().source().triangles, scene.settings.roles);
            auto thinned = preset.unseen ? thinUnseen(*subject, *state, preset.targets, scene.statedView(), job)
                                         : thinSubject(*subject, *state, preset.targets, job);
            if (!thinned)
                return thinned.error();
            subject = std::move(*thinned);
        }
        made.push_back(std::move(*subject));
    }
    apply(scene, addSubjects(scene, std::move(made), "Add"));
    return {};
}

Result<void> save(const Scene& scene, const fs::path& path) {
    return writeProject(scene, path, true);
}

int report(const Console& console, const Scene& scene, const FieldOptions& options, std::uint64_t skipped,
           const std::vector<BadRow>& bad, double ms) {
    const Subject& field = scene.subjects.back();
    const InstancesBody& body = *field.instances();
    std::vector<std::size_t> counts(body.assets.size(), 0);
    for (const Placement& p : *body.copies)
        ++counts[p.asset];
    if (console.json) {
        ordered_json assets = ordered_json::array();
        for (std::size_t i = 0; i < counts.size(); ++i)
            assets.push_back({{"asset", scene.find(body.assets[i])->name}, {"copies", counts[i]}});
        ordered_json rows = ordered_json::array();
        for (const BadRow& row : bad)
            rows.push_back({{"line", row.line}, {"reason", row.reason}});
        print(console, {{"project", options.out.string()},
                        {"field", field.name},
                        {"copies", body.copies->size()},
                        {"assets", assets},
                        {"skipped", skipped},
                        {"bad_rows", rows},
                        {"reach_metres", field.rule.reachMetres},
                        {"ms", ms}});
    } else {
        console.out << fmt::format("{}: {} copies in {:.1f} s\n", field.name,
                                   grouped(static_cast<std::int64_t>(body.copies->size())), ms / 1000);
        for (std::size_t i = 0; i < counts.size(); ++i)
            console.out << fmt::format("  {:>10}  {}\n", grouped(static_cast<std::int64_t>(counts[i])),
                                       scene.find(body.assets[i])->name);
        if (skipped > 0)
            console.out << fmt::format("  {:>10}  rows left out\n", grouped(static_cast<std::int64_t>(skipped)));
        console.out << "  " << options.out.string() << '\n';
    }
    return 0;
}

} // namespace

int field(const Console& console, const FieldOptions& options) {
    const Role role = *fromKey<Role>(options.role);
    Scene scene;
    scene.settings.name = options.out.stem().stem().string();
    if (auto added = addMeshes(scene, options.assets, options.thin, role, console.job); !added)
        return fail(console, added.error());
    TableOptions table;
    table.eulerOrder = options.eulerOrder;
    for (const Subject& subject : scene.subjects)
        table.assets.push_back(subject.name);
    const auto start = std::chrono::steady_clock::now();
    auto read = readPlacementTable(options.file, table, console.job);
    if (!read)
        return fail(console, read.error());
    if (read->badRows > 0 && !options.skipBad)
        return fail(console, {ErrorCode::BadInput, options.file.string(),
                              fmt::format("{} of {} rows cannot be placed: {}", read->badRows,
                                          read->badRows + read->copies.size(), badRowsText(*read)),
                              "mend them, or leave them out with --skip-bad"});
    if (read->copies.empty())
        return fail(console, {ErrorCode::BadInput, options.file.string(), "holds no row that can be placed",
                              "check its columns and its assets"});
    for (const std::string& note : read->notes)
        console.err << "thicket: " << options.file.string() << ": " << note << '\n';
    std::vector<std::uint32_t> assets;
    for (const std::string& name : read->assets)
        for (const Subject& subject : scene.subjects)
            if (subject.name == name)
                assets.push_back(subject.id);
    auto ordered = inSpreadOrder(read->copies, console.job);
    if (!ordered)
        return fail(console, ordered.error());
    Subject made = makeField(scene, options.name.empty() ? options.file.stem().string() : options.name, role,
                             std::move(assets), std::move(*ordered));
    made.source.path = fs::absolute(options.file).lexically_normal();
    apply(scene, addSubjects(scene, {std::move(made)}, "Field"));
    const double ms = msSince(start);
    if (auto done = save(scene, options.out); !done)
        return fail(console, done.error());
    return report(console, scene, options, read->badRows, read->bad, ms);
}

int scatterField(const Console& console, const FieldOptions& options) {
    Scene scene;
    scene.settings.name = options.out.stem().stem().string();
    if (auto added = addMeshes(scene, options.assets, options.thin, *fromKey<Role>(options.role), console.job); !added)
        return fail(console, added.error());
    std::optional<std::uint32_t> surface;
    if (!options.surface.empty()) {
        const std::size_t before = scene.subjects.size();
        if (auto added = addSurface(scene, options.surface, console.job); !added)
            return fail(console, added.error());
        surface = scene.subjects[before].id;
    }
    auto recipe = readRecipeFile(scene, options.file, surface);
    if (!recipe)
        return fail(console, recipe.error());
    if (options.seed)
        recipe->recipe.seed = *options.seed;
    if (options.density > 0)
        recipe->recipe.density = options.density;
    const auto start = std::chrono::steady_clock::now();
    auto copies = scatterIn(scene, recipe->recipe, console.job);
    if (!copies) {
        Error error = copies.error();
        error.where = error.where == "recipe" ? options.file.string() : error.where;
        return fail(console, error);
    }
    std::vector<std::uint32_t> assets;
    for (const ScatterAsset& asset : recipe->recipe.assets)
        assets.push_back(asset.subject);
    Subject made = makeField(scene, options.name.empty() ? recipe->name : options.name, recipe->role, std::move(assets),
                             std::move(*copies));
    InstancesBody& body = std::get<InstancesBody>(made.body);
    body.recipe = std::make_shared<const ScatterRecipe>(recipe->recipe);
    if (recipe->rule)
        made.rule = *recipe->rule;
    body.thinning = recipe->thinning.value_or(usualThinning(recipe->role, made.rule.reachMetres));
    apply(scene, addSubjects(scene, {std::move(made)}, "Field"));
    const double ms = msSince(start);
    if (auto done = save(scene, options.out); !done)
        return fail(console, done.error());
    return report(console, scene, options, 0, {}, ms);
}

int select(const Console& console, const SelectCommandOptions& options) {
    auto scene = openWhole(options.project, console.job);
    if (!scene)
        return fail(console, scene.error());
    View view = scene->statedView();
    const Vec3d eye(options.eye[0], options.eye[1], options.eye[2]);
    const Vec3d target(options.look[0], options.look[1], options.look[2]);
    if ((target - eye).norm() < 1e-6)
        return fail(console, {ErrorCode::BadInput, "--look", "is where the eye is", "give another point"});
    view = lookAt(view, eye, target);
    SelectInput input = selectInput(*scene, view);
    fillOccluders(*scene, input, console.job);
    SelectOptions how = selectOptions(*scene, 0);
    how.fades = false;
    SelectState state;
    Selection selection;
    thicket::select(input, view, 0, how, state, selection);
    ordered_json subjects = ordered_json::array();
    for (std::size_t s = 0; s < input.subjects.size(); ++s) {
        const SubjectCost& cost = selection.subjects[s];
        ordered_json why = ordered_json::object();
        for (std::size_t reason = 1; reason < kCullReasons; ++reason)
            if (cost.culledBy[reason] > 0)
                why[culledName(static_cast<Culled>(reason))] = cost.culledBy[reason];
        std::size_t copies = 0;
        for (const Batch& batch : input.batches)
            copies += batch.subject == s ? batch.copies->size() : 0;
        for (std::size_t g = 0; g < input.grounds.size(); ++g)
            if (input.grounds[g].subject == s) // its tiles, at the level at which their fate was clear
                copies += selection.grounds[g].tiles.size() + selection.grounds[g].outOfView +
                          selection.grounds[g].beyondReach + selection.grounds[g].hidden;
        if (copies == 0)
            continue;
        ordered_json one{{"subject", scene->subjects[s].name},
                         {"copies", copies},
                         {"drawn", cost.drawn},
                         {"triangles", cost.triangles},
                         {"draws", cost.draws},
                         {"worst_error_px", cost.worstErrorPx},
                         {"not_drawn", why}};
        if (options.copies) {
            ordered_json rows = ordered_json::array();
            for (std::uint32_t b = 0; b < input.batches.size(); ++b) {
                const Batch& batch = input.batches[b];
                if (batch.subject != s)
                    continue;
                for (std::uint32_t slot = 0; slot < batch.copies->size(); ++slot) {
                    const Pick pick = pickOf(input, view, 0, how, state, {b, slot});
                    ordered_json row{{"id", batch.copies->at(slot).id}, {"asset", scene->subjects[batch.asset].name}};
                    if (pick.culled == Culled::No) {
                        row["level"] = pick.level;
                        row["size"] = pick.size;
                    } else {
                        row["not_drawn"] = culledName(pick.culled);
                    }
                    rows.push_back(std::move(row));
                }
            }
            one["each"] = std::move(rows);
        }
        subjects.push_back(std::move(one));
    }
    const SubjectCost& total = selection.total;
    if (console.json) {
        print(console, {{"project", options.project.string()},
                        {"eye", options.eye},
                        {"look", options.look},
                        {"copies", input.copies()},
                        {"drawn", total.drawn},
                        {"triangles", total.triangles},
                        {"draws", total.draws},
                        {"subjects", subjects}});
        return 0;
    }
    console.out << fmt::format("{} of {} copies drawn, {} triangles, {} draws\n", grouped(total.drawn),
                               grouped(static_cast<std::int64_t>(input.copies())),
                               grouped(static_cast<std::int64_t>(total.triangles)),
                               grouped(static_cast<std::int64_t>(total.draws)));
    for (const ordered_json& one : subjects) {
        std::string why;
        for (const auto& [reason, count] : one["not_drawn"].items())
            why += fmt::format("{}{} {}", why.empty() ? "" : " · ", grouped(count.get<std::int64_t>()), reason);
        console.out << fmt::format("  {:<18} {:>9} of {:>9}  {:>11} triangles  {}\n", one["subject"].get<std::string>(),
                                   grouped(one["drawn"].get<std::int64_t>()),
                                   grouped(one["copies"].get<std::int64_t>()),
                                   grouped(one["triangles"].get<std::int64_t>()), why);
    }
    return 0;
}

} // namespace thicket::cli
