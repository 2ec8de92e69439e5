#include "saltmere.h"

#include "base/file.h"
#include "base/text.h"
#include "bed.h"
#include "budget/devices.h"
#include "growth.h"
#include "io/import/placement_table.h"
#include "io/project/recipe_file.h"
#include "io/ship/ship.h"
#include "io/ship/ship_terrain.h"
#include "io/ship/write_glb.h"
#include "models.h"
#include "scene/fields.h"
#include "scene/grounds.h"
#include "scene/smooth.h"
#include "scene/thin_subject.h"
#include "scene/thin_unseen.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket::demo {
namespace fs = std::filesystem;

Route channelRun() {
    Route route{"Channel run", {}};
    for (int i = 0; i <= 12; ++i) {
        const double t = i / 12.0;
        const double z = 170 - 340 * t;
        const auto middle = [](double at) { return 22 * std::sin(at / 46.0) + 8 * std::sin(at / 17.0 + 1); };
        const Vec3d eye(middle(z), 2.2 + 1.6 * std::sin(std::numbers::pi * t) * std::sin(5 * t), z);
        const double ahead = z - 34;
        route.keys.push_back({48 * t, eye, Vec3d(middle(ahead) + 5 * std::sin(7 * t), 2.6, ahead)});
    }
    return route;
}

