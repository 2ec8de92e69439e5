#include "appmodel/thin_model.h"

#include "appmodel/text.h"
#include "io/ship/write_obj.h"
#include "scene/smooth.h"
#include "scene/thin_unseen.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace thicket::app {

ThinModel::ThinModel(Session& session) : m_session(session) {
    connect(&session.document, &Document::sceneChanged, this, [this](const Touched& touched) {
        if (touched.everything) {
            m_ahead.cancelAll();
            m_aheadOf = 0;
            m_records.clear();
        }
        m_records.dropStale(m_session.scene());
        const Subject* dragged = m_session.scene().findMesh(m_drag.subject);
        if (m_drag.subject != 0 &&
            (dragged == nullptr || m_drag.level >= static_cast<int>(dragged->mesh().levels.size())))
            dropDrag();
    });
    connect(&session.jobs(), &JobQueue::idle, this, [this] {
        m_rulesAsked.clear();
        emit cutRulesChanged();
    });
}

StageState ThinModel::state() const {
    int meshes = 0;
    int single = 0;
    for (const Subject& s : m_session.scene().subjects) {
        meshes += s.isMesh() ? 1 : 0;
        single += s.isMesh() && s.mesh().levels.size() < 2 ? 1 : 0;
    }
    return {meshes > 0 && single == 0, meshes == 0  ? QString()
                                       : single > 0 ? tr("%1 not thinned").arg(single)
                                                    : tr("all have levels")};
}

const Subject* ThinModel::whole(std::uint32_t id) const {
    const Subject* found = m_session.scene().findMesh(id);
    return found != nullptr && found->mesh().source().mesh ? found : nullptr;
}

const Subject* ThinModel::withLevel(std::uint32_t id, int level, int first) const {
    const Subject* found = m_session.scene().findMesh(id);
    return found != nullptr && level >= first && level < static_cast<int>(found->mesh().levels.size()) ? found
                                                                                                       : nullptr;
}

bool ThinModel::hasRecord(std::uint32_t id) const {
    const Subject* found = m_session.scene().findMesh(id);
    return found != nullptr && m_records.find(*found);
}

Result<ThinState> ThinModel::recordFor(const Subject& subject, const JobContext& job) {
    if (const std::uint32_t ahead = m_aheadOf; ahead != 0 && ahead != subject.id) {
        m_ahead.cancelAll(); // what had not begun yet is forgotten, and may be asked for again
        m_aheadOf = 0;
    }
    job.report(0, "recording");
    std::unique_lock making(m_making, std::defer_lock);
    while (!making.try_lock_for(std::chrono::milliseconds(20)))
        if (job.cancelled())
            return cancelledError();
    if (auto known = m_records.find(subject))
        return std::move(*known);
    auto made = recordSubject(subject, {}, job);
    if (made)
        m_records.put(subject.id, *made);
    return made;
}

void ThinModel::recordAhead(std::uint32_t id) {
    const Subject* found = whole(id);
    if (found == nullptr || hasRecord(id) || m_aheadOf == id || m_session.jobs().busy())
        return;
    const auto& levels = found->mesh().levels;
    if (std::none_of(levels.begin(), levels.end(), [](const Level& l) { return l.origin == LevelOrigin::Collapsed; }))
        return;
    m_ahead.cancelAll();
    m_aheadOf = id;
    m_ahead.run(tr("Recording ahead"), [this, subject = *found](const JobContext& job) -> JobQueue::Finish {
        (void)recordFor(subject, job); // what goes wrong is told when the record is asked for
        std::uint32_t own = subject.id;
        m_aheadOf.compare_exchange_strong(own, 0);
        return {};
    });
}

