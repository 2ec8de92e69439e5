#include "appmodel/pops_model.h"

#include "scene/grounds.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

PopsModel::PopsModel(Session& session, ThinModel& thin, SwitchingModel& switching)
    : m_session(session), m_thin(thin), m_switching(switching) {
    constexpr int kAfterChangesMs = 500;
    m_again.setSingleShot(true);
    m_again.setInterval(kAfterChangesMs);
    connect(&m_again, &QTimer::timeout, this, &PopsModel::look);
    connect(&session.document, &Document::sceneChanged, this, [this] {
        if (m_wanted)
            m_again.start();
    });
}

StageState PopsModel::state() const {
    int meshes = 0;
    int single = 0;
    for (const Subject& s : m_session.scene().subjects) {
        meshes += s.isMesh() ? 1 : 0;
        single += s.isMesh() && s.mesh().levels.size() < 2 ? 1 : 0;
    }
    const int over = m_switching.overAllowance();
    const auto all = pops();
    const auto seen = std::count_if(all.begin(), all.end(), [](const Pop& p) { return p.severity > 1; });
    QString caption = tr("within the allowance");
    if (single == meshes)
        caption.clear();
    else if (over > 0)
        caption = tr("%1 over the allowance").arg(over);
    else if (m_waiting > 0 || seen > 0)
        caption = (seen == 1 ? tr("1 pop") : tr("%1 pops").arg(seen)) + (m_waiting > 0 ? tr(" so far") : tr(" left"));
    return {meshes > 0 && single == 0 && over == 0 && seen == 0 && m_waiting == 0, caption};
}

void PopsModel::look() {
    m_wanted = true;
    const std::vector<SwitchPlace> places = switchesOf(m_session.scene());
    // Scores of switches that are gone go with them, and so do the meshes they hold on to.
    std::erase_if(m_scores, [&places](const auto& entry) {
        return std::none_of(places.begin(), places.end(), [&](const SwitchPlace& p) { return p.key == entry.first; });
    });
    m_waiting = 0;
    const SwitchPlace* next = nullptr;
    for (const SwitchPlace& place : places) {
        if (std::any_of(m_scores.begin(), m_scores.end(),
                        [&place](const auto& entry) { return entry.first == place.key; }))
            continue;
        ++m_waiting;
        // The selected subject's come first.
        if (next == nullptr || (place.subject == m_session.subjectId() && next->subject != m_session.subjectId()))
            next = &place;
    }
    emit popsChanged();
    if (next == nullptr)
        return;
    const Subject* subject = m_session.scene().find(next->subject);
    m_session.popJobs().run(
        {},
        [this, place = *next, copy = *subject](const JobContext& job) -> JobQueue::Finish {
            auto score = scoreSwitch(copy, place, {}, job);
            if (!score)
                return {};
            return [this, key = place.key, made = std::make_shared<const PopScore>(std::move(*score))] {
                m_scores.emplace_back(key, made);
                look();
            };
        },
        QStringLiteral("pop"), true);
}

std::vector<PopsModel::Pop> PopsModel::pops() const {
    std::vector<Pop> out;
    for (const SwitchPlace& place : switchesOf(m_session.scene())) {
        const auto known = std::find_if(m_scores.begin(), m_scores.end(),
                                        [&place](const auto& entry) { return entry.first == place.key; });
        if (known == m_scores.end())
            continue;
        const Subject* s = m_session.scene().find(place.subject);
        out.push_back({place, known->second, known->second->severity(s->rule.allowPx)});
    }
    std::stable_sort(out.begin(), out.end(), [](const Pop& a, const Pop& b) { return a.severity > b.severity; });
    return out;
}

void PopsModel::smoothLater(std::uint32_t id, int level, double factor) {
    const Subject* s = m_session.scene().find(id);
    if (s != nullptr && s->instances() != nullptr) {
        for (const SwitchPlace& place : switchesOf(m_session.scene()))
            if (place.subject == id && place.level == level)
                m_session.document.push(changeSubject(m_session.scene(),
                                                      withSwitchAt(m_session.scene(), place, factor * place.key.metres),
                                                      "Move a switch of " + s->name));
        return;
    }
    const auto chain = s != nullptr ? ownChainOf(*s, m_session.scene().statedView()) : std::nullopt;
    const auto at = static_cast<std::size_t>(level);
    if (!chain || at >= chain->fromMetres.size())
        return;
    // Of ground each tile switches by itself; what is moved is where the last of a level does.
    double from = chain->fromMetres[at];
    if (s->terrain() != nullptr)
        from = tileSwitchDistance(*s->terrain()->tree, static_cast<std::uint32_t>(level),
                                  tileRuleOf(*s, m_session.scene().statedView()), m_session.scene().statedView());
    m_switching.setSwitchDistance(id, level, factor * from);
}

