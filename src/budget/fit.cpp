#include "budget/fit.h"

#include "base/parallel.h"
#include "base/text.h"
#include "budget/fit_search.h"
#include "scene/kinds.h"
#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <iterator>

namespace thicket {
using detail::FitTable;
using detail::Spent;

namespace {

constexpr double kStep = 1.1892071150027211; // 2^(1/4): what a setting is looser than the one before it
constexpr int kMostAudits = 6;
constexpr std::size_t kFineSettings = 7; // between the setting before and the one after the one that holds
constexpr int kFineAudits = 2;
constexpr int kFinePasses = 2; // each in a third of the steps of the one before

class Fitter {
public:
    Fitter(const Scene& scene, const Route& route, const Device& device, const FitOptions& options,
           const JobContext& job)
        : m_scene(scene), m_route(route), m_device(device), m_options(options), m_job(job),
          m_search(device, screenMs(scene.statedView(&device), device), job) {
        for (std::size_t s = 0; s < scene.subjects.size(); ++s) {
            m_search.mayLoosen.push_back(mayLoosen(s));
            m_search.importance.push_back(scene.subjects[s].rule.importance);
        }
    }

    Result<Fit> run() {
        const auto count = framesOf(m_route, m_device);
        if (!count)
            return count.error();
        m_every = std::max<std::size_t>(1, *count / std::max<std::size_t>(1, m_options.frames));
        Fit fit;
        auto before = auditRoute(m_scene, m_route, m_device, m_job.part(0, 0.12));
        if (!before)
            return before.error();
        fit.before = std::move(*before);
        m_flights = 1;
        m_input = selectInput(m_scene, m_scene.statedView(&m_device));
        if (m_scene.settings.cullHidden)
            fillOccluders(m_scene, m_input, m_job.part(0.12, 0.18));
        if (const auto filled = fillTable(coarseTimes(), m_job.part(0.18, 0.48)); !filled)
            return filled.error();
        m_search.leaveOutOfReach();
        m_errorBefore.clear();
        for (std::size_t i = 0; i < m_search.table.subjects; ++i)
            m_errorBefore.push_back(m_search.table.errorAt(nearestSetting(m_scene.subjects[i].id), i));
        m_search.chosen.assign(m_search.table.subjects, 0);
        // The aim is the share of each budget that the weighed frames are fitted to: less where frames between them are
        // over, then up again half-way, as long as it holds.
        double aim = 1;
        double failed = 0; // the last aim that did not hold; 0: none
        std::vector<std::size_t> held;
        for (int audits = 0; audits < kMostAudits; ++audits) {
            const bool reached = m_search.choose(aim);
            const double from = 0.48 + 0.3 * audits / kMostAudits;
            auto after = auditRoute(m_scene, m_route, deviceWith(fittedNow()),
                                    m_job.part(from, from + 0.3 / kMostAudits), fit.before.worstFrame);
            if (!after)
                return after.error();
            m_flights += 1;
            if (holds(*after)) {
                fit.after = std::move(*after);
                held = m_search.chosen;
                m_heldAim = aim;
                constexpr double kNear = 0.015; // no more to be gained
                if (failed <= 0 || failed - aim < kNear)
                    break;
                aim = (aim + failed) / 2;
                continue;
            }
            failed = aim;
            if (!held.empty())
                break; // what held is near enough
            const double lower = aim * lowerBy(*after);
            fit.after = std::move(*after);
            if (!reached)
                break;
            aim = lower;
        }
        if (!held.empty()) {
            m_search.chosen = held;
            for (int pass = 0; pass < kFinePasses; ++pass) {
                const double from = 0.78 + 0.21 * pass / kFinePasses;
                const auto better = refine(fit, m_job.part(from, from + 0.21 / kFinePasses));
                if (!better)
                    return better.error();
                if (!*better)
                    break;
            }
        }
        fit.fitted = fittedNow();
        fit.flights = static_cast<int>(std::ceil(m_flights));
        if (fit.after.framesOver > 0)
            fit.unheld = unheldIn(fit.after);
        fillRows(fit);
        return fit;
    }

private:
    /// A setting is so many times the allowance, for all alike.
    [[nodiscard]] std::vector<std::vector<double>> coarseTimes() const {
        std::vector<std::vector<double>> out;
        for (double times = 1; times <= m_options.most * 1.0001; times *= kStep)
            out.emplace_back(m_scene.subjects.size(), times);
        return out;
    }

