#include "budget/audit.h"

#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace thicket {
namespace {

double geometryMs(const Device& d, const Cost& c) {
    return (static_cast<double>(c.triangles) * d.nsPerTriangle + static_cast<double>(c.vertices) * d.nsPerVertex) *
           1e-6;
}
double pixelMs(const Device& d, const Cost& c) {
    return c.pixels * d.overdraw * d.nsPerPixel * 1e-6;
}
double drawMs(const Device& d, const Cost& c) {
    return static_cast<double>(c.draws) * d.usPerDraw * 1e-3;
}

} // namespace

double frameMs(const Device& device, const Cost& cost) {
    return std::max(geometryMs(device, cost), pixelMs(device, cost)) + drawMs(device, cost) + device.baseMs;
}

Ledger ledgerOf(const SelectScene& scene, const Selection& selection, const View& view, const Device& device) {
    Ledger ledger;
    for (const std::uint32_t id : scene.subjectOfChain)
        ledger.rows.push_back({id, {}, 0, 0});
    const double screen = static_cast<double>(view.lines) * view.lines * view.aspect;
    for (std::size_t i = 0; i < selection.picks.size(); ++i) {
        const Pick& pick = selection.picks[i];
        if (pick.culled != Culled::No)
            continue;
        LedgerRow& row = ledger.rows[scene.copies.chain[i]];
        const auto add = [&row](const LevelCost& level) {
            row.cost.triangles += level.triangles;
            row.cost.vertices += level.vertices;
            row.cost.draws += level.draws;
        };
        const auto& levels = scene.chains[scene.copies.chain[i]].levels;
        add(levels[static_cast<std::size_t>(pick.level)]);
        if (pick.fadingFrom >= 0)
            add(levels[static_cast<std::size_t>(pick.fadingFrom)]);
        const double tall = std::min(1.5, static_cast<double>(pick.screenHeight)) * view.lines;
        row.cost.pixels += std::min(screen, 0.3 * std::numbers::pi * tall * tall / 4);
        row.errorPx = std::max(row.errorPx, static_cast<double>(pick.errorPx));
        ++row.drawn;
    }
    for (const LedgerRow& row : ledger.rows) {
        ledger.total.triangles += row.cost.triangles;
        ledger.total.vertices += row.cost.vertices;
        ledger.total.draws += row.cost.draws;
        ledger.total.pixels += row.cost.pixels;
    }
    ledger.total.pixels = std::min(ledger.total.pixels, screen);
    ledger.total.ms = frameMs(device, ledger.total);
    // The frame waits for the slower of geometry and pixels, so only that one is shared out.
    const double geometry = geometryMs(device, ledger.total);
    const double pixelsTotal = pixelMs(device, ledger.total);
    double pixelSum = 0;
    for (const LedgerRow& row : ledger.rows)
        pixelSum += row.cost.pixels;
    for (LedgerRow& row : ledger.rows)
        row.cost.ms = drawMs(device, row.cost) + (geometry >= pixelsTotal
                                                      ? geometryMs(device, row.cost)
                                                      : pixelsTotal * row.cost.pixels / std::max(pixelSum, 1.0));
    return ledger;
}

Result<Audit> auditRoute(const Scene& scene, const Route& route, const Device& device, const JobContext& job) {
    if (route.keys.empty() || route.length() <= 0)
        return Error{ErrorCode::BadInput, route.name.empty() ? "route" : route.name, "the route has no length",
                     "record or key a camera move first"};
    Audit audit;
    audit.route = route.name;
    audit.device = device.name;
    audit.framesPerSecond = device.frameRate;
    const View stated = scene.statedView(&device);
    SelectScene selectable = selectScene(scene, stated);
    if (scene.cullHidden)
        fillOccluders(scene, selectable);
    const auto count = static_cast<std::size_t>(std::floor(route.length() * device.frameRate)) + 1;
    std::vector<PickMemory> memory;
    Selection selection;
    Vec3d before = stated.eye;
    audit.frames.reserve(count);
    for (std::size_t f = 0; f < count; ++f) {
        if (f % 64 == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(f) / static_cast<double>(count), fmt::format("flying {}", route.name));
        }
        AuditFrame frame;
        frame.seconds = static_cast<double>(f) / device.frameRate;
        const View view = viewOnRoute(route, stated, frame.seconds);
        const double speed = f > 0 ? (view.eye - before).norm() * device.frameRate : 0;
        before = view.eye;
        select(selectable.chains, selectable.copies, view, frame.seconds, selectOptions(scene, selectable, speed),
               memory, selection);
        const Ledger ledger = ledgerOf(selectable, selection, view, device);
        frame.triangles = ledger.total.triangles;
        frame.draws = ledger.total.draws;
        frame.ms = ledger.total.ms;
        frame.worstErrorPx = selection.worstErrorPx;
        frame.switches = selection.switches;
        for (const LedgerRow& row : ledger.rows) {
            frame.subjectMs.push_back(static_cast<float>(row.cost.ms));
            frame.subjectTriangles.push_back(static_cast<std::uint32_t>(row.cost.triangles));
        }
        if (frame.ms > device.frameMs || frame.triangles > device.triangleBudget || frame.draws > device.drawBudget)
            ++audit.framesOver;
        if (!audit.frames.empty() && frame.ms > audit.frames[audit.worstFrame].ms)
            audit.worstFrame = f;
        audit.frames.push_back(std::move(frame));
    }
    return audit;
}

} // namespace thicket
