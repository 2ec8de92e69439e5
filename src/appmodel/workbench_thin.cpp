// The workbench's part in Thin: records that are kept while they fit, and the jobs that cut from them.

#include "appmodel/workbench.h"
#include "io/write_obj.h"

#include <algorithm>

namespace thicket::app {
namespace {
QString toText(const std::string& text) {
    return QString::fromStdString(text);
}
} // namespace

bool Workbench::hasRecord(std::uint32_t id) const {
    const Subject* found = scene().find(id);
    const std::lock_guard lock(m_recordMutex);
    const auto record = m_records.find(id);
    return found != nullptr && record != m_records.end() && record->second.fits(*found);
}

void Workbench::dropStaleRecords() {
    const std::lock_guard lock(m_recordMutex);
    std::erase_if(m_records, [this](const auto& entry) {
        const Subject* found = scene().find(entry.first);
        return found == nullptr || !entry.second.fits(*found);
    });
}

Result<ThinState> Workbench::recordFor(const Subject& subject, const JobContext& job) {
    {
        const std::lock_guard lock(m_recordMutex);
        const auto found = m_records.find(subject.id);
        if (found != m_records.end() && found->second.fits(subject))
            return found->second;
    }
    auto made = recordSubject(subject, {}, job);
    if (made) {
        const std::lock_guard lock(m_recordMutex);
        m_records[subject.id] = *made;
    }
    return made;
}

JobQueue::Finish
Workbench::withRecord(const Subject& subject, const JobContext& job,
                      const std::function<JobQueue::Finish(const ThinState&, const JobContext&)>& then) {
    auto state = recordFor(subject, job.part(0, 0.7));
    if (!state)
        return [this, error = state.error()] { report(error); };
    return then(*state, job.part(0.7, 1));
}

std::vector<std::uint32_t> Workbench::notThinned() const {
    std::vector<std::uint32_t> ids;
    for (const Subject& s : scene().subjects)
        if (s.levels.size() == 1 && s.levels.front().mesh)
            ids.push_back(s.id);
    return ids;
}

void Workbench::thinTheRest() {
    std::vector<Subject> subjects;
    for (const std::uint32_t id : notThinned())
        subjects.push_back(*scene().find(id));
    if (!subjects.empty())
        thin(subjects, tr("Thinning %1 subjects").arg(subjects.size()), {}, QStringLiteral("thin-the-rest"));
}

void Workbench::thinToRole(std::uint32_t id) {
    if (const Subject* found = scene().find(id); found != nullptr && found->levels.front().mesh)
        thinOne(*found, "Thin " + found->name);
}

void Workbench::thinToRoles(const std::vector<std::uint32_t>& ids) {
    std::vector<Subject> subjects;
    for (const std::uint32_t id : ids)
        if (const Subject* found = scene().find(id); found != nullptr && found->levels.front().mesh)
            subjects.push_back(*found);
    if (subjects.size() == 1)
        thinToRole(subjects.front().id);
    else if (!subjects.empty())
        thin(subjects, tr("Thinning %1 subjects").arg(subjects.size()), {}, QStringLiteral("thin-selected"));
}

CutRules Workbench::cutRules(std::uint32_t id) const {
    if (const auto asked = m_rulesAsked.find(id); asked != m_rulesAsked.end())
        return asked->second;
    const Subject* found = scene().find(id);
    return found != nullptr ? found->cutRules : CutRules();
}

void Workbench::setCutRules(std::uint32_t id, const CutRules& rules) {
    const Subject* found = scene().find(id);
    const CutRules now = cutRules(id);
    if (found == nullptr || now == rules)
        return;
    Subject after = *found;
    after.cutRules = rules;
    const std::string label =
        (rules.keepPieces != now.keepPieces ? (rules.keepPieces ? "Keep every piece of " : "Let small pieces go in ")
         : rules.symmetric != now.symmetric ? (rules.symmetric ? "Keep both sides alike in " : "Free both sides of ")
         : rules.reuseVertices              ? "Reuse the vertices of "
                                            : "Place vertices freely in ") +
        found->name;
    const bool cut = std::any_of(after.levels.begin(), after.levels.end(),
                                 [](const Level& l) { return l.origin == LevelOrigin::Collapsed && !l.locked; });
    if (cut && after.levels.front().mesh) {
        m_rulesAsked[id] = rules;
        thinOne(after, label); // its levels belong to a record that holds to other rules
    } else {
        document.push(changeSubject(scene(), after, label));
    }
}

void Workbench::thinOne(const Subject& subject, const std::string& label) {
    thin({subject}, tr("Thinning %1").arg(toText(subject.name)), label, QStringLiteral("thin-%1").arg(subject.id));
}

void Workbench::thin(const std::vector<Subject>& subjects, const QString& title, const std::string& label,
                     const QString& key) {
    m_jobs.run(
        title,
        [this, subjects, label, roles = scene().roles](const JobContext& job) -> JobQueue::Finish {
            std::vector<std::pair<Subject, Subject>> done; // as it was, thinned
            QStringList refused;
            for (std::size_t i = 0; i < subjects.size(); ++i) {
                const double n = static_cast<double>(subjects.size());
                const JobContext part = job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n);
                auto state = recordFor(subjects[i], part.part(0, 0.7));
                const RolePreset preset = presetFor(subjects[i].role, subjects[i].levels.front().triangles, roles);
                auto thinned = state ? thinSubject(subjects[i], *state, preset.targets, part.part(0.7, 0.9))
                                     : Result<Subject>(state.error());
                if (thinned && preset.cards > 0) {
                    CardOptions cards;
                    cards.cards = preset.cards;
                    thinned = thicket::addCards(*thinned, cards, part.part(0.9, 1));
                }
                if (!thinned && thinned.error().code == ErrorCode::Cancelled)
                    return [this, error = thinned.error()] { report(error); };
                if (!thinned) {
                    refused << toText(thinned.error().text());
                    continue;
                }
                thinned->rule.allowPx = preset.allowPx;
                done.emplace_back(subjects[i], std::move(*thinned));
            }
            return [this, done, refused, label] { adoptThinned(done, label, refused); };
        },
        key);
}

