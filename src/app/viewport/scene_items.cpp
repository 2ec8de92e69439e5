#include "app/viewport/scene_items.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {

std::shared_ptr<const Mesh> ImpostorViews::seenFrom(const Level& level, const Vec3d& towardsCamera) {
    if (level.views.across == 0)
        return level.mesh;
    const int view = nearestView(level.views, towardsCamera - level.views.centre);
    constexpr std::size_t kMostKept = 1024; // four corners each
    if (m_views.size() > kMostKept)
        m_views.clear();
    auto& [owner, mesh] = m_views[{level.mesh.get(), view}];
    if (!mesh || owner.lock() != level.mesh) {
        owner = level.mesh;
        mesh = std::make_shared<const Mesh>(viewRectangle(level.views, view));
    }
    return mesh;
}

DrawItem itemOf(const Subject& subject, int level) {
    const Level& of = subject.mesh().levels[static_cast<std::size_t>(level)];
    DrawItem item;
    item.level = level;
    item.mesh = of.mesh ? of.mesh : subject.mesh().source().mesh;
    item.surfaces = of.mesh ? surfacesOf(subject, of) : subject.mesh().surfaces;
    return item;
}

namespace {

/// Which copies of its batch an item draws.
void listRun(const Selection& selection, const Run& run, DrawItem& item) {
    if (run.listed) {
        const auto from = selection.listed.begin() + run.first;
        item.listed.assign(from, from + run.count);
    } else {
        item.first = run.first;
        item.count = run.count;
    }
}

void addStrands(const StrandsBody& body, const Batch& batch, const Selection& selection, const Run& run, int level,
                float fade, const View& view, const SelectOptions& options, std::vector<DrawItem>& out) {
    if (!body.strands || static_cast<std::size_t>(level) >= body.levels.size())
        return;
    DrawItem item;
    item.level = level;
    item.fade = fade;
    item.copies = batch.copies;
    listRun(selection, run, item);
    StrandDraw draw;
    draw.set = body.strands;
    draw.worth = body.worth;
    draw.costs = batch.strands;
    const StrandLevel& of = body.levels[static_cast<std::size_t>(level)];
    draw.deviation = level == 0 ? -1 : of.deviation;
    if (of.perCard > 0 && body.layout.cards) {
        constexpr double kEnds = 1e9; // metres that a line may be off and still has its ends
        draw.deviation = kEnds;
        draw.cards = body.layout.cards;
        std::vector<std::uint32_t> with;
        eachOf(selection, run, [&](std::uint32_t slot) {
            if (batch.copies->placementOf[slot] < draw.cards->count())
                with.push_back(slot);
        });
        if (with.empty())
            return;
        item.listed = std::move(with);
    }
    draw.look = body.look;
    draw.thinning = batch.thinning;
    draw.thins = hasSizes(batch, options);
    draw.keepFactor = std::max(options.keepFactor, 0.25); // what motion leaves out is made up for by width
    draw.decidedFrom = batch.chain.measuredFrom.value_or(view.eye);
    draw.halfFieldTangent = std::tan(view.fovY / 2);
    item.strands = std::move(draw);
    out.push_back(std::move(item));
}

} // namespace

void addRun(const Scene& scene, const SelectInput& input, const Selection& selection, const Run& run, int level,
            float fade, const View& view, const SelectOptions& options, ImpostorViews& views,
            std::vector<DrawItem>& out) {
    const Batch& batch = input.batches[run.batch];
    const Subject& asset = scene.subjects[batch.asset];
    if (const StrandsBody* strands = asset.strands())
        addStrands(*strands, batch, selection, run, level, fade, view, options, out);
    if (!asset.isMesh() || level >= static_cast<int>(asset.mesh().levels.size()))
        return; // particles of all emitters are one item

    const auto addSizes = [&](DrawItem& to) {
        to.sizes.clear();
        if (hasSizes(batch, options))
            for (const std::uint32_t slot : to.listed)
                to.sizes.push_back(static_cast<float>(drawnSize(batch, view, options, slot)));
    };
    DrawItem item = itemOf(asset, level);
    item.fade = fade;
    item.copies = batch.copies;
    const Level& of = asset.mesh().levels[static_cast<std::size_t>(level)];
    if (of.views.across > 0 && of.mesh) {
        std::map<std::shared_ptr<const Mesh>, std::vector<std::uint32_t>> bySide;
        eachOf(selection, run, [&](std::uint32_t slot) {
            const Placement& p = batch.copies->at(slot);
            bySide[views.seenFrom(of, p.rotation.conjugate() * (view.eye - p.position) / p.scale)].push_back(slot);
        });
        for (auto& [mesh, copies] : bySide) {
            item.mesh = mesh;
            item.listed = std::move(copies);
            addSizes(item);
            out.push_back(item);
        }
        return;
    }
    if (hasSizes(batch, options)) {
        eachOf(selection, run, [&item](std::uint32_t slot) { item.listed.push_back(slot); });
        addSizes(item);
    } else {
        listRun(selection, run, item);
    }
    out.push_back(std::move(item));
}

std::vector<DrawItem> itemsOf(const Scene& scene, const SelectInput& input, const Selection& selection,
                              const View& view, const SelectOptions& options, ImpostorViews& views) {
    std::vector<DrawItem> out;
    for (const Run& run : selection.runs) {
        const bool fading = run.fadingFrom >= 0;
        addRun(scene, input, selection, run, run.level, fading ? std::max(run.fade, 0.001F) : 1.0F, view, options,
               views, out);
        if (fading)
            addRun(scene, input, selection, run, run.fadingFrom, std::min(-run.fade, -0.001F), view, options, views,
                   out);
    }
    return out;
}

} // namespace thicket::app
