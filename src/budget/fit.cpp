#include "budget/fit.h"

#include "base/text.h"
#include "scene/kinds.h"
#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

constexpr double kStep = 1.1892071150027211; // 2^(1/4): what a setting is looser than the one before it
constexpr int kLooks = 3;                    // settings ahead that a step may go: costs fall in stairs
constexpr int kMostAudits = 6;

/// What one subject takes of one frame.
struct Spent {
    double triangles = 0;
    double draws = 0;
    double geometryMs = 0;
    double pixelMs = 0;
    double drawMs = 0;

    Spent& operator+=(const Spent& o) {
        triangles += o.triangles;
        draws += o.draws;
        geometryMs += o.geometryMs;
        pixelMs += o.pixelMs;
        drawMs += o.drawMs;
        return *this;
    }
    Spent operator-(const Spent& o) const {
        return {triangles - o.triangles, draws - o.draws, geometryMs - o.geometryMs, pixelMs - o.pixelMs,
                drawMs - o.drawMs};
    }
};

Spent spentOf(const Device& device, const SubjectCost& cost) {
    return {static_cast<double>(cost.triangles), static_cast<double>(cost.draws), geometryMs(device, cost),
            pixelMs(device, cost), drawMs(device, cost)};
}

/// Costs of all subjects at all settings in the frames that are weighed, and how far each is off.
struct Table {
    std::size_t subjects = 0;
    std::size_t frames = 0;
    std::vector<Spent> spent;           ///< by setting, frame, subject
    std::vector<double> error;          ///< by setting, subject: pixels, the mean of the frames that show it
    std::vector<std::uint32_t> showing; ///< by subject: frames that show it, at the first setting

    [[nodiscard]] const Spent& at(std::size_t setting, std::size_t frame, std::size_t subject) const {
        return spent[(setting * frames + frame) * subjects + subject];
    }
    [[nodiscard]] double errorAt(std::size_t setting, std::size_t subject) const {
        return error[setting * subjects + subject];
    }
};

