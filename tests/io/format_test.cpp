// The project's own formats: all that they can say comes back, holds to its schema, and damage is one clear error.

#include "base/file.h"
#include "io/project/placements_file.h"
#include "io/project/project.h"
#include "io/ship/read_chain.h"
#include "io/ship/ship.h"
#include "io/ship/write_glb.h"
#include "support/json_schema.h"
#include "support/shapes.h"
#include "support/temp_folder.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

json schemaOf(const std::string& name) {
    return json::parse(*readTextFile(fs::path(SOURCE_ROOT) / "docs" / "formats" / (name + ".schema.json")));
}

class Dice {
public:
    explicit Dice(unsigned seed) : m_random(seed) {}
    double between(double low, double high) { return std::uniform_real_distribution<double>(low, high)(m_random); }
    int upTo(int last) { return std::uniform_int_distribution<int>(0, last)(m_random); }
    bool coin() { return upTo(1) == 1; }
    Vec3d place() { return {between(-50, 50), between(-50, 50), between(-50, 50)}; }

private:
    std::mt19937 m_random;
};

FixedSwitch anySwitch(Dice& dice) {
    return {static_cast<DecideBy>(dice.upTo(3)), dice.between(0.01, 80)};
}

SwitchRule anyRule(Dice& dice) {
    SwitchRule rule;
    rule.decideBy = static_cast<DecideBy>(dice.upTo(3));
    rule.measureFrom = static_cast<MeasureFrom>(dice.upTo(2));
    rule.allowPx = dice.between(0.25, 8);
    rule.hysteresis = dice.between(0, 0.5);
    rule.dwellSeconds = dice.between(0, 5);
    rule.checkSeconds = dice.between(0, 5);
    rule.fadeSeconds = dice.between(0, 2);
    rule.cullBelowPx = dice.between(0, 64);
    rule.reachMetres = dice.coin() ? 0 : dice.between(1, 900);
    rule.marginMetres = dice.between(0, 4);
    rule.softBand = dice.coin() ? 0 : dice.between(0, 0.5);
    rule.reachGrows = dice.coin() ? 0 : dice.between(0, 100);
    rule.importance = dice.coin() ? 1 : dice.between(0.1, 10);
    rule.everyPoint = dice.coin();
    rule.looks = dice.coin();
    rule.target = dice.coin() ? 0 : 7;
    return rule;
}

/// What makes a field of copies more than its copies.
void anyFieldRules(Dice& dice, InstancesBody& body) {
    double at = dice.between(0, 5);
    for (int i = dice.upTo(5); i > 0; --i, at += dice.between(0.1, 50)) {
        body.thinning.keep.points.push_back({at, dice.between(0, 1)});
        body.thinning.grow.points.push_back({at, dice.between(1, 8)});
    }
    body.thinning.holdCover = dice.coin();
    body.thinning.growAtMost = dice.between(1, 8);
    body.thinning.band = dice.between(0, 1);
    for (int i = dice.upTo(3); i > 0; --i)
        body.fixed.push_back(dice.coin() ? std::nullopt
                                         : std::optional(FixedSwitch{DecideBy::Distance, dice.between(1, 99)}));
    body.engineInstances = dice.coin();
    if (dice.coin())
        return;
    ScatterRecipe recipe;
    recipe.surface = dice.coin() ? 10 : 0;
    recipe.lowX = dice.between(-90, -10);
    recipe.density = dice.between(0.01, 9);
    recipe.mostSlope = dice.between(5, 90);
    recipe.leastHeight = dice.coin() ? -1e9 : dice.between(-5, 0);
    if (recipe.leastHeight > -1e9)
        recipe.mostHeight = dice.between(0, 50);
    if (dice.coin())
        recipe.near = {{ScatterNear::Of::Route, "run", 0, dice.between(0, 3), dice.between(3, 90)},
                       {ScatterNear::Of::Subject, {}, 10, 1, 1e9}};
    recipe.assets = {{10, dice.between(0, 4), 0.5, dice.between(0.6, 3), dice.between(0, 360), dice.between(0, 90),
                      dice.between(0, 1)}};
    recipe.seed = static_cast<std::uint32_t>(dice.upTo(1'000'000));
    body.recipe = std::make_shared<const ScatterRecipe>(recipe);
}

