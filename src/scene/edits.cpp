#include "scene/edits.h"

#include "scene/kinds.h"

#include <algorithm>
#include <cassert>

namespace thicket {
namespace {

std::uint32_t largestId(const Subject& subject);

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
        // Looking through all copies is for edits that bring others, not for every step of a drag.
        if (e.after && (!e.before || placementsOf(*e.before) != placementsOf(*e.after)))
            scene.nextId = std::max(scene.nextId, largestId(*e.after) + 1);
    }
    void operator()(const SettingsEdit& e) const { scene.settings = e.after; }
};

/// Copies that came without an id get one from `next` on.
void giveIds(Subject& subject, std::uint32_t& next) {
    const SharedPlacements all = placementsOf(subject);
    if (!all || std::none_of(all->begin(), all->end(), [](const Placement& p) { return p.id == 0; }))
        return;
    Placements named = *all;
    for (Placement& p : named)
        if (p.id == 0)
            p.id = next++;
    setPlacements(subject, std::make_shared<const Placements>(std::move(named)));
}

std::uint32_t largestId(const Subject& subject) {
    std::uint32_t largest = subject.id;
    if (const SharedPlacements all = placementsOf(subject))
        for (const Placement& p : *all)
            largest = std::max(largest, p.id);
    return largest;
}

/// Where a copy stands in an array; empty when it is not there.
std::optional<std::size_t> indexIn(const SharedPlacements& all, std::uint32_t placement) {
    if (!all)
        return std::nullopt;
    const auto found =
        std::find_if(all->begin(), all->end(), [placement](const Placement& p) { return p.id == placement; });
    if (found == all->end())
        return std::nullopt;
    return static_cast<std::size_t>(found - all->begin());
}

/// A field without one of its assets and the copies of it.
InstancesBody withoutAsset(const InstancesBody& field, std::uint32_t id) {
    InstancesBody out = field;
    out.assets.clear();
    if (field.recipe) {
        ScatterRecipe recipe = *field.recipe;
        std::erase_if(recipe.assets, [id](const ScatterAsset& a) { return a.subject == id; });
        out.recipe = std::make_shared<const ScatterRecipe>(std::move(recipe));
    }
    std::vector<std::uint32_t> to(field.assets.size(), ~0U);
    for (std::size_t i = 0; i < field.assets.size(); ++i)
        if (field.assets[i] != id) {
            to[i] = static_cast<std::uint32_t>(out.assets.size());
            out.assets.push_back(field.assets[i]);
        }
    Placements kept;
    for (Placement copy : *field.copies)
        if (copy.asset < to.size() && to[copy.asset] != ~0U) {
            copy.asset = to[copy.asset];
            kept.push_back(copy);
        }
    out.copies = std::make_shared<const Placements>(std::move(kept));
    return out;
}

} // namespace

bool Touched::subject(std::uint32_t id) const {
    return everything || std::find(subjects.begin(), subjects.end(), id) != subjects.end();
}

Edit Edit::inverse() const {
    Edit back{label, {}, mergeKey};
    for (auto change = changes.rbegin(); change != changes.rend(); ++change)
        std::visit(Overload{[&](const SubjectEdit& e) {
                                back.changes.emplace_back(SubjectEdit{e.index, e.after, e.before});
                            },
                            [&](const SettingsEdit& e) {
                                back.changes.emplace_back(SettingsEdit{e.after, e.before});
                            }},
                   *change);
    return back;
}

Touched Edit::touched() const {
    Touched out;
    for (const auto& change : changes)
        std::visit(Overload{[&](const SubjectEdit& e) { out.subjects.push_back(e.after ? e.after->id : e.before->id); },
                            [&](const SettingsEdit&) { out.settings = true; }},
                   change);
    return out;
}

void apply(Scene& scene, const Edit& edit) {
    for (const auto& change : edit.changes)
        std::visit(Applier{scene}, change);
}

Edit changeSubject(const Scene& scene, Subject after, std::string label, std::string mergeKey) {
    for (std::size_t i = 0; i < scene.subjects.size(); ++i)
        if (scene.subjects[i].id == after.id) {
            std::uint32_t next = scene.nextId;
            giveIds(after, next);
            return {std::move(label), {SubjectEdit{i, scene.subjects[i], std::move(after)}}, std::move(mergeKey)};
        }
    assert(false && "the subject is not in the scene");
    return {};
}

Edit addSubjects(const Scene& scene, std::vector<Subject> subjects, std::string label) {
    Edit edit{std::move(label), {}, {}};
    std::uint32_t id = scene.nextId;
    std::size_t index = scene.subjects.size();
    for (Subject& subject : subjects) {
        subject.id = id++;
        giveIds(subject, id);
        edit.changes.emplace_back(SubjectEdit{index++, std::nullopt, std::move(subject)});
    }
    return edit;
}

Edit removeSubject(const Scene& scene, std::uint32_t id) {
    Edit edit;
    std::optional<std::size_t> at;
    for (std::size_t i = 0; i < scene.subjects.size(); ++i) {
        const Subject& subject = scene.subjects[i];
        if (subject.id == id)
            at = i;
        const InstancesBody* field = subject.instances();
        if (field == nullptr || std::find(field->assets.begin(), field->assets.end(), id) == field->assets.end())
            continue;
        Subject after = subject;
        after.body = withoutAsset(*field, id);
        refresh(scene, after);
        edit.changes.emplace_back(SubjectEdit{i, subject, std::move(after)});
    }
    if (!at)
        return {};
    edit.label = "Remove " + scene.subjects[*at].name;
    edit.changes.emplace_back(SubjectEdit{*at, scene.subjects[*at], std::nullopt});
    return edit;
}

Edit replaceSubject(const Scene& scene, std::uint32_t id, std::vector<Subject> by, std::string label) {
    Edit edit = removeSubject(scene, id);
    Scene without = scene;
    apply(without, edit);
    Edit added = addSubjects(without, std::move(by), {});
    std::move(added.changes.begin(), added.changes.end(), std::back_inserter(edit.changes));
    edit.label = std::move(label);
    return edit;
}

Edit changeSettings(const Scene& scene, Settings after, std::string label, std::string mergeKey) {
    return {std::move(label), {SettingsEdit{scene.settings, std::move(after)}}, std::move(mergeKey)};
}

const Placement* findCopy(const Scene& scene, std::uint32_t placement) {
    for (const Subject& subject : scene.subjects) {
        const SharedPlacements all = placementsOf(subject);
        if (const auto at = indexIn(all, placement))
            return &(*all)[*at];
    }
    return nullptr;
}

Edit changeCopy(const Scene& scene, std::uint32_t placement, const Placement& after, std::string label) {
    for (std::size_t i = 0; i < scene.subjects.size(); ++i) {
        const SharedPlacements all = placementsOf(scene.subjects[i]);
        const auto at = indexIn(all, placement);
        if (!at)
            continue;
        Placements copies = *all;
        copies[*at] = after;
        Subject changed = scene.subjects[i];
        setPlacements(changed, std::make_shared<const Placements>(std::move(copies)));
        return {std::move(label), {SubjectEdit{i, scene.subjects[i], std::move(changed)}}, {}};
    }
    return {};
}

} // namespace thicket
