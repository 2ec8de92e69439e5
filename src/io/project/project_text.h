#pragma once
// A project's text: the scene as JSON, without what its files hold.

#include "io/project/project_body.h"

namespace thicket {

/// beside   gets the arrays that are too large for the text; null: they stand in it all the same.
std::string encodeProject(const Scene& scene, const std::filesystem::path& folder, BesideFiles* beside);

struct ProjectText {
    Scene scene;
    int version = kProjectVersion; ///< that it was written as
};
/// ERRORS     BadInput naming the field.
Result<ProjectText> decodeProject(const std::string& text, const std::filesystem::path& folder,
                                  const std::string& where, const BesideReader& beside);

} // namespace thicket
