#include "cli/cli.h"

#include "cli/commands.h"
#include "mesh/mend.h"
#include "strands/strand_cards.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fmt/format.h>
#include <ostream>

namespace thicket::cli {
namespace {

/// The mends of a command line as they are written there.
struct MendValues {
    std::string unit;
    std::string up;
    double weld = 0;
    double needles = 0;
    double specks = 0;
    double normals = -1;
    bool area = false;
    bool duplicates = false;
    bool turn = false;
    bool place = false;

    /// In the order in which one helps the next. False, and said, where a value is none.
    bool into(MendOptions& options, std::ostream& err) const {
        if (!unit.empty()) {
            const auto metres = unitMetres(unit);
            if (!metres) {
                err << "thicket: --unit: \"" << unit << "\" is no unit; use mm, cm, m, inch or metres as a number\n";
                return false;
            }
            options.mends.push_back({MendKind::Unit, *metres});
        }
        if (!up.empty() && fromKey<Up>(up) != Up::Y)
            options.mends.push_back({MendKind::Upright, static_cast<double>(*fromKey<Up>(up))});
        const auto add = [&options](bool asked, MendKind kind, double value = 0) {
            if (asked)
                options.mends.push_back({kind, value});
        };
        add(duplicates, MendKind::Duplicates);
        add(area, MendKind::Area);
        add(weld > 0, MendKind::Unwelded, weld);
        add(needles > 0, MendKind::Needles, needles);
        add(specks > 0, MendKind::Specks, specks);
        add(turn, MendKind::Flipped);
        add(normals >= 0, MendKind::Normals, normals);
        add(place, MendKind::Place);
        return true;
    }
};

StrandsOptions withUp(StrandsOptions options, const std::string& axis) {
    options.up = *fromKey<Up>(axis);
    return options;
}

} // namespace

int run(const std::vector<std::string>& args, std::ostream& out, std::ostream& err, std::stop_token stop) {
    CLI::App app{"Turns heavy meshes into measured levels of detail, and proves that a route stays within budget.",
                 "thicket"};
    app.require_subcommand(1);
    app.set_version_flag("--version", "thicket 0.1.0");
    app.failure_message([](const CLI::App*, const CLI::Error& e) {
        return std::string("thicket: ") + e.what() + "; see thicket --help\n";
    });
    bool json = false;
    const auto common = [&json](CLI::App* sub) {
        sub->add_flag("--json", json, "Print one JSON object instead of text");
    };

    std::vector<std::filesystem::path> inspectFiles;
    CLI::App* inspectCommand = app.add_subcommand("inspect", "Say what files hold and what is wrong with them");
    inspectCommand->add_option("FILE", inspectFiles, "Mesh files")->required();
    const char* const apartHelp = "Take every mesh of a file as a subject of its own, with the places where it stands";
    bool inspectApart = false;
    inspectCommand->add_flag("--apart", inspectApart, apartHelp);
    common(inspectCommand);

    ThinOptions thinOptions;
    CLI::App* thinCommand = app.add_subcommand("thin", "Make measured levels of detail of meshes");
    thinCommand->add_option("FILE", thinOptions.files, "Mesh files")->required();
    thinCommand
        ->add_option("-o,--out", thinOptions.out,
                     "GLB to write, or OBJ (a file a level); for several files or families, a folder")
        ->required();
    auto* levels = thinCommand->add_option("--levels", thinOptions.levels, "How many coarser levels to make")
                       ->check(CLI::Range(1, 16));
    auto* ratios =
        thinCommand->add_option("--ratios", thinOptions.ratios, "Shares of the first level, such as 0.5,0.25")
            ->delimiter(',')
            ->check(CLI::Range(1e-6, 1.0));
    auto* triangles =
        thinCommand->add_option("--triangles", thinOptions.triangles, "Triangle counts, such as 20000,5000")
            ->delimiter(',')
            ->check(CLI::PositiveNumber);
    auto* deviation =
        thinCommand
            ->add_option("--deviation", thinOptions.deviations, "Largest deviations in metres, such as 0.001,0.01")
            ->delimiter(',')
            ->check(CLI::PositiveNumber);
    thinCommand->add_flag("--apart", thinOptions.apart, apartHelp);
    auto* role = thinCommand->add_option("--role", thinOptions.role,
                                         "landmark, working-piece, dressing, ground-cover or horizon");
    std::vector<CLI::Option*> targets{levels, ratios, triangles, deviation, role};
    for (CLI::Option* a : targets)
        for (CLI::Option* b : targets)
            if (a != b)
                a->excludes(b);
    CLI::Option* allow = thinCommand->add_option("--allow", thinOptions.allowPx, "Allowed error on screen, pixels")
                             ->check(CLI::Range(0.01, 1000.0));
    thinCommand->add_flag("--every-point", thinOptions.everyPoint,
                          "Switch by the largest deviation of any point, not by what of it can be seen");
    thinCommand->add_flag("--looks", thinOptions.looks,
                          "Look at each switch, and place it where nobody sees it; with a role, cut levels for that");
    thinCommand
        ->add_option("--sight", thinOptions.pixelsADegree,
                     "Judge switches as an eye sees them where a degree of sight has so many pixels (a desk 40, a "
                     "handheld 85); 0: pixel by pixel")
        ->capture_default_str()
        ->check(CLI::Range(0.0, kMostPixelsADegree));
    thinCommand->add_option("--fov", thinOptions.fovDegrees, "Vertical field of view, degrees")
        ->capture_default_str()
        ->check(CLI::Range(1.0, 170.0));
    thinCommand->add_option("--height", thinOptions.heightPx, "Lines of the screen, pixels")
        ->capture_default_str()
        ->check(CLI::Range(16, 16384));
    thinCommand->add_flag("--keep-pieces", thinOptions.cutRules.keepPieces,
                          "Leave out no loose piece, however small it gets on screen");
    CLI::Option* reuse = thinCommand->add_flag("--reuse-vertices", thinOptions.cutRules.reuseVertices,
                                               "Use only the source's own vertices and write them once for all levels");
    thinCommand
        ->add_flag("--symmetric", thinOptions.cutRules.symmetric, "Levels of a symmetric mesh are symmetric themselves")
        ->excludes(reuse);
    thinCommand->add_flag("--rebuild", thinOptions.rebuild, "Levels of even triangles, as if modelled anew");
    thinCommand->add_flag("--quads", thinOptions.quads, "In OBJ files, pair triangles into quads");
    thinCommand
        ->add_option("--halve-textures", thinOptions.materials.halvings,
                     "Halve the pictures of every coarser level so many times")
        ->check(CLI::Range(0, 6));
    thinCommand->add_flag("--merge-materials", thinOptions.materials.merge,
                          "One material and one draw for every coarser level");
    thinCommand->add_flag("--drop-normal-maps", thinOptions.materials.dropNormals,
                          "Coarser levels have no normal maps");
    thinCommand->add_flag("--drop-detail-maps", thinOptions.materials.dropDetail,
                          "Coarser levels have no gloss, shade and glow maps");
    thinCommand->add_flag("--opaque", thinOptions.materials.opaque, "Coarser levels have no alpha test");
    thinCommand->add_option("--swap-material", thinOptions.swaps,
                            "FROM=TO: coarser levels draw material FROM with material TO, by name");
    CLI::Option* cards =
        thinCommand->add_option("--cards", thinOptions.cards, "Add a last level of so many crossed cards")
            ->check(CLI::Range(1, 4));
    thinCommand->add_option("--card-texels", thinOptions.cardTexels, "Texels along the taller side of a card")
        ->capture_default_str()
        ->check(CLI::Range(8, 1024))
        ->needs(cards);
    CLI::Option* views = thinCommand
                             ->add_option("--views", thinOptions.views,
                                          "Add a last level of N x N pictures from all sides on one turning square")
                             ->check(CLI::Range(2, 32));
    thinCommand->add_option("--view-texels", thinOptions.viewTexels, "Texels along a side of a view")
        ->capture_default_str()
        ->check(CLI::Range(8, 512))
        ->needs(views);
    thinCommand
        ->add_option("--care-color", thinOptions.careColor,
                     "Channel of the vertex colours that protects what it covers")
        ->check(CLI::IsMember({"red", "green", "blue", "alpha"}));
    thinCommand->add_option("--care-mask", thinOptions.careMask,
                            "Grey picture by the first UVs that protects what it shows white");
    common(thinCommand);

    MendOptions mendOptions;
    CLI::App* mendCommand =
        app.add_subcommand("mend", "Set right what is wrong with meshes, or with those of a project; files stay");
    mendCommand->add_option("FILE", mendOptions.files, "Mesh files, or one project")->required();
    mendCommand->add_option("-o,--out", mendOptions.out,
                            "File or folder to write; of a project the same one if left out");
    mendCommand->add_option("--subject", mendOptions.subject, "Only the mesh of this name");
    mendCommand->add_flag("--all", mendOptions.all, "Every mend that the findings marked ! have");
    const char* const upHelp = "Which of the file's axes points up, or down: y, z, y-down or z-down";
    const CLI::IsMember axes({"y", "z", "y-down", "z-down"});
    MendValues mendValues;
    mendCommand->add_option("--unit", mendValues.unit, "What 1 in the file is: mm, cm, m, inch or so many metres");
    mendCommand->add_option("--up", mendValues.up, upHelp)->check(axes);
    mendCommand->add_flag("--area", mendValues.area, "Remove triangles without area");
    mendCommand->add_flag("--duplicates", mendValues.duplicates, "Remove triangles that lie on others");
    mendCommand->add_option("--weld", mendValues.weld, "Join points of open borders that lie so close, metres")
        ->check(CLI::Range(mendRange(MendKind::Unwelded).first, mendRange(MendKind::Unwelded).second));
    mendCommand
        ->add_option("--needles", mendValues.needles, "Remove triangles thinner than this share of their longest side")
        ->check(CLI::Range(mendRange(MendKind::Needles).first, mendRange(MendKind::Needles).second));
    mendCommand
        ->add_option("--specks", mendValues.specks, "Remove loose pieces smaller than this share of the mesh across")
        ->check(CLI::Range(mendRange(MendKind::Specks).first, mendRange(MendKind::Specks).second));
    mendCommand->add_flag("--turn", mendValues.turn, "Turn round triangles and pieces that face the wrong way");
    mendCommand->add_option("--normals", mendValues.normals, "Make normals, smooth up to such an angle, degrees")
        ->check(CLI::Range(0.0, 180.0));
    mendCommand->add_flag("--place", mendValues.place, "Move levels from files to where the first one is");
    common(mendCommand);

    MeasureOptions measureOptions;
    CLI::App* measureCommand =
        app.add_subcommand("measure", "Measure how far a level is from its reference, both ways");
    measureCommand->add_option("REF", measureOptions.reference, "The reference mesh")->required();
    measureCommand->add_option("LEVEL", measureOptions.level, "The lighter mesh")->required();
    measureCommand->add_option("--samples", measureOptions.samples, "Points a direction for p99 and RMS")
        ->capture_default_str()
        ->check(CLI::Range(100U, 20'000'000U));
    common(measureCommand);

    ProjectOptions projectOptions;
    CLI::App* fitCommand =
        app.add_subcommand("fit", "Loosen subjects until a route holds a device's budget with the least visible error");
    fitCommand->add_option("PROJECT", projectOptions.project, "A project file")->required();
    fitCommand->add_option("--device", projectOptions.device, "Device by name; the project's own if left out");
    fitCommand->add_option("--route", projectOptions.route, "Route by name; the project's own if left out");
    fitCommand->add_option("--leave", projectOptions.leave, "Subjects by name that stay as they are")->delimiter(',');
    fitCommand->add_option("--most", projectOptions.most, "Times its allowance that a subject is loosened at most")
        ->capture_default_str()
        ->check(CLI::Range(1.0, 64.0));
    auto* dry = fitCommand->add_flag("--dry-run", projectOptions.dryRun, "Only say what would change");
    fitCommand->add_option("-o,--out", projectOptions.out, "Project to write; the same one if left out")->excludes(dry);
    common(fitCommand);
    CLI::App* auditCommand =
        app.add_subcommand("audit", "Fly a project's route and compare every frame with the budget");
    auditCommand->add_option("PROJECT", projectOptions.project, "A project file")->required();
    auditCommand->add_option("--device", projectOptions.device, "Device by name; the project's own if left out");
    auto* against =
        auditCommand->add_option("--against", projectOptions.against,
                                 "What an earlier audit wrote with --json: exit code 3 when something got worse");
    auditCommand->add_option("--worse", projectOptions.worse, "Share by which a figure may rise before that counts")
        ->capture_default_str()
        ->check(CLI::Range(0.0, 10.0))
        ->needs(against);
    auditCommand->add_option("--route", projectOptions.route, "Route by name; the project's own if left out");
    auditCommand->add_option("--junit", projectOptions.junit,
                             "File to write for build servers: each limit as a test, in JUnit's XML");
    common(auditCommand);
    SweepCommandOptions sweepOptions;
    CLI::App* sweepCommand = app.add_subcommand(
        "sweep", "Stand at every place of a grid over a project's scene, look all round, and map what it costs");
    sweepCommand->add_option("PROJECT", sweepOptions.project, "A project file")->required();
    sweepCommand->add_option("--device", sweepOptions.device, "Device by name; the project's own if left out");
    sweepCommand->add_option("--spacing", sweepOptions.spacing, "Metres between places")
        ->capture_default_str()
        ->check(CLI::PositiveNumber);
    sweepCommand->add_option("--eye", sweepOptions.eyeHeight, "Metres of the eye above the ground")
        ->capture_default_str()
        ->check(CLI::NonNegativeNumber);
    sweepCommand->add_option("--directions", sweepOptions.directions, "How many directions are looked in at each place")
        ->capture_default_str()
        ->check(CLI::Range(1, 36));
    sweepCommand
        ->add_option("--area", sweepOptions.area,
                     "Low X,low Z,high X,high Z in metres; if left out all that is placed but for the horizon")
        ->delimiter(',')
        ->expected(4);
    sweepCommand->add_option("-o,--out", sweepOptions.out, "CSV to write, a row a place");
    common(sweepCommand);
    DeviceOptions deviceOptions;
    CLI::App* deviceCommand =
        app.add_subcommand("device", "Find a device's figures from frame times that were measured on it");
    deviceCommand->add_option("TABLE", deviceOptions.table, "CSV with triangles, vertices, draws, pixels and ms")
        ->required();
    deviceCommand->add_option("-o,--out", deviceOptions.out, "Devices file to write, for projects to bring in");
    deviceCommand->add_option("--name", deviceOptions.name, "Name of the device")->capture_default_str();
    deviceCommand->add_option("--ms", deviceOptions.frameMs, "Milliseconds that a frame may take there")
        ->capture_default_str()
        ->check(CLI::Range(0.01, 10000.0));
    deviceCommand->add_option("--rate", deviceOptions.frameRate, "Frames a second there")
        ->capture_default_str()
        ->check(CLI::Range(1.0, 1000.0));
    common(deviceCommand);
    RouteOptions routeOptions;
    CLI::App* routesCommand =
        app.add_subcommand("routes", "List a project's routes; bring in cameras that move, or write a route as one");
    routesCommand->add_option("PROJECT", routeOptions.project, "A project file")->required();
    CLI::Option* cameras =
        routesCommand->add_option("--from", routeOptions.cameras, "glTF or GLB whose moving cameras become routes");
    routesCommand->add_option("--camera", routeOptions.camera, "GLB to write a route to, as a camera that moves");
    routesCommand->add_option("--route", routeOptions.route, "Route by name; the project's own if left out");
    routesCommand->add_option("-o,--out", routeOptions.out, "Project to write; the same one if left out")
        ->needs(cameras);
    common(routesCommand);
    CLI::App* popsCommand =
        app.add_subcommand("pops", "Look at every switch of a project at true size and say which are seen");
    popsCommand->add_option("PROJECT", projectOptions.project, "A project file")->required();
    CLI::Option* smooth =
        popsCommand->add_flag("--smooth", projectOptions.smooth, "Look for where nobody sees each that is seen");
    popsCommand->add_option("-o,--out", projectOptions.out, "Write the project with those switches")->needs(smooth);
    common(popsCommand);
    FieldOptions fieldOptions;
    const auto fieldCommon = [&](CLI::App* sub) {
        sub->add_option("--assets", fieldOptions.assets, "Mesh files of what is placed")->required();
        sub->add_option("-o,--out", fieldOptions.out, "Project to write")->required();
        sub->add_option("--name", fieldOptions.name, "What the field is called");
        sub->add_flag("--thin", fieldOptions.thin, "Make the levels of its role for assets that have one");
        common(sub);
    };
    CLI::App* fieldCommand = app.add_subcommand("field", "Make a project of a table of placements");
    fieldCommand->add_option("TABLE", fieldOptions.file, "CSV or JSON table of placements")->required();
    fieldCommand->add_option("--role", fieldOptions.role, "landmark, working-piece, dressing, ground-cover or horizon")
        ->capture_default_str()
        ->check(CLI::IsMember({"landmark", "working-piece", "dressing", "ground-cover", "horizon"}));
    fieldCommand->add_option("--euler", fieldOptions.eulerOrder, "Order of the angles rx, ry, rz, such as YXZ")
        ->capture_default_str();
    fieldCommand->add_flag("--skip-bad", fieldOptions.skipBad, "Leave out rows that cannot be placed");
    fieldCommon(fieldCommand);
    CLI::App* scatterCommand = app.add_subcommand("scatter", "Make a project of what a recipe scatters");
    scatterCommand->add_option("RECIPE", fieldOptions.file, "A scatter recipe")->required();
    scatterCommand->add_option("--on", fieldOptions.surface,
                               "Mesh file to scatter on, in place of the recipe's ground");
    scatterCommand->add_option("--density", fieldOptions.density, "Copies a square metre, in place of the recipe's")
        ->check(CLI::PositiveNumber);
    scatterCommand->add_option("--seed", fieldOptions.seed, "Another seed");
    fieldCommon(scatterCommand);

    SelectCommandOptions selectCommandOptions;
    CLI::App* selectCommand = app.add_subcommand("select", "Say what is drawn of a project from a place, and why not");
    selectCommand->add_option("PROJECT", selectCommandOptions.project, "A project file")->required();
    selectCommand->add_option("--eye", selectCommandOptions.eye, "X,Y,Z of the camera, metres")
        ->required()
        ->delimiter(',')
        ->expected(3);
    selectCommand->add_option("--look", selectCommandOptions.look, "X,Y,Z of a point that it looks at")
        ->required()
        ->delimiter(',')
        ->expected(3);
    selectCommand->add_flag("--each", selectCommandOptions.copies, "With --json, list every copy by its id");
    common(selectCommand);

    TerrainOptions terrainOptions;
    CLI::App* terrainCommand =
        app.add_subcommand("terrain", "Read heights: tiles, static meshes, a study of tile sizes");
    CLI::Option* heightmap = terrainCommand->add_option(
        "HEIGHTMAP", terrainOptions.file, "PNG, TIFF, ASCII grid (.asc) or raw heights (.r16, .r32, .raw)");
    terrainCommand->add_option("--trial", terrainOptions.trial, "A made-up ground of so many heights a side instead")
        ->check(CLI::Range(2, 32769))
        ->excludes(heightmap);
    terrainCommand
        ->add_option("--spacing", terrainOptions.spacing, "Metres between heights; what the file says if left out")
        ->check(CLI::PositiveNumber);
    terrainCommand->add_option("--heights", terrainOptions.heights, "LOW,HIGH: metres of the lowest and highest value")
        ->delimiter(',')
        ->expected(2);
    terrainCommand->add_option("--no-data", terrainOptions.noData, "A value that means no ground");
    terrainCommand->add_option("--raw-size", terrainOptions.rawSize, "COLUMNS,ROWS of a raw file")
        ->delimiter(',')
        ->expected(2);
    terrainCommand->add_option("--raw-kind", terrainOptions.rawKind, "Samples of a raw file: u16, s16 or f32")
        ->check(CLI::IsMember({"u16", "s16", "f32"}))
        ->capture_default_str();
    terrainCommand->add_flag("--big-endian", terrainOptions.bigEndian, "Of a raw file");
    terrainCommand->add_option("-o,--out", terrainOptions.out, "File or folder to write to");
    CLI::Option* staticMesh =
        terrainCommand
            ->add_option("--static", terrainOptions.errors,
                         "METRES[,METRES...]: one mesh within an error; several are the levels of one")
            ->delimiter(',')
            ->check(CLI::NonNegativeNumber);
    CLI::Option* staticAt = terrainCommand
                                ->add_option("--static-at", terrainOptions.distances,
                                             "METRES[,METRES...]: the same, within --allow pixels at these distances")
                                ->delimiter(',')
                                ->check(CLI::PositiveNumber)
                                ->excludes(staticMesh);
    terrainCommand
        ->add_option("--falloff", terrainOptions.falloff,
                     "X,Y,Z,METRES,RANGE[,POWER]: the error grows to METRES at RANGE from there")
        ->delimiter(',')
        ->expected(5, 6);
    terrainCommand->add_flag("--keep-border", terrainOptions.keepBorder,
                             "Every height along the border of a static mesh");
    terrainCommand->add_flag("--fewest", terrainOptions.fewest,
                             "Static meshes of fewest triangles: slower, and of ground without holes");
    terrainCommand->add_flag("--forecast", terrainOptions.forecast,
                             "Say how large static meshes would be, and write none");
    terrainCommand->add_option("--most", terrainOptions.most, "Triangles that a static mesh may have")
        ->capture_default_str();
    CLI::Option* drawnFrom =
        terrainCommand
            ->add_option("--from", terrainOptions.from, "X,Y,Z: the tiles that are drawn from there, all round")
            ->delimiter(',')
            ->expected(3)
            ->excludes(staticMesh)
            ->excludes(staticAt);
    terrainCommand->add_flag("--tiles", terrainOptions.tiles, "Every tile of every level, with what draws them")
        ->excludes(staticMesh)
        ->excludes(staticAt)
        ->excludes(drawnFrom);
    terrainCommand->add_option("--study", terrainOptions.study,
                               "A project whose route is flown over it with several tile sizes");
    terrainCommand->add_option("--route", terrainOptions.route, "Route of that project; the first if left out");
    terrainCommand->add_option("--allow", terrainOptions.allowPx, "Pixels that the ground may be off")
        ->check(CLI::Range(0.05, 64.0))
        ->capture_default_str();
    terrainCommand->add_option("--fov", terrainOptions.fovDegrees, "Vertical field of view, degrees")
        ->check(CLI::Range(1.0, 170.0))
        ->capture_default_str();
    terrainCommand->add_option("--height", terrainOptions.heightPx, "Lines of the screen")
        ->check(CLI::Range(16, 16384))
        ->capture_default_str();
    terrainCommand->add_option("--tile", terrainOptions.cells, "Cells a side of a tile, even, 2 to 256")
        ->capture_default_str();
    terrainCommand->add_option("--skirts", terrainOptions.skirt, "Metres that sides of tiles hang down")
        ->check(CLI::NonNegativeNumber);
    terrainCommand->add_option("--reach", terrainOptions.reach, "Metres; nothing is drawn beyond")
        ->check(CLI::NonNegativeNumber);
    common(terrainCommand);

    CLI::App* shipCommand = app.add_subcommand("ship", "Write all levels and thresholds, read back and compared");
    shipCommand->add_option("PROJECT", projectOptions.project, "A project file")->required();
    shipCommand->add_option("-o,--out", projectOptions.out, "Folder to write to")->required();
    shipCommand->add_flag("--ribbons", projectOptions.ribbons,
                          "Strands as ribbons of triangles too, besides their lines");
    common(shipCommand);

    StrandsOptions strandsOptions;
    CLI::App* strandsCommand =
        app.add_subcommand("strands", "Hair, grass, rope: levels, how they thin out, what that covers");
    CLI::Option* lines = strandsCommand->add_option("FILE", strandsOptions.file, "glTF, GLB or OBJ with lines");
    CLI::Option* grow =
        strandsCommand->add_option("--grow", strandsOptions.recipe, "A recipe of strands to grow instead")
            ->excludes(lines);
    strandsCommand->add_option("--on", strandsOptions.surface, "Mesh file to grow on, in place of the recipe's ground")
        ->needs(grow);
    strandsCommand->add_option("-o,--out", strandsOptions.out, "Project to write");
    strandsCommand->add_option("--name", strandsOptions.name, "What the strands are called");
    strandsCommand
        ->add_option("--role", strandsOptions.role, "landmark, working-piece, dressing, ground-cover or horizon")
        ->check(CLI::IsMember({"landmark", "working-piece", "dressing", "ground-cover", "horizon"}));
    strandsCommand->add_option("--width", strandsOptions.width, "Metres, where the file says none")
        ->capture_default_str()
        ->check(CLI::Range(1e-6, 10.0));
    strandsCommand
        ->add_option_function<std::string>(
            "--unit",
            [&strandsOptions](const std::string& text) {
                const auto metres = unitMetres(text);
                if (!metres)
                    throw CLI::ValidationError(
                        "--unit", "\"" + text + "\" is no unit; use mm, cm, m, inch or metres as a number");
                strandsOptions.unit = *metres;
            },
            "What one of the file's lengths is: mm, cm, m, inch or metres as a number")
        ->excludes(grow);
    std::string strandsUp = "y";
    strandsCommand->add_option("--up", strandsUp, upHelp)->capture_default_str()->check(axes)->excludes(grow);
    strandsCommand->add_option("--density", strandsOptions.density, "Strands a square metre, in place of the recipe's")
        ->needs(grow)
        ->check(CLI::PositiveNumber);
    strandsCommand->add_option("--seed", strandsOptions.seed, "Another seed")->needs(grow);
    strandsCommand->add_option("--cards", strandsOptions.perCard, "A last level of cards, each for so many strands")
        ->check(CLI::Range(kLeastPerCard, kMostPerCard));
    strandsCommand->add_option("--cover", strandsOptions.cover, "Distances in metres at which the cover is measured")
        ->delimiter(',')
        ->check(CLI::PositiveNumber);
    strandsCommand->add_option("--fov", strandsOptions.fovDegrees, "Vertical field of view, degrees")
        ->capture_default_str()
        ->check(CLI::Range(1.0, 170.0));
    strandsCommand->add_option("--height", strandsOptions.heightPx, "Lines of the screen")
        ->capture_default_str()
        ->check(CLI::Range(16, 16384));
    common(strandsCommand);

    EmitterOptions emitterOptions;
    CLI::App* emitterCommand =
        app.add_subcommand("emitter", "Smoke, sparks, mist: live particles and overdraw of every level");
    emitterCommand->add_option("FILE", emitterOptions.file, "An emitter description")->required();
    emitterCommand->add_option("--at", emitterOptions.at, "X,Y,Z where it stands")->delimiter(',')->expected(3);
    emitterCommand->add_option("--distances", emitterOptions.distances, "Metres at which overdraw is said")
        ->delimiter(',')
        ->check(CLI::PositiveNumber);
    emitterCommand->add_option("--add-level", emitterOptions.add, "One more level that gives off such a share")
        ->check(CLI::Range(0.01, 1.0));
    CLI::Option* emitterOut =
        emitterCommand->add_option("-o,--out", emitterOptions.out, "Project to write, or with --resolved the levels");
    emitterCommand->add_flag("--resolved", emitterOptions.resolved, "Write every level with all of its values")
        ->needs(emitterOut);
    emitterCommand->add_option("--fov", emitterOptions.fovDegrees, "Vertical field of view, degrees")
        ->capture_default_str()
        ->check(CLI::Range(1.0, 170.0));
    emitterCommand->add_option("--height", emitterOptions.heightPx, "Lines of the screen")
        ->capture_default_str()
        ->check(CLI::Range(16, 16384));
    common(emitterCommand);

    DemoOptions demoOptions;
    CLI::App* demoCommand = app.add_subcommand("demo", "Write the Saltmere estuary: models, copies, a route, budgets");
    demoCommand->add_option("DIR", demoOptions.folder, "Folder to write to")->required();
    demoCommand->add_flag("--thin", demoOptions.thin, "Make its levels too");
    common(demoCommand);

    std::vector<std::string> reversed(args.rbegin(), args.rend());
    try {
        app.parse(reversed);
    } catch (const CLI::ParseError& e) {
        return app.exit(e, out, err) == 0 ? 0 : 2;
    }
    const Console console{out, err, JobContext{std::move(stop), {}, 0, 1}, json};
    if (!thinOptions.role.empty() && allow->count() == 0)
        thinOptions.allowPx = 0; // the role's own
    try {
        if (inspectCommand->parsed())
            return inspect(console, inspectFiles, inspectApart ? Meshes::Apart : Meshes::Together);
        if (thinCommand->parsed())
            return thin(console, thinOptions);
        if (measureCommand->parsed())
            return measure(console, measureOptions);
        if (auditCommand->parsed())
            return audit(console, projectOptions);
        if (mendCommand->parsed()) {
            if (!mendValues.into(mendOptions, err))
                return 2;
            return mend(console, mendOptions);
        }
        if (fitCommand->parsed())
            return fit(console, projectOptions);
        if (sweepCommand->parsed())
            return sweep(console, sweepOptions);
        if (deviceCommand->parsed())
            return device(console, deviceOptions);
        if (routesCommand->parsed())
            return routes(console, routeOptions);
        if (popsCommand->parsed())
            return pops(console, projectOptions);
        if (fieldCommand->parsed())
            return field(console, fieldOptions);
        if (scatterCommand->parsed())
            return scatterField(console, fieldOptions);
        if (terrainCommand->parsed())
            return terrain(console, terrainOptions);
        if (strandsCommand->parsed())
            return strands(console, withUp(std::move(strandsOptions), strandsUp));
        if (emitterCommand->parsed())
            return emitter(console, emitterOptions);
        if (selectCommand->parsed())
            return select(console, selectCommandOptions);
        if (shipCommand->parsed())
            return ship(console, projectOptions);
        return demo(console, demoOptions);
    } catch (const std::bad_alloc&) {
        return fail(console,
                    {ErrorCode::TooLarge, "", "there is not enough memory", "close other programs or split the file"});
    } catch (const std::exception& e) {
        return fail(console, {ErrorCode::BadInput, "", fmt::format("the work broke off ({})", e.what()),
                              "check the files; nothing was left half-written"});
    }
}

} // namespace thicket::cli
