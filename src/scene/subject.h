#pragma once
// A subject: anything that has levels. What all have in common stands here; what makes it a mesh or a field of copies
// is a variant. No base class: `std::visit` over an overload set, so that a kind that somebody forgot does not compile.
// The few operations that differ by kind are listed in scene/kinds.h.

#include "bake/impostor.h"
#include "bake/lighten.h"
#include "base/named.h"
#include "emitters/particles.h"
#include "mesh/care.h"
#include "mesh/mend.h"
#include "mesh/rig.h"
#include "mesh/upright.h"
#include "reduce/chain.h"
#include "scatter/recipe.h"
#include "strands/grow_strands.h"
#include "strands/strand_cover.h"
#include "switching/selector.h"
#include "terrain/ground_brush.h"
#include "terrain/height_options.h"
#include "terrain/make_heights.h"

#include <filesystem>
#include <memory>
#include <string>
#include <variant>

namespace thicket {

enum class Role { Landmark, WorkingPiece, Dressing, GroundCover, Horizon };
constexpr Named<Role> kRoles[] = {{Role::Landmark, "landmark", "Landmark"},
                                  {Role::WorkingPiece, "working-piece", "Working piece"},
                                  {Role::Dressing, "dressing", "Dressing"},
                                  {Role::GroundCover, "ground-cover", "Ground cover"},
                                  {Role::Horizon, "horizon", "Horizon"}};
constexpr std::span<const Named<Role>> namesOf(Role /*any*/) {
    return kRoles;
}

enum class LevelOrigin { Source, Collapsed, HandMade, Cards, Rebuilt, Impostor };
constexpr Named<LevelOrigin> kLevelOrigins[] = {
    {LevelOrigin::Source, "source", "the source"},        {LevelOrigin::Collapsed, "collapsed", "cut from the record"},
    {LevelOrigin::HandMade, "hand-made", "made by hand"}, {LevelOrigin::Cards, "cards", "made of pictures"},
    {LevelOrigin::Rebuilt, "rebuilt", "rebuilt evenly"},  {LevelOrigin::Impostor, "impostor", "made of pictures"}};
constexpr std::span<const Named<LevelOrigin>> namesOf(LevelOrigin /*any*/) {
    return kLevelOrigins;
}
/// Made of pictures of the subject: judged by outlines, not by distances between surfaces.
constexpr bool ofPictures(LevelOrigin origin) {
    return origin == LevelOrigin::Cards || origin == LevelOrigin::Impostor;
}

struct Level {
    std::shared_ptr<const Mesh> mesh; ///< null until cut again after a project was opened
    std::string
        content; ///< hash of the mesh and of surfaces of its own: names the file it is kept in beside the project
    std::shared_ptr<const Surfaces> surfaces; ///< its own, in place of the subject's; usually none
    ViewGrid views;           ///< of an impostor: what its one rectangle turns through; `mesh` is its front
    MaterialChoice materials; ///< how `surfaces` of a cut level came about
    std::uint32_t triangles = 0;
    std::uint32_t vertices = 0;
    std::uint32_t draws = 0;
    std::uint32_t pieces = 0; ///< loose pieces it still has; 0: not counted
    LevelOrigin origin = LevelOrigin::Collapsed;
    bool locked = false;
    double deviation = 0; ///< largest found, metres, two-sided; of cards: of the outlines seen from all round
    double visible = 0;   ///< what of it a pixel can show (measure/visible.h): what switching relies on
    /// What switching relies on where every point counts: the largest found and a little more for what lies between the
    /// places that were looked at. An estimate that tests hold against denser looks, not the proven bound
    /// (Deviation::bound), which may be larger.
    double promised = 0;
    double p99 = 0;
    double rms = 0;
    double posed = 0; ///< largest found at moments of its animations; `promised` covers it, and `visible` what it adds
    /// Metres that it has to count as off for nobody to see the switch to it: where so much is what its rule allows, that
    /// was looked at and found unseen (bake/pop.h). 0: not looked at, or no more than `visible`.
    double seen = 0;
    std::optional<double> driftTexels;  ///< 99 % of the surface shows its texture closer to its place than that
    std::optional<double> driftDegrees; ///< 99 % of its normals turn less
    std::optional<FixedSwitch> fixed;

