#pragma once
// Mends of a subject: what is set right in its first level, and what that means for the others.

#include "scene/subject.h"

namespace thicket {

/// A subject after a mend, and how much it was made to; 0: nothing was to be done, and the subject is as it was.
struct MendedSubject {
    Subject subject;
    std::uint32_t count = 0;
};

/// Makes a mend and keeps it among the subject's. Coarser levels stay and are measured against the first one as it is
/// now, a change of unit changes all alike, and with them what is painted and what moves. The deviation curve of before
/// is dropped.
/// REQUIRES   a mesh that is there.
/// ERRORS     BadInput where nothing would be left of it, or where it would be too large to hold; Cancelled.
Result<MendedSubject> mendSubject(const Subject& subject, const Mend& mend, const JobContext& job);

/// What mends are there for a finding of a subject; empty where there is none.
std::optional<Mend> mendFor(const Subject& subject, const Finding& finding);

/// Levels from the most triangles to the fewest, without those that are no lighter than the one before.
Subject withLevelsInOrder(const Subject& subject);

/// Makes mends again to what was read from a file: meshes from the finest on, and what moves them (null: nothing does).
/// ERRORS     as mendSubject's.
Result<void> mendAgain(const std::vector<Mend>& mends, const std::vector<Mesh*>& levels, Rig* rig);

/// What is wrong with a subject's first level and with its chain.
std::vector<Finding> findProblems(const Subject& subject);

} // namespace thicket
