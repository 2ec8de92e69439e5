#pragma once
// Which levels of a scene can hide others, kept from one selection to the next.

#include "scene/select_input.h"

#include <map>

namespace thicket {

/// Levels that are solid (nothing shines through any of them that is taken) and light enough to be looked behind.
class OccluderShelf {
public:
    /// Puts what has been made so far into the batches of a scene.
    /// COST       O(levels).
    void fill(const Scene& scene, SelectInput& input);
    /// Makes up to so many that are missing, beside each other; false when none was, or the job was cancelled.
    /// COST       O(T log T) of each level.
    bool makeSome(const Scene& scene, std::size_t most, const JobContext& job);
    bool makeOne(const Scene& scene) { return makeSome(scene, 1, {}); }

private:
    struct Kept {
        std::weak_ptr<const Mesh> mesh;
        std::weak_ptr<const Surfaces> surfaces;
        std::shared_ptr<const Occluder> occluder; ///< null: it hides nothing
    };
    std::map<const Mesh*, Kept> m_kept;
};

/// Makes all that there are, until the job is cancelled.
/// COST       O(T log T) of all levels that are light enough.
void fillOccluders(const Scene& scene, SelectInput& input, const JobContext& job = {});

} // namespace thicket
