#pragma once
// From a selection to what is drawn: one item a run.

#include "app/viewport/gl_scene.h"
#include "switching/selector.h"

#include <map>

namespace thicket::app {

/// The views of impostors as meshes, kept while they are used.
class ImpostorViews {
public:
    /// The mesh of a level, or of an impostor the view that is nearest to a direction in its space.
    std::shared_ptr<const Mesh> seenFrom(const Level& level, const Vec3d& towardsCamera);

private:
    std::map<std::pair<const Mesh*, int>, std::pair<std::weak_ptr<const Mesh>, std::shared_ptr<const Mesh>>> m_views;
};

/// A level of a subject as an item, without a place. A level that is not cut again yet after opening is stood in for by
/// the finest there is.
DrawItem itemOf(const Subject& subject, int level);

/// Adds the copies of a run at a level to `out`: one item, or with an impostor one for each of its views that is seen.
void addRun(const Scene& scene, const SelectInput& input, const Selection& selection, const Run& run, int level,
            float fade, const View& view, const SelectOptions& options, ImpostorViews& views,
            std::vector<DrawItem>& out);

/// All that a selection for a view draws.
std::vector<DrawItem> itemsOf(const Scene& scene, const SelectInput& input, const Selection& selection,
                              const View& view, const SelectOptions& options, ImpostorViews& views);

} // namespace thicket::app
