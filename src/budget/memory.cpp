#include "budget/memory.h"

#include "scene/kinds.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace thicket {
namespace {

constexpr double kPlaceBytes = 32;   // a place, a turn and a size in floats
constexpr double kIndexBytes = 4;    // as they are shipped
constexpr double kTileVertex = 12;   // a place in floats; tiles of a level share their indices
constexpr double kPerMegabyte = 1e6; // devices are told in these

double indexBytes(const Mesh& mesh) {
    return kIndexBytes * static_cast<double>(mesh.indices.size());
}
double vertexBytes(const Mesh& mesh) {
    return static_cast<double>(mesh.bytes()) - indexBytes(mesh);
}

SubjectMemory ofMesh(const Subject& subject, const MeshBody& body) {
    SubjectMemory out;
    const bool shares = body.cutRules.reuseVertices && body.source().mesh != nullptr;
    if (shares)
        out.vertices = vertexBytes(*body.source().mesh);
    for (const Level& level : body.levels) {
        double own = 0;
        if (level.mesh) {
            own += indexBytes(*level.mesh);
            const bool sources = shares && !level.surfaces &&
                                 (level.origin == LevelOrigin::Collapsed || level.origin == LevelOrigin::Source);
            if (sources)
                out.saved += level.origin == LevelOrigin::Source ? 0 : vertexBytes(*level.mesh);
            else
                own += vertexBytes(*level.mesh);
        }
        const double pictures = textureBytesOf(subject, level);
        if (level.surfaces) {
            own += pictures;
            out.pictureBytes += pictures;
        } else {
            out.saved += std::min(out.pictures, pictures);
            out.pictures = std::max(out.pictures, pictures);
        }
        out.levels.push_back(own);
    }
    out.pictureBytes += out.pictures;
    if (body.placed)
        out.always = kPlaceBytes * static_cast<double>(body.placed->size());
    return out;
}

SubjectMemory ofTerrain(const TerrainBody& body) {
    SubjectMemory out;
    const double side = static_cast<double>(body.cells) + 1;
    out.tile = kTileVertex * side * side;
    if (body.tree)
        out.tiles = out.tile * static_cast<double>(body.tree->tiles.size());
    return out;
}

/// What shows within so many frames of each: of masks all bits, of tiles the most.
std::vector<Shown> within(const std::vector<std::vector<Shown>>& shown, std::size_t subject, std::size_t frames) {
    const std::size_t n = shown.size();
    std::vector<Shown> out(n);
    for (std::size_t f = 0; f < n; ++f)
        out[f] = shown[f][subject];
    // Doubling how far each looks, both ways: as often as the distance has bits.
    for (std::size_t reach = 0; reach < std::min(frames, n);) {
        const std::size_t step = std::min(reach + 1, frames - reach);
        std::vector<Shown> wider = out;
        for (std::size_t f = 0; f < n; ++f)
            for (const std::size_t other : {f >= step ? f - step : f, f + step < n ? f + step : f}) {
                wider[f].levels |= out[other].levels;
                wider[f].tiles = std::max(wider[f].tiles, out[other].tiles);
            }
        out = std::move(wider);
        reach += step;
    }
    return out;
}

} // namespace

double SubjectMemory::with(std::uint64_t mask, double drawn) const {
    double out = always + (drawn < 0 ? tiles : tile * drawn);
    bool any = false;
    for (std::size_t i = 0; i < levels.size(); ++i)
        if ((mask >> std::min<std::size_t>(i, 63) & 1U) != 0) {
            out += levels[i];
            any = true;
        }
    return any ? out + pictures + vertices : out;
}

std::vector<SubjectMemory> memoryOfScene(const Scene& scene) {
    std::vector<SubjectMemory> out;
    for (const Subject& subject : scene.subjects)
        out.push_back(std::visit(Overload{[&](const MeshBody& body) { return ofMesh(subject, body); },
                                          [](const InstancesBody& body) {
                                              SubjectMemory own;
                                              own.always = kPlaceBytes * static_cast<double>(body.copies->size());
                                              return own;
                                          },
                                          [](const TerrainBody& body) { return ofTerrain(body); },
                                          [](const StrandsBody& body) {
                                              SubjectMemory own;
                                              own.always =
                                                  body.strands ? static_cast<double>(body.strands->bytes()) : 0;
                                              return own;
                                          },
                                          [](const EmitterBody& body) {
                                              SubjectMemory own;
                                              own.always = forecastOf(body.emitter.parts).bytes();
                                              return own;
                                          }},
                                 subject.body));
    return out;
}

MemoryUse memoryAlong(const Scene& scene, const Device& device, const std::vector<std::vector<Shown>>& shown) {
    MemoryUse out;
    const std::vector<SubjectMemory> memory = memoryOfScene(scene);
    for (const SubjectMemory& m : memory) {
        out.all += m.all() / kPerMegabyte;
        out.pictures += m.pictureBytes / kPerMegabyte;
        out.saved += m.saved / kPerMegabyte;
    }
    const std::size_t frames = shown.size();
    const bool all = device.aheadSeconds <= 0;
    const auto ahead = static_cast<std::size_t>(std::min(device.aheadSeconds * device.frameRate, 1e9));
    std::vector<double> sum(frames, 0);
    std::vector<std::vector<float>> own(memory.size());
    for (std::size_t s = 0; s < memory.size(); ++s) {
        const std::vector<Shown> there = all ? std::vector<Shown>() : within(shown, s, ahead);
        own[s].resize(frames);
        for (std::size_t f = 0; f < frames; ++f) {
            const double mb = (all ? memory[s].all() : memory[s].with(there[f].levels, there[f].tiles)) / kPerMegabyte;
            own[s][f] = static_cast<float>(mb);
            sum[f] += mb;
        }
    }
    out.frames.assign(sum.begin(), sum.end());
    for (std::size_t f = 0; f < frames; ++f) {
        out.framesOver += device.memoryMb > 0 && sum[f] > device.memoryMb ? 1 : 0;
        if (sum[f] > out.worst) {
            out.worst = sum[f];
            out.worstFrame = f;
        }
    }
    for (const std::vector<float>& mb : own)
        out.subjects.push_back(frames > 0 ? static_cast<double>(mb[out.worstFrame]) : 0);
    return out;
}

} // namespace thicket
