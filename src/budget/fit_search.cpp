#include "budget/fit_search.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace thicket::detail {
namespace {

constexpr int kLooks = 3;                  // settings ahead that a step may go: costs fall in stairs
constexpr std::size_t kMostExchanged = 48; // subjects
constexpr int kMostExchanges = 200;

} // namespace

Spent spentOf(const Device& device, const SubjectCost& cost) {
    return {static_cast<double>(cost.triangles), static_cast<double>(cost.draws), geometryMs(device, cost),
            pixelMs(device, cost), drawMs(device, cost)};
}

bool FitSearch::choose(double aim) {
    std::fill(chosen.begin(), chosen.end(), std::size_t{0});
    const bool reached = tighten(aim);
    giveBack(aim);
    for (int i = 0; i < kMostExchanges && exchange(aim); ++i)
        giveBack(aim);
    return reached;
}

double FitSearch::priceOfAll() const {
    double out = 0;
    for (std::size_t s = 0; s < table.subjects; ++s)
        out += price(s, chosen[s]);
    return out;
}

double FitSearch::ms(const Spent& all) const {
    return std::max(all.geometryMs, std::min(all.pixelMs, m_screenMs)) + all.drawMs + m_device.baseMs;
}

/// By how much more than it may a frame has, of all three, in shares of what it may.
double FitSearch::excess(const Spent& all, double aim) const {
    const auto over = [aim](double has, double may) { return std::max(0.0, has / (aim * may) - 1); };
    double out = 0;
    if (weighs(FrameLimit::Milliseconds))
        out += over(ms(all), m_device.frameMs);
    if (weighs(FrameLimit::Triangles))
        out += over(all.triangles, static_cast<double>(m_device.triangleBudget));
    if (weighs(FrameLimit::Draws))
        out += over(all.draws, static_cast<double>(m_device.drawBudget));
    return out;
}

void FitSearch::leaveOutOfReach() {
    constexpr double kHalfWay = 0.5;
    const std::vector<std::size_t> now = chosen;
    std::vector<std::size_t> loosest(table.subjects, 0);
    for (std::size_t s = 0; s < table.subjects; ++s)
        loosest[s] = mayLoosen[s] ? table.settings - 1 : 0;
    std::set<FrameLimit> out;
    for (const auto& limit : kFrameLimits) {
        outOfReach.clear();
        for (const auto& other : kFrameLimits)
            if (other.value != limit.value)
                outOfReach.insert(other.value);
        chosen.assign(table.subjects, 0);
        const double before = overBy(totals(), 1);
        chosen = loosest;
        const double after = overBy(totals(), 1);
        if (after > 0 && after > kHalfWay * before)
            out.insert(limit.value);
    }
    outOfReach = std::move(out);
    chosen = now;
}

std::vector<Spent> FitSearch::totals() const {
    std::vector<Spent> out(table.frames);
    for (std::size_t f = 0; f < table.frames; ++f)
        for (std::size_t s = 0; s < table.subjects; ++s)
            out[f] += table.at(chosen[s], f, s);
    return out;
}

/// The frame's total with a subject at another setting.
Spent FitSearch::withOther(const Spent& total, std::size_t frame, std::size_t s, std::size_t setting) const {
    Spent out = total - table.at(chosen[s], frame, s);
    out += table.at(setting, frame, s);
    return out;
}

/// What a subject at a setting costs to look at: pixels off, by importance and by the share of the route that shows
/// it.
double FitSearch::price(std::size_t s, std::size_t setting) const {
    const double shown = static_cast<double>(table.showing[s]) / std::max<double>(1, static_cast<double>(table.frames));
    return table.errorAt(setting, s) * importance[s] * (0.1 + 0.9 * shown);
}

