#pragma once
// Where particles are, worked out beside the window's thread: what is newest is drawn until what was asked for is there.

#include "app/viewport/gl_particles.h"
#include "emitters/particles.h"
#include "switching/placement.h"

#include <QThreadPool>
#include <functional>
#include <memory>
#include <mutex>
#include <vector>

namespace thicket::app {

/// One emitter at one place, as one of its levels.
struct CloudSource {
    std::uint32_t subject = 0;
    std::vector<EmitterPart> parts;
    std::vector<std::shared_ptr<const Image>> sprites; ///< one a part; null: a soft disc
    std::uint32_t seed = 0;
    Placement at;
    double since = 0; ///< what was given off within counts
    double until = 0;
    bool operator==(const CloudSource&) const = default;
};

/// All that there is, at a moment, as it is seen from a place.
struct CloudWish {
    std::vector<CloudSource> sources;
    Vec3d eye{0, 0, 0};
    double seconds = 0;
    bool operator==(const CloudWish&) const = default;
};

/// Particles of all sources, the farthest first; null where nothing is alive.
/// COST   O(live * log(live)).
std::shared_ptr<const ParticleDraw> makeCloud(const CloudWish& wish);

class CloudMaker {
public:
    /// ready   called on the worker's thread when what was asked for last is there
    explicit CloudMaker(std::function<void()> ready);
    /// Waits for the worker.
    ~CloudMaker();
    CloudMaker(const CloudMaker&) = delete;
    CloudMaker& operator=(const CloudMaker&) = delete;

    struct Made {
        std::shared_ptr<const ParticleDraw> cloud;
        bool asIs = false; ///< it is what was wished for
    };
    /// The newest that is made, and asks for this where it is not that.
    Made want(const CloudWish& wish);
    /// What was asked for last is not there yet.
    [[nodiscard]] bool waiting() const;

private:
    void work();

    std::function<void()> m_ready;
    mutable std::mutex m_mutex;
    CloudWish m_asked;
    std::uint64_t m_number = 0; ///< of what was asked for last
    std::uint64_t m_madeNumber = 0;
    std::shared_ptr<const ParticleDraw> m_made;
    bool m_busy = false;
    QThreadPool m_worker;
};

} // namespace thicket::app