namespace {

/// What was made, the level that is new in it where nobody sees it come in, if its role asks for that. The others stay.
Result<Subject> lookedAt(const Subject& before, Result<Subject> made, const Scene& scene, const JobContext& job) {
    if (!made || !scene.settings.roles.of[static_cast<std::size_t>(made->role)].unseen)
        return made;
    const std::vector<Level>& known = before.mesh().levels;
    const std::vector<Level>& levels = made->mesh().levels;
    const auto fresh = std::find_if(levels.begin(), levels.end(), [&known](const Level& l) {
        return std::none_of(known.begin(), known.end(), [&l](const Level& k) { return k.mesh == l.mesh; });
    });
    if (fresh == levels.end())
        return made;
    auto looked = lookAtSwitches(*made, scene.statedView(), static_cast<int>(fresh - levels.begin()), job);
    return looked ? Result<Subject>(std::move(looked->subject)) : Result<Subject>(looked.error());
}

} // namespace

// ---- roles

std::vector<std::uint32_t> ThinModel::notThinned() const {
    std::vector<std::uint32_t> ids;
    for (const Subject& s : m_session.scene().subjects)
        if (s.isMesh() && s.mesh().levels.size() == 1 && s.mesh().source().mesh)
            ids.push_back(s.id);
    return ids;
}

void ThinModel::thinTheRest() {
    if (const auto ids = notThinned(); !ids.empty())
        thin(ids, tr("Thinning %1 subjects").arg(ids.size()), {}, QStringLiteral("thin-the-rest"));
}

void ThinModel::thinToRole(std::uint32_t id) {
    if (const Subject* found = whole(id))
        thin({id}, tr("Thinning %1").arg(toText(found->name)), "Thin " + found->name,
             QStringLiteral("thin-%1").arg(id));
}

void ThinModel::thinToRoles(const std::vector<std::uint32_t>& ids) {
    std::vector<std::uint32_t> there;
    std::copy_if(ids.begin(), ids.end(), std::back_inserter(there), [this](auto id) { return whole(id) != nullptr; });
    if (there.size() == 1)
        thinToRole(there.front());
    else if (!there.empty())
        thin(there, tr("Thinning %1 subjects").arg(there.size()), {}, QStringLiteral("thin-selected"));
}

void ThinModel::thin(const std::vector<std::uint32_t>& ids, const QString& title, const std::string& label,
                     const QString& key, const std::optional<CutRules>& rules) {
    Session::Change change{title, label, key};
    change.work = [this, rules](const Subject& before, const Scene& scene, const JobContext& job) -> Result<Subject> {
        Subject asked = before;
        if (rules)
            asked.mesh().cutRules = *rules;
        auto state = recordFor(asked, job.part(0, 0.7));
        if (!state)
            return state.error();
        const RolePreset preset = presetFor(asked.role, asked.mesh().source().triangles, scene.settings.roles);
        asked.rule.allowPx = preset.allowPx;
        auto thinned = preset.unseen ? thinUnseen(asked, *state, preset.targets, scene.statedView(), job.part(0.7, 0.9))
                                     : thinSubject(asked, *state, preset.targets, job.part(0.7, 0.9));
        if (!thinned || preset.cards == 0)
            return thinned;
        CardOptions cards;
        cards.cards = preset.cards;
        return lookedAt(*thinned, thicket::addCards(*thinned, cards, job.part(0.9, 0.95)), scene, job.part(0.95, 1));
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (!sameLevels(now, before))
            return std::nullopt;
        Subject after = withLevelsOf(now, made);
        if (now.rule.allowPx == before.rule.allowPx)
            after.rule.allowPx = made.rule.allowPx;
        return after;
    };
    m_session.change(ids, std::move(change));
}

void ThinModel::setRole(std::uint32_t id, Role role) {
    const Subject* found = m_session.scene().find(id);
    if (found == nullptr || found->role == role)
        return;
    Subject after = *found;
    after.role = role;
    edit(after, "Role of " + found->name);
}

void ThinModel::setRoleRules(const RoleRules& rules) {
    Settings settings = m_session.scene().settings;
    if (rules == settings.roles)
        return;
    settings.roles = rules;
    m_session.document.push(changeSettings(m_session.scene(), settings, "Change the roles"));
}

