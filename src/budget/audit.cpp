#include "budget/audit.h"

#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {

double geometryMs(const Device& d, const SubjectCost& c) {
    return (static_cast<double>(c.triangles) * d.nsPerTriangle + static_cast<double>(c.vertices) * d.nsPerVertex) *
           1e-6;
}
double pixelMs(const Device& d, const SubjectCost& c) {
    return c.pixels * d.overdraw * d.nsPerPixel * 1e-6;
}
double drawMs(const Device& d, const SubjectCost& c) {
    return static_cast<double>(c.draws) * d.usPerDraw * 1e-3;
}

Bound boundOf(const Device& device, const SubjectCost& total) {
    const double geometry = geometryMs(device, total);
    const double pixels = pixelMs(device, total);
    if (drawMs(device, total) > std::max(geometry, pixels))
        return Bound::Draws;
    return geometry >= pixels ? Bound::Geometry : Bound::Pixels;
}

double frameMs(const Device& device, const SubjectCost& cost) {
    return std::max(geometryMs(device, cost), pixelMs(device, cost)) + drawMs(device, cost) + device.baseMs;
}

bool overBudget(const Device& device, double ms, std::uint64_t triangles, std::uint64_t draws) {
    return ms > device.frameMs || triangles > device.triangleBudget || draws > device.drawBudget;
}

Ledger ledgerOf(const SelectInput& input, const Selection& selection, const View& view, const Device& device) {
    Ledger ledger;
    const double screen = static_cast<double>(view.lines) * view.lines * view.aspect;
    for (std::size_t i = 0; i < input.subjects.size(); ++i)
        ledger.rows.push_back({input.subjects[i], selection.subjects[i], 0});
    ledger.total = selection.total;
    ledger.total.pixels = std::min(ledger.total.pixels, screen);
    ledger.ms = frameMs(device, ledger.total);
    // The frame waits for the slower of geometry and pixels, so only that one is shared out.
    const double geometry = geometryMs(device, ledger.total);
    const double pixels = pixelMs(device, ledger.total);
    const double share = pixels / std::max(selection.total.pixels, 1.0);
    for (LedgerRow& row : ledger.rows)
        row.ms =
            drawMs(device, row.cost) + (geometry >= pixels ? geometryMs(device, row.cost) : share * row.cost.pixels);
    return ledger;
}

Ledger withMemory(Ledger ledger, const Selection& selection, const std::vector<SubjectMemory>& memory) {
    constexpr double kPerMegabyte = 1e6;
    for (std::size_t i = 0; i < ledger.rows.size() && i < memory.size(); ++i) {
        const double tiles = memory[i].tile > 0 ? selection.subjects[i].drawn : 0;
        ledger.rows[i].memoryMb = memory[i].with(selection.levels[i], tiles) / kPerMegabyte;
    }
    return ledger;
}

Pacing pacingOf(const Audit& audit) {
    Pacing out;
    if (audit.frames.empty())
        return out;
    std::vector<double> ms;
    std::size_t run = 0;
    for (std::size_t f = 0; f < audit.frames.size(); ++f) {
        ms.push_back(audit.frames[f].ms);
        run = audit.frames[f].over ? run + 1 : 0;
        if (run > out.longestOver) {
            out.longestOver = run;
            out.longestFrom = f + 1 - run;
        }
    }
    std::sort(ms.begin(), ms.end());
    const auto at = [&ms](double share) {
        return ms[static_cast<std::size_t>(std::ceil(share * static_cast<double>(ms.size()))) - 1];
    };
    out.p50 = at(0.5);
    out.p95 = at(0.95);
    out.p99 = at(0.99);
    out.worst = ms.back();
    return out;
}

Result<std::size_t> framesOf(const Route& route, const Device& device) {
    if (route.keys.empty() || route.length() <= 0)
        return Error{ErrorCode::BadInput, route.name.empty() ? "route" : route.name, "the route has no length",
                     "record or key a camera move first"};
    if (!(route.length() <= kLongestRoute))
        return Error{
            ErrorCode::BadInput, route.name.empty() ? "route" : route.name,
            fmt::format("lasts {:.0f} s, more than the {:.0f} s that can be flown", route.length(), kLongestRoute),
            "set its last key to an earlier time"};
    return static_cast<std::size_t>(std::floor(route.length() * device.frameRate)) + 1;
}