/// What was changed in a subject while it was thinned stays; where that was its levels, they stay too.
void Workbench::adoptThinned(const std::vector<std::pair<Subject, Subject>>& done, const std::string& label,
                             QStringList problems) {
    Edit edit;
    for (const auto& [before, thinned] : done) {
        const Subject* now = scene().find(before.id);
        if (now == nullptr)
            continue;
        if (!sameLevels(*now, before)) {
            problems << tr("%1: its levels were changed meanwhile and stay as they are; thin it again")
                            .arg(toText(now->name));
            continue;
        }
        Subject after = withLevelsOf(*now, thinned);
        if (now->rule.allowPx == before.rule.allowPx)
            after.rule.allowPx = thinned.rule.allowPx;
        for (auto& change : changeSubject(scene(), after, {}).changes)
            edit.changes.push_back(std::move(change));
    }
    edit.label = label.empty() ? "Thin " + std::to_string(edit.changes.size()) + " subjects" : label;
    if (!edit.empty())
        document.push(std::move(edit));
    if (!problems.empty())
        emit message(problems.join('\n'), true);
}

void Workbench::setRole(std::uint32_t id, Role role) {
    const Subject* found = scene().find(id);
    if (found == nullptr || found->role == role)
        return;
    Subject after = *found;
    after.role = role;
    document.push(changeSubject(scene(), after, "Role of " + found->name));
}

void Workbench::setRoleRules(const RoleRules& rules) {
    if (rules == scene().roles)
        return;
    auto settings = settingsOf(scene());
    settings.roles = rules;
    document.push(changeSettings(scene(), settings, "Change the roles"));
}

void Workbench::setRolesForNew(const RoleRules& rules) {
    m_rolesForNew = rules;
    if (!scene().subjects.empty() || document.modified() || !document.path().empty())
        return;
    Scene empty = scene();
    empty.roles = rules;
    document.reset(std::move(empty), {});
}

