// The workbench's part in judging switches: each is scored in the background, and again when what it depends on
// changes.

#include "appmodel/workbench.h"

#include <algorithm>

namespace thicket::app {

void Workbench::lookAtPops() {
    m_popsWanted = true;
    const std::vector<SwitchPlace> places = switchesOf(scene());
    // Scores of switches that are gone go with them, and so do the meshes they hold on to.
    std::erase_if(m_popScores, [&places](const auto& entry) {
        return std::none_of(places.begin(), places.end(), [&](const SwitchPlace& p) { return p.key == entry.first; });
    });
    m_popsWaiting = 0;
    const SwitchPlace* next = nullptr;
    for (const SwitchPlace& place : places) {
        if (std::any_of(m_popScores.begin(), m_popScores.end(),
                        [&place](const auto& entry) { return entry.first == place.key; }))
            continue;
        ++m_popsWaiting;
        // The selected subject's come first.
        if (next == nullptr || (place.subject == m_subject && next->subject != m_subject))
            next = &place;
    }
    emit popsChanged();
    if (next == nullptr)
        return;
    const Subject* subject = scene().find(next->subject);
    m_popJobs.run(
        {},
        [this, place = *next, copy = *subject](const JobContext& job) -> JobQueue::Finish {
            auto score = scoreSwitch(copy, place, {}, job);
            if (!score)
                return {};
            return [this, key = place.key, made = std::make_shared<const PopScore>(std::move(*score))] {
                m_popScores.emplace_back(key, made);
                lookAtPops();
            };
        },
        QStringLiteral("pop"), true);
}

std::vector<Workbench::Pop> Workbench::pops() const {
    std::vector<Pop> out;
    for (const SwitchPlace& place : switchesOf(scene())) {
        const auto known = std::find_if(m_popScores.begin(), m_popScores.end(),
                                        [&place](const auto& entry) { return entry.first == place.key; });
        if (known == m_popScores.end())
            continue;
        const Subject* s = scene().find(place.subject);
        const auto finer = std::find_if(s->levels.begin(), s->levels.end(),
                                        [&place](const Level& l) { return l.mesh == place.key.finer; });
        out.push_back({place, static_cast<int>(finer - s->levels.begin()), known->second,
                       known->second->severity(s->rule.allowPx)});
    }
    std::stable_sort(out.begin(), out.end(), [](const Pop& a, const Pop& b) { return a.severity > b.severity; });
    return out;
}

void Workbench::smoothLater(std::uint32_t id, int level, double factor) {
    if (const Subject* s = scene().find(id)) {
        const auto chain = resolveChain(costsOf(*s), s->rule, s->bounds, s->radius, scene().statedView());
        setSwitchDistance(id, level, factor * chain.fromMetres[static_cast<std::size_t>(level)]);
    }
}

void Workbench::smoothUnseen(const std::vector<std::uint32_t>& ids, std::optional<int> level) {
    m_jobs.run(tr("Smoothing switches"), [this, copy = scene(), ids, level](const JobContext& job) -> JobQueue::Finish {
        std::vector<std::pair<std::uint32_t, Smoothing>> made;
        for (std::size_t i = 0; i < ids.size(); ++i) {
            const double n = static_cast<double>(ids.size());
            auto one = thicket::smoothLater(copy, ids[i], level, {},
                                            job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
            if (!one)
                return [this, error = one.error()] { report(error); };
            made.emplace_back(ids[i], std::move(*one));
        }
        return [this, made] { adoptSmoothed(made); };
    });
}

/// What else was changed meanwhile stays: only the switches that were moved are taken, of levels that are still there.
void Workbench::adoptSmoothed(const std::vector<std::pair<std::uint32_t, Smoothing>>& made) {
    Edit edit{"Smooth switches", {}, {}};
    int moved = 0;
    int seen = 0;
    for (const auto& [id, smoothing] : made)
        for (std::size_t i = 0; i < scene().subjects.size(); ++i) {
            if (scene().subjects[i].id != id)
                continue;
            Subject after = scene().subjects[i];
            bool changed = false;
            for (const SmoothedSwitch& s : smoothing.switches) {
                const auto at = static_cast<std::size_t>(s.level);
                seen += s.unseen ? 0 : 1;
                if (!s.unseen || s.toMetres <= s.fromMetres || at >= after.levels.size() ||
                    after.levels[at].mesh != smoothing.subject.levels[at].mesh)
                    continue;
                after.levels[at].fixed = smoothing.subject.levels[at].fixed;
                changed = true;
                ++moved;
            }
            if (changed)
                edit.changes.emplace_back(SubjectEdit{i, scene().subjects[i], std::move(after)});
        }
    if (!edit.empty())
        document.push(std::move(edit));
    const QString left =
        seen == 0 ? QString() : tr(" %1 are seen up to eight times as far; they want another level.").arg(seen);
    emit message(
        (moved == 0 ? tr("No switch was moved.") : tr("%1 switches moved to where nobody sees them.").arg(moved)) +
            left,
        false);
}

void Workbench::smoothByFade(std::uint32_t id, double seconds) {
    if (const Subject* s = scene().find(id)) {
        SwitchRule rule = s->rule;
        rule.fadeSeconds = seconds;
        setRule(id, rule, tr("Cross-fade longer"));
    }
}

void Workbench::smoothByLevel(std::uint32_t id, int finer, int coarser) {
    if (const Subject* s = scene().find(id))
        addLevel(id, std::sqrt(static_cast<double>(s->levels[static_cast<std::size_t>(finer)].triangles) *
                               s->levels[static_cast<std::size_t>(coarser)].triangles));
}

void Workbench::smoothByMaterials(std::uint32_t id, int finer, int coarser) {
    if (const Subject* s = scene().find(id))
        setMaterials(id, coarser, s->levels[static_cast<std::size_t>(finer)].materials);
}

void Workbench::addLevelFor(std::uint32_t id, double metres) {
    const Subject* s = scene().find(id);
    if (s == nullptr)
        return;
    if (s->curve.empty()) {
        emit message(tr("%1 has not been thinned yet; thin it first.").arg(QString::fromStdString(s->name)), false);
        return;
    }
    const View view = scene().statedView();
    const double allowed = s->rule.allowPx / (s->rule.importance * view.detail);
    addLevel(id, std::max(4.0, s->curve.trianglesAt(deviationForPixels(view, allowed, metres))));
}

} // namespace thicket::app