void ThinModel::setRolesForNew(const RoleRules& rules) {
    m_rolesForNew = rules;
    Document& document = m_session.document;
    if (!m_session.scene().subjects.empty() || document.modified() || !document.path().empty())
        return;
    Scene empty = m_session.scene();
    empty.settings.roles = rules;
    document.reset(std::move(empty), {});
}

CutRules ThinModel::cutRules(std::uint32_t id) const {
    if (const auto asked = m_rulesAsked.find(id); asked != m_rulesAsked.end())
        return asked->second;
    const Subject* found = m_session.scene().findMesh(id);
    return found != nullptr ? found->mesh().cutRules : CutRules();
}

void ThinModel::setCutRules(std::uint32_t id, const CutRules& rules) {
    const Subject* found = m_session.scene().findMesh(id);
    const CutRules now = cutRules(id);
    if (found == nullptr || now == rules)
        return;
    const std::string label =
        (rules.keepPieces != now.keepPieces ? (rules.keepPieces ? "Keep every piece of " : "Let small pieces go in ")
         : rules.symmetric != now.symmetric ? (rules.symmetric ? "Keep both sides alike in " : "Free both sides of ")
         : rules.reuseVertices              ? "Reuse the vertices of "
                                            : "Place vertices freely in ") +
        found->name;
    const auto& levels = found->mesh().levels;
    const bool cut = std::any_of(levels.begin(), levels.end(),
                                 [](const Level& l) { return l.origin == LevelOrigin::Collapsed && !l.locked; });
    if (cut && levels.front().mesh) { // its levels belong to a record that holds to other rules
        m_rulesAsked[id] = rules;
        thin({id}, tr("Thinning %1").arg(toText(found->name)), label, QStringLiteral("thin-%1").arg(id), rules);
    } else {
        Subject after = *found;
        after.mesh().cutRules = rules;
        edit(after, label);
    }
}

void ThinModel::recut(std::uint32_t id) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    Session::Change change{tr("Cutting %1 again").arg(toText(found->name)),
                           "Cut the levels of " + found->name + " again", QStringLiteral("thin-%1").arg(id)};
    change.work = [this](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        auto state = recordFor(before, job.part(0, 0.7));
        return state ? recutLevels(before, *state, job.part(0.7, 1)) : Result<Subject>(state.error());
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::restore(std::uint32_t id) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    const Snapshot asked = m_session.document.snapshot();
    m_session.jobs().run(tr("Cutting levels of %1").arg(toText(found->name)),
                         [this, id, asked](const JobContext& job) -> JobQueue::Finish {
                             const Snapshot start = m_session.document.snapshot();
                             const Subject* subject = start.scene->findMesh(id);
                             if (start.document != asked.document || subject == nullptr)
                                 return {};
                             auto state = recordFor(*subject, job);
                             if (!state)
                                 return [this, error = state.error()] { m_session.report(error); };
                             return [this, start, restored = restoreLevels(*subject, *state)] {
                                 if (m_session.document.isOpen(start))
                                     m_session.document.fillIn(restored);
                             };
                         });
}

// ---- dragging a pin

void ThinModel::dropDrag() {
    if (m_drag.subject == 0)
        return;
    m_drag = {};
    emit dragChanged();
}

