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
    /// Makes all that are missing, subjects beside each other, until the job is cancelled.
    /// COST       O(T log T) of each level.
    void makeAll(const Scene& scene, const JobContext& job);
    /// Makes one that is missing; false when none was.
    bool makeOne(const Scene& scene);

private:
    struct Kept {
        std::weak_ptr<const Mesh> mesh;
        std::weak_ptr<const Surfaces> surfaces;
        std::shared_ptr<const Occluder> occluder; ///< null: it hides nothing
        bool lattice = false;                     ///< since it covers next to nothing, though it is solid
    };
    static Kept make(const std::shared_ptr<const Mesh>& mesh, const std::shared_ptr<const Surfaces>& surfaces);
    /// What is kept of a level; null: it was not made, or of another mesh or surfaces.
    [[nodiscard]] const Kept* keptOf(const Subject& subject, const Level& level) const;
    /// Up to so many that are missing.
    [[nodiscard]] std::vector<Kept> missingOf(const Subject& subject, std::size_t most) const;
    /// False: there are none.
    bool keep(const std::vector<Kept>& made);

    std::map<const Mesh*, Kept> m_kept;
};

/// Makes all that there are, until the job is cancelled.
/// COST       O(T log T) of all levels that are light enough.
void fillOccluders(const Scene& scene, SelectInput& input, const JobContext& job = {});

} // namespace thicket