    /// Whether all that can be held is.
    [[nodiscard]] bool holds(const Audit& audit) const {
        return std::all_of(std::begin(kFrameLimits), std::end(kFrameLimits), [&](const auto& limit) {
            return m_search.outOfReach.contains(limit.value) ||
                   std::all_of(audit.frames.begin(), audit.frames.end(), [&](const AuditFrame& frame) {
                       return amountOf(limit.value, frame) <= budgetOf(limit.value, m_device);
                   });
        });
    }

    /// What an aim is to be multiplied by where an audit is over.
    [[nodiscard]] double lowerBy(const Audit& audit) const {
        double most = 0;
        for (const AuditFrame& frame : audit.frames)
            for (const auto& limit : kFrameLimits)
                if (!m_search.outOfReach.contains(limit.value))
                    most = std::max(most, amountOf(limit.value, frame) / budgetOf(limit.value, m_device) - 1);
        return 1 - std::min(0.2, most + 0.002);
    }

    /// The same in small steps about what holds: it is kept where all frames hold and less is seen. False where nothing
    /// is to be gained.
    Result<bool> refine(Fit& fit, const JobContext& job) {
        if (std::all_of(m_search.chosen.begin(), m_search.chosen.end(), [](std::size_t c) { return c == 0; }))
            return false;
        const FitTable coarse = m_search.table;
        const std::vector<std::size_t> held = m_search.chosen;
        std::vector<std::vector<double>> times(kFineSettings, std::vector<double>(coarse.subjects, 1));
        std::vector<std::size_t> same(coarse.subjects, 0); // the setting that is nearest to what holds
        for (std::size_t s = 0; s < coarse.subjects; ++s) {
            const double now = coarse.timesAt(held[s], s);
            const double low = coarse.timesAt(held[s] > 0 ? held[s] - 1 : 0, s);
            const double high = coarse.timesAt(std::min(held[s] + 1, coarse.settings - 1), s);
            for (std::size_t k = 0; k < kFineSettings; ++k) {
                times[k][s] = low * std::pow(high / low, static_cast<double>(k) / (kFineSettings - 1));
                if (std::abs(std::log(times[k][s] / now)) < std::abs(std::log(times[same[s]][s] / now)))
                    same[s] = k;
            }
        }
        const auto back = [&] {
            m_search.table = coarse;
            m_search.chosen = held;
        };
        if (const auto filled = fillTable(times, job.part(0, 0.57)); !filled)
            return filled.error();
        m_search.table.showing = coarse.showing;
        m_search.chosen = same;
        const double heldPrice = m_search.priceOfAll();
        // Frames between those that are weighed are as much over as they were.
        double aim = m_heldAim;
        for (int audits = 0; audits < kFineAudits; ++audits) {
            if (!m_search.choose(aim) || m_search.priceOfAll() >= heldPrice)
                break;
            const double from = 0.57 + 0.43 * audits / kFineAudits;
            auto after = auditRoute(m_scene, m_route, deviceWith(fittedNow()),
                                    job.part(from, from + 0.43 / kFineAudits), fit.before.worstFrame);
            if (!after)
                return after.error();
            m_flights += 1;
            if (holds(*after)) {
                fit.after = std::move(*after);
                m_heldAim = aim;
                return true;
            }
            aim *= lowerBy(*after);
        }
        back();
        return false;
    }

    /// What all pixels once take.
    static double screenMs(const View& view, const Device& device) {
        return static_cast<double>(view.lines) * view.lines * view.aspect * device.overdraw * device.nsPerPixel * 1e-6;
    }
    [[nodiscard]] bool mayLoosen(std::size_t s) const {
        return !m_options.leftOut.contains(m_scene.subjects[s].id) &&
               m_scene.subjects[s].emitter() == nullptr; // its switches are all set by hand
    }

    [[nodiscard]] Device deviceWith(const Loosened& fitted) const {
        Device out = m_device;
        out.fitted = fitted;
        return out;
    }

    /// What left-out subjects keep, and what the others are loosened by.
    [[nodiscard]] Loosened fittedNow() const {
        Loosened out;
        for (std::size_t s = 0; s < m_search.table.subjects; ++s) {
            const std::uint32_t id = m_scene.subjects[s].id;
            if (!mayLoosen(s)) {
                if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                    out.insert(*kept);
            } else if (const double times = m_search.table.timesAt(m_search.chosen[s], s); times > 1) {
                out[id] = times;
            }
        }
        return out;
    }

    /// What a flight along the weighed frames takes and shows.
    struct Flown {
        Result<void> result;
        std::vector<Spent> spent;           ///< by frame, subject
        std::vector<double> errors;         ///< by subject: the sum over frames
        std::vector<std::uint32_t> showing; ///< by subject: frames that show it
        std::size_t frames = 0;
    };

