#include "scene/kinds.h"

#include "base/text.h"
#include "scene/emitter_subject.h"
#include "scene/grounds.h"
#include "scene/strand_subject.h"

#include <algorithm>
#include <fmt/format.h>
#include <tuple>

namespace thicket {
namespace {

std::shared_ptr<const CellTable> cellsFor(const SelectInput* before, std::uint32_t subject,
                                          const SharedPlacements& placements, std::optional<std::uint32_t> asset,
                                          const Subject& thing) {
    if (before != nullptr)
        for (const Batch& batch : before->batches) {
            const CellTable& table = *batch.copies;
            if (before->subjects[batch.subject] == subject && table.placements == placements && table.asset == asset &&
                table.bounds.low == thing.bounds.low && table.bounds.high == thing.bounds.high &&
                table.radius == thing.radius)
                return batch.copies;
        }
    return makeCells(placements, asset, thing.bounds, thing.radius);
}

std::optional<std::uint32_t> placeOf(const Scene& scene, std::uint32_t id) {
    for (std::uint32_t i = 0; i < scene.subjects.size(); ++i)
        if (scene.subjects[i].id == id)
            return i;
    return std::nullopt;
}

} // namespace

std::vector<Batch> batchesOf(const Scene& scene, std::uint32_t index, const View& view, const SelectInput* before) {
    const Subject& subject = scene.subjects[index];
    return std::visit(Overload{[&](const MeshBody& body) {
                                   std::vector<Batch> out;
                                   if (body.placed && !body.placed->empty())
                                       out.push_back({index,
                                                      index,
                                                      chainOf(subject, view),
                                                      cellsFor(before, subject.id, body.placed, std::nullopt, subject),
                                                      false,
                                                      {},
                                                      {}});
                                   return out;
                               },
                               [&](const InstancesBody& body) {
                                   std::vector<Batch> out;
                                   for (std::uint32_t i = 0; i < body.assets.size(); ++i) {
                                       const auto asset = placeOf(scene, body.assets[i]);
                                       if (!asset || !scene.subjects[*asset].isMesh())
                                           continue;
                                       const Subject& thing = scene.subjects[*asset];
                                       auto cells = cellsFor(before, subject.id, body.copies, i, thing);
                                       if (cells->size() == 0)
                                           continue;
                                       ResolvedChain chain = chainIn(subject, thing, view);
                                       Thinning thinning =
                                           nearerBy(thinningFor(body.thinning, fullHeightOf(view, chain.radius)),
                                                    nearerTimes(view, subject.id));
                                       out.push_back({index,
                                                      *asset,
                                                      std::move(chain),
                                                      std::move(cells),
                                                      body.engineInstances,
                                                      std::move(thinning),
                                                      {}});
                                   }
                                   return out;
                               },
                               [](const TerrainBody&) { return std::vector<Batch>(); },
                               [&](const StrandsBody& body) {
                                   std::vector<Batch> out;
                                   if (body.layout.cells)
                                       out.push_back({index,
                                                      index,
                                                      strandChain(subject, view),
                                                      body.layout.cells,
                                                      true,
                                                      nearerBy(strandThinning(subject, view), nearerTimes(view, subject.id)),
                                                      {},
                                                      body.layout.costs});
                                   return out;
                               },
                               [&](const EmitterBody& body) {
                                   std::vector<Batch> out;
                                   if (body.placed && !body.placed->empty())
                                       out.push_back({index,
                                                      index,
                                                      emitterChain(subject, view),
                                                      cellsFor(before, subject.id, body.placed, std::nullopt, subject),
                                                      false,
                                                      {},
                                                      {}});
                                   return out;
                               }},
                      subject.body);
}

std::optional<GroundBatch> groundBatchOf(const Subject& subject, std::uint32_t index, const View& view) {
    const TerrainBody* body = subject.terrain();
    if (body == nullptr || !body->tree)
        return std::nullopt;
    return GroundBatch{index, body->tree, tileRuleOf(subject, view), subject.rule};
}

std::optional<ResolvedChain> ownChainOf(const Subject& subject, const View& view) {
    return std::visit(Overload{[&](const MeshBody&) { return std::optional(chainOf(subject, view)); },
                               [](const InstancesBody&) { return std::optional<ResolvedChain>(); },
                               [&](const TerrainBody& body) {
                                   return body.tree ? std::optional(groundChain(subject, view)) : std::nullopt;
                               },
                               [&](const StrandsBody& body) {
                                   return body.strands ? std::optional(strandChain(subject, view)) : std::nullopt;
                               },
                               [&](const EmitterBody&) { return std::optional(emitterChain(subject, view)); }},
                      subject.body);
}

void setFixed(Subject& subject, std::size_t level, const std::optional<FixedSwitch>& fixed) {
    const auto set = [&](std::vector<std::optional<FixedSwitch>>& all) {
        all.resize(std::max(all.size(), level + 1));
        all[level] = fixed;
    };
    std::visit(Overload{[&](MeshBody& body) { body.levels[level].fixed = fixed; },
                        [&](InstancesBody& body) { set(body.fixed); }, [&](TerrainBody& body) { set(body.fixed); },
                        [&](StrandsBody& body) { body.levels[level].fixed = fixed; },
                        [&](EmitterBody& body) {
                            // It follows no error, so it always has a place of its own.
                            body.emitter.levels[level].from = fixed.value_or(usualSwitch(body.emitter, level));
                        }},
               subject.body);
}

std::size_t levelCount(const Subject& subject) {
    return std::visit(
        Overload{[](const MeshBody& body) { return body.levels.size(); },
                 [](const InstancesBody&) { return std::size_t{0}; },
                 [](const TerrainBody& body) { return body.tree ? body.tree->levels.size() : std::size_t{0}; },
                 [](const StrandsBody& body) { return body.levels.size(); },
                 [](const EmitterBody& body) { return body.emitter.levels.size(); }},
        subject.body);
}

const Thinning* thinningOf(const Subject& subject) {
    if (const InstancesBody* field = subject.instances())
        return &field->thinning;
    const StrandsBody* strands = subject.strands();
    return strands != nullptr ? &strands->thinning : nullptr;
}

double nearerTimes(const View& view, std::uint32_t subject) {
    return view.looser(subject) / view.detail;
}

double fullHeightOf(const Scene& scene, const Subject& subject, const View& view) {
    double radius = 0;
    if (const InstancesBody* field = subject.instances())
        for (const std::uint32_t id : field->assets)
            if (const Subject* asset = scene.findMesh(id))
                radius = std::max(radius, asset->radius);
    if (subject.strands() != nullptr)
        radius = strandChain(subject, view).radius;
    return radius > 0 ? fullHeightOf(view, radius) : 0;
}

void setThinning(Subject& subject, Thinning thinning) {
    if (auto* field = std::get_if<InstancesBody>(&subject.body))
        field->thinning = std::move(thinning);
    else
        std::get<StrandsBody>(subject.body).thinning = std::move(thinning);
}

SharedPlacements placementsOf(const Subject& subject) {
    return std::visit(Overload{[](const MeshBody& body) { return body.placed; },
                               [](const InstancesBody& body) { return body.copies; },
                               [](const TerrainBody&) { return SharedPlacements(); },
                               [](const StrandsBody&) { return SharedPlacements(); },
                               [](const EmitterBody& body) { return body.placed; }},
                      subject.body);
}

void setPlacements(Subject& subject, SharedPlacements placements) {
    std::visit(Overload{[&](MeshBody& body) { body.placed = std::move(placements); },
                        [&](InstancesBody& body) { body.copies = std::move(placements); }, [](TerrainBody&) {},
                        [](StrandsBody&) {}, [&](EmitterBody& body) { body.placed = std::move(placements); }},
               subject.body);
}

std::size_t copyCount(const Subject& subject) {
    if (const StrandsBody* body = subject.strands())
        return body->strands ? body->strands->size() : 0;
    const SharedPlacements placed = placementsOf(subject);
    return placed ? placed->size() : subject.terrain() != nullptr ? 1 : 0;
}

double memoryOf(const Subject& subject) {
    const SharedPlacements all = placementsOf(subject);
    const double placements = all ? static_cast<double>(all->size() * sizeof(Placement)) : 0;
    return std::visit(
        Overload{[&](const MeshBody& body) {
                     double bytes = placements;
                     for (const Level& level : body.levels)
                         bytes += level.mesh ? static_cast<double>(level.mesh->bytes()) : 0;
                     return bytes;
                 },
                 [&](const InstancesBody&) { return placements; },
                 [](const TerrainBody& body) {
                     const double tree =
                         body.tree ? static_cast<double>(body.tree->tiles.size() * sizeof(TileTree::Tile)) : 0;
                     // Heights that lie in a file are in memory as long as they are looked at, and no longer.
                     const bool here = body.heights && !body.heights->grid.stored();
                     return tree + (here ? static_cast<double>(body.heights->bytes()) : 0);
                 },
                 [](const StrandsBody& body) {
                     if (!body.strands)
                         return 0.0;
                     const double sums = 4.0 * static_cast<double>(body.levels.size());
                     return static_cast<double>(body.strands->bytes()) +
                            4.0 * static_cast<double>(body.strands->points.size()) +
                            (sizeof(Placement) + sums) * static_cast<double>(body.strands->size());
                 },
                 [&](const EmitterBody& body) { return placements + forecastOf(body.emitter.parts).bytes(); }},
        subject.body);
}

double weightOf(const Scene& scene, const Subject& subject) {
    return std::visit(Overload{[](const MeshBody& body) { return static_cast<double>(body.source().triangles); },
                               [&](const InstancesBody& body) {
                                   double sum = 0;
                                   for (const std::uint32_t id : body.assets)
                                       if (const Subject* asset = scene.findMesh(id))
                                           sum += asset->mesh().source().triangles;
                                   return body.assets.empty() ? 0.0
                                                              : sum / static_cast<double>(body.assets.size()) *
                                                                    static_cast<double>(body.copies->size());
                               },
                               [](const TerrainBody& body) {
                                   return body.heights ? 2 * static_cast<double>(body.heights->columns - 1) *
                                                             static_cast<double>(body.heights->rows - 1)
                                                       : 0.0;
                               },
                               [](const StrandsBody& body) {
                                   return body.strands ? 2 * static_cast<double>(body.strands->segments()) : 0.0;
                               },
                               [](const EmitterBody& body) { return 2 * forecastOf(body.emitter.parts).live; }},
                      subject.body);
}

std::string weightText(const Subject& subject) {
    return std::visit(
        Overload{[&](const MeshBody& body) {
                     const std::string count = shortCount(body.source().triangles) + " · ";
                     // The staircase beside it shows the levels, so the line has room for how often it stands there.
                     if (const std::size_t placed = copyCount(subject); placed > 1)
                         return count + fmt::format("{} placed", placed);
                     return count +
                            (body.levels.size() == 1 ? "1 level" : fmt::format("{} levels", body.levels.size()));
                 },
                 [&](const InstancesBody& body) {
                     return fmt::format("{} copies{}", grouped(static_cast<std::int64_t>(body.copies->size())),
                                        body.assets.size() == 1 ? std::string()
                                                                : fmt::format(" of {} assets", body.assets.size()));
                 },
                 [](const TerrainBody& body) {
                     if (!body.heights)
                         return std::string("heights missing");
                     const double wide = body.heights->width();
                     const double deep = body.heights->depth();
                     return std::max(wide, deep) < 1000
                                ? fmt::format("{} × {} m", figure(wide, 3), figure(deep, 3))
                                : fmt::format("{} × {} km", figure(wide / 1000, 3), figure(deep / 1000, 3));
                 },
                 [](const StrandsBody& body) {
                     return body.strands
                                ? fmt::format("{} strands", grouped(static_cast<std::int64_t>(body.strands->size())))
                                : std::string("strands missing");
                 },
                 [&](const EmitterBody& body) {
                     const std::string live =
                         fmt::format("{} live", grouped(std::lround(forecastOf(body.emitter.parts).live)));
                     const std::size_t placed = copyCount(subject);
                     return placed > 1 ? fmt::format("{} · {} placed", live, placed) : live;
                 }},
        subject.body);
}

Likeness likenessOf(const Scene& scene, const Subject& subject) {
    return std::visit(
        Overload{
            [](const MeshBody& body) {
                return Likeness{body.source().mesh, body.surfaces};
            },
            [&](const InstancesBody& body) {
                const Subject* first = body.assets.empty() ? nullptr : scene.findMesh(body.assets.front());
                return first == nullptr ? Likeness() : Likeness{first->mesh().source().mesh, first->mesh().surfaces};
            },
            [](const TerrainBody& body) {
                return Likeness{body.likeness, body.likenessSurfaces};
            },
            [](const StrandsBody& body) {
                return Likeness{body.likeness, body.likenessSurfaces};
            },
            [](const EmitterBody& body) {
                return Likeness{body.likeness, body.likenessSurfaces};
            }},
        subject.body);
}

bool isIncomplete(const Scene& scene, const Subject& subject) {
    return std::visit(Overload{[](const MeshBody& body) { return !body.source().mesh; },
                               [&](const InstancesBody& body) {
                                   return std::any_of(body.assets.begin(), body.assets.end(), [&](std::uint32_t asset) {
                                       const Subject* found = scene.findMesh(asset);
                                       return found == nullptr || !found->mesh().source().mesh;
                                   });
                               },
                               [](const TerrainBody& body) { return !body.heights; },
                               [](const StrandsBody& body) { return !body.strands; },
                               [](const EmitterBody&) { return false; }},
                      subject.body);
}

void refresh(const Scene& scene, Subject& subject) {
    std::visit(Overload{[&](MeshBody&) { refreshSubject(subject); },
                        [&](InstancesBody& body) {
                            Vec3d low = Vec3d::Constant(1e300);
                            Vec3d high = -low;
                            for (const Placement& copy : *body.copies) {
                                const Subject* asset =
                                    copy.asset < body.assets.size() ? scene.findMesh(body.assets[copy.asset]) : nullptr;
                                if (asset == nullptr)
                                    continue;
                                const Vec3d centre = centreOf(copy, asset->bounds);
                                const Vec3d radius = Vec3d::Constant(asset->radius * copy.scale);
                                low = low.cwiseMin(centre - radius);
                                high = high.cwiseMax(centre + radius);
                            }
                            if (low.x() > high.x())
                                low = high = {0, 0, 0};
                            subject.bounds = {low, high};
                            subject.radius = std::max(subject.bounds.diagonal() / 2, 1e-3);
                        },
                        [&](TerrainBody& body) {
                            if (!body.tree)
                                return;
                            const TileTree::Ref root{static_cast<std::uint32_t>(body.tree->levels.size() - 1), 0, 0};
                            subject.bounds = body.tree->boundsOf(root);
                            subject.radius = std::max(subject.bounds.diagonal() / 2, 1e-3);
                        },
                        [&](StrandsBody& body) {
                            if (!body.strands)
                                return;
                            subject.bounds = body.places.world;
                            subject.radius = std::max(subject.bounds.diagonal() / 2, 1e-3);
                        },
                        [&](EmitterBody& body) {
                            subject.bounds = particleBounds(body.emitter.parts);
                            std::tie(body.likeness, body.likenessSurfaces) = emitterLikeness(body.emitter);
                            subject.radius = std::max(subject.bounds.diagonal() / 2, 1e-3);
                        }},
               subject.body);
}

} // namespace thicket
