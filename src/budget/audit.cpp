#include "budget/audit.h"

#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

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

} // namespace

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

Result<Audit> auditRoute(const Scene& scene, const Route& route, const Device& device, const JobContext& job) {
    if (route.keys.empty() || route.length() <= 0)
        return Error{ErrorCode::BadInput, route.name.empty() ? "route" : route.name, "the route has no length",
                     "record or key a camera move first"};
    if (!(route.length() <= kLongestRoute))
        return Error{
            ErrorCode::BadInput, route.name.empty() ? "route" : route.name,
            fmt::format("lasts {:.0f} s, more than the {:.0f} s that can be flown", route.length(), kLongestRoute),
            "set its last key to an earlier time"};
    Audit audit;
    audit.route = route.name;
    audit.device = device.name;
    audit.framesPerSecond = device.frameRate;
    const View stated = scene.statedView(&device);
    SelectInput input = selectInput(scene, stated);
    if (scene.settings.cullHidden)
        fillOccluders(scene, input, job.part(0, 0.2));
    const auto count = static_cast<std::size_t>(std::floor(route.length() * device.frameRate)) + 1;
    const JobContext flight = job.part(0.2, 1);
    SelectState state;
    Selection selection;
    Vec3d before = stated.eye;
    audit.frames.reserve(count);
    for (std::size_t f = 0; f < count; ++f) {
        if (f % 64 == 0) {
            if (job.cancelled())
                return cancelledError();
            flight.report(static_cast<double>(f) / static_cast<double>(count), fmt::format("flying {}", route.name));
        }
        AuditFrame frame;
        frame.seconds = static_cast<double>(f) / device.frameRate;
        const View view = viewOnRoute(route, stated, frame.seconds);
        const double speed = f > 0 ? (view.eye - before).norm() * device.frameRate : 0;
        before = view.eye;
        SelectOptions options = selectOptions(scene, speed);
        options.listRuns = false;
        select(input, view, frame.seconds, options, state, selection);
        const Ledger ledger = ledgerOf(input, selection, view, device);
        frame.triangles = ledger.total.triangles;
        frame.draws = ledger.total.draws;
        frame.ms = ledger.ms;
        frame.worstErrorPx = selection.total.worstErrorPx;
        frame.switches = selection.total.switches;
        for (const LedgerRow& row : ledger.rows) {
            frame.subjectMs.push_back(static_cast<float>(row.ms));
            frame.subjectTriangles.push_back(static_cast<std::uint32_t>(row.cost.triangles));
        }
        if (overBudget(device, frame.ms, frame.triangles, frame.draws))
            ++audit.framesOver;
        if (!audit.frames.empty() && frame.ms > audit.frames[audit.worstFrame].ms)
            audit.worstFrame = f;
        audit.frames.push_back(std::move(frame));
    }
    return audit;
}

} // namespace thicket