    /// Flies the route with each subject's allowance so many times as large.
    [[nodiscard]] Flown flyWith(const std::vector<double>& times, const JobContext& job) const {
        const std::size_t subjects = m_scene.subjects.size();
        Loosened all;
        for (std::size_t s = 0; s < subjects; ++s) {
            const std::uint32_t id = m_scene.subjects[s].id;
            if (mayLoosen(s))
                all[id] = times[s];
            else if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                all.insert(*kept);
        }
        const Device device = deviceWith(all);
        SelectInput input = selectInput(m_scene, m_scene.statedView(&device), &m_input);
        for (std::size_t b = 0; b < input.batches.size(); ++b)
            input.batches[b].occluders = m_input.batches[b].occluders;
        Flown out;
        out.errors.assign(subjects, 0);
        out.showing.assign(subjects, 0);
        out.result = flyRoute(m_scene, input, m_route, device, m_every, job,
                              [&](std::size_t, const View&, const Selection& selection) {
                                  for (std::size_t s = 0; s < subjects; ++s) {
                                      const SubjectCost& cost = selection.subjects[s];
                                      out.spent.push_back(detail::spentOf(device, cost));
                                      out.errors[s] += cost.worstErrorPx;
                                      out.showing[s] += cost.drawn > 0 ? 1 : 0;
                                  }
                                  ++out.frames;
                              });
        return out;
    }

    /// Flies the route with all subjects at a setting, for each: some at a time, so that no core waits for another.
    /// times   by setting, subject
    Result<void> fillTable(const std::vector<std::vector<double>>& times, const JobContext& job) {
        constexpr std::size_t kTogether = 4;
        FitTable& table = m_search.table;
        table = {};
        table.subjects = m_scene.subjects.size();
        table.settings = times.size();
        for (std::size_t first = 0; first < times.size(); first += kTogether) {
            job.report(static_cast<double>(first) / static_cast<double>(times.size()),
                       fmt::format("flying {}", m_route.name));
            std::vector<Flown> flown(std::min(kTogether, times.size() - first));
            parallelChunks(flown.size(), 1, [&](std::size_t from, std::size_t to) {
                for (std::size_t i = from; i < to; ++i)
                    flown[i] = flyWith(times[first + i], job.silent());
            });
            for (std::size_t i = 0; i < flown.size(); ++i) {
                if (!flown[i].result)
                    return flown[i].result.error();
                addSetting(times[first + i], flown[i]);
            }
        }
        return {};
    }

    void addSetting(const std::vector<double>& times, const Flown& flown) {
        FitTable& table = m_search.table;
        const std::size_t setting = table.times.size() / table.subjects;
        table.times.insert(table.times.end(), times.begin(), times.end());
        table.spent.insert(table.spent.end(), flown.spent.begin(), flown.spent.end());
        table.frames = flown.frames;
        m_flights += 1.0 / static_cast<double>(m_every);
        if (setting == 0)
            table.showing = flown.showing;
        for (std::size_t s = 0; s < table.subjects; ++s) {
            // What thins out nearer is as much off as its allowance says, whatever its levels are.
            const Subject& subject = m_scene.subjects[s];
            const Thinning* thinning = thinningOf(subject);
            const double thinned = thinning != nullptr && thinning->thins() ? subject.rule.allowPx * (times[s] - 1) : 0;
            const double error = (flown.showing[s] > 0 ? flown.errors[s] / flown.showing[s] : 0) + thinned;
            // Looser is never better: where a flight says so, that is its hysteresis.
            table.error.push_back(setting > 0 ? std::max(error, table.errorAt(setting - 1, s)) : error);
        }
    }

    [[nodiscard]] std::vector<Unheld> unheldIn(const Audit& audit) const {
        std::vector<Unheld> out;
        for (const auto& limit : kFrameLimits) {
            Unheld u;
            u.limit = limit.value;
            u.budget = budgetOf(limit.value, m_device);
            for (const AuditFrame& frame : audit.frames) {
                const double has = amountOf(limit.value, frame);
                if (has <= u.budget)
                    continue;
                ++u.frames;
                if (has > u.needed) {
                    u.needed = has;
                    u.seconds = frame.seconds;
                }
            }
            if (u.frames == 0)
                continue;
            // Who alone would have to go for it to hold, of those the one that takes least.
            double least = HUGE_VAL;
            const std::vector<Spent> total = m_search.totals();
            for (std::size_t s = 0; s < m_search.table.subjects; ++s) {
                double most = 0;
                double own = 0;
                for (std::size_t f = 0; f < m_search.table.frames; ++f) {
                    const Spent& mine = m_search.table.at(m_search.chosen[s], f, s);
                    const Spent rest = total[f] - mine;
                    const auto amount = [&](const Spent& of) {
                        return u.limit == FrameLimit::Milliseconds ? m_search.ms(of)
                               : u.limit == FrameLimit::Triangles  ? of.triangles
                                                                   : of.draws;
                    };
                    most = std::max(most, amount(rest));
                    own = std::max(own, amount(total[f]) - amount(rest));
                }
                if (most <= u.budget && own < least) {
                    least = own;
                    u.without = m_scene.subjects[s].id;
                }
            }
            out.push_back(u);
        }
        return out;
    }

