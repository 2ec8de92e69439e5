#pragma once
// Strands of a file as a subject.

#include "scene/subject.h"

namespace thicket {

struct ImportedStrands {
    Subject subject;
    std::vector<std::string> notes; ///< what was taken where the file says nothing
};

/// Reads the lines of a file.
/// body      how wide they are where the file says nothing, and what its lengths are.
/// name      empty: that of the file.
/// ERRORS    those of readStrands and makeStrands.
Result<ImportedStrands> importStrands(const std::filesystem::path& file, const std::string& name, Role role,
                                      StrandsBody body, const JobContext& job);

} // namespace thicket