    /// How far off a rule takes it to be.
    [[nodiscard]] double decisive(const SwitchRule& rule) const { return rule.everyPoint ? promised : visible; }
    /// What it counts as for its switch to go unseen; of copies in a soft band those that switch soonest are where it was
    /// looked at.
    [[nodiscard]] double counted(const SwitchRule& rule) const { return rule.looks ? seen / (1 - rule.softBand) : 0; }
};

/// What every cut of a subject holds to. Changing it takes another record.
struct CutRules {
    bool keepPieces = false;    ///< loose pieces stay in every level, however small they get on screen
    bool reuseVertices = false; ///< all levels use the source's own vertices; loose pieces then stay
    bool symmetric = false;     ///< levels of a symmetric source are symmetric; loose pieces then stay
    bool operator==(const CutRules&) const = default;
};

struct SourceFile {
    std::filesystem::path path; ///< absolute while running; relative to the project in its file
    std::string hash;           ///< of the file's bytes when it was read
    std::string family;         ///< which of the file's subjects, empty when it holds one
    bool apart = false;         ///< each mesh of the file is a subject
    std::uint32_t things = 1;   ///< that its meshes would be, taken apart
};

/// A mesh with its chain, and where it stands in the scene.
struct MeshBody {
    std::shared_ptr<const Surfaces> surfaces;
    std::shared_ptr<const Rig> rig; ///< null: it does not move
    std::vector<Level> levels;      ///< finest first, at least one
    std::uint32_t pieces = 1;       ///< loose pieces of L0, as its record found them
    bool aggregate = false;         ///< far levels have fewer of them, grown to hold the cover
    CutRules cutRules;
    std::shared_ptr<const Care> care;    ///< what is painted; null: nothing
    std::shared_ptr<const Care> careCut; ///< as it was when the levels were cut
    DeviationCurve curve;
    SharedPlacements placed; ///< null: nobody has placed it
    std::vector<Mend> mends; ///< what was set right since the file was read, in order; `levels` have it

    [[nodiscard]] const Level& source() const { return levels.front(); }
    [[nodiscard]] Level& source() { return levels.front(); }
};

/// Many copies of some assets, each drawn by its asset's chain under the rule of the field.
struct InstancesBody {
    std::vector<std::uint32_t> assets; ///< ids of subjects with a mesh; copies name them by place
    SharedPlacements copies;           ///< never null; in their progressive order
    Thinning thinning = {};
    std::vector<std::optional<FixedSwitch>> fixed = {}; ///< by level: in place of what its assets have for it
    bool engineInstances = true; ///< the engine draws all copies of a level at once; else one draw a copy and material
    std::shared_ptr<const ScatterRecipe> recipe = {}; ///< what it was scattered by; null: it came from a table
};

/// What is drawn while one level of ground gives way to another.
enum class Passing { Morph, CrossFade, Sudden };
constexpr Named<Passing> kPassings[] = {{Passing::Morph, "morph", "morph"},
                                        {Passing::CrossFade, "cross-fade", "cross-fade"},
                                        {Passing::Sudden, "sudden", "sudden"}};
constexpr std::span<const Named<Passing>> namesOf(Passing /*any*/) {
    return kPassings;
}

/// Ground, drawn by tiles.
struct TerrainBody {
    HeightOptions reading;                                    ///< how its file is read
    std::optional<GroundRecipe> trial;                        ///< made up by this, and there is no file
    std::shared_ptr<const Heights> source;                    ///< as read; null: its file was not found
    std::vector<std::shared_ptr<const GroundStroke>> strokes; ///< that were laid on it, in order
    std::shared_ptr<const Heights> heights;                   ///< with them; null where `source` is
    std::shared_ptr<const TileTree> tree;                     ///< of `heights`
    std::shared_ptr<const Mesh> likeness; ///< a small mesh of it for pictures, made when its tiles are
    std::shared_ptr<const Surfaces> likenessSurfaces;
    std::uint32_t cells = 64;                      ///< a tile's grid
    Passing between = Passing::Morph;              ///< over the hysteresis of its rule
    std::vector<std::optional<FixedSwitch>> fixed; ///< by level
};

/// Hair, grass, rope. They stand in the world as they are.
struct StrandsBody {
    std::shared_ptr<const StrandSet> strands;        ///< null: their file was not found
    std::shared_ptr<const std::vector<float>> worth; ///< of their points; null where `strands` is
    StrandPlaces places;                             ///< of `strands`
    std::vector<StrandLevel> levels;                 ///< finest first, at least one
    StrandLayout layout;                             ///< of `levels`
    Thinning thinning = Thinning::ofWidths();
    StrandLook look;
    double width = 0.004;                 ///< metres, where the file says none
    double unit = 1;                      ///< metres that one of the file's lengths is
    Up up = Up::Y;                        ///< in the file
    bool ownWidths = false;               ///< the file says how wide they are; known once it was read
    std::shared_ptr<const Mesh> likeness; ///< some of them as a mesh, for pictures, made when the strands are
    std::shared_ptr<const Surfaces> likenessSurfaces;
    std::shared_ptr<const StrandRecipe> recipe = {}; ///< what they were grown by; null: they came from a file
};

/// Smoke, sparks, mist, wherever it is placed.
struct EmitterBody {
    Emitter emitter;
    std::vector<std::shared_ptr<const Image>> sprites = {}; ///< one a part; null: a soft disc
    SharedPlacements placed = {};                           ///< null: nobody has placed it
    std::shared_ptr<const Mesh> likeness = {}; ///< its particles at a moment as cards, for pictures; refresh() makes it
    std::shared_ptr<const Surfaces> likenessSurfaces = {};
};

/// In the order of Subject::body.
enum class Kind { Mesh, Instances, Terrain, Strands, Emitter };
constexpr Named<Kind> kKinds[] = {{Kind::Mesh, "mesh", "Mesh"},
                                  {Kind::Instances, "instances", "Field"},
                                  {Kind::Terrain, "terrain", "Terrain"},
                                  {Kind::Strands, "strands", "Strands"},
                                  {Kind::Emitter, "emitter", "Emitter"}};
constexpr std::span<const Named<Kind>> namesOf(Kind /*any*/) {
    return kKinds;
}

struct Subject {
    std::uint32_t id = 0;
    std::string name;
    Role role = Role::WorkingPiece;
    SwitchRule rule;
    SourceFile source;
    Bounds bounds;     ///< of the finest there is, own space; of a field: of all its copies, world space
    double radius = 1; ///< of the sphere round the middle of `bounds`
    std::vector<Finding> findings;
    std::variant<MeshBody, InstancesBody, TerrainBody, StrandsBody, EmitterBody> body;

