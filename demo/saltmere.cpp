#include "saltmere.h"

#include "base/file.h"
#include "base/text.h"
#include "budget/devices.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "models.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <cmath>
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
std::uint32_t placeCopies(std::vector<Subject>& subjects) {
    // Distances are from the channel's middle line; eel traps lie in the mud at its edge, windpumps stand well off.
    const std::vector<Place> places{{"Windpump", 9, 26, 78, 0.85, 1.15, 101},
                                    {"Eel trap", 22, 5, 13, 0.9, 1.3, 202},
                                    {"Sluice gate", 5, 15, 22, 0.95, 1.05, 303},
                                    {"Heron", 7, 6, 11, 0.9, 1.1, 505},
                                    {"Skiff", 11, 3, 12, 0.9, 1.1, 404}};
    std::uint32_t id = 1000;
    for (Subject& subject : subjects) {
        Placements out;
        if (subject.name == "Tidal flat")
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
                               {x, groundHeight(x, z) - 0.02, z},
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

} // namespace

Result<fs::path> writeSaltmere(const fs::path& folder, const JobContext& job) {
    struct Entry {
        Model (*make)();
        Role role;
    };
    const std::vector<Entry> entries{{windpump, Role::Landmark},       {eelTrap, Role::Dressing},
                                     {sluiceGate, Role::WorkingPiece}, {skiff, Role::WorkingPiece},
                                     {tidalFlat, Role::Horizon},       {heron, Role::WorkingPiece}};
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
    scene.nextId = placeCopies(scene.subjects);
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
        const bool byHand = std::any_of(subject.mesh().levels.begin(), subject.mesh().levels.end(),
                                        [](const Level& l) { return l.origin == LevelOrigin::HandMade; });
        if (byHand)
            continue;
        const double n = static_cast<double>(scene.subjects.size());
        const JobContext own =
            job.part(0.1 + 0.9 * static_cast<double>(i) / n, 0.1 + 0.9 * static_cast<double>(i + 1) / n);
        auto state = recordSubject(subject, {}, own.part(0, 0.6));
        if (!state)
            return state.error();
        auto thinned = thinSubject(subject, *state, presetFor(subject.role, subject.mesh().source().triangles).targets,
                                   own.part(0.6, 1));
        if (!thinned)
            return thinned.error();
        subject = std::move(*thinned);
    }
    return writeProject(scene, project, true);
}

} // namespace thicket::demo
