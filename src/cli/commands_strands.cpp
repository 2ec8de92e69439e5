// Strands at the command line: from lines or grown, with their levels, how they thin out, and what that covers.

#include "base/text.h"
#include "cli/commands.h"
#include "cli/project_input.h"
#include "cli/report.h"
#include "io/import/import_strands.h"
#include "io/project/project.h"
#include "io/project/recipe_file.h"
#include "scene/edits.h"
#include "scene/strand_subject.h"
#include "strands/strand_cards.h"

#include <fmt/format.h>

namespace thicket::cli {
namespace fs = std::filesystem;
using nlohmann::ordered_json;

namespace {

Result<Subject> readLines(const Console& console, const StrandsOptions& options, std::vector<std::string>& notes) {
    StrandsBody body;
    body.width = options.width;
    body.unit = options.unit;
    body.up = options.up;
    const Role role = options.role.empty() ? Role::GroundCover : *fromKey<Role>(options.role);
    auto made = importStrands(options.file, options.name, role, std::move(body), console.job);
    if (!made)
        return made.error();
    notes = std::move(made->notes);
    return std::move(made->subject);
}

Result<Subject> grow(const Console& console, const StrandsOptions& options, Scene& scene) {
    std::optional<std::uint32_t> surface;
    if (!options.surface.empty()) {
        if (auto added = addSurface(scene, options.surface, console.job); !added)
            return added.error();
        surface = scene.subjects.front().id;
    }
    auto file = readStrandRecipe(scene, options.recipe, surface);
    if (!file)
        return file.error();
    if (options.seed)
        file->recipe.where.seed = *options.seed;
    if (options.density > 0)
        file->recipe.where.density = options.density;
    auto grown = growStrandsIn(scene, file->recipe, console.job);
    if (!grown) {
        Error error = grown.error();
        error.where = options.recipe.string();
        return error;
    }
    StrandsBody body;
    body.strands = std::move(*grown);
    body.recipe = std::make_shared<const StrandRecipe>(file->recipe);
    body.look = file->look.value_or(body.look);
    const Role role = options.role.empty() ? file->role : *fromKey<Role>(options.role);
    auto made = makeStrands(options.name.empty() ? file->name : options.name, role, std::move(body), console.job);
    if (!made)
        return made.error();
    if (file->rule)
        made->rule = *file->rule;
    if (file->thinning)
        setThinning(*made, *file->thinning);
    return made;
}

} // namespace

int strands(const Console& console, const StrandsOptions& options) {
    if (options.file.empty() && options.recipe.empty())
        return fail(console,
                    {ErrorCode::BadInput, "strands", "no lines were named", "name a file, or a recipe with --grow"});
    const auto start = std::chrono::steady_clock::now();
    Scene scene;
    scene.settings.name = options.out.stem().stem().string();
    std::vector<std::string> notes;
    auto made = options.recipe.empty() ? readLines(console, options, notes) : grow(console, options, scene);
    if (!made)
        return fail(console, made.error());
    if (options.perCard > 0) {
        if (made->strands()->strands->size() < 2 * std::size_t{options.perCard})
            return fail(console, {ErrorCode::BadInput, "--cards",
                                  fmt::format("{} strands are too few for cards of {}",
                                              made->strands()->strands->size(), options.perCard),
                                  "let a card stand for fewer"});
        std::vector<StrandLevel> levels = made->strands()->levels;
        levels.emplace_back();
        levels.back().perCard = options.perCard;
        made = withStrandLevels(std::move(*made), std::move(levels), console.job);
        if (!made)
            return fail(console, made.error());
    }
    const double ms = msSince(start);
    for (const std::string& note : notes)
        console.err << "thicket: " << options.file.string() << ": " << note << '\n';
    const View view = viewWith(options.fovDegrees, options.heightPx);
    const StrandsBody& body = *made->strands();
    const ResolvedChain chain = strandChain(*made, view);
    const Thinning thinning = strandThinning(*made, view);
    std::vector<StrandCover> covers;
    if (!options.cover.empty()) {
        auto measured = measureCover(*body.strands, *body.worth, chain, thinning, body.look, view, options.cover,
                                     console.job, body.layout.cards.get());
        if (!measured)
            return fail(console, measured.error());
        covers = std::move(*measured);
    }
    ordered_json out{{"strands", made->name},
                     {"count", body.strands->size()},
                     {"points", body.strands->points.size()},
                     {"mean_length_metres", body.places.meanLength},
                     {"mean_width_metres", body.places.meanWidth},
                     {"reach_metres", made->rule.reachMetres}};
    std::string lines;
    out["levels"] = ordered_json::array();
    for (std::size_t l = 0; l < body.levels.size(); ++l) {
        const StrandLevel& level = body.levels[l];
        out["levels"].push_back({{"deviation_metres", level.deviation},
                                 {"triangles", 2 * level.segments},
                                 {"from_metres", chain.fromMetres[l]}});
        if (level.perCard > 0)
            out["levels"].back()["strands_per_card"] = level.perCard;
        lines += fmt::format(
            "  L{}  {:>12} triangles   {:<16} from {}{}\n", l, grouped(static_cast<std::int64_t>(2 * level.segments)),
            l == 0 ? std::string("the source") : "off by " + length(level.deviation), length(chain.fromMetres[l]),
            level.perCard > 0 ? fmt::format(", a card for {} strands", level.perCard) : "");
    }
    if (!covers.empty())
        out["cover"] = ordered_json::array();
    for (const StrandCover& c : covers) {
        out["cover"].push_back({{"metres", c.metres},
                                {"all", c.full},
                                {"thinned", c.thinned},
                                {"share", c.share()},
                                {"colour_delta_e", c.colour},
                                {"keep", thinning.keepAt(c.metres)},
                                {"grow", thinning.growAt(c.metres)}});
        lines += fmt::format("  cover {:.0f} % at {} · {:.0f} % of strands, {:.2f} x as wide · colour off by {:.1f}\n",
                             100 * c.share(), length(c.metres), 100 * thinning.keepAt(c.metres),
                             thinning.growAt(c.metres), c.colour);
    }
    out["ms"] = ms;
    const std::string head = fmt::format("{}: {} strands, {} points, {} long in the mean, {} wide\n", made->name,
                                         grouped(static_cast<std::int64_t>(body.strands->size())),
                                         grouped(static_cast<std::int64_t>(body.strands->points.size())),
                                         length(body.places.meanLength), length(body.places.meanWidth));
    if (!options.out.empty()) {
        apply(scene, addSubjects(scene, {std::move(*made)}, "Strands"));
        if (auto done = writeProject(scene, options.out, true); !done)
            return fail(console, done.error());
        out["project"] = options.out.string();
        lines += fmt::format("  {}\n", options.out.string());
    }
    if (console.json)
        print(console, out);
    else
        console.out << head << lines;
    return 0;
}

} // namespace thicket::cli
