#include "io/project/recipe_file.h"

#include "base/file.h"
#include "io/json/strand_json.h"
#include "io/json/switching_json.h"
#include "scene/fields.h"
#include "scene/strand_subject.h"

#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kRecipeVersion = 1;
constexpr const char* kRecipeFormat = "lean-thicket-recipe";
constexpr const char* kStrandFormat = "lean-thicket-strand-recipe";
constexpr std::uintmax_t kMostMaskBytes = std::uintmax_t{256} << 20;

json::SubjectNames byName(const Scene& scene) {
    return {[&scene](std::uint32_t id) {
                const Subject* subject = scene.find(id);
                return ordered_json(subject != nullptr ? subject->name : std::string());
            },
            [&scene](const ordered_json& in, const char* member, const std::string& path) {
                const std::string name = json::string(in, member, path);
                for (const Subject& subject : scene.subjects)
                    if ((subject.isMesh() || (subject.terrain() != nullptr && std::string_view(member) == "surface")) &&
                        subject.name == name)
                        return subject.id;
                throw json::FieldError(fmt::format("{}{}: there is no mesh called “{}”", path, member, name));
            }};
}

/// What both kinds of recipe have besides what is scattered or grown.
template <class File> void decodeCommon(const ordered_json& in, File& out) {
    if (json::integer<int>(in, "version", "", 0, 1'000'000) > kRecipeVersion)
        throw json::FieldError("version: was written by a later release");
    out.name = json::string(in, "name", "", out.name);
    if (in.contains("role"))
        out.role = json::choice<Role>(in, "role", "");
    if (in.contains("thinning"))
        out.thinning = json::decodeThinning(json::object(in, "thinning", ""), "thinning.");
    if (in.contains("rule"))
        out.rule = json::decodeRule(json::object(in, "rule", ""), "rule.");
}

ordered_json encodeCommon(const char* format, const Subject& subject, const ordered_json& recipe,
                          const Thinning& thinning) {
    ordered_json out{
        {"format", format}, {"version", kRecipeVersion}, {"name", subject.name}, {"role", keyOf(subject.role)}};
    out.update(recipe);
    out["thinning"] = json::encode(thinning);
    out["rule"] = json::encode(subject.rule);
    out["rule"].erase("target"); // a copy of this project
    return out;
}

Result<std::vector<std::byte>> readMask(const fs::path& mask) {
    return mask.empty() ? Result<std::vector<std::byte>>(std::vector<std::byte>()) : readFile(mask, kMostMaskBytes);
}

} // namespace

Result<void> writeRecipeFile(const Scene& scene, const Subject& field, const fs::path& path) {
    const InstancesBody& body = *field.instances();
    const ordered_json out = encodeCommon(kRecipeFormat, field,
                                          json::encode(*body.recipe, byName(scene), path.parent_path()), body.thinning);
    return writeTextFile(path, json::text(out, 2) + "\n");
}

Result<RecipeFile> readRecipeFile(const Scene& scene, const fs::path& path, std::optional<std::uint32_t> surface) {
    const auto text = readTextFile(path);
    if (!text)
        return text.error();
    return json::decoded(path.string(), "mend the recipe, or give the meshes that it names", [&] {
        ordered_json in = json::parse(*text);
        if (!in.is_object() || json::string(in, "format", "", "") != kRecipeFormat)
            throw json::FieldError("is not a scatter recipe");
        if (surface)
            in.erase("surface");
        RecipeFile out;
        decodeCommon(in, out);
        out.recipe = json::decodeRecipe(in, byName(scene), path.parent_path(), "");
        if (surface)
            out.recipe.surface = *surface;
        return out;
    });
}

Result<void> writeStrandRecipe(const Scene& scene, const Subject& strands, const fs::path& path) {
    const StrandsBody& body = *strands.strands();
    ordered_json out = encodeCommon(kStrandFormat, strands,
                                    json::encode(*body.recipe, byName(scene), path.parent_path()), body.thinning);
    out["look"] = json::encode(body.look);
    return writeTextFile(path, json::text(out, 2) + "\n");
}

Result<StrandRecipeFile> readStrandRecipe(const Scene& scene, const fs::path& path,
                                          std::optional<std::uint32_t> surface) {
    const auto text = readTextFile(path);
    if (!text)
        return text.error();
    return json::decoded(path.string(), "mend the recipe, or give the meshes that it names", [&] {
        ordered_json in = json::parse(*text);
        if (!in.is_object() || json::string(in, "format", "", "") != kStrandFormat)
            throw json::FieldError("is not a recipe of strands");
        if (surface)
            in.erase("surface");
        StrandRecipeFile out;
        decodeCommon(in, out);
        out.recipe = json::decodeStrandRecipe(in, byName(scene), path.parent_path(), "");
        if (surface)
            out.recipe.where.surface = *surface;
        if (in.contains("look"))
            out.look = json::decodeLook(json::object(in, "look", ""), "look.");
        if (out.thinning)
            out.thinning->widths = true;
        return out;
    });
}

Result<std::shared_ptr<const StrandSet>> growStrandsIn(const Scene& scene, const StrandRecipe& recipe,
                                                       const JobContext& job) {
    const auto mask = readMask(recipe.where.mask);
    if (!mask)
        return mask.error();
    return growIn(scene, recipe, *mask, job);
}

Result<Placements> scatterIn(const Scene& scene, const ScatterRecipe& recipe, const JobContext& job) {
    const auto mask = readMask(recipe.mask);
    if (!mask)
        return mask.error();
    const auto ground = groundOf(scene, recipe, *mask);
    if (!ground)
        return ground.error();
    return scatter(recipe, *ground, job);
}

} // namespace thicket