Result<void> flyRoute(const Scene& scene, const SelectInput& input, const Route& route, const Device& device,
                      std::size_t step, const JobContext& job,
                      const std::function<void(std::size_t, const View&, const Selection&)>& each) {
    const auto count = framesOf(route, device);
    if (!count)
        return count.error();
    const View stated = scene.statedView(&device);
    const auto momentAt = [&](std::size_t i) {
        SelectMoment out;
        out.seconds = static_cast<double>(i * step) / device.frameRate;
        out.view = viewOnRoute(route, stated, out.seconds);
        const Vec3d before = i > 0 ? viewOnRoute(route, stated, out.seconds - 1 / device.frameRate).eye : out.view.eye;
        out.options = selectOptions(scene, (out.view.eye - before).norm() * device.frameRate);
        out.options.listRuns = false;
        return out;
    };
    selectInTurn(
        input, (*count + step - 1) / step, momentAt,
        [&](std::size_t i, const SelectMoment& moment, const Selection& selection) {
            each(i * step, moment.view, selection);
        },
        [&](std::size_t done) {
            job.report(static_cast<double>(done * step) / static_cast<double>(*count),
                       fmt::format("flying {}", route.name));
            return !job.cancelled();
        });
    return job.cancelled() ? Result<void>(cancelledError()) : Result<void>();
}

Result<Audit> auditRoute(const Scene& scene, const Route& route, const Device& device, const JobContext& job,
                         std::optional<std::size_t> watch) {
    const auto count = framesOf(route, device);
    if (!count)
        return count.error();
    Audit audit;
    audit.route = route.name;
    audit.device = device.name;
    audit.framesPerSecond = device.frameRate;
    SelectInput input = selectInput(scene, scene.statedView(&device));
    if (scene.settings.cullHidden)
        fillOccluders(scene, input, job.part(0, 0.2));
    audit.frames.reserve(*count);
    std::vector<std::vector<Shown>> shown;
    shown.reserve(*count);
    const auto flown =
        flyRoute(scene, input, route, device, 1, job.part(0.2, 1),
                 [&](std::size_t f, const View& view, const Selection& selection) {
                     AuditFrame frame;
                     frame.seconds = static_cast<double>(f) / device.frameRate;
                     Ledger ledger = ledgerOf(input, selection, view, device);
                     frame.triangles = ledger.total.triangles;
                     frame.draws = ledger.total.draws;
                     frame.ms = ledger.ms;
                     frame.worstErrorPx = selection.total.worstErrorPx;
                     frame.switches = selection.total.switches;
                     for (const LedgerRow& row : ledger.rows) {
                         frame.subjectMs.push_back(static_cast<float>(row.ms));
                         frame.subjectTriangles.push_back(static_cast<std::uint32_t>(row.cost.triangles));
                     }
                     frame.bound = boundOf(device, ledger.total);
                     frame.boundMs = frame.bound == Bound::Draws    ? drawMs(device, ledger.total)
                                     : frame.bound == Bound::Pixels ? pixelMs(device, ledger.total)
                                                                    : geometryMs(device, ledger.total);
                     audit.shown.resize(selection.subjects.size());
                     audit.own.resize(selection.subjects.size());
                     audit.culled.resize(selection.subjects.size());
                     std::vector<Shown>& now = shown.emplace_back();
                     for (std::size_t s = 0; s < selection.subjects.size(); ++s) {
                         audit.shown[s] |= selection.levels[s];
                         audit.own[s].shown |= selection.subjects[s].shown;
                         audit.own[s].crossed |= selection.subjects[s].crossed;
                         for (std::size_t why = 0; why < kCullReasons; ++why)
                             audit.culled[s][why] += selection.subjects[s].culledBy[why];
                         now.push_back({selection.levels[s],
                                        scene.subjects[s].terrain() != nullptr ? selection.subjects[s].drawn : 0U});
                     }
                     frame.over = overBudget(device, frame.ms, frame.triangles, frame.draws);
                     audit.framesOver += frame.over ? 1 : 0;
                     const bool worst = audit.frames.empty() || frame.ms > audit.frames[audit.worstFrame].ms;
                     if (worst)
                         audit.worstFrame = f;
                     if (watch ? f == *watch : worst)
                         audit.watched = std::move(ledger);
                     audit.frames.push_back(std::move(frame));
                 });
    if (!flown)
        return flown.error();
    audit.memory = memoryAlong(scene, device, shown);
    for (const Shown& at : shown[audit.worstFrame])
        audit.shownAtWorst.push_back(at.levels);
    for (std::size_t f = 0; f < audit.frames.size(); ++f)
        audit.frames[f].memoryMb = static_cast<double>(audit.memory.frames[f]);
    return audit;
}

} // namespace thicket