void PopsModel::smoothUnseen(const std::vector<std::uint32_t>& ids, std::optional<int> level) {
    m_session.jobs().run(
        tr("Smoothing switches"),
        [this, ids, level, asked = m_session.document.snapshot()](const JobContext& job) -> JobQueue::Finish {
            const Snapshot start = m_session.document.snapshot();
            if (start.document != asked.document)
                return {};
            std::vector<std::pair<std::uint32_t, Smoothing>> made;
            for (std::size_t i = 0; i < ids.size(); ++i) {
                const double n = static_cast<double>(ids.size());
                auto one = thicket::smoothLater(*start.scene, ids[i], level, {},
                                                job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
                if (!one)
                    return [this, error = one.error()] { m_session.report(error); };
                made.emplace_back(ids[i], std::move(*one));
            }
            return [this, start, made] { adopt(start, made); };
        });
}

/// What else was changed meanwhile stays: only the switches that were moved are taken, of levels that are still there.
void PopsModel::adopt(const Snapshot& start, const std::vector<std::pair<std::uint32_t, Smoothing>>& made) {
    if (!m_session.document.isOpen(start))
        return;
    Edit edit{"Smooth switches", {}, {}};
    int moved = 0;
    int seen = 0;
    for (const auto& [id, smoothing] : made)
        for (std::size_t i = 0; i < m_session.scene().subjects.size(); ++i) {
            const Subject& now = m_session.scene().subjects[i];
            if (now.id != id)
                continue;
            Subject after = now;
            bool changed = false;
            if (auto* ground = std::get_if<TerrainBody>(&after.body)) {
                if (ground->between == Passing::Sudden) {
                    ground->between = Passing::Morph;
                    moved += static_cast<int>(smoothing.switches.size());
                    edit.changes.emplace_back(SubjectEdit{i, now, std::move(after)});
                }
                continue;
            }
            for (const SmoothedSwitch& s : smoothing.switches) {
                const auto at = static_cast<std::size_t>(s.level);
                seen += s.unseen ? 0 : 1;
                if (auto* smoke = std::get_if<EmitterBody>(&after.body)) {
                    const auto& smooth = smoothing.subject.emitter()->emitter.levels;
                    if (s.unseen && s.toMetres > s.fromMetres && at < smoke->emitter.levels.size() &&
                        at < smooth.size()) {
                        smoke->emitter.levels[at].from = smooth[at].from;
                        changed = true;
                        ++moved;
                    }
                    continue;
                }
                if (auto* field = std::get_if<InstancesBody>(&after.body)) {
                    const auto& smooth = smoothing.subject.instances()->fixed;
                    if (s.unseen && s.toMetres > s.fromMetres && at < smooth.size()) {
                        field->fixed.resize(std::max(field->fixed.size(), at + 1));
                        field->fixed[at] = smooth[at];
                        changed = true;
                        ++moved;
                    }
                    continue;
                }
                if (!after.isMesh())
                    continue;
                if (!s.unseen || s.toMetres <= s.fromMetres || at >= after.mesh().levels.size() ||
                    after.mesh().levels[at].mesh != smoothing.subject.mesh().levels[at].mesh)
                    continue;
                after.mesh().levels[at].fixed = smoothing.subject.mesh().levels[at].fixed;
                after.mesh().levels[at].seen = smoothing.subject.mesh().levels[at].seen;
                changed = true;
                ++moved;
            }
            if (changed)
                edit.changes.emplace_back(SubjectEdit{i, now, std::move(after)});
        }
    if (!edit.empty())
        m_session.document.push(std::move(edit));
    const QString left =
        seen == 0 ? QString() : tr(" %1 are seen wherever they were looked at; they want another level.").arg(seen);
    m_session.say((moved == 0   ? tr("No switch was moved.")
                   : moved == 1 ? tr("One switch moved to where nobody sees it.")
                                : tr("%1 switches moved to where nobody sees them.").arg(moved)) +
                  left);
}

void PopsModel::smoothByFade(std::uint32_t id, double seconds) {
    if (const Subject* s = m_session.scene().find(id)) {
        SwitchRule rule = s->rule;
        rule.fadeSeconds = seconds;
        m_switching.setRule(id, rule, tr("Cross-fade longer"));
    }
}

void PopsModel::smoothByBand(std::uint32_t id, double width) {
    if (const Subject* s = m_session.scene().find(id)) {
        SwitchRule rule = s->rule;
        rule.softBand = width;
        m_switching.setRule(id, rule, tr("Switch over more of the ground"));
    }
}

void PopsModel::smoothByLevel(std::uint32_t id, int finer, int coarser) {
    if (const Subject* s = m_session.scene().findMesh(id))
        m_thin.addLevel(id, std::sqrt(static_cast<double>(s->mesh().levels[static_cast<std::size_t>(finer)].triangles) *
                                      s->mesh().levels[static_cast<std::size_t>(coarser)].triangles));
}

void PopsModel::smoothByMaterials(std::uint32_t id, int finer, int coarser) {
    if (const Subject* s = m_session.scene().findMesh(id))
        m_thin.setMaterials(id, coarser, s->mesh().levels[static_cast<std::size_t>(finer)].materials);
}

} // namespace thicket::app