void ThinModel::cutLevelTo(std::uint32_t id, int level, double triangles, bool commit, bool keepSwitch) {
    const Subject* found = withLevel(id, level, 1);
    if (found == nullptr)
        return;
    const auto& levels = found->mesh().levels;
    const auto at = static_cast<std::size_t>(level);
    if (levels[at].locked || levels[at].origin != LevelOrigin::Collapsed) {
        if (commit)
            m_session.say(tr("L%1 is %2; it was left as it is.")
                              .arg(level)
                              .arg(levels[at].locked ? tr("locked") : toText(nameOf(levels[at].origin))));
        return;
    }
    // Between its neighbours, so that levels always fall strictly.
    const double most = levels[at - 1].triangles - 1.0;
    const double fewest = at + 1 < levels.size() ? levels[at + 1].triangles + 1.0 : 1.0;
    triangles = std::clamp(triangles, std::min(fewest, most), most);
    if (commit) {
        commitLevel(id, level, triangles, false, keepSwitch);
        return;
    }
    const auto state = m_records.find(*found);
    if (!state) {
        m_session.jobs().run(
            tr("Recording %1").arg(toText(found->name)),
            [this, copy = *found](const JobContext& job) -> JobQueue::Finish {
                if (auto made = recordFor(copy, job); !made)
                    return [this, error = made.error()] { m_session.report(error); };
                return {};
            },
            QStringLiteral("record-%1").arg(id));
        return;
    }
    m_session.quick().run(
        {},
        [this, id, level, triangles, state](const JobContext&) -> JobQueue::Finish {
            auto mesh = std::make_shared<const Mesh>(cutRecord(*state->record, static_cast<std::uint32_t>(triangles)));
            return [this, id, level, mesh, source = state->source] {
                const Subject* now = withLevel(id, level, 1);
                if (now == nullptr || now->mesh().source().mesh != source)
                    return;
                m_drag = {id, level, mesh};
                emit dragChanged();
            };
        },
        QStringLiteral("drag"));
}

void ThinModel::commitLevel(std::uint32_t id, int level, double triangles, bool insert, bool keepSwitch) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    const auto at = static_cast<std::size_t>(level);
    std::optional<FixedSwitch> kept;
    if (const auto costs = costsOf(*found); keepSwitch && at < costs.size()) {
        const View view = m_session.scene().statedView();
        kept = fixAt(DecideBy::ScreenHeight, chainOf(*found, view).fromMetres[at], costs[at], found->rule,
                     found->radius, view);
    }
    const std::size_t count = found->mesh().levels.size();
    Session::Change change{tr("Measuring L%1 of %2").arg(level).arg(toText(found->name)),
                           (insert ? "Add a level to " : "Change a level of ") + found->name,
                           QStringLiteral("commit-%1-%2").arg(id).arg(level),
                           true,
                           {},
                           {},
                           [this] { dropDrag(); }};
    change.work = [this, at, triangles, insert, count](const Subject& before, const Scene& scene,
                                                       const JobContext& job) -> Result<Subject> {
        auto state = recordFor(before, job.part(0, 0.7));
        if (!state)
            return state.error();
        const JobContext rest = job.part(0.7, 1);
        Subject out = before;
        MeshBody& body = out.mesh();
        if (body.levels.size() != count)
            return out; // the chain was changed before this began; `merge` sees that and leaves it
        auto cut = cutLevel(*state->source, *state->query, *state->record, state->curve,
                            {TargetKind::Triangles, triangles}, body.levels[at - 1].triangles, rest);
        if (!cut)
            return cut.error();
        Level fresh = levelFrom(std::move(*cut));
        if (auto judged = judgeLevels(before, *state, {&fresh, 1}, rest); !judged)
            return judged.error();
        if (!insert) {
            fresh.materials = body.levels[at].materials;
            if (auto dressed = dressLevel(before, fresh, fresh.mesh, rest); !dressed)
                return dressed.error();
        }
        body.curve = state->curve;
        body.pieces = state->record->pieces;
        body.aggregate = state->record->aggregate;
        if (insert) {
            body.levels.insert(body.levels.begin() + static_cast<std::ptrdiff_t>(at), std::move(fresh));
            return lookedAt(before, std::move(out), scene, rest);
        }
        // A pin is let go again and again: until its switch is looked at, it counts as the one in its place did.
        keepSeen(fresh, body.levels[at]);
        body.levels[at] = std::move(fresh);
        return out;
    };
    // Only that level is taken, into the chain as it is by then: what else was changed meanwhile stays.
    change.merge = [at, insert, count, kept](const Subject& now, const Subject&,
                                             const Subject& made) -> std::optional<Subject> {
        if (now.mesh().levels.size() != count || made.mesh().levels.size() != count + (insert ? 1 : 0))
            return now;
        Subject after = now;
        MeshBody& body = after.mesh();
        body.curve = made.mesh().curve;
        body.pieces = made.mesh().pieces;
        body.aggregate = made.mesh().aggregate;
        const Level& fresh = made.mesh().levels[at];
        const auto place = body.levels.begin() + static_cast<std::ptrdiff_t>(at);
        if (insert) {
            body.levels.insert(place, fresh);
        } else {
            const std::optional<FixedSwitch> fixed = place->fixed;
            *place = fresh;
            place->fixed = kept ? kept : fixed;
        }
        std::erase_if(body.levels, [&](const Level& l) {
            return l.mesh != fresh.mesh && l.origin == LevelOrigin::Collapsed && !l.locked &&
                   l.triangles == fresh.triangles;
        });
        return after;
    };
    m_session.change({id}, std::move(change));
}