void Workbench::cutLevelTo(std::uint32_t id, int level, double triangles, bool commit, bool keepSwitch) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->levels.size()))
        return;
    const Level& now = found->levels[static_cast<std::size_t>(level)];
    if (now.locked || now.origin != LevelOrigin::Collapsed) {
        if (commit)
            emit message(tr("L%1 is %2; it was left as it is.")
                             .arg(level)
                             .arg(now.locked                           ? tr("locked")
                                  : ofPictures(now.origin)             ? tr("made of pictures")
                                  : now.origin == LevelOrigin::Rebuilt ? tr("rebuilt evenly")
                                                                       : tr("made by hand")),
                         false);
        return;
    }
    // Between its neighbours, so that levels always fall strictly.
    const double most = found->levels[static_cast<std::size_t>(level) - 1].triangles - 1.0;
    const double fewest = level + 1 < static_cast<int>(found->levels.size())
                              ? found->levels[static_cast<std::size_t>(level) + 1].triangles + 1.0
                              : 1.0;
    triangles = std::clamp(triangles, std::min(fewest, most), most);
    if (commit) {
        commitLevel(id, level, triangles, false, keepSwitch);
        return;
    }
    if (!hasRecord(id)) {
        m_jobs.run(
            tr("Recording %1").arg(toText(found->name)),
            [this, copy = *found](const JobContext& job) {
                return withRecord(copy, job,
                                  [](const ThinState&, const JobContext&) -> JobQueue::Finish { return {}; });
            },
            QStringLiteral("record-%1").arg(id));
        return;
    }
    std::shared_ptr<const Record> record;
    {
        const std::lock_guard lock(m_recordMutex);
        record = m_records[id].record;
    }
    m_quick.run(
        {},
        [this, level, triangles, record](const JobContext&) -> JobQueue::Finish {
            auto mesh = std::make_shared<const Mesh>(cutRecord(*record, static_cast<std::uint32_t>(triangles)));
            return [this, level, mesh] {
                m_dragMesh = mesh;
                m_dragLevel = level;
                emit dragChanged();
            };
        },
        QStringLiteral("drag"));
}

void Workbench::commitLevel(std::uint32_t id, int level, double triangles, bool insert, bool keepSwitch) {
    const Subject* found = scene().find(id);
    if (found == nullptr || !found->levels.front().mesh)
        return;
    std::optional<FixedSwitch> kept;
    if (const auto costs = costsOf(*found); keepSwitch) {
        const LevelCost& own = costs[static_cast<std::size_t>(level)];
        kept = fixAt(DecideBy::ScreenHeight, switchDistance(own, found->rule, found->radius, scene().statedView()), own,
                     found->rule, found->radius, scene().statedView());
    }
    m_jobs.run(
        tr("Measuring L%1 of %2").arg(level).arg(toText(found->name)),
        [this, copy = *found, level, triangles, insert, kept](const JobContext& job) {
            return withRecord(
                copy, job,
                [this, copy, level, triangles, insert, kept](const ThinState& state,
                                                             const JobContext& rest) -> JobQueue::Finish {
                    auto cut = cutLevel(*state.source, *state.query, *state.record, state.curve,
                                        {TargetKind::Triangles, triangles},
                                        copy.levels[static_cast<std::size_t>(level) - 1].triangles, rest);
                    if (!cut)
                        return [this, error = cut.error()] {
                            m_dragMesh.reset();
                            m_dragLevel = -1;
                            emit dragChanged();
                            report(error);
                        };
                    Level fresh = levelFrom(std::move(*cut));
                    if (auto judged = judgeLevels(copy, state, {&fresh, 1}, rest); !judged)
                        return [this, error = judged.error()] { report(error); };
                    if (!insert) {
                        fresh.materials = copy.levels[static_cast<std::size_t>(level)].materials;
                        if (auto dressed = dressLevel(copy, fresh, fresh.mesh, rest); !dressed)
                            return [this, error = dressed.error()] { report(error); };
                    }
                    return [this, copy, level, insert, kept, made = std::move(fresh), curve = state.curve,
                            pieces = state.record->pieces, aggregate = state.record->aggregate] {
                        m_dragMesh.reset();
                        m_dragLevel = -1;
                        const Subject* now = scene().find(copy.id);
                        if (now == nullptr || now->levels.size() != copy.levels.size()) {
                            emit dragChanged();
                            return; // the chain was changed meanwhile; that change stands
                        }
                        Subject after = *now;
                        after.curve = curve;
                        after.pieces = pieces;
                        after.aggregate = aggregate;
                        const auto at = after.levels.begin() + level;
                        if (insert) {
                            after.levels.insert(at, made);
                        } else {
                            const std::optional<FixedSwitch> fixed = at->fixed;
                            *at = made;
                            at->fixed = kept ? kept : fixed;
                        }
                        std::erase_if(after.levels, [&](const Level& l) {
                            return &l != &after.levels[static_cast<std::size_t>(level)] &&
                                   l.origin == LevelOrigin::Collapsed && !l.locked && l.triangles == made.triangles;
                        });
                        document.push(changeSubject(scene(), after,
                                                    (insert ? "Add a level to " : "Change a level of ") + after.name));
                        emit dragChanged();
                    };
                });
        },
        QStringLiteral("commit-%1-%2").arg(id).arg(level), true);
}

