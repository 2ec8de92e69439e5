#pragma once
// Every change to a scene is an edit with an inverse. Window, command line, undo and recovery all use these.

#include "scene/scene.h"

#include <variant>

namespace thicket {

/// A subject as it was and as it is to be; empty before: it is added; empty after: it is removed. `index` is its place.
/// Copies share meshes and placements: what an edit holds on to is two pointers an array.
struct SubjectEdit {
    std::size_t index = 0;
    std::optional<Subject> before;
    std::optional<Subject> after;
};
struct SettingsEdit {
    Settings before;
    Settings after;
};

/// What an edit changes, for those who follow the scene.
struct Touched {
    bool everything = false; ///< another scene
    bool settings = false;
    std::vector<std::uint32_t> subjects; ///< ids, of those that came or went too

    [[nodiscard]] bool subject(std::uint32_t id) const;
};

/// One step for the user: a label in plain words and changes that are made together.
struct Edit {
    std::string label;
    std::vector<std::variant<SubjectEdit, SettingsEdit>> changes;
    /// Edits with the same non-empty key that follow each other are one step (a drag).
    std::string mergeKey;

    [[nodiscard]] bool empty() const { return changes.empty(); }
    [[nodiscard]] Edit inverse() const;
    [[nodiscard]] Touched touched() const;
};

/// REQUIRES the scene is as the edit's `before` says. Ids that were given stay used: they never come back for another.
void apply(Scene& scene, const Edit& edit);

/// An edit of one subject, found by id. Copies without an id get fresh ones.
/// REQUIRES   the subject is in the scene.
Edit changeSubject(const Scene& scene, Subject after, std::string label, std::string mergeKey = {});
/// Adds subjects at the end, with fresh ids.
Edit addSubjects(const Scene& scene, std::vector<Subject> subjects, std::string label);
/// Removes a subject with its copies; from fields that it is an asset of go its copies.
Edit removeSubject(const Scene& scene, std::uint32_t id);
/// Removes a subject, as above, and adds others at the end in its place.
Edit replaceSubject(const Scene& scene, std::uint32_t id, std::vector<Subject> by, std::string label);
Edit changeSettings(const Scene& scene, Settings after, std::string label, std::string mergeKey = {});
/// Changes one placed copy, wherever it is. Empty when there is none of that id.
Edit changeCopy(const Scene& scene, std::uint32_t placement, const Placement& after, std::string label);
/// A placed copy by its id, with the subject that it belongs to; null when there is none.
/// COST       O(copies).
const Placement* findCopy(const Scene& scene, std::uint32_t placement);

} // namespace thicket
