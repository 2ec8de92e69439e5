#include "scene/pops.h"

#include <memory>

namespace thicket {
namespace {

/// A level's looks from any side; of an impostor the view that is shown from there.
class LevelLooks {
public:
    LevelLooks(const Level& level, std::shared_ptr<const Surfaces> surfaces)
        : m_level(level), m_surfaces(std::move(surfaces)) {
        if (m_level.views.across == 0)
            m_seen = std::make_unique<Appearance>(*m_level.mesh, *m_surfaces);
    }
    const Appearance& from(const Vec3d& back) {
        if (m_level.views.across == 0)
            return *m_seen;
        m_seen.reset();
        m_view = viewRectangle(m_level.views, nearestView(m_level.views, back));
        m_seen = std::make_unique<Appearance>(m_view, *m_surfaces);
        return *m_seen;
    }

private:
    const Level& m_level;
    std::shared_ptr<const Surfaces> m_surfaces;
    Mesh m_view;
    std::unique_ptr<Appearance> m_seen;
};

} // namespace

std::vector<SwitchPlace> switchesOf(const Scene& scene) {
    std::vector<SwitchPlace> out;
    const View view = scene.statedView();
    for (const Subject& s : scene.subjects) {
        if (!s.isMesh())
            continue;
        const ResolvedChain chain = chainOf(s, view);
        const std::vector<Level>& levels = s.mesh().levels;
        std::size_t shown = 0; // the level in force before the switch
        for (std::size_t i = 1; i < levels.size(); ++i) {
            if (chain.neverShows(i) || chain.beyondReach(i) || !levels[i].mesh || !levels[shown].mesh)
                continue;
            out.push_back({s.id,
                           static_cast<int>(i),
                           {levels[shown].mesh, levels[i].mesh, surfacesOf(s, levels[shown]), surfacesOf(s, levels[i]),
                            chain.fromMetres[i], scene.settings.view.pixelScale()}});
            shown = i;
        }
    }
    return out;
}

Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job) {
    const auto levelOf = [&](const std::shared_ptr<const Mesh>& mesh) -> const Level& {
        for (const Level& level : subject.mesh().levels)
            if (level.mesh == mesh)
                return level;
        return subject.mesh().source();
    };
    LevelLooks finer(levelOf(place.key.finer), place.key.finerSurfaces);
    LevelLooks coarser(levelOf(place.key.coarser), place.key.coarserSurfaces);
    // The switch happens so far from the nearest point of the bounds; the middle is farther by about their half depth.
    const Vec3d half = subject.bounds.size() / 2;
    const double depth = std::max(half.x(), half.z());
    return scorePop([&](const Vec3d& back) -> const Appearance& { return finer.from(back); },
                    [&](const Vec3d& back) -> const Appearance& { return coarser.from(back); }, subject.bounds,
                    std::max(place.key.metres + depth, 1.2 * depth + 1e-6), place.key.pixelScale, options, job);
}

} // namespace thicket