void Workbench::addLevel(std::uint32_t id, double triangles) {
    const Subject* found = scene().find(id);
    if (found == nullptr)
        return;
    const auto& levels = found->levels;
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

void Workbench::addRebuilt(std::uint32_t id, double triangles) {
    const Subject* found = scene().find(id);
    if (found == nullptr || !found->levels.front().mesh)
        return;
    const auto count = static_cast<std::uint32_t>(
        std::max(12.0, triangles > 0 ? triangles : std::round(0.25 * found->levels.back().triangles)));
    m_jobs.run(
        tr("Rebuilding %1").arg(toText(found->name)),
        [this, copy = *found, count](const JobContext& job) {
            return withRecord(copy, job,
                              [this, copy, count](const ThinState& state, const JobContext& rest) -> JobQueue::Finish {
                                  auto made = thicket::addRebuilt(copy, state, count, rest);
                                  if (!made)
                                      return [this, error = made.error()] { report(error); };
                                  return [this, copy, subject = *made] {
                                      adoptThinned({{copy, subject}}, "Rebuild " + copy.name, {});
                                  };
                              });
        },
        QStringLiteral("rebuild-%1").arg(id));
}

void Workbench::saveObj(std::uint32_t id, int level, const QString& file, bool quads) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 0 || level >= static_cast<int>(found->levels.size()))
        return;
    const Level& own = found->levels[static_cast<std::size_t>(level)];
    if (!own.mesh)
        return;
    m_jobs.run(
        tr("Writing %1").arg(file),
        [this, mesh = own.mesh, surfaces = surfacesOf(*found, own), name = found->name + "_LOD" + std::to_string(level),
         file, quads](const JobContext&) -> JobQueue::Finish {
            const auto done = writeObj(std::filesystem::path(file.toStdString()), name, *mesh, *surfaces, {quads});
            if (!done)
                return [this, error = done.error()] { report(error); };
            return [this, file] { emit message(tr("Written: %1").arg(file), false); };
        });
}

void Workbench::addCards(std::uint32_t id, int cards) {
    const Subject* found = scene().find(id);
    if (found == nullptr || !found->levels.front().mesh)
        return;
    m_jobs.run(
        tr("Baking cards of %1").arg(toText(found->name)),
        [this, copy = *found, cards](const JobContext& job) -> JobQueue::Finish {
            CardOptions options;
            options.cards = cards;
            auto made = thicket::addCards(copy, options, job);
            if (!made)
                return [this, error = made.error()] { report(error); };
            return [this, copy, subject = *made] { adoptThinned({{copy, subject}}, "Add cards to " + copy.name, {}); };
        },
        QStringLiteral("cards-%1").arg(id));
}

