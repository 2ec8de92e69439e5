#pragma once
// Every change to a scene is an edit with an inverse. Window, command line, undo and recovery all use these.

#include "scene/scene.h"

#include <variant>

namespace thicket {

/// A subject as it was and as it is to be; empty before: it is added; empty after: it is removed. `index` is its place.
struct SubjectEdit {
    std::size_t index = 0;
    std::optional<Subject> before;
    std::optional<Subject> after;
};
struct PlacementsEdit {
    std::vector<Placement> before;
    std::vector<Placement> after;
};
/// Everything else, small enough to keep whole.
struct SettingsEdit {
    struct Settings {
        std::string name;
        std::vector<Route> routes;
        std::vector<Device> devices;
        std::size_t device = 0;
        RoleRules roles;
        View view;
        std::vector<NamedView> ownViews;
        double halfSpeed = 0;
        bool cullHidden = true;
    };
    Settings before;
    Settings after;
};

/// One step for the user: a label in plain words and changes that are made together.
struct Edit {
    std::string label;
    std::vector<std::variant<SubjectEdit, PlacementsEdit, SettingsEdit>> changes;
    /// Edits with the same non-empty key that follow each other are one step (a drag).
    std::string mergeKey;

    [[nodiscard]] bool empty() const { return changes.empty(); }
    [[nodiscard]] Edit inverse() const;
};

/// REQUIRES the scene is as the edit's `before` says.
void apply(Scene& scene, const Edit& edit);

SettingsEdit::Settings settingsOf(const Scene& scene);
/// An edit of one subject, found by id. REQUIRES the subject is in the scene.
Edit changeSubject(const Scene& scene, Subject after, std::string label, std::string mergeKey = {});
Edit addSubjects(const Scene& scene, std::vector<Subject> subjects, std::string label);
Edit removeSubject(const Scene& scene, std::uint32_t id);
Edit changeSettings(const Scene& scene, SettingsEdit::Settings after, std::string label, std::string mergeKey = {});

} // namespace thicket