// ---- levels of other kinds

void ThinModel::addLevel(std::uint32_t id, double triangles) {
    const Subject* found = m_session.scene().findMesh(id);
    if (found == nullptr)
        return;
    const auto& levels = found->mesh().levels;
    std::size_t at = levels.size();
    if (triangles <= 0) {
        // Where the gap between neighbours is widest; after the last when all are close.
        double widest = 1.0 / 0.25;
        for (std::size_t i = 1; i < levels.size(); ++i)
            if (const double ratio = static_cast<double>(levels[i - 1].triangles) / levels[i].triangles;
                ratio > widest * 1.5) {
                widest = ratio;
                at = i;
            }
        triangles = at < levels.size() ? std::sqrt(static_cast<double>(levels[at - 1].triangles) * levels[at].triangles)
                                       : levels.back().triangles * 0.25;
    } else {
        at = 1;
        while (at < levels.size() && levels[at].triangles > triangles)
            ++at;
    }
    commitLevel(id, static_cast<int>(at), triangles, true);
}

void ThinModel::addLevelFor(std::uint32_t id, double metres) {
    const Subject* s = m_session.scene().findMesh(id);
    if (s == nullptr)
        return;
    if (s->mesh().curve.empty()) {
        m_session.say(tr("%1 has not been thinned yet; thin it first.").arg(toText(s->name)));
        return;
    }
    const View view = m_session.scene().statedView();
    const double allowed = view.looser(id) * s->rule.allowPx / (s->rule.importance * view.detail);
    const double off = deviationForPixels(view, allowed, metres);
    const DeviationCurve& curve = s->mesh().curve;
    addLevel(id, std::max(4.0, s->rule.everyPoint ? curve.trianglesAt(off) : curve.trianglesForVisible(off)));
}