void Workbench::addImpostor(std::uint32_t id) {
    const Subject* found = scene().find(id);
    if (found == nullptr || !found->levels.front().mesh)
        return;
    m_jobs.run(
        tr("Baking views of %1").arg(toText(found->name)),
        [this, copy = *found](const JobContext& job) -> JobQueue::Finish {
            auto made = thicket::addImpostor(copy, {}, job);
            if (!made)
                return [this, error = made.error()] { report(error); };
            return [this, copy, subject = *made] { adoptThinned({{copy, subject}}, "Add views to " + copy.name, {}); };
        },
        QStringLiteral("views-%1").arg(id));
}

void Workbench::addHandMade(std::uint32_t id, const QStringList& paths) {
    const Subject* found = scene().find(id);
    if (found == nullptr || !found->levels.front().mesh || paths.isEmpty())
        return;
    m_jobs.run(tr("Adding a level to %1").arg(toText(found->name)),
               [this, copy = *found, paths](const JobContext& job) -> JobQueue::Finish {
                   Subject made = copy;
                   for (const QString& path : paths) {
                       auto read = readModel(std::filesystem::path(path.toStdString()), job.part(0, 0.4));
                       if (!read)
                           return [this, error = read.error()] { report(error); };
                       ImportedSubject& first = read->front();
                       auto added = thicket::addHandMade(made, std::move(first.levels.front().mesh),
                                                         std::move(first.surfaces), job.part(0.4, 1));
                       if (!added)
                           return [this, error = added.error()] { report(error); };
                       made = std::move(*added);
                   }
                   return [this, copy, made] { adoptThinned({{copy, made}}, "Add a level to " + copy.name, {}); };
               });
}

void Workbench::setMaterials(std::uint32_t id, int level, const MaterialChoice& choice) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->levels.size()))
        return;
    const auto at = static_cast<std::size_t>(level);
    if (found->levels[at].origin != LevelOrigin::Collapsed || found->levels[at].materials == choice)
        return;
    m_jobs.run(
        tr("Materials of L%1 of %2").arg(level).arg(toText(found->name)),
        [this, copy = *found, at, choice](const JobContext& job) -> JobQueue::Finish {
            Subject made = copy;
            Level& own = made.levels[at];
            std::shared_ptr<const Mesh> plain = own.mesh;
            if (own.materials.changesMesh()) { // its parts or UVs are others now: it is cut again
                auto state = recordFor(copy, job.part(0, 0.7));
                if (!state)
                    return [this, error = state.error()] { report(error); };
                auto cut = cutAndPolish(*state->source, *state->query, *state->record, own.triangles, job);
                if (!cut)
                    return [this, error = cut.error()] { report(error); };
                plain = std::make_shared<const Mesh>(std::move(*cut));
            }
            own.materials = choice;
            if (auto dressed = dressLevel(copy, own, plain, job.part(0.7, 1)); !dressed)
                return [this, error = dressed.error()] { report(error); };
            return [this, copy, made] { adoptThinned({{copy, made}}, "Materials of a level of " + copy.name, {}); };
        },
        QStringLiteral("materials-%1-%2").arg(id).arg(level));
}

void Workbench::removeLevel(std::uint32_t id, int level) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->levels.size()))
        return;
    if (found->levels[static_cast<std::size_t>(level)].locked) {
        emit message(tr("L%1 is locked; unlock it first.").arg(level), false);
        return;
    }
    Subject after = *found;
    after.levels.erase(after.levels.begin() + level);
    document.push(changeSubject(scene(), after, "Remove a level of " + after.name));
}

void Workbench::setLocked(std::uint32_t id, int level, bool locked) {
    const Subject* found = scene().find(id);
    if (found == nullptr || level < 0 || level >= static_cast<int>(found->levels.size()))
        return;
    Subject after = *found;
    after.levels[static_cast<std::size_t>(level)].locked = locked;
    document.push(changeSubject(scene(), after, locked ? "Lock a level" : "Unlock a level"));
}

} // namespace thicket::app
