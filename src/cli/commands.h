#pragma once
// One function a command. Each returns an exit code; options come as plain structs.

#include "base/job.h"
#include "io/import/import.h"
#include "scene/scene.h"

#include <filesystem>
#include <iosfwd>

namespace thicket::cli {

struct Console {
    std::ostream& out;
    std::ostream& err;
    JobContext job;
    bool json = false;
};

struct ThinOptions {
    std::vector<std::filesystem::path> files;
    std::filesystem::path out;
    int levels = 0;
    std::vector<double> ratios;
    std::vector<double> triangles;
    std::vector<double> deviations; ///< metres
    double allowPx = 1;
    double fovDegrees = 60;
    int heightPx = 1080;
    double pixelsADegree = 0;
    std::string role;
    bool apart = false; ///< every mesh of a file is a subject
    CutRules cutRules;
    bool everyPoint = false;
    bool looks = false;             ///< look at each switch, and place it where nobody sees it
    bool rebuild = false;           ///< levels of even triangles in place of cut ones
    bool quads = false;             ///< of OBJ files: in quads where that can be
    MaterialChoice materials;       ///< of every level but the first
    std::vector<std::string> swaps; ///< "FROM=TO", by name
    int cards = 0;                  ///< crossed cards as a last level; 0: none
    int cardTexels = 128;
    int views = 0; ///< across the grid of an impostor as a last level; 0: none
    int viewTexels = 64;
    std::string careColor;          ///< channel of the vertex colours that protects; empty: none
    std::filesystem::path careMask; ///< grey picture that protects; empty: none
};

struct MendOptions {
    std::vector<std::filesystem::path> files; ///< meshes, or one project
    std::filesystem::path out;                ///< a file or a folder; of a project, empty: the same one
    std::string subject;                      ///< by name; empty: all
    std::vector<Mend> mends;                  ///< in the order they are made
    bool all = false;                         ///< those of all findings too
};

struct MeasureOptions {
    std::filesystem::path reference;
    std::filesystem::path level;
    unsigned samples = 100'000;
};

struct ProjectOptions {
    std::filesystem::path project;
    std::filesystem::path out;
    std::string device;
    std::string route;
    bool smooth = false;
    std::vector<std::string> leave; ///< subjects that a fit leaves as they are
    double most = 32;               ///< times an allowance that a fit loosens
    bool dryRun = false;
    std::filesystem::path junit;   ///< the outcome for build servers, as JUnit XML; empty: none
    std::filesystem::path against; ///< an audit of before, as JSON
    bool ribbons = false;          ///< of strands, shipped besides their lines
    double worse = 0.05;           ///< share by which a figure may rise against it
};

struct FieldOptions {
    std::filesystem::path file; ///< the table, or the recipe
    std::vector<std::filesystem::path> assets;
    std::filesystem::path surface; ///< a mesh to scatter on; empty: what the recipe says
    std::filesystem::path out;
    std::string name; ///< of the field; empty: the file's, or the recipe's
    std::string role = "ground-cover";
    std::string eulerOrder = "YXZ";
    bool skipBad = false;
    bool thin = false;  ///< assets with one level get the levels of the role
    double density = 0; ///< in place of the recipe's; 0: that
    std::optional<std::uint32_t> seed;
};

struct SelectCommandOptions {
    std::filesystem::path project;
    std::vector<double> eye;
    std::vector<double> look;
    bool copies = false; ///< every copy by its id
};

struct TerrainOptions {
    std::filesystem::path file; ///< heights; empty with `trial`
    std::uint32_t trial = 0;    ///< side of a made-up ground, in heights; 0: none
    double spacing = 0;
    std::vector<double> heights; ///< lowest, highest
    std::optional<double> noData;
    std::vector<std::uint32_t> rawSize; ///< columns, rows
    std::string rawKind = "u16";
    bool bigEndian = false;
    std::filesystem::path out;
    std::vector<double> errors;    ///< of static meshes, metres
    std::vector<double> distances; ///< the same as distances at which `allowPx` is kept
    std::vector<double> falloff;   ///< X, Y, Z, error, range and optionally the power that leads there
    bool keepBorder = false;
    bool fewest = false; ///< points put in one by one instead of right triangles
    bool forecast = false;
    std::uint64_t most = 20'000'000; ///< triangles of a static mesh
    std::vector<double> from;        ///< the eye of a drawn set
    bool tiles = false;
    std::filesystem::path study; ///< a project whose route is flown
    std::string route;
    double allowPx = 1;
    double fovDegrees = 60;
    int heightPx = 1080;
    std::uint32_t cells = 64;
    double skirt = 0;
    double reach = 0;
};

struct StrandsOptions {
    std::filesystem::path file;    ///< lines; empty with `recipe`
    std::filesystem::path recipe;  ///< grown by it
    std::filesystem::path surface; ///< a mesh, heights or a project's surface to grow on; empty: what the recipe says
    std::filesystem::path out;     ///< a project; empty: only inspected
    std::string name;
    std::string role; ///< empty: the recipe's, or ground cover
    double width = 0.004;
    double density = 0; ///< in place of the recipe's; 0: that
    std::optional<std::uint32_t> seed;
    std::vector<double> cover; ///< distances at which the cover is measured
    double unit = 1;           ///< metres that one of the file's lengths is
    Up up = Up::Y;             ///< of the file
    std::uint32_t perCard = 0; ///< strands that a card of the last level stands for; 0: no such level
    double fovDegrees = 60;
    int heightPx = 1080;
};

struct EmitterOptions {
    std::filesystem::path file;
    std::filesystem::path out; ///< a project, or with `resolved` the description; empty: only the forecast
    bool resolved = false;     ///< every level with all of its values
    std::vector<double> distances = {10, 20, 40, 80, 160};
    std::vector<double> at; ///< where it stands
    double add = 0;         ///< one more level of such a share; 0: none
    double fovDegrees = 60;
    int heightPx = 1080;
};

struct DeviceOptions {
    std::filesystem::path table; ///< frame times
    std::filesystem::path out;   ///< devices file to write; empty: only told
    std::string name = "Measured";
    double frameMs = 8;
    double frameRate = 60;
};

struct RouteOptions {
    std::filesystem::path project;
    std::filesystem::path cameras; ///< a glTF whose moving cameras become routes; empty: none
    std::filesystem::path camera;  ///< a GLB to write a route to; empty: none
    std::string route;             ///< that is written; empty: the project's own
    std::filesystem::path out;     ///< of `cameras`, the project to write; empty: the same one
};

struct SweepCommandOptions {
    std::filesystem::path project;
    std::filesystem::path out; ///< table of places; empty: none
    std::string device;
    double spacing = 5;
    double eyeHeight = 1.7;
    int directions = 4;
    std::vector<double> area; ///< low X, low Z, high X, high Z; empty: all that is placed but for the horizon
};

struct DemoOptions {
    std::filesystem::path folder;
    bool thin = false;
};

int inspect(const Console& console, const std::vector<std::filesystem::path>& files, Meshes how);
int thin(const Console& console, const ThinOptions& options);
int mend(const Console& console, const MendOptions& options);
int measure(const Console& console, const MeasureOptions& options);
int audit(const Console& console, const ProjectOptions& options);
int fit(const Console& console, const ProjectOptions& options);
int sweep(const Console& console, const SweepCommandOptions& options);
int device(const Console& console, const DeviceOptions& options);
int routes(const Console& console, const RouteOptions& options);
int pops(const Console& console, const ProjectOptions& options);
int ship(const Console& console, const ProjectOptions& options);
int demo(const Console& console, const DemoOptions& options);
int field(const Console& console, const FieldOptions& options);
int scatterField(const Console& console, const FieldOptions& options);
int terrain(const Console& console, const TerrainOptions& options);
int strands(const Console& console, const StrandsOptions& options);
int emitter(const Console& console, const EmitterOptions& options);
int select(const Console& console, const SelectCommandOptions& options);

/// Prints "thicket: FILE: what; remedy" and gives the exit code for it.
int fail(const Console& console, const Error& error);

} // namespace thicket::cli
