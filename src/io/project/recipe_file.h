#pragma once
// A scatter recipe as a file of its own, so that what was found once can be used in another project and on another
// surface. Subjects are named by their names.

#include "base/job.h"
#include "scene/scene.h"

namespace thicket {

constexpr const char* kRecipeSuffix = ".recipe.json";

struct RecipeFile {
    std::string name = "Field";
    Role role = Role::GroundCover;
    ScatterRecipe recipe;
    std::optional<Thinning> thinning; ///< none: as its role has it
    std::optional<SwitchRule> rule;
};

/// What a field was scattered by, with how it thins out and switches.
/// REQUIRES   a field with a recipe.
/// ERRORS     Unwritable.
Result<void> writeRecipeFile(const Scene& scene, const Subject& field, const std::filesystem::path& path);

/// surface    id to scatter on in place of the one that the file names; empty: that one.
/// ERRORS     NotFound; BadInput naming the field, also where the scene has no subject of a name.
Result<RecipeFile> readRecipeFile(const Scene& scene, const std::filesystem::path& path,
                                  std::optional<std::uint32_t> surface = std::nullopt);

constexpr const char* kStrandRecipeSuffix = ".strands.json";

/// What strands grow by, look like and thin to.
struct StrandRecipeFile {
    std::string name = "Strands";
    Role role = Role::GroundCover;
    StrandRecipe recipe;
    std::optional<StrandLook> look; ///< none: as usual
    std::optional<Thinning> thinning;
    std::optional<SwitchRule> rule;
};
/// The same two for strands that were grown.
Result<void> writeStrandRecipe(const Scene& scene, const Subject& strands, const std::filesystem::path& path);
Result<StrandRecipeFile> readStrandRecipe(const Scene& scene, const std::filesystem::path& path,
                                          std::optional<std::uint32_t> surface = std::nullopt);
/// The strands that a recipe grows in a scene; its mask is read.
Result<std::shared_ptr<const StrandSet>> growStrandsIn(const Scene& scene, const StrandRecipe& recipe,
                                                       const JobContext& job);

/// The copies that a recipe makes in a scene; its mask is read.
/// ERRORS     as scatter and groundOf; NotFound, TooLarge for the mask's file.
Result<Placements> scatterIn(const Scene& scene, const ScatterRecipe& recipe, const JobContext& job);

} // namespace thicket