Level anyLevel(Dice& dice, bool source) {
    Level level;
    const LevelOrigin origins[] = {LevelOrigin::Collapsed, LevelOrigin::HandMade, LevelOrigin::Cards,
                                   LevelOrigin::Rebuilt, LevelOrigin::Impostor};
    level.origin = source ? LevelOrigin::Source : origins[dice.upTo(4)];
    level.content = source ? "" : "0123456789abcdef0123456789abcdef";
    level.triangles = static_cast<std::uint32_t>(1 + dice.upTo(500'000));
    level.vertices = static_cast<std::uint32_t>(dice.upTo(300'000));
    level.draws = static_cast<std::uint32_t>(1 + dice.upTo(5));
    level.pieces = static_cast<std::uint32_t>(dice.upTo(40));
    level.locked = dice.coin();
    level.deviation = dice.between(0, 0.3);
    level.promised = level.deviation * 1.05;
    level.visible = level.deviation * 0.3;
    level.p99 = level.deviation * 0.6;
    level.rms = level.deviation * 0.3;
    if (source)
        return level;
    level.posed = dice.coin() ? 0 : dice.between(0, 0.2);
    level.seen = dice.coin() ? 0 : dice.between(0, 0.2);
    if (dice.coin())
        level.driftTexels = dice.between(0, 9);
    if (dice.coin())
        level.driftDegrees = dice.between(0, 90);
    if (dice.coin())
        level.fixed = anySwitch(dice);
    if (level.origin == LevelOrigin::Impostor) {
        level.views.across = 4 + dice.upTo(8);
        level.views.centre = dice.place();
        level.views.half = dice.between(0.1, 9);
        level.views.texels = 16 + dice.upTo(200);
    }
    if (level.origin == LevelOrigin::Collapsed && dice.coin()) {
        level.surfaces = std::make_shared<const Surfaces>();
        level.materials.halvings = dice.upTo(4);
        level.materials.dropNormals = dice.coin();
        level.materials.dropDetail = dice.coin();
        level.materials.opaque = true;
        level.materials.merge = dice.coin();
        level.materials.mergedSide = 256;
        if (dice.coin())
            level.materials.swaps = {{0, 2}, {1, 0}};
    }
    return level;
}

Subject anySubject(Dice& dice, std::uint32_t id) {
    Subject s;
    s.id = id;
    s.name = "thing \"" + std::to_string(id) + "\" ä";
    s.role = kRoles[dice.upTo(4)].value;
    s.source = {"/somewhere/models/thing.glb", "00ffeeddccbbaa9900ffeeddccbbaa99", dice.coin() ? "" : "family",
                dice.coin()};
    for (int i = 0; i <= dice.upTo(5); ++i)
        s.mesh().levels.push_back(anyLevel(dice, i == 0));
    s.rule = anyRule(dice);
    s.mesh().pieces = static_cast<std::uint32_t>(1 + dice.upTo(900));
    s.mesh().aggregate = dice.coin();
    s.mesh().cutRules = {dice.coin(), dice.coin(), dice.coin()};
    s.bounds = {{-1, dice.between(-3, 0), -1}, {1, 2, dice.between(0.1, 4)}};
    s.radius = dice.between(1, 9);
    s.mesh().curve.triangles = {1000, 400, 12};
    s.mesh().curve.deviation = {0, 0.002, dice.between(0.01, 1)};
    if (dice.coin())
        s.mesh().curve.visible = {0, 0.001, dice.between(0.002, 0.01)};
    if (dice.coin()) {
        s.mesh().curve.careful = {0, 0.004, 2};
        CareStroke stroke;
        stroke.path = {{0, 1, 0}, {0.5F, 0.25F, 0}};
        stroke.mirror = dice.coin();
        stroke.kind = dice.coin() ? CareStroke::Kind::Erase : CareStroke::Kind::FromColor;
        s.mesh().care = std::make_shared<const Care>(Care{stroke});
        s.mesh().careCut = s.mesh().care;
    }
    return s;
}

TerrainBody anyTerrain(Dice& dice) {
    TerrainBody body;
    if (dice.coin()) {
        body.trial = GroundRecipe();
        body.trial->columns = 2 + static_cast<std::uint32_t>(dice.upTo(900));
        body.trial->relief = dice.between(0, 500);
        body.trial->seed = static_cast<std::uint32_t>(dice.upTo(1000));
    } else {
        body.reading.spacing = dice.coin() ? 0 : dice.between(0.1, 90);
        if (dice.coin()) {
            body.reading.low = dice.between(-50, 0);
            body.reading.high = dice.between(1, 3000);
        }
        if (dice.coin())
            body.reading.noData = dice.between(-9999, 9999);
        if (dice.coin()) {
            body.reading.columns = 2 + static_cast<std::uint32_t>(dice.upTo(5000));
            body.reading.samples = static_cast<RawSamples>(dice.upTo(2));
            body.reading.bigEndian = dice.coin();
        }
    }
    body.cells = 2 * (1 + static_cast<std::uint32_t>(dice.upTo(127)));
    body.between = static_cast<Passing>(dice.upTo(2));
    for (int i = dice.upTo(3); i > 0; --i) {
        GroundStroke stroke;
        stroke.kind = static_cast<BrushKind>(dice.upTo(3));
        stroke.radius = dice.between(1, 90);
        stroke.strength = dice.between(0, 9);
        for (int k = dice.upTo(5); k >= 0; --k)
            stroke.path.push_back({dice.between(-900, 900), dice.between(-900, 900)});
        body.strokes.push_back(std::make_shared<const GroundStroke>(std::move(stroke)));
    }
    for (int i = dice.upTo(3); i > 0; --i)
        body.fixed.push_back(dice.coin() ? std::nullopt
                                         : std::optional(FixedSwitch{DecideBy::Distance, dice.between(1, 99)}));
    return body;
}

StrandsBody anyStrands(Dice& dice) {
    StrandsBody body;
    if (dice.coin()) {
        StrandRecipe recipe;
        recipe.where.density = dice.between(0.1, 90);
        recipe.where.surface = dice.coin() ? 10 : 0;
        recipe.length = dice.between(0.01, 3);
        recipe.curl = dice.between(0, 9);
        recipe.clump = dice.between(0, 1);
        recipe.points = 2 + static_cast<std::uint32_t>(dice.upTo(60));
        body.recipe = std::make_shared<const StrandRecipe>(recipe);
    }
    body.width = dice.between(0.001, 0.1);
    body.look.vary = dice.between(0, 1);
    double off = 0;
    for (int i = dice.upTo(4); i >= 0; --i, off += dice.between(0.001, 0.1))
        body.levels.push_back({off, static_cast<std::uint64_t>(1 + dice.upTo(100'000)), 0,
                               dice.coin() || off == 0 ? std::nullopt : std::optional(anySwitch(dice))});
    if (body.levels.size() > 1 && dice.coin())
        body.levels.back().perCard = static_cast<std::uint32_t>(2 + dice.upTo(1022));
    body.thinning.keep.points = {{dice.between(1, 9), 1}, {dice.between(10, 90), dice.between(0, 1)}};
    body.thinning.growAtMost = dice.between(1, 8);
    return body;
}

Emitter anyEmitter(Dice& dice) {
    Emitter e;
    for (int i = dice.upTo(3); i >= 0; --i) {
        EmitterPart part;
        part.name = "part " + std::to_string(i);
        part.on = dice.coin();
        part.rate = dice.between(0, 90);
        part.burst = dice.coin() ? 0 : dice.between(1, 30);
        part.burstEvery = part.burst > 0 ? dice.between(0.5, 3) : 1;
        part.lifetime = {dice.between(0.1, 2), dice.between(2, 5)};
        part.size = {dice.between(0, 1), dice.between(1, 2)};
        part.direction = (dice.place() + Vec3d(0, 1e-3, 0)).normalized();
        part.pull = dice.place() / 20;
        part.glows = dice.coin();
        part.local = dice.coin();
        part.opacity = dice.between(0, 1);
        e.parts.push_back(part);
    }
    double from = 0;
    for (int l = dice.upTo(3); l >= 0; --l) {
        EmitterLevel level;
        level.from.value = from;
        level.parts.resize(e.parts.size());
        if (!e.levels.empty()) {
            if (dice.coin())
                level.inherits = static_cast<std::uint32_t>(dice.upTo(static_cast<int>(e.levels.size()) - 1));
            for (PartOverride& over : level.parts) {
                if (dice.coin())
                    over.rate = dice.between(0, 40);
                if (dice.coin())
                    over.on = dice.coin();
                if (dice.coin())
                    over.size = Between{dice.between(0, 1), dice.between(1, 3)};
            }
        }
        from += dice.between(1, 60);
        e.levels.push_back(std::move(level));
    }
    e.levelBy = dice.coin() ? LevelBy::Tier : LevelBy::Distance;
    if (dice.coin())
        e.forced = static_cast<std::uint32_t>(dice.upTo(static_cast<int>(e.levels.size()) - 1));
    e.seed = static_cast<std::uint32_t>(dice.upTo(100'000));
    return e;
}

Scene anyScene(unsigned seed) {
    Dice dice(seed);
    Scene scene;
    std::uint32_t id = 100;
    scene.settings.name = "scene " + std::to_string(seed);
    for (int i = 0; i <= dice.upTo(3); ++i)
        scene.subjects.push_back(anySubject(dice, static_cast<std::uint32_t>(10 + i)));
    const auto copies = [&](int count, int assets) {
        Placements out;
        for (int i = 0; i < count; ++i)
            out.push_back({id++, static_cast<std::uint32_t>(dice.upTo(assets - 1)), dice.place(),
                           Quatd(Eigen::AngleAxisd(dice.between(-3, 3), kUp)), dice.between(0.1, 4),
                           dice.coin() ? 1 : dice.between(0.1, 10)});
        return std::make_shared<const Placements>(std::move(out));
    };
    if (const int count = dice.upTo(6); count > 0)
        scene.subjects.front().mesh().placed = copies(count, 1);
    if (dice.coin()) {
        Subject field;
        field.id = 50;
        field.name = "field";
        field.rule = anyRule(dice);
        field.bounds = {{-9, 0, -9}, {9, 1, 9}};
        field.radius = 13;
        InstancesBody body{{10}, copies(dice.upTo(9), 1)};
        anyFieldRules(dice, body);
        field.body = std::move(body);
        scene.subjects.push_back(field);
    }
    if (dice.coin()) {
        Subject ground;
        ground.id = 70;
        ground.name = "ground";
        ground.rule = anyRule(dice);
        ground.radius = 40;
        ground.body = anyTerrain(dice);
        if (!ground.terrain()->trial)
            ground.source = {"/somewhere/here/bed.tif", std::string(32, 'a'), {}};
        scene.subjects.push_back(ground);
    }
    if (dice.coin()) {
        Subject strands;
        strands.id = 80;
        strands.name = "grass";
        strands.rule = anyRule(dice);
        strands.radius = 4;
        strands.body = anyStrands(dice);
        if (!strands.strands()->recipe)
            strands.source = {"/somewhere/here/grass.glb", std::string(32, 'b'), {}};
        scene.subjects.push_back(strands);
    }
    if (dice.coin()) {
        Subject smoke;
        smoke.id = 90;
        smoke.name = "smoke";
        smoke.rule = anyRule(dice);
        smoke.radius = 4;
        EmitterBody body;
        body.emitter = anyEmitter(dice);
        body.sprites.resize(body.emitter.parts.size());
        if (dice.coin())
            body.placed = copies(1 + dice.upTo(3), 1);
        smoke.body = std::move(body);
        scene.subjects.push_back(smoke);
    }
    scene.nextId = id + static_cast<std::uint32_t>(dice.upTo(5));
    for (int i = 0; i < dice.upTo(2); ++i) {
        Device d;
        d.name = "machine " + std::to_string(i);
        d.detail = dice.between(0.1, 10);
        d.frameMs = dice.between(1, 30);
        d.overdraw = dice.between(1, 3);
        if (dice.coin())
            d.fitted = {{1, dice.between(1, 8)}, {17, dice.between(1, 8)}};
        scene.settings.devices.push_back(d);
    }
    if (dice.coin())
        scene.settings.routes.push_back(
            {"run", {{0, dice.place(), {0, 0, 0}}, {dice.between(1, 9), dice.place(), {0, 0, 0}}}});
    if (dice.coin())
        scene.settings.roles.of[2] = {
            dice.upTo(5) + 1, dice.between(0.02, 0.9), dice.between(0.05, 64), dice.upTo(4), dice.coin(), dice.coin()};
    View like;
    like.fovY = dice.between(0.3, 2);
    like.lines = 240 + dice.upTo(2000);
    like.detail = dice.between(0.1, 10);
    scene.settings.view = lookAt(like, {dice.between(1, 9), 2, 3}, {0, 0, 0});
    for (int i = 0; i < dice.upTo(2); ++i)
        scene.settings.ownViews.push_back({"own " + std::to_string(i), dice.between(5, 150), 600});
    scene.settings.halfSpeed = dice.coin() ? 0 : dice.between(0, 40);
    scene.settings.cullHidden = dice.coin();
    return scene;
}

/// Where two documents differ first, numbers by more than rounding; empty when they do not.
std::string difference(const json& a, const json& b, const std::string& path = "") {
    if (a.is_number() && b.is_number())
        return std::abs(a.get<double>() - b.get<double>()) <= 1e-12 * std::max(1.0, std::abs(b.get<double>())) ? ""
                                                                                                               : path;
    if (a.type() != b.type() || a.size() != b.size())
        return path.empty() ? "." : path;
    if (!a.is_structured())
        return a == b ? "" : path;
    for (const auto& [name, part] : b.items()) {
        const json* own =
            b.is_array() ? &a[static_cast<std::size_t>(std::stoul(name))] : (a.contains(name) ? &a[name] : nullptr);
        const std::string found = own == nullptr ? path + "." + name : difference(*own, part, path + "." + name);
        if (!found.empty())
            return found;
    }
    return "";
}

/// All values of a document, by pointer.
void leaves(const json& value, const json::json_pointer& at, std::vector<json::json_pointer>& out) {
    if (!at.empty())
        out.push_back(at);
    if (value.is_object())
        for (const auto& [name, part] : value.items())
            leaves(part, at / name, out);
    if (value.is_array())
        for (std::size_t i = 0; i < value.size(); ++i)
            leaves(value[i], at / i, out);
}

/// Two levels of a ball with all kinds of switches, shipped.
Scene shippedBall(const fs::path& folder, const SwitchRule& rule,
                  const std::vector<std::optional<FixedSwitch>>& fixed) {
    Surfaces surfaces;
    surfaces.materials.emplace_back();
    std::vector<std::shared_ptr<const Mesh>> meshes;
    for (const int rows : {40, 24, 14, 8, 5}) {
        Mesh mesh = shapes::texturedSphere(2 * rows, rows);
        dropUnusedVertices(mesh);
        meshes.push_back(std::make_shared<const Mesh>(std::move(mesh)));
    }
    const fs::path file = folder / "ball.glb";
    EXPECT_TRUE(writeFile(file, encodeGlb("ball", meshes, surfaces, GlbLevels::Named, {})));
    Scene scene;
    auto subject = makeSubject(std::move(readModel(file, {})->front()), {});
    EXPECT_TRUE(subject);
    subject->id = 1;
    subject->rule = rule;
    for (std::size_t i = 0; i < fixed.size(); ++i)
        subject->mesh().levels[i + 1].fixed = fixed[i];
    scene.subjects = {*subject};
    EXPECT_TRUE(shipScene(scene, folder / "out", {}, {}));
    return scene;
}

} // namespace

TEST(Schema, is_checked_by_a_checker_that_finds_what_is_wrong) {
    const json schema = schemaOf("chain");
    EXPECT_FALSE(breaks(schema, json::object()).empty()) << "what is required is missed";
    EXPECT_FALSE(breaks(schema, json::array()).empty());
    EXPECT_FALSE(breaks(json{{"type", "number"}, {"minimum", 2}}, 1).empty());
    EXPECT_FALSE(breaks(json{{"properties", json::object()}, {"additionalProperties", false}}, {{"a", 1}}).empty());
    EXPECT_FALSE(breaks(json{{"items", {{"enum", {1, 2}}}}}, json::array({1, 3})).empty());
    EXPECT_FALSE(breaks(json{{"minimal", 2}}, 5).empty()) << "a word that is not known is said";
    EXPECT_TRUE(breaks(json{{"type", {"null", "integer"}}}, nullptr).empty());
}

TEST(Format, a_project_with_everything_comes_back_and_holds_to_its_schema) {
    const json schema = schemaOf("project");
    for (unsigned seed = 0; seed < 60; ++seed) {
        const std::string text = encodeProject(anyScene(seed), "/somewhere/here");
        for (const std::string& broken : breaks(schema, json::parse(text)))
            ADD_FAILURE() << "seed " << seed << " " << broken;
        const auto back = decodeProject(text, "/somewhere/here", "x");
        ASSERT_TRUE(back) << back.error().text();
        EXPECT_EQ(difference(json::parse(encodeProject(*back, "/somewhere/here")), json::parse(text)), "")
            << "seed " << seed;
    }
}

TEST(Format, a_project_with_one_value_damaged_is_refused_or_read_never_worse) {
    const json wrong[] = {nullptr, -1, 1e300, "", "x", json::array(), json::object(), true, json::array({1, "a"})};
    Dice dice(5);
    int refused = 0;
    int tries = 0;
    for (unsigned seed = 0; seed < 12; ++seed) {
        const json whole = json::parse(encodeProject(anyScene(seed), "/somewhere/here"));
        std::vector<json::json_pointer> places;
        leaves(whole, json::json_pointer(), places);
        for (int i = 0; i < 120; ++i) {
            json damaged = whole;
            const auto& at = places[static_cast<std::size_t>(dice.upTo(static_cast<int>(places.size()) - 1))];
            const int way = dice.upTo(9);
            if (way == 9 && at.parent_pointer().empty())
                damaged.erase(at.back());
            else
                damaged[at] = wrong[way % 9];
            ++tries;
            const auto read = decodeProject(damaged.dump(), "/somewhere/here", "x.thicket.json");
            if (read) {
                EXPECT_FALSE(encodeProject(*read, "/somewhere/here").empty());
                continue;
            }
            ++refused;
            EXPECT_FALSE(read.error().what.empty());
            EXPECT_FALSE(read.error().remedy.empty());
        }
    }
    EXPECT_GT(refused, tries / 2);
}

TEST(Format, placements_that_are_many_stand_beside_the_project) {
    const TempFolder folder;
    Dice dice(3);
    Scene scene = anyScene(1);
    Placements many;
    for (std::uint32_t i = 0; i < 5000; ++i)
        many.push_back(
            {1000 + i, 0, dice.place(), Quatd(Eigen::AngleAxisd(dice.between(-3, 3), kUp)), dice.between(0.1, 4), 1});
    Subject field;
    field.id = 60;
    field.name = "reeds";
    field.body = InstancesBody{{10}, std::make_shared<const Placements>(many)};
    scene.subjects.push_back(field);
    scene.nextId = 6000;
    const fs::path file = folder.path() / "many.thicket.json";
    ASSERT_TRUE(writeProject(scene, file, false));
    EXPECT_LT(fs::file_size(file), 100'000U);
    const std::string text = *readTextFile(file);
    const auto back = decodeProject(text, folder.path(), "x", levelsFolder(file));
    ASSERT_TRUE(back) << back.error().text();
    EXPECT_EQ(*back->subjects.back().instances()->copies, many) << "to the bit";
    // A file that is not what its name says is not taken, nor one that is missing or cut short.
    fs::path beside;
    for (const auto& entry : fs::directory_iterator(levelsFolder(file)))
        if (entry.path().extension() == ".placements")
            beside = entry.path();
    ASSERT_FALSE(beside.empty());
    const auto bytes = *readFile(beside);
    auto other = bytes;
    other[200] ^= std::byte{1};
    ASSERT_TRUE(writeFile(beside, other));
    EXPECT_NE(
        decodeProject(text, folder.path(), "x", levelsFolder(file)).error().what.find("is not what its name says"),
        std::string::npos);
    fs::remove(beside);
    EXPECT_NE(decodeProject(text, folder.path(), "x", levelsFolder(file)).error().what.find("is missing"),
              std::string::npos);
    EXPECT_FALSE(decodePlacements({bytes.data(), bytes.size() - 1}, "x"));
    EXPECT_FALSE(decodePlacements({bytes.data(), 12}, "x"));
    auto absurd = bytes;
    absurd[15] = std::byte{0xFF}; // 2^63 of them
    EXPECT_NE(decodePlacements(absurd, "x").error().what.find("more than"), std::string::npos);
}

TEST(Format, what_older_projects_say_of_levels_of_ground_still_counts) {
    Scene scene;
    Subject ground;
    ground.id = 3;
    ground.name = "bed";
    ground.radius = 40;
    TerrainBody body;
    body.trial = GroundRecipe();
    body.between = Passing::CrossFade;
    ground.body = body;
    scene.subjects.push_back(ground);
    json project = json::parse(encodeProject(scene, "/somewhere/here"));
    const auto read = [&] {
        const auto back = decodeProject(project.dump(), "/somewhere/here", "x");
        EXPECT_TRUE(back) << (back ? "" : back.error().text());
        return back ? std::optional(back->subjects[0].terrain()->between) : std::nullopt;
    };
    EXPECT_EQ(read(), Passing::CrossFade);
    json& said = project["subjects"][0];
    said.erase("between");
    said["morph"] = false;
    EXPECT_EQ(read(), Passing::Sudden);
    said["morph"] = true;
    EXPECT_EQ(read(), Passing::Morph);
    said["between"] = "leap";
    const auto refused = decodeProject(project.dump(), "/somewhere/here", "x");
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().text().find("\"leap\" is not"), std::string::npos) << refused.error().text();
}

TEST(Format, projects_of_the_first_version_open_as_they_were) {
    const fs::path folder = fs::path(SOURCE_ROOT) / "tests" / "fixtures" / "project-1";
    const auto load = readProject(folder / "posts.thicket.json", {});
    ASSERT_TRUE(load) << load.error().text();
    EXPECT_TRUE(load->problems.empty()) << load->problems.front().text();
    EXPECT_TRUE(load->toCut.empty()) << "the levels beside it are taken";
    ASSERT_EQ(load->scene.subjects.size(), 1U);
    const Subject& post = load->scene.subjects[0];
    EXPECT_EQ(post.name, "Marker post");
    EXPECT_EQ(post.role, Role::Dressing);
    ASSERT_EQ(post.mesh().levels.size(), 3U);
    EXPECT_EQ(post.mesh().levels[1].deviation, 0.004);
    EXPECT_EQ(post.mesh().levels[2].promised, 0.011);
    EXPECT_TRUE(post.mesh().levels[2].fixed);
    EXPECT_TRUE(post.mesh().care);
    ASSERT_EQ(post.mesh().placed->size(), 3U);
    EXPECT_EQ((*post.mesh().placed)[1].importance, 2);
    EXPECT_EQ((*post.mesh().placed)[2].scale, 1.5);
    EXPECT_EQ(load->scene.nextId, 13U);
    EXPECT_EQ(load->scene.settings.halfSpeed, 12);
    const auto large = decodeProject(*readTextFile(folder / "saltmere.thicket.json"), folder, "saltmere");
    ASSERT_TRUE(large) << large.error().text();
    EXPECT_EQ(large->subjects.size(), 6U);
    std::size_t copies = 0;
    for (const Subject& s : large->subjects)
        copies += s.mesh().placed ? s.mesh().placed->size() : 0;
    EXPECT_EQ(copies, 55U);
}

TEST(Format, only_files_of_ours_are_cleared_away_beside_a_project) {
    const TempFolder folder;
    const fs::path file = folder.path() / "a.thicket.json";
    const fs::path beside = levelsFolder(file);
    const std::string old = "00112233445566778899aabbccddeeff.glb";
    for (const std::string& name : {old, std::string("my model.glb"), std::string("notes.txt")})
        ASSERT_TRUE(writeTextFile(beside / name, "kept?"));
    ASSERT_TRUE(writeTextFile(folder.path() / "elsewhere.glb", "kept"));
    fs::create_symlink(folder.path() / "elsewhere.glb", beside / "ffeeddccbbaa99887766554433221100.glb");
    ASSERT_TRUE(writeProject(anyScene(2), file, true));
    EXPECT_FALSE(fs::exists(beside / old)) << "what no level is any more goes";
    EXPECT_TRUE(fs::exists(beside / "my model.glb"));
    EXPECT_TRUE(fs::exists(beside / "notes.txt"));
    EXPECT_TRUE(fs::exists(folder.path() / "elsewhere.glb"));
    EXPECT_TRUE(fs::is_symlink(beside / "ffeeddccbbaa99887766554433221100.glb"));
}

TEST(Chain, what_was_shipped_comes_back_to_the_letter) {
    const json schema = schemaOf("chain");
    SwitchRule rule;
    rule.decideBy = DecideBy::ShareOfReach;
    rule.reachMetres = 700;
    rule.importance = 1.7;
    rule.hysteresis = 0.123;
    rule.dwellSeconds = 0.4;
    const TempFolder folder;
    const Scene scene =
        shippedBall(folder.path(), rule,
                    {FixedSwitch{DecideBy::Distance, 3.25}, std::nullopt, FixedSwitch{DecideBy::ShareOfReach, 0.21},
                     FixedSwitch{DecideBy::ScreenHeight, 0.001}});
    const fs::path shipped = folder.path() / "out" / "ball.chain.json";
    const std::string text = *readTextFile(shipped);
    for (const std::string& broken : breaks(schema, json::parse(text)))
        ADD_FAILURE() << broken;
    for (const char* name : {"ball.lod.glb", "ball.levels.glb"}) {
        const fs::path mesh = folder.path() / "out" / name;
        EXPECT_EQ(chainBeside(mesh), shipped);
        auto subject = makeSubject(std::move(readModel(mesh, {})->front()), {});
        ASSERT_TRUE(subject);
        const auto chain = readChain(shipped);
        ASSERT_TRUE(chain) << chain.error().text();
        const auto with = withChain(*subject, *chain);
        ASSERT_TRUE(with) << with.error().text();
        EXPECT_EQ(encodeChain(*with, scene.settings.view), text) << name;
    }
    EXPECT_TRUE(chainBeside(folder.path() / "ball.glb").empty());
}

TEST(Chain, the_extension_alone_brings_every_switch_back) {
    SwitchRule rule;
    rule.cullBelowPx = 5;
    const TempFolder folder;
    const Scene scene = shippedBall(folder.path(), rule, {});
    const auto read = makeSubject(std::move(readModel(folder.path() / "out" / "ball.lod.glb", {})->front()), {});
    ASSERT_TRUE(read);
    const auto resolved = [&](const Subject& s) { return chainOf(s, scene.settings.view).fromMetres; };
    const auto was = resolved(scene.subjects[0]);
    const auto is = resolved(*read);
    ASSERT_EQ(is.size(), was.size());
    for (std::size_t i = 1; i < was.size(); ++i)
        EXPECT_NEAR(is[i], was[i], 1e-6 * was[i]) << "L" << i;
    EXPECT_NEAR(read->rule.cullBelowPx, 5, 1e-9);
}

TEST(Chain, deviations_are_believed_only_of_the_shapes_that_were_measured) {
    const TempFolder folder;
    const Scene scene = shippedBall(folder.path(), {}, {FixedSwitch{DecideBy::Distance, 3.25}});
    auto chain = readChain(folder.path() / "out" / "ball.chain.json");
    ASSERT_TRUE(chain);
    for (Level& level : chain->levels)
        level.promised = level.visible = 1e-9; // what someone would like to be true
    const auto believed = withChain(scene.subjects[0], *chain);
    ASSERT_TRUE(believed);
    EXPECT_EQ(believed->mesh().levels[2].promised, 1e-9);
    Subject other = scene.subjects[0];
    Mesh moved = *other.mesh().levels[2].mesh;
    moved.positions[3] *= 0.99F;
    other.mesh().levels[2].mesh = std::make_shared<const Mesh>(moved);
    const auto measured = withChain(other, *chain);
    ASSERT_TRUE(measured);
    EXPECT_EQ(measured->mesh().levels[2].promised, other.mesh().levels[2].promised) << "what was measured here stays";
    EXPECT_EQ(measured->mesh().levels[1].fixed, chain->levels[1].fixed) << "switches are a matter of choice";
}

TEST(Chain, of_something_else_is_refused_and_damage_is_named) {
    const TempFolder folder;
    const Scene scene = shippedBall(folder.path(), {}, {});
    const auto chain = readChain(folder.path() / "out" / "ball.chain.json");
    ASSERT_TRUE(chain);
    Subject fewer = scene.subjects[0];
    fewer.mesh().levels.pop_back();
    EXPECT_NE(withChain(fewer, *chain).error().what.find("it has 4 levels, not 5"), std::string::npos);
    Subject other = scene.subjects[0];
    other.mesh().levels[2].triangles += 1;
    EXPECT_NE(withChain(other, *chain).error().what.find("its L2 has"), std::string::npos);
    Subject larger = scene.subjects[0];
    larger.bounds.high *= 1.1;
    EXPECT_EQ(withChain(larger, *chain).error().code, ErrorCode::CheckFailed);

    const std::string good = *readTextFile(folder.path() / "out" / "ball.chain.json");
    const fs::path bad = folder.path() / "bad.chain.json";
    const auto error = [&](const std::string& text) {
        EXPECT_TRUE(writeTextFile(bad, text));
        const auto read = readChain(bad);
        EXPECT_FALSE(read);
        return read ? std::string() : read.error().text();
    };
    EXPECT_NE(error(good.substr(0, good.size() / 2)).find("not whole JSON"), std::string::npos);
    EXPECT_NE(error("{}").find("not a chain description"), std::string::npos);
    json damaged = json::parse(good);
    damaged["levels"][1]["deviation"]["promised"] = -1;
    EXPECT_NE(error(damaged.dump()).find("levels[1].deviation.promised: -1"), std::string::npos);
    damaged = json::parse(good);
    damaged["rule"]["decideBy"] = "mood";
    EXPECT_NE(error(damaged.dump()).find("rule.decideBy"), std::string::npos);
    EXPECT_EQ(readChain(folder.path() / "none.chain.json").error().code, ErrorCode::NotFound);
}

} // namespace thicket