    [[nodiscard]] Kind kind() const { return static_cast<Kind>(body.index()); }
    [[nodiscard]] bool isMesh() const { return std::holds_alternative<MeshBody>(body); }
    /// REQUIRES isMesh().
    [[nodiscard]] MeshBody& mesh() { return std::get<MeshBody>(body); }
    [[nodiscard]] const MeshBody& mesh() const { return std::get<MeshBody>(body); }
    [[nodiscard]] const InstancesBody* instances() const { return std::get_if<InstancesBody>(&body); }
    [[nodiscard]] const TerrainBody* terrain() const { return std::get_if<TerrainBody>(&body); }
    [[nodiscard]] const StrandsBody* strands() const { return std::get_if<StrandsBody>(&body); }
    [[nodiscard]] const EmitterBody* emitter() const { return std::get_if<EmitterBody>(&body); }
};

static_assert(std::variant_size_v<decltype(Subject::body)> == std::size(kKinds), "a kind without a name");

/// Costs of the levels as the selector needs them.
/// REQUIRES   a mesh.
std::vector<LevelCost> costsOf(const Subject& subject);
/// The same as another rule goes by it: that of a field of copies of it.
std::vector<LevelCost> costsOf(const Subject& subject, const SwitchRule& rule);
/// The chain of a subject in force for a view: of its levels, by its rule.
/// REQUIRES   a mesh.
ResolvedChain chainOf(const Subject& subject, const View& view);
/// The same in a field: by the field's rule, and the switches that were set in the field.
/// REQUIRES   `field` is one, `asset` a mesh.
ResolvedChain chainIn(const Subject& field, const Subject& asset, const View& view);

/// What a level is drawn with: its own surfaces, or its subject's.
std::shared_ptr<const Surfaces> surfacesOf(const Subject& subject, const Level& level);
/// Bytes of all pictures that a level's materials use, on the graphics card with mipmaps.
double textureBytesOf(const Subject& subject, const Level& level);

/// All levels with one set of materials and pictures: those of levels with surfaces of their own are added, pictures
/// that are the same bytes once. What no level uses is not among them.
/// REQUIRES   every level has its mesh.
struct LevelSet {
    Surfaces surfaces;
    std::vector<std::shared_ptr<const Mesh>> meshes;
};
LevelSet joinLevels(const Subject& subject);

/// One a level: the views of those that are impostors.
std::vector<ViewGrid> viewsOf(const Subject& subject);
/// Bytes of vertices that the levels of a subject need not have because they use the source's.
double sharedVertexBytes(const Subject& subject);

/// Something was painted or erased since the levels were cut from the record.
bool careIsNewer(const Subject& subject);

/// Fills counts, bounds and radius from the level meshes.
/// REQUIRES   a mesh.
void refreshSubject(Subject& subject);
/// Takes over all that was measured of a level.
void takeMeasures(Level& to, const Level& from);
/// What is made in place of a level counts as off in proportion to it, until its switch is looked at.
void keepSeen(Level& made, const Level& was);
/// A level made from a mesh and what was measured of it.
Level levelFrom(std::shared_ptr<const Mesh> mesh, const Deviation& deviation, LevelOrigin origin);
/// Hash of a level's mesh and of the pictures and materials that are its own.
std::string levelContent(const Level& level);

} // namespace thicket
