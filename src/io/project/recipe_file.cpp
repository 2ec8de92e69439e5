#include "io/project/recipe_file.h"

#include "base/file.h"
#include "io/json/field_json.h"
#include "io/json/switching_json.h"
#include "scene/fields.h"

#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kRecipeVersion = 1;
constexpr const char* kFormat = "lean-thicket-recipe";
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

} // namespace

Result<void> writeRecipeFile(const Scene& scene, const Subject& field, const fs::path& path) {
    const InstancesBody& body = *field.instances();
    ordered_json out{
        {"format", kFormat}, {"version", kRecipeVersion}, {"name", field.name}, {"role", keyOf(field.role)}};
    out.update(json::encode(*body.recipe, byName(scene), path.parent_path()));
    out["thinning"] = json::encode(body.thinning);
    out["rule"] = json::encode(field.rule);
    out["rule"].erase("target"); // a copy of this project
    return writeTextFile(path, json::text(out, 2) + "\n");
}

Result<RecipeFile> readRecipeFile(const Scene& scene, const fs::path& path, std::optional<std::uint32_t> surface) {
    const auto text = readTextFile(path);
    if (!text)
        return text.error();
    return json::decoded(path.string(), "mend the recipe, or give the meshes that it names", [&] {
        ordered_json in = json::parse(*text);
        if (!in.is_object() || json::string(in, "format", "", "") != kFormat)
            throw json::FieldError("is not a scatter recipe");
        if (json::integer<int>(in, "version", "", 0, 1'000'000) > kRecipeVersion)
            throw json::FieldError("version: was written by a later release");
        if (surface)
            in.erase("surface");
        RecipeFile out;
        out.name = json::string(in, "name", "", out.name);
        if (in.contains("role"))
            out.role = json::choice<Role>(in, "role", "");
        out.recipe = json::decodeRecipe(in, byName(scene), path.parent_path(), "");
        if (surface)
            out.recipe.surface = *surface;
        if (in.contains("thinning"))
            out.thinning = json::decodeThinning(json::object(in, "thinning", ""), "thinning.");
        if (in.contains("rule"))
            out.rule = json::decodeRule(json::object(in, "rule", ""), "rule.");
        return out;
    });
}

Result<Placements> scatterIn(const Scene& scene, const ScatterRecipe& recipe, const JobContext& job) {
    std::vector<std::byte> mask;
    if (!recipe.mask.empty()) {
        auto bytes = readFile(recipe.mask, kMostMaskBytes);
        if (!bytes)
            return bytes.error();
        mask = std::move(*bytes);
    }
    const auto ground = groundOf(scene, recipe, mask);
    if (!ground)
        return ground.error();
    return scatter(recipe, *ground, job);
}

} // namespace thicket