void ThinModel::addRebuilt(std::uint32_t id, double triangles) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    const auto count = static_cast<std::uint32_t>(
        std::max(12.0, triangles > 0 ? triangles : std::round(0.25 * found->mesh().levels.back().triangles)));
    Session::Change change{tr("Rebuilding %1").arg(toText(found->name)), "Rebuild " + found->name,
                           QStringLiteral("rebuild-%1").arg(id)};
    change.work = [this, count](const Subject& before, const Scene& scene, const JobContext& job) -> Result<Subject> {
        auto state = recordFor(before, job.part(0, 0.7));
        if (!state)
            return state.error();
        return lookedAt(before, thicket::addRebuilt(before, *state, count, job.part(0.7, 0.9)), scene,
                        job.part(0.9, 1));
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::addCards(std::uint32_t id, int cards) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    Session::Change change{tr("Baking cards of %1").arg(toText(found->name)), "Add cards to " + found->name,
                           QStringLiteral("cards-%1").arg(id)};
    change.work = [cards](const Subject& before, const Scene& scene, const JobContext& job) {
        CardOptions options;
        options.cards = cards;
        return lookedAt(before, thicket::addCards(before, options, job.part(0, 0.8)), scene, job.part(0.8, 1));
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::addImpostor(std::uint32_t id) {
    const Subject* found = whole(id);
    if (found == nullptr)
        return;
    Session::Change change{tr("Baking views of %1").arg(toText(found->name)), "Add views to " + found->name,
                           QStringLiteral("views-%1").arg(id)};
    change.work = [](const Subject& before, const Scene& scene, const JobContext& job) {
        return lookedAt(before, thicket::addImpostor(before, {}, job.part(0, 0.8)), scene, job.part(0.8, 1));
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::addHandMade(std::uint32_t id, const QStringList& paths) {
    const Subject* found = whole(id);
    if (found == nullptr || paths.isEmpty())
        return;
    Session::Change change{tr("Adding a level to %1").arg(toText(found->name)), "Add a level to " + found->name};
    change.work = [paths](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        Subject made = before;
        for (const QString& path : paths) {
            auto read = readModel(toPath(path), job.part(0, 0.4));
            if (!read)
                return read.error();
            ImportedSubject& first = read->front();
            toMetres(first);
            auto added = thicket::addHandMade(made, std::move(first.levels.front().mesh), *first.surfaces,
                                              job.part(0.4, 1));
            if (!added)
                return added.error();
            made = std::move(*added);
        }
        return made;
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::setMaterials(std::uint32_t id, int level, const MaterialChoice& choice) {
    const Subject* found = withLevel(id, level, 1);
    const auto at = static_cast<std::size_t>(level);
    if (found == nullptr || found->mesh().levels[at].origin != LevelOrigin::Collapsed ||
        found->mesh().levels[at].materials == choice)
        return;
    Session::Change change{tr("Materials of L%1 of %2").arg(level).arg(toText(found->name)),
                           "Materials of a level of " + found->name,
                           QStringLiteral("materials-%1-%2").arg(id).arg(level)};
    change.work = [this, at, choice](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        Subject made = before;
        if (at >= made.mesh().levels.size())
            return made;
        Level& own = made.mesh().levels[at];
        std::shared_ptr<const Mesh> plain = own.mesh;
        if (own.materials.changesMesh()) { // its parts or UVs are others now: it is cut again
            auto state = recordFor(before, job.part(0, 0.7));
            if (!state)
                return state.error();
            auto cut = cutAndPolish(*state->source, *state->query, *state->record, own.triangles, job);
            if (!cut)
                return cut.error();
            plain = std::make_shared<const Mesh>(std::move(*cut));
        }
        own.materials = choice;
        if (auto dressed = dressLevel(before, own, plain, job.part(0.7, 1)); !dressed)
            return dressed.error();
        return made;
    };
    m_session.change({id}, std::move(change));
}

void ThinModel::removeLevel(std::uint32_t id, int level) {
    const Subject* found = withLevel(id, level, 1);
    if (found == nullptr)
        return;
    if (found->mesh().levels[static_cast<std::size_t>(level)].locked) {
        m_session.say(tr("L%1 is locked; unlock it first.").arg(level));
        return;
    }
    Subject after = *found;
    after.mesh().levels.erase(after.mesh().levels.begin() + level);
    edit(after, "Remove a level of " + after.name);
}

void ThinModel::setLocked(std::uint32_t id, int level, bool locked) {
    const Subject* found = withLevel(id, level, 0);
    if (found == nullptr)
        return;
    Subject after = *found;
    after.mesh().levels[static_cast<std::size_t>(level)].locked = locked;
    edit(after, locked ? "Lock a level" : "Unlock a level");
}

void ThinModel::saveObj(std::uint32_t id, int level, const QString& file, bool quads) {
    const Subject* found = withLevel(id, level, 0);
    if (found == nullptr || !found->mesh().levels[static_cast<std::size_t>(level)].mesh)
        return;
    const Level& own = found->mesh().levels[static_cast<std::size_t>(level)];
    m_session.saves().run(tr("Writing %1").arg(file),
                          [this, mesh = own.mesh, surfaces = surfacesOf(*found, own),
                           name = found->name + "_LOD" + std::to_string(level), file,
                           quads](const JobContext&) -> JobQueue::Finish {
                              const auto done = writeObj(toPath(file), name, *mesh, *surfaces, {quads});
                              if (!done)
                                  return [this, error = done.error()] { m_session.report(error); };
                              return [this, file] { m_session.say(tr("Written: %1").arg(file)); };
                          });
}

} // namespace thicket::app