    /// The setting that is nearest to how a subject is loosened already.
    [[nodiscard]] std::size_t nearestSetting(std::uint32_t id) const {
        const auto found = m_device.fitted.find(id);
        const double times = found == m_device.fitted.end() ? 1.0 : found->second;
        const auto at = static_cast<std::size_t>(std::max(0L, std::lround(std::log(times) / std::log(kStep))));
        return std::min(at, m_search.table.settings - 1);
    }

    void fillRows(Fit& fit) const {
        const std::size_t worst = fit.before.worstFrame;
        const bool geometry =
            geometryMs(m_device, fit.before.watched.total) >= pixelMs(m_device, fit.before.watched.total);
        const auto msOf = [&](const SubjectCost& cost) {
            return drawMs(m_device, cost) + (geometry ? geometryMs(m_device, cost) : pixelMs(m_device, cost));
        };
        for (std::size_t s = 0; s < m_search.table.subjects; ++s) {
            FitRow row;
            row.subject = m_scene.subjects[s].id;
            const auto timesIn = [&row](const Loosened& of) {
                const auto found = of.find(row.subject);
                return found == of.end() ? 1.0 : found->second;
            };
            row.before = timesIn(m_device.fitted);
            row.times = timesIn(fit.fitted);
            row.errorBefore = m_errorBefore[s];
            row.errorAfter = m_search.table.errorAt(m_search.chosen[s], s);
            row.savesMs = msOf(fit.before.watched.rows[s].cost) - msOf(fit.after.watched.rows[s].cost);
            row.savesTriangles = static_cast<double>(fit.before.frames[worst].subjectTriangles[s]) -
                                 static_cast<double>(fit.after.frames[worst].subjectTriangles[s]);
            row.mayLoosen = m_scene.subjects[s].emitter() == nullptr;
            fit.rows.push_back(row);
        }
    }

    const Scene& m_scene;
    const Route& m_route;
    const Device& m_device;
    const FitOptions& m_options;
    const JobContext& m_job;
    SelectInput m_input; ///< of the scene as it is, with what hides
    std::size_t m_every = 1;
    double m_flights = 0;
    double m_heldAim = 1; ///< the last aim that held
    detail::FitSearch m_search;
    std::vector<double> m_errorBefore; ///< a subject
};

} // namespace

double amountOf(FrameLimit limit, const AuditFrame& frame) {
    return limit == FrameLimit::Milliseconds ? frame.ms
           : limit == FrameLimit::Triangles  ? static_cast<double>(frame.triangles)
                                             : static_cast<double>(frame.draws);
}

double budgetOf(FrameLimit limit, const Device& device) {
    return limit == FrameLimit::Milliseconds ? device.frameMs
           : limit == FrameLimit::Triangles  ? static_cast<double>(device.triangleBudget)
                                             : static_cast<double>(device.drawBudget);
}

Result<Fit> fitScene(const Scene& scene, const Route& route, const Device& device, const FitOptions& options,
                     const JobContext& job) {
    if (!(device.frameMs > 0) || device.triangleBudget == 0 || device.drawBudget == 0)
        return Error{ErrorCode::BadInput, device.name, "a budget of nothing holds no frame",
                     "give the device milliseconds, triangles and draws above nothing"};
    return Fitter(scene, route, device, options, job).run();
}

std::string sentenceOf(const Unheld& u, const Scene& scene) {
    const auto amount = [&](double value) {
        return u.limit == FrameLimit::Milliseconds ? figure(value, 3) : grouped(std::llround(value));
    };
    std::string out = fmt::format("{} {} in {} frames, worst at {:.1f} s: {} of {}", keyOf(u.limit), "cannot be held",
                                  u.frames, u.seconds, amount(u.needed), amount(u.budget));
    const Subject* without = scene.find(u.without);
    out += without != nullptr ? fmt::format("; it would hold at {}, or without {}", amount(u.needed), without->name)
                              : fmt::format("; it would hold at {}", amount(u.needed));
    return out;
}

} // namespace thicket
