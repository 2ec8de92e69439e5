#include "scene/edits.h"

#include <algorithm>
#include <cassert>

namespace thicket {
namespace {

struct Inverter {
    Edit& out;
    void operator()(const SubjectEdit& e) const { out.changes.emplace_back(SubjectEdit{e.index, e.after, e.before}); }
    void operator()(const PlacementsEdit& e) const { out.changes.emplace_back(PlacementsEdit{e.after, e.before}); }
    void operator()(const SettingsEdit& e) const { out.changes.emplace_back(SettingsEdit{e.after, e.before}); }
};

struct Applier {
    Scene& scene;
    void operator()(const SubjectEdit& e) const {
        const auto at = scene.subjects.begin() + static_cast<std::ptrdiff_t>(e.index);
        if (!e.before)
            scene.subjects.insert(at, *e.after);
        else if (!e.after)
            scene.subjects.erase(at);
        else
            *at = *e.after;
    }
    void operator()(const PlacementsEdit& e) const { scene.placements = e.after; }
    void operator()(const SettingsEdit& e) const {
        scene.name = e.after.name;
        scene.routes = e.after.routes;
        scene.devices = e.after.devices;
        scene.device = e.after.device;
        scene.roles = e.after.roles;
        scene.view = e.after.view;
        scene.ownViews = e.after.ownViews;
        scene.halfSpeed = e.after.halfSpeed;
        scene.cullHidden = e.after.cullHidden;
    }
};

} // namespace

Edit Edit::inverse() const {
    Edit back{label, {}, mergeKey};
    for (auto change = changes.rbegin(); change != changes.rend(); ++change)
        std::visit(Inverter{back}, *change);
    return back;
}

void apply(Scene& scene, const Edit& edit) {
    for (const auto& change : edit.changes)
        std::visit(Applier{scene}, change);
}

SettingsEdit::Settings settingsOf(const Scene& scene) {
    return {scene.name, scene.routes,   scene.devices,   scene.device,    scene.roles,
            scene.view, scene.ownViews, scene.halfSpeed, scene.cullHidden};
}

Edit changeSubject(const Scene& scene, Subject after, std::string label, std::string mergeKey) {
    for (std::size_t i = 0; i < scene.subjects.size(); ++i)
        if (scene.subjects[i].id == after.id)
            return {std::move(label), {SubjectEdit{i, scene.subjects[i], std::move(after)}}, std::move(mergeKey)};
    assert(false && "the subject is not in the scene");
    return {};
}

Edit addSubjects(const Scene& scene, std::vector<Subject> subjects, std::string label) {
    Edit edit{std::move(label), {}, {}};
    std::uint32_t id = scene.freshId();
    std::size_t index = scene.subjects.size();
    for (Subject& subject : subjects) {
        subject.id = id++;
        edit.changes.emplace_back(SubjectEdit{index++, std::nullopt, std::move(subject)});
    }
    return edit;
}

Edit removeSubject(const Scene& scene, std::uint32_t id) {
    for (std::size_t i = 0; i < scene.subjects.size(); ++i) {
        if (scene.subjects[i].id != id)
            continue;
        Edit edit{"Remove " + scene.subjects[i].name, {}, {}};
        std::vector<Placement> kept;
        std::copy_if(scene.placements.begin(), scene.placements.end(), std::back_inserter(kept),
                     [id](const Placement& p) { return p.subject != id; });
        if (kept.size() != scene.placements.size())
            edit.changes.emplace_back(PlacementsEdit{scene.placements, std::move(kept)});
        edit.changes.emplace_back(SubjectEdit{i, scene.subjects[i], std::nullopt});
        return edit;
    }
    return {};
}

Edit changeSettings(const Scene& scene, SettingsEdit::Settings after, std::string label, std::string mergeKey) {
    return {std::move(label), {SettingsEdit{settingsOf(scene), std::move(after)}}, std::move(mergeKey)};
}

} // namespace thicket
