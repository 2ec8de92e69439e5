#include "growth.h"

#include "base/file.h"
#include "io/project/emitter_file.h"
#include "io/project/recipe_file.h"
#include "scene/edits.h"
#include "scene/emitter_subject.h"
#include "scene/strand_subject.h"

#include <algorithm>
#include <cmath>

namespace thicket::demo {
namespace fs = std::filesystem;

namespace {

double channelAt(double z) {
    return 22 * std::sin(z / 46.0) + 8 * std::sin(z / 17.0 + 1);
}

void levelsFor(Emitter& emitter, std::size_t count) {
    emitter.levels.resize(count);
    for (EmitterLevel& level : emitter.levels)
        level.parts.resize(emitter.parts.size());
}

/// Low banks of mist that drift with the air; far off fewer and larger puffs, without the glints.
Emitter mist() {
    EmitterPart puffs;
    puffs.name = "mist";
    puffs.rate = 9;
    puffs.lifetime = {6, 9};
    puffs.size = {2.4, 3.6};
    puffs.sizeAtBirth = 0.6;
    puffs.sizeAtEnd = 1.5;
    puffs.speed = {0.1, 0.35};
    puffs.direction = Vec3d(0.6, 0.12, 0.4).normalized();
    puffs.spreadDegrees = 30;
    puffs.from = {7, 0.2, 9};
    puffs.middle = {0, 0.5, 0};
    puffs.colour = puffs.colourAtEnd = {0.62F, 0.66F, 0.66F};
    puffs.opacity = 0.13;
    puffs.fadeIn = 0.3;
    puffs.fadeOut = 0.55;
    EmitterPart glints = puffs;
    glints.name = "glints";
    glints.rate = 24;
    glints.lifetime = {0.4, 1.1};
    glints.size = {0.03, 0.07};
    glints.sizeAtBirth = glints.sizeAtEnd = 0.3;
    glints.speed = {0.02, 0.2};
    glints.middle = {0, 0.15, 0};
    glints.from = {5, 0.1, 7};
    glints.colour = glints.colourAtEnd = {0.9F, 0.92F, 0.8F};
    glints.opacity = 0.7;
    glints.glows = true;
    Emitter out;
    out.parts = {puffs, glints};
    levelsFor(out, 3);
    out.levels[1].from.value = 40;
    out.levels[1].parts[0].rate = 5;
    out.levels[1].parts[0].size = Between{3, 4.6};
    out.levels[1].parts[1].on = false;
    out.levels[2].from.value = 110;
    out.levels[2].parts[0].rate = 2.2;
    out.levels[2].parts[0].size = Between{4.5, 6.5};
    out.seed = 3;
    return out;
}

/// Smoke, sparks and a glow; far off the sparks go first, then the glow is one puff.
Emitter signalFire() {
    EmitterPart smoke;
    smoke.name = "smoke";
    smoke.rate = 16;
    smoke.lifetime = {4.5, 7};
    smoke.size = {0.9, 1.5};
    smoke.sizeAtBirth = 0.35;
    smoke.sizeAtEnd = 1.9;
    smoke.speed = {1.1, 1.7};
    smoke.spreadDegrees = 9;
    smoke.pull = {0.22, 0.05, 0.1};
    smoke.from = {0.25, 0.1, 0.25};
    smoke.middle = {0, 1, 0};
    smoke.colour = {0.16F, 0.155F, 0.15F};
    smoke.colourAtEnd = {0.42F, 0.43F, 0.43F};
    smoke.opacity = 0.3;
    smoke.fadeIn = 0.12;
    smoke.fadeOut = 0.4;
    EmitterPart sparks;
    sparks.name = "sparks";
    sparks.rate = 70;
    sparks.lifetime = {0.6, 1.6};
    sparks.size = {0.025, 0.05};
    sparks.sizeAtBirth = 1;
    sparks.sizeAtEnd = 0.4;
    sparks.speed = {1.6, 3.4};
    sparks.spreadDegrees = 24;
    sparks.pull = {0.3, -0.9, 0.1};
    sparks.from = {0.3, 0.1, 0.3};
    sparks.middle = {0, 0.6, 0};
    sparks.colour = {1, 0.55F, 0.12F};
    sparks.colourAtEnd = {0.9F, 0.12F, 0.02F};
    sparks.opacity = 1;
    sparks.fadeIn = 0;
    sparks.fadeOut = 0.6;
    sparks.glows = true;
    EmitterPart glow;
    glow.name = "glow";
    glow.rate = 12;
    glow.lifetime = {0.5, 0.9};
    glow.size = {0.5, 0.9};
    glow.sizeAtBirth = 0.6;
    glow.sizeAtEnd = 0.5;
    glow.speed = {0.6, 1.2};
    glow.spreadDegrees = 12;
    glow.from = {0.28, 0.1, 0.28};
    glow.middle = {0, 0.45, 0};
    glow.colour = {0.95F, 0.42F, 0.08F};
    glow.colourAtEnd = {0.6F, 0.1F, 0.02F};
    glow.opacity = 0.5;
    glow.fadeIn = 0.15;
    glow.fadeOut = 0.4;
    glow.glows = true;
    Emitter out;
    out.parts = {smoke, sparks, glow};
    levelsFor(out, 3);
    out.levels[1].from.value = 35;
    out.levels[1].parts[1].on = false;
    out.levels[1].parts[0].rate = 9;
    out.levels[2].from.value = 90;
    out.levels[2].parts[0].rate = 4;
    out.levels[2].parts[0].size = Between{1.5, 2.4};
    out.levels[2].parts[2].rate = 3;
    out.levels[2].parts[2].size = Between{0.9, 1.4};
    out.seed = 8;
    return out;
}

Result<void> addEmitter(Scene& scene, const fs::path& folder, const std::string& file, const std::string& name,
                        const Emitter& emitter, std::vector<Vec3d> places, double reach) {
    const fs::path path = fs::absolute(folder / "models" / (file + kEmitterSuffix)).lexically_normal();
    const std::string text = encodeEmitterFile(name, emitter, EmitterText::Compact, path.parent_path());
    if (auto done = writeTextFile(path, text); !done)
        return done;
    auto read = readEmitterFile(path);
    if (!read)
        return read.error();
    auto made = makeEmitter(read->name, read->emitter, read->sprites);
    if (!made)
        return made.error();
    made->source = {path, read->hash, {}};
    made->rule.reachMetres = reach;
    Placements placed;
    for (const Vec3d& place : places) {
        Placement p;
        p.id = scene.nextId++;
        p.position = place;
        placed.push_back(p);
    }
    std::get<EmitterBody>(made->body).placed = std::make_shared<const Placements>(std::move(placed));
    apply(scene, addSubjects(scene, {std::move(*made)}, {}));
    return {};
}

} // namespace

Result<void> addGrass(Scene& scene, const std::string& ground, const JobContext& job) {
    StrandRecipe recipe;
    for (const Subject& subject : scene.subjects)
        if (subject.name == ground)
            recipe.where.surface = subject.id;
    recipe.where.density = 40;
    recipe.where.leastHeight = 2.52;
    recipe.where.mostSlope = 48;
    recipe.where.near = {{ScatterNear::Of::Route, "Channel run", 0, 22, 76}};
    recipe.where.seed = 21;
    recipe.length = 0.95;
    recipe.width = 0.013;
    recipe.bendDegrees = 58;
    recipe.leanDegrees = 16;
    recipe.clump = 0.4;
    recipe.clumpMetres = 0.7;
    auto strands = growStrandsIn(scene, recipe, job);
    if (!strands)
        return strands.error();
    StrandsBody body;
    body.strands = std::move(*strands);
    body.recipe = std::make_shared<const StrandRecipe>(recipe);
    body.look.root = {0.075F, 0.085F, 0.03F};
    body.look.tip = {0.30F, 0.29F, 0.12F};
    auto made = makeStrands("Dune grass", Role::GroundCover, std::move(body), job);
    if (!made)
        return made.error();
    made->rule.reachMetres = 260;
    setThinning(*made, usualStrandThinning(Role::GroundCover, 260));
    apply(scene, addSubjects(scene, {std::move(*made)}, {}));
    return {};
}

Result<void> addEffects(Scene& scene, const fs::path& folder, const Heights& bed) {
    std::vector<Vec3d> banks;
    for (int i = 0; i < 9; ++i) {
        const double z = 130 - 36 * i;
        banks.emplace_back(channelAt(z), 0.1, z);
    }
    if (auto done = addEmitter(scene, folder, "marsh-mist", "Marsh mist", mist(), banks, 300); !done)
        return done;
    const double z = -30;
    const double x = channelAt(z) + 15;
    return addEmitter(scene, folder, "signal-fire", "Signal fire", signalFire(),
                      {Vec3d(x, bed.heightAt(x, z).value_or(1), z)}, 500);
}

} // namespace thicket::demo