namespace {

struct Place {
    const char* subject;
    int count;
    double inner;
    double outer;
    double smallest;
    double largest;
    std::uint32_t seed;
};

/// Places the subjects; returns the first id that is still free.
std::uint32_t placeCopies(std::vector<Subject>& subjects, const Heights& bed) {
    // Distances are from the channel's middle line; eel traps lie in the mud at its edge, windpumps stand well off.
    const std::vector<Place> places{{"Windpump", 9, 26, 78, 0.85, 1.15, 101},
                                    {"Eel trap", 22, 5, 13, 0.9, 1.3, 202},
                                    {"Sluice gate", 5, 15, 22, 0.95, 1.05, 303},
                                    {"Heron", 7, 6, 11, 0.9, 1.1, 505},
                                    {"Skiff", 11, 3, 12, 0.9, 1.1, 404}};
    std::uint32_t id = 1000;
    for (Subject& subject : subjects) {
        Placements out;
        if (subject.name == "Channel water")
            out.push_back({id++, 0, {0, 0, 0}, Quatd::Identity(), 1, 1});
        for (const Place& place : places) {
            if (subject.name != place.subject)
                continue;
            for (int i = 0; i < place.count; ++i) {
                const auto u = [&](std::uint32_t k) {
                    return hashShare(place.seed + 17U * static_cast<std::uint32_t>(i) + k);
                };
                const double z = 160 - 330 * (i + 0.15 + 0.7 * u(1)) / place.count;
                const double middle = 22 * std::sin(z / 46.0) + 8 * std::sin(z / 17.0 + 1);
                const double x = middle + (i % 2 == 0 ? 1 : -1) * (place.inner + (place.outer - place.inner) * u(2));
                const double turn = 2 * std::numbers::pi * u(3);
                out.push_back({id++,
                               0,
                               {x, bed.heightAt(x, z).value_or(0) - 0.02, z},
                               Quatd(Eigen::AngleAxisd(turn, kUp)),
                               place.smallest + (place.largest - place.smallest) * u(4),
                               1});
            }
        }
        if (!out.empty())
            subject.mesh().placed = std::make_shared<const Placements>(std::move(out));
    }
    return id;
}

std::uint32_t idOf(const Scene& scene, const std::string& name) {
    for (const Subject& subject : scene.subjects)
        if (subject.name == name)
            return subject.id;
    return 0;
}

constexpr const char* kBed = "Saltmere bed";

/// The ground that all stands on.
Result<std::shared_ptr<const Heights>> addBed(Scene& scene, const fs::path& folder, const JobContext& job) {
    const fs::path file = fs::absolute(folder / "models" / "saltmere-bed.tif").lexically_normal();
    const Heights made = saltmereBed();
    if (auto done = writeHeightsTiff(made, file, job); !done)
        return done.error();
    TerrainBody body;
    body.source = std::make_shared<const Heights>(made);
    body.cells = 32;
    auto bed = makeTerrain(kBed, std::move(body), job);
    if (!bed)
        return bed.error();
    bed->source = {file, hashOf(made), {}};
    bed->rule.allowPx = 2;
    bed->id = static_cast<std::uint32_t>(scene.subjects.size()) + 1;
    auto heights = bed->terrain()->heights;
    scene.subjects.push_back(std::move(*bed));
    return heights;
}

/// A field that a recipe scatters.
Result<Subject> scatteredField(const Scene& scene, const std::string& name, Role role, const ScatterRecipe& recipe,
                               const JobContext& job) {
    auto copies = scatterIn(scene, recipe, job);
    if (!copies)
        return copies.error();
    std::vector<std::uint32_t> assets;
    for (const ScatterAsset& asset : recipe.assets)
        assets.push_back(asset.subject);
    Subject field = makeField(scene, name, role, assets, std::move(*copies));
    std::get<InstancesBody>(field.body).recipe = std::make_shared<const ScatterRecipe>(recipe);
    return field;
}

/// Reeds on the wet ground along the channel, in patches.
Result<void> addReeds(Scene& scene, const fs::path& folder, const JobContext& job) {
    const fs::path mask = fs::absolute(folder / "models" / "reed-mask.png").lexically_normal();
    if (auto done = writeFile(mask, makeTexture(Pattern::Patches, "reed-mask", 1024).encoded); !done)
        return done;
    ScatterRecipe recipe;
    recipe.surface = idOf(scene, kBed);
    recipe.density = 1.4;
    recipe.leastHeight = -0.35;
    recipe.mostHeight = 2.4;
    recipe.mostSlope = 40;
    recipe.mask = mask;
    recipe.near = {{ScatterNear::Of::Route, "Channel run", 0, 3.5, 62},
                   {ScatterNear::Of::Subject, {}, idOf(scene, "Windpump"), 1, 1e9},
                   {ScatterNear::Of::Subject, {}, idOf(scene, "Sluice gate"), 0.8, 1e9}};
    recipe.assets = {{idOf(scene, "Tall reed"), 6, 0.75, 1.25, 360, 5, 0},
                     {idOf(scene, "Bent reed"), 3, 0.75, 1.2, 360, 6, 0},
                     {idOf(scene, "Seed head"), 1, 0.8, 1.2, 360, 4, 0}};
    recipe.seed = 11;
    auto field = scatteredField(scene, "Reed bed", Role::GroundCover, recipe, job);
    if (!field)
        return field.error();
    field->rule.reachMetres = 180;
    InstancesBody& body = std::get<InstancesBody>(field->body);
    // Steeper than usual: what stands far off in thousands, and goes unseen only with many triangles, is mostly left out.
    body.thinning.keep = {{{8, 1}, {20, 0.6}, {45, 0.28}, {90, 0.12}, {150, 0.05}, {180, 0}}};
    body.thinning.growAtMost = 1.5;
    apply(scene, addSubjects(scene, {std::move(*field)}, {}));
    return {};
}

Result<void> addStones(Scene& scene, const JobContext& job) {
    ScatterRecipe recipe;
    recipe.surface = idOf(scene, kBed);
    recipe.density = 0.03;
    recipe.leastHeight = -0.6;
    recipe.mostHeight = 0.9;
    recipe.near = {{ScatterNear::Of::Route, "Channel run", 0, 2, 90}};
    recipe.assets = {{idOf(scene, "Drift stone"), 1, 0.4, 1.8, 360, 25, 1}};
    recipe.seed = 5;
    auto field = scatteredField(scene, "Drift stones", Role::Dressing, recipe, job);
    if (!field)
        return field.error();
    apply(scene, addSubjects(scene, {std::move(*field)}, {}));
    return {};
}

/// The posts that mark the channel come from a table, as placements from elsewhere do.
Result<void> addPosts(Scene& scene, const fs::path& folder, const Heights& bed, const JobContext& job) {
    constexpr int kPosts = 400;
    std::string table = "# posts along the channel, surveyed at low water\nasset,x,y,z,ry,rx,scale,id\n";
    for (int i = 0; i < kPosts; ++i) {
        const auto u = [i](std::uint32_t k) { return hashShare(9000U + 13U * static_cast<std::uint32_t>(i) + k); };
        const double z = 172 - 344 * (i / 2 + 0.5) / (kPosts / 2);
        const double middle = 22 * std::sin(z / 46.0) + 8 * std::sin(z / 17.0 + 1);
        const double x = middle + (i % 2 == 0 ? 1 : -1) * (4.6 + 0.5 * u(1));
        table +=
            fmt::format("Marker post,{:.3f},{:.3f},{:.3f},{:.1f},{:.2f},{:.3f},{}\n", x, bed.heightAt(x, z).value_or(0),
                        z, 360 * u(2), 8 * (u(3) - 0.5), 0.9 + 0.3 * u(4), 20'000 + i);
    }
    const fs::path file = fs::absolute(folder / "models" / "marker-posts.csv").lexically_normal();
    if (auto done = writeTextFile(file, table); !done)
        return done;
    auto read = readPlacementTable(file, {}, job);
    if (!read)
        return read.error();
    auto ordered = inSpreadOrder(read->copies, job);
    if (!ordered)
        return ordered.error();
    Subject field = makeField(scene, "Marker posts", Role::Dressing, {idOf(scene, "Marker post")}, std::move(*ordered));
    std::get<InstancesBody>(field.body).thinning = {}; // each marks its place: none goes
    field.source.path = file;
    apply(scene, addSubjects(scene, {std::move(field)}, {}));
    return {};
}

} // namespace

Result<fs::path> writeSaltmere(const fs::path& folder, const JobContext& job) {
    struct Entry {
        Model (*make)();
        Role role;
    };
    const std::vector<Entry> entries{
        {windpump, Role::Landmark},    {eelTrap, Role::Dressing},     {sluiceGate, Role::WorkingPiece},
        {skiff, Role::WorkingPiece},   {heron, Role::WorkingPiece},   {channelWater, Role::Horizon},
        {tallReed, Role::GroundCover}, {bentReed, Role::GroundCover}, {seedHead, Role::GroundCover},
        {markerPost, Role::Dressing},  {driftStone, Role::Dressing}};
    Scene scene;
    scene.settings.name = "Saltmere estuary";
    scene.settings.devices = usualDevices();
    scene.settings.routes = {channelRun()};
    scene.settings.view = viewOnRoute(scene.settings.routes.front(), scene.settings.view, 14);
    for (std::size_t i = 0; i < entries.size(); ++i) {
        if (job.cancelled())
            return cancelledError();
        Model model = entries[i].make();
        job.report(static_cast<double>(i) / static_cast<double>(entries.size()), "making " + model.name);
        std::vector<std::shared_ptr<const Mesh>> levels;
        for (Mesh& level : model.levels)
            levels.push_back(std::make_shared<const Mesh>(std::move(level)));
        const fs::path file = folder / "models" / (fileNameFor(model.name) + ".glb");
        const auto bytes = encodeGlb(model.name, levels, model.surfaces, GlbLevels::Named, {},
                                     model.rig.empty() ? nullptr : &model.rig);
        if (auto done = writeFile(file, bytes); !done)
            return done.error();
        auto read = readModel(file, {});
        if (!read)
            return read.error();
        auto subject = makeSubject(std::move(read->front()), {});
        if (!subject)
            return subject.error();
        subject->id = static_cast<std::uint32_t>(i) + 1;
        subject->name = model.name;
        subject->role = entries[i].role;
        subject->rule.allowPx = presetFor(entries[i].role, subject->mesh().source().triangles).allowPx;
        scene.subjects.push_back(std::move(*subject));
    }
    auto bed = addBed(scene, folder, {});
    if (!bed)
        return bed.error();
    scene.nextId = placeCopies(scene.subjects, **bed);
    if (auto done = addPosts(scene, folder, **bed, {}); !done)
        return done.error();
    if (auto done = addReeds(scene, folder, {}); !done)
        return done.error();
    if (auto done = addStones(scene, {}); !done)
        return done.error();
    if (auto done = addGrass(scene, kBed, {}); !done)
        return done.error();
    if (auto done = addEffects(scene, folder, **bed); !done)
        return done.error();
    const fs::path project = folder / (std::string("saltmere") + kProjectSuffix);
    if (auto done = writeProject(scene, project, false); !done)
        return done.error();
    return project;
}

Result<void> thinSaltmere(const fs::path& project, const JobContext& job) {
    auto load = readProject(project, job.part(0, 0.1));
    if (!load)
        return load.error();
    Scene& scene = load->scene;
    for (std::size_t i = 0; i < scene.subjects.size(); ++i) {
        Subject& subject = scene.subjects[i];
        if (!subject.isMesh())
            continue;
        const bool byHand = std::any_of(subject.mesh().levels.begin(), subject.mesh().levels.end(),
                                        [](const Level& l) { return l.origin == LevelOrigin::HandMade; });
        const double n = static_cast<double>(scene.subjects.size());
        const JobContext own =
            job.part(0.1 + 0.9 * static_cast<double>(i) / n, 0.1 + 0.9 * static_cast<double>(i + 1) / n);
        if (!byHand) {
            auto state = recordSubject(subject, {}, own.part(0, 0.6));
            if (!state)
                return state.error();
            auto thinned =
                thinUnseen(subject, *state, presetFor(subject.role, subject.mesh().source().triangles).targets,
                           scene.statedView(), own.part(0.6, 0.8));
            if (!thinned)
                return thinned.error();
            subject = std::move(*thinned);
        }
        if (subject.role == Role::GroundCover) { // what stands far off in thousands ends as pictures
            CardOptions cards;
            cards.texelsTall = 96;
            auto with = addCards(subject, cards, own.part(0.8, 0.9));
            if (!with)
                return with.error();
            subject = std::move(*with);
        }
        auto looked = lookAtSwitches(subject, scene.statedView(), std::nullopt, own.part(0.9, 1));
        if (!looked)
            return looked.error();
        subject = std::move(looked->subject);
    }
    return writeProject(scene, project, true);
}

} // namespace thicket::demo