class Fitter {
public:
    Fitter(const Scene& scene, const Route& route, const Device& device, const FitOptions& options,
           const JobContext& job)
        : m_scene(scene), m_route(route), m_device(device), m_options(options), m_job(job) {
        for (double times = 1; times <= options.most * 1.0001; times *= kStep)
            m_times.push_back(times);
        const View view = scene.statedView(&device);
        m_screenMs =
            static_cast<double>(view.lines) * view.lines * view.aspect * device.overdraw * device.nsPerPixel * 1e-6;
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
        if (const auto filled = fillTable(); !filled)
            return filled.error();
        m_chosen.assign(m_table.subjects, 0);
        // The aim is the share of each budget that the weighed frames are fitted to: less where frames between them are
        // over, then up again half-way, as long as it holds.
        double aim = 1;
        double failed = 0; // the last aim that did not hold; 0: none
        std::vector<std::size_t> held;
        for (int audits = 0; audits < kMostAudits; ++audits) {
            std::fill(m_chosen.begin(), m_chosen.end(), std::size_t{0});
            const bool reached = tighten(aim);
            giveBack(aim);
            const double from = 0.6 + 0.39 * audits / kMostAudits;
            auto after =
                auditRoute(m_scene, m_route, deviceWith(fittedNow()), m_job.part(from, from + 0.39 / kMostAudits));
            if (!after)
                return after.error();
            m_flights += 1;
            if (after->framesOver == 0) {
                fit.after = std::move(*after);
                held = m_chosen;
                constexpr double kNear = 0.015; // no more to be gained
                if (failed <= 0 || failed - aim < kNear)
                    break;
                aim = (aim + failed) / 2;
                continue;
            }
            failed = aim;
            if (!held.empty())
                break; // what held is near enough
            double most = 0;
            for (const AuditFrame& frame : after->frames)
                for (const auto& limit : kFrameLimits)
                    most = std::max(most, amountOf(limit.value, frame) / budgetOf(limit.value, m_device) - 1);
            fit.after = std::move(*after);
            if (!reached)
                break;
            aim *= 1 - std::min(0.2, most + 0.002);
        }
        if (!held.empty())
            m_chosen = held;
        fit.fitted = fittedNow();
        fit.flights = static_cast<int>(std::ceil(m_flights));
        if (fit.after.framesOver > 0)
            fit.unheld = unheldIn(fit.after);
        fillRows(fit);
        return fit;
    }

private:
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
        for (std::size_t s = 0; s < m_table.subjects; ++s) {
            const std::uint32_t id = m_scene.subjects[s].id;
            if (!mayLoosen(s)) {
                if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                    out.insert(*kept);
            } else if (m_chosen[s] > 0) {
                out[id] = m_times[m_chosen[s]];
            }
        }
        return out;
    }

    Result<void> fillTable() {
        SelectInput first = selectInput(m_scene, m_scene.statedView(&m_device));
        if (m_scene.settings.cullHidden)
            fillOccluders(m_scene, first, m_job.part(0.12, 0.18));
        m_table.subjects = m_scene.subjects.size();
        for (std::size_t setting = 0; setting < m_times.size(); ++setting) {
            Loosened all;
            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                const std::uint32_t id = m_scene.subjects[s].id;
                if (mayLoosen(s))
                    all[id] = m_times[setting];
                else if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                    all.insert(*kept);
            }
            const Device device = deviceWith(all);
            SelectInput input = selectInput(m_scene, m_scene.statedView(&device), &first);
            for (std::size_t b = 0; b < input.batches.size(); ++b)
                input.batches[b].occluders = first.batches[b].occluders;
            std::vector<double> errors(m_table.subjects, 0);
            std::vector<std::uint32_t> showing(m_table.subjects, 0);
            std::size_t frames = 0;
            const double share = 0.42 / static_cast<double>(m_times.size());
            const double from = 0.18 + share * static_cast<double>(setting);
            const auto flown = flyRoute(m_scene, input, m_route, device, m_every, m_job.part(from, from + share),
                                        [&](std::size_t, const View&, const Selection& selection) {
                                            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                                                const SubjectCost& cost = selection.subjects[s];
                                                m_table.spent.push_back(spentOf(device, cost));
                                                errors[s] += cost.worstErrorPx;
                                                showing[s] += cost.drawn > 0 ? 1 : 0;
                                            }
                                            ++frames;
                                        });
            if (!flown)
                return flown.error();
            m_flights += 1.0 / static_cast<double>(m_every);
            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                // What thins out nearer is as much off as its allowance says, whatever its levels are.
                const Subject& subject = m_scene.subjects[s];
                const Thinning* thinning = thinningOf(subject);
                const double thinned =
                    thinning != nullptr && thinning->thins() ? subject.rule.allowPx * (m_times[setting] - 1) : 0;
                const double error = (showing[s] > 0 ? errors[s] / showing[s] : 0) + thinned;
                // Looser is never better: where a flight says so, that is its hysteresis.
                m_table.error.push_back(setting > 0 ? std::max(error, m_table.errorAt(setting - 1, s)) : error);
            }
            m_table.frames = frames;
            if (setting == 0)
                m_table.showing = showing;
        }
        return {};
    }

    [[nodiscard]] double ms(const Spent& all) const {
        return std::max(all.geometryMs, std::min(all.pixelMs, m_screenMs)) + all.drawMs + m_device.baseMs;
    }
    /// By how much more than it may a frame has, of all three, in shares of what it may.
    [[nodiscard]] double excess(const Spent& all, double aim) const {
        const auto over = [aim](double has, double may) { return std::max(0.0, has / (aim * may) - 1); };
        return over(ms(all), m_device.frameMs) + over(all.triangles, static_cast<double>(m_device.triangleBudget)) +
               over(all.draws, static_cast<double>(m_device.drawBudget));
    }
    [[nodiscard]] std::vector<Spent> totals() const {
        std::vector<Spent> out(m_table.frames);
        for (std::size_t f = 0; f < m_table.frames; ++f)
            for (std::size_t s = 0; s < m_table.subjects; ++s)
                out[f] += m_table.at(m_chosen[s], f, s);
        return out;
    }
    /// The frame's total with a subject at another setting.
    [[nodiscard]] Spent withOther(const Spent& total, std::size_t frame, std::size_t s, std::size_t setting) const {
        Spent out = total - m_table.at(m_chosen[s], frame, s);
        out += m_table.at(setting, frame, s);
        return out;
    }
    /// What a subject at a setting costs to look at: pixels off, by importance and by the share of the route that shows
    /// it.
    [[nodiscard]] double price(std::size_t s, std::size_t setting) const {
        const double shown =
            static_cast<double>(m_table.showing[s]) / std::max<double>(1, static_cast<double>(m_table.frames));
        return m_table.errorAt(setting, s) * m_scene.subjects[s].rule.importance * (0.1 + 0.9 * shown);
    }

    /// Takes the step that takes most of what is over for its price, until nothing is. False when no step helps.
    bool tighten(double aim) {
        std::vector<Spent> total = totals();
        for (;;) {
            double over = 0;
            for (const Spent& frame : total)
                over += excess(frame, aim);
            if (over <= 0)
                return true;
            double best = 0;
            std::size_t bestSubject = 0;
            std::size_t bestSetting = 0;
            for (std::size_t s = 0; s < m_table.subjects; ++s)
                for (std::size_t to = m_chosen[s] + 1;
                     mayLoosen(s) && to < std::min(m_times.size(), m_chosen[s] + 1 + kLooks); ++to) {
                    double less = 0;
                    for (std::size_t f = 0; f < m_table.frames; ++f)
                        if (const double now = excess(total[f], aim); now > 0)
                            less += now - excess(withOther(total[f], f, s, to), aim);
                    const double cost = std::max(price(s, to) - price(s, m_chosen[s]), 1e-6);
                    if (less > 1e-9 && less / cost > best) {
                        best = less / cost;
                        bestSubject = s;
                        bestSetting = to;
                    }
                }
            if (best <= 0)
                return false;
            for (std::size_t f = 0; f < m_table.frames; ++f)
                total[f] = withOther(total[f], f, bestSubject, bestSetting);
            m_chosen[bestSubject] = bestSetting;
        }
    }

    /// Makes subjects finer again where there is room, those that are worst to look at first.
    void giveBack(double aim) {
        std::vector<Spent> total = totals();
        double over = 0;
        for (const Spent& frame : total)
            over += excess(frame, aim);
        for (bool any = true; any;) {
            any = false;
            double best = 0;
            std::size_t bestSubject = 0;
            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                if (m_chosen[s] == 0)
                    continue;
                double then = 0;
                for (std::size_t f = 0; f < m_table.frames && then <= over + 1e-12; ++f)
                    then += excess(withOther(total[f], f, s, m_chosen[s] - 1), aim);
                const double gain = price(s, m_chosen[s]) - price(s, m_chosen[s] - 1) + 1e-9;
                if (then <= over + 1e-12 && gain > best) {
                    best = gain;
                    bestSubject = s;
                    any = true;
                }
            }
            if (!any)
                break;
            for (std::size_t f = 0; f < m_table.frames; ++f)
                total[f] = withOther(total[f], f, bestSubject, m_chosen[bestSubject] - 1);
            --m_chosen[bestSubject];
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
            const std::vector<Spent> total = totals();
            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                double most = 0;
                double own = 0;
                for (std::size_t f = 0; f < m_table.frames; ++f) {
                    const Spent& mine = m_table.at(m_chosen[s], f, s);
                    const Spent rest = total[f] - mine;
                    const auto amount = [&](const Spent& of) {
                        return u.limit == FrameLimit::Milliseconds ? ms(of)
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

    void fillRows(Fit& fit) const {
        const std::size_t worst = fit.before.worstFrame;
        for (std::size_t s = 0; s < m_table.subjects; ++s) {
            FitRow row;
            row.subject = m_scene.subjects[s].id;
            const auto timesIn = [&row](const Loosened& of) {
                const auto found = of.find(row.subject);
                return found == of.end() ? 1.0 : found->second;
            };
            row.before = timesIn(m_device.fitted);
            row.times = timesIn(fit.fitted);
            const auto setting = [&](double times) {
                const auto at = static_cast<std::size_t>(std::lround(std::log(times) / std::log(kStep)));
                return std::min(at, m_times.size() - 1);
            };
            row.errorBefore = m_table.errorAt(setting(row.before), s);
            row.errorAfter = m_table.errorAt(setting(row.times), s);
            row.savesMs = static_cast<double>(fit.before.frames[worst].subjectMs[s]) -
                          static_cast<double>(fit.after.frames[worst].subjectMs[s]);
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
    std::vector<double> m_times; ///< the settings: 1 first
    double m_screenMs = 0;       ///< of all pixels once
    std::size_t m_every = 1;
    double m_flights = 0;
    Table m_table;
    std::vector<std::size_t> m_chosen; ///< a setting a subject
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