/// Takes the step that takes most of what is over for its price, until nothing is. False when no step helps.
bool FitSearch::tighten(double aim) {
    std::vector<Spent> total = totals();
    for (;;) {
        if (overBy(total, aim) <= 0)
            return true;
        double best = 0;
        std::size_t bestSubject = 0;
        std::size_t bestSetting = 0;
        for (std::size_t s = 0; s < table.subjects; ++s)
            for (std::size_t to = chosen[s] + 1; mayLoosen[s] && to < std::min(table.settings, chosen[s] + 1 + kLooks);
                 ++to) {
                double less = 0;
                for (std::size_t f = 0; f < table.frames; ++f)
                    if (const double now = excess(total[f], aim); now > 0)
                        less += now - excess(withOther(total[f], f, s, to), aim);
                const double cost = std::max(price(s, to) - price(s, chosen[s]), 1e-6);
                if (less > 1e-9 && less / cost > best) {
                    best = less / cost;
                    bestSubject = s;
                    bestSetting = to;
                }
            }
        if (best <= 0)
            return false;
        for (std::size_t f = 0; f < table.frames; ++f)
            total[f] = withOther(total[f], f, bestSubject, bestSetting);
        chosen[bestSubject] = bestSetting;
    }
}

/// Makes subjects finer again where there is room, those that are worst to look at first.
void FitSearch::giveBack(double aim) {
    std::vector<Spent> total = totals();
    const double over = overBy(total, aim);
    for (bool any = true; any;) {
        any = false;
        double best = 0;
        std::size_t bestSubject = 0;
        for (std::size_t s = 0; s < table.subjects; ++s) {
            if (chosen[s] == 0)
                continue;
            double then = 0;
            for (std::size_t f = 0; f < table.frames && then <= over + 1e-12; ++f)
                then += excess(withOther(total[f], f, s, chosen[s] - 1), aim);
            const double gain = price(s, chosen[s]) - price(s, chosen[s] - 1) + 1e-9;
            if (then <= over + 1e-12 && gain > best) {
                best = gain;
                bestSubject = s;
                any = true;
            }
        }
        if (!any)
            break;
        for (std::size_t f = 0; f < table.frames; ++f)
            total[f] = withOther(total[f], f, bestSubject, chosen[bestSubject] - 1);
        --chosen[bestSubject];
    }
}

double FitSearch::overBy(const std::vector<Spent>& total, double aim) const {
    double over = 0;
    for (const Spent& frame : total)
        over += excess(frame, aim);
    return over;
}

/// Of those that may be loosened, at most kMostExchanged with the most of something.
template <class Amount> std::vector<std::size_t> FitSearch::mostBy(const Amount& amount) const {
    std::vector<std::pair<double, std::size_t>> all;
    for (std::size_t s = 0; s < table.subjects; ++s)
        if (mayLoosen[s])
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
bool FitSearch::exchange(double aim) {
    const std::vector<Spent> total = totals();
    const double over = overBy(total, aim);
    std::vector<std::size_t> fullest(total.size());
    std::iota(fullest.begin(), fullest.end(), std::size_t{0});
    std::vector<double> full;
    for (const Spent& frame : total)
        full.push_back(
            std::max({ms(frame) / m_device.frameMs, frame.triangles / static_cast<double>(m_device.triangleBudget),
                      frame.draws / static_cast<double>(m_device.drawBudget)}));
    std::stable_sort(fullest.begin(), fullest.end(), [&](std::size_t a, std::size_t b) { return full[a] > full[b]; });
    const auto mostSeen = mostBy([&](std::size_t s) { return price(s, chosen[s]); });
    const auto dearest = mostBy([&](std::size_t s) {
        const Spent& own = table.at(chosen[s], fullest.front(), s);
        return own.geometryMs + own.pixelMs + own.drawMs + own.triangles / static_cast<double>(m_device.triangleBudget);
    });
    double best = 1e-6;
    std::array<std::size_t, 4> pair{}; // who becomes finer, and how far; who becomes coarser, and how far
    std::vector<Spent> finer(total.size());
    for (const std::size_t a : mostSeen) {
        if (m_job.cancelled())
            return false;
        for (std::size_t to = chosen[a]; to-- > 0;) {
            const double gain = price(a, chosen[a]) - price(a, to);
            if (gain <= best)
                continue;
            for (std::size_t f = 0; f < total.size(); ++f)
                finer[f] = withOther(total[f], f, a, to);
            for (const std::size_t b : dearest)
                for (std::size_t coarser = chosen[b] + 1; b != a && coarser < table.settings; ++coarser) {
                    const double left = gain - (price(b, coarser) - price(b, chosen[b]));
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
    chosen[pair[0]] = pair[1];
    chosen[pair[2]] = pair[3];
    return true;
}

} // namespace thicket::detail
