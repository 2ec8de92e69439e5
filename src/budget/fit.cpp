#include "budget/fit.h"

#include "base/text.h"
#include "scene/kinds.h"
#include "scene/occluders.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace thicket {
namespace {

constexpr double kStep = 1.1892071150027211; // 2^(1/4): what a setting is looser than the one before it
constexpr int kLooks = 3;                    // settings ahead that a step may go: costs fall in stairs
constexpr int kMostAudits = 6;
constexpr std::size_t kFineSettings = 7; // between the setting before and the one after the one that holds
constexpr int kFineAudits = 2;
constexpr int kFinePasses = 2;             // each in a third of the steps of the one before
constexpr std::size_t kMostExchanged = 48; // subjects
constexpr int kMostExchanges = 200;

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
    std::size_t settings = 0;
    std::size_t frames = 0;
    std::vector<double> times;          ///< by setting, subject: its allowance, finest first
    std::vector<Spent> spent;           ///< by setting, frame, subject
    std::vector<double> error;          ///< by setting, subject: pixels, the mean of the frames that show it
    std::vector<std::uint32_t> showing; ///< by subject: frames that show it, at the first setting

    [[nodiscard]] const Spent& at(std::size_t setting, std::size_t frame, std::size_t subject) const {
        return spent[(setting * frames + frame) * subjects + subject];
    }
    [[nodiscard]] double timesAt(std::size_t setting, std::size_t subject) const {
        return times[setting * subjects + subject];
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
        m_input = selectInput(m_scene, m_scene.statedView(&m_device));
        if (m_scene.settings.cullHidden)
            fillOccluders(m_scene, m_input, m_job.part(0.12, 0.18));
        if (const auto filled = fillTable(coarseTimes(), m_job.part(0.18, 0.48)); !filled)
            return filled.error();
        m_errorBefore.clear();
        for (std::size_t i = 0; i < m_table.subjects; ++i)
            m_errorBefore.push_back(m_table.errorAt(nearestSetting(m_scene.subjects[i].id), i));
        m_chosen.assign(m_table.subjects, 0);
        // The aim is the share of each budget that the weighed frames are fitted to: less where frames between them are
        // over, then up again half-way, as long as it holds.
        double aim = 1;
        double failed = 0; // the last aim that did not hold; 0: none
        std::vector<std::size_t> held;
        for (int audits = 0; audits < kMostAudits; ++audits) {
            const bool reached = choose(aim);
            const double from = 0.48 + 0.3 * audits / kMostAudits;
            auto after =
                auditRoute(m_scene, m_route, deviceWith(fittedNow()), m_job.part(from, from + 0.3 / kMostAudits));
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
            const double lower = aim * lowerBy(*after);
            fit.after = std::move(*after);
            if (!reached)
                break;
            aim = lower;
        }
        if (!held.empty()) {
            m_chosen = held;
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

    /// Chooses settings for an aim; false where it is not reached.
    bool choose(double aim) {
        std::fill(m_chosen.begin(), m_chosen.end(), std::size_t{0});
        const bool reached = tighten(aim);
        giveBack(aim);
        for (int i = 0; i < kMostExchanges && exchange(aim); ++i)
            giveBack(aim);
        return reached;
    }

    /// What an aim is to be multiplied by where an audit is over.
    [[nodiscard]] double lowerBy(const Audit& audit) const {
        double most = 0;
        for (const AuditFrame& frame : audit.frames)
            for (const auto& limit : kFrameLimits)
                most = std::max(most, amountOf(limit.value, frame) / budgetOf(limit.value, m_device) - 1);
        return 1 - std::min(0.2, most + 0.002);
    }

    [[nodiscard]] double priceOfAll() const {
        double out = 0;
        for (std::size_t s = 0; s < m_table.subjects; ++s)
            out += price(s, m_chosen[s]);
        return out;
    }

    /// The same in small steps about what holds: it is kept where all frames hold and less is seen. False where nothing
    /// is to be gained.
    Result<bool> refine(Fit& fit, const JobContext& job) {
        if (std::all_of(m_chosen.begin(), m_chosen.end(), [](std::size_t c) { return c == 0; }))
            return false;
        const Table coarse = m_table;
        const std::vector<std::size_t> held = m_chosen;
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
            m_table = coarse;
            m_chosen = held;
        };
        if (const auto filled = fillTable(times, job.part(0, 0.57)); !filled)
            return filled.error();
        m_table.showing = coarse.showing;
        m_chosen = same;
        const double heldPrice = priceOfAll();
        double aim = 1;
        for (int audits = 0; audits < kFineAudits; ++audits) {
            if (!choose(aim) || priceOfAll() >= heldPrice)
                break;
            const double from = 0.57 + 0.43 * audits / kFineAudits;
            auto after =
                auditRoute(m_scene, m_route, deviceWith(fittedNow()), job.part(from, from + 0.43 / kFineAudits));
            if (!after)
                return after.error();
            m_flights += 1;
            if (after->framesOver == 0) {
                fit.after = std::move(*after);
                return true;
            }
            aim *= lowerBy(*after);
        }
        back();
        return false;
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
        for (std::size_t s = 0; s < m_table.subjects; ++s) {
            const std::uint32_t id = m_scene.subjects[s].id;
            if (!mayLoosen(s)) {
                if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                    out.insert(*kept);
            } else if (const double times = m_table.timesAt(m_chosen[s], s); times > 1) {
                out[id] = times;
            }
        }
        return out;
    }

    /// Flies the route with all subjects at a setting, for each.
    /// times   by setting, subject
    Result<void> fillTable(const std::vector<std::vector<double>>& times, const JobContext& job) {
        m_table = {};
        m_table.subjects = m_scene.subjects.size();
        m_table.settings = times.size();
        for (std::size_t setting = 0; setting < times.size(); ++setting) {
            m_table.times.insert(m_table.times.end(), times[setting].begin(), times[setting].end());
            Loosened all;
            for (std::size_t s = 0; s < m_table.subjects; ++s) {
                const std::uint32_t id = m_scene.subjects[s].id;
                if (mayLoosen(s))
                    all[id] = times[setting][s];
                else if (const auto kept = m_device.fitted.find(id); kept != m_device.fitted.end())
                    all.insert(*kept);
            }
            const Device device = deviceWith(all);
            SelectInput input = selectInput(m_scene, m_scene.statedView(&device), &m_input);
            for (std::size_t b = 0; b < input.batches.size(); ++b)
                input.batches[b].occluders = m_input.batches[b].occluders;
            std::vector<double> errors(m_table.subjects, 0);
            std::vector<std::uint32_t> showing(m_table.subjects, 0);
            std::size_t frames = 0;
            const double share = 1 / static_cast<double>(times.size());
            const double from = share * static_cast<double>(setting);
            const auto flown = flyRoute(m_scene, input, m_route, device, m_every, job.part(from, from + share),
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
                    thinning != nullptr && thinning->thins() ? subject.rule.allowPx * (times[setting][s] - 1) : 0;
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
            if (overBy(total, aim) <= 0)
                return true;
            double best = 0;
            std::size_t bestSubject = 0;
            std::size_t bestSetting = 0;
            for (std::size_t s = 0; s < m_table.subjects; ++s)
                for (std::size_t to = m_chosen[s] + 1;
                     mayLoosen(s) && to < std::min(m_table.settings, m_chosen[s] + 1 + kLooks); ++to) {
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
        const double over = overBy(total, aim);
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

    [[nodiscard]] double overBy(const std::vector<Spent>& total, double aim) const {
        double over = 0;
        for (const Spent& frame : total)
            over += excess(frame, aim);
        return over;
    }

    /// Of those that may be loosened, at most kMostExchanged with the most of something.
    template <class Amount> [[nodiscard]] std::vector<std::size_t> mostBy(const Amount& amount) const {
        std::vector<std::pair<double, std::size_t>> all;
        for (std::size_t s = 0; s < m_table.subjects; ++s)
            if (mayLoosen(s))
                all.emplace_back(-amount(s), s);
        std::sort(all.begin(), all.end());
        std::vector<std::size_t> out;
        for (std::size_t i = 0; i < std::min(all.size(), kMostExchanged); ++i)
            out.push_back(all[i].second);
        return out;
    }

    /// Step by step one comes to where no step helps; where one subject becomes finer as another becomes coarser, less may
    /// be seen after all. Takes the pair by which least is seen then; false when there is none.
    /// COST   of many subjects those of kMostExchanged that are seen most and take most, of frames the fullest first: most
    ///        pairs fail there.
    bool exchange(double aim) {
        const std::vector<Spent> total = totals();
        const double over = overBy(total, aim);
        std::vector<std::size_t> fullest(total.size());
        std::iota(fullest.begin(), fullest.end(), std::size_t{0});
        std::vector<double> full;
        for (const Spent& frame : total)
            full.push_back(
                std::max({ms(frame) / m_device.frameMs, frame.triangles / static_cast<double>(m_device.triangleBudget),
                          frame.draws / static_cast<double>(m_device.drawBudget)}));
        std::stable_sort(fullest.begin(), fullest.end(),
                         [&](std::size_t a, std::size_t b) { return full[a] > full[b]; });
        const auto mostSeen = mostBy([&](std::size_t s) { return price(s, m_chosen[s]); });
        const auto dearest = mostBy([&](std::size_t s) {
            const Spent& own = m_table.at(m_chosen[s], fullest.front(), s);
            return own.geometryMs + own.pixelMs + own.drawMs +
                   own.triangles / static_cast<double>(m_device.triangleBudget);
        });
        double best = 1e-6;
        std::array<std::size_t, 4> pair{}; // who becomes finer, and how far; who becomes coarser, and how far
        std::vector<Spent> finer(total.size());
        for (const std::size_t a : mostSeen) {
            if (m_job.cancelled())
                return false;
            for (std::size_t to = m_chosen[a]; to-- > 0;) {
                const double gain = price(a, m_chosen[a]) - price(a, to);
                if (gain <= best)
                    continue;
                for (std::size_t f = 0; f < total.size(); ++f)
                    finer[f] = withOther(total[f], f, a, to);
                for (const std::size_t b : dearest)
                    for (std::size_t coarser = m_chosen[b] + 1; b != a && coarser < m_table.settings; ++coarser) {
                        const double left = gain - (price(b, coarser) - price(b, m_chosen[b]));
                        if (left <= best)
                            break; // farther costs more
                        double then = 0;
                        for (std::size_t k = 0; k < fullest.size() && then <= over + 1e-12; ++k)
                            then += excess(withOther(finer[fullest[k]], fullest[k], b, coarser), aim);
                        if (then <= over + 1e-12) {
                            best = left;
                            pair = {a, to, b, coarser};
                        }
                    }
            }
        }
        if (pair[0] == pair[2])
            return false;
        m_chosen[pair[0]] = pair[1];
        m_chosen[pair[2]] = pair[3];
        return true;
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

    /// The setting that is nearest to how a subject is loosened already.
    [[nodiscard]] std::size_t nearestSetting(std::uint32_t id) const {
        const auto found = m_device.fitted.find(id);
        const double times = found == m_device.fitted.end() ? 1.0 : found->second;
        const auto at = static_cast<std::size_t>(std::max(0L, std::lround(std::log(times) / std::log(kStep))));
        return std::min(at, m_table.settings - 1);
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
            row.errorBefore = m_errorBefore[s];
            row.errorAfter = m_table.errorAt(m_chosen[s], s);
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
    double m_screenMs = 0; ///< of all pixels once
    SelectInput m_input;   ///< of the scene as it is, with what hides
    std::size_t m_every = 1;
    double m_flights = 0;
    Table m_table;
    std::vector<std::size_t> m_chosen; ///< a setting a subject
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
