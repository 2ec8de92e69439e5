#pragma once
// Makes tiles of ground on a thread of its own, in the order in which they are wanted now.

#include "app/viewport/gl_scene.h"
#include "switching/tile_tree.h"
#include "terrain/heights.h"

#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

namespace thicket::app {

/// A tile relative to its north-west corner at height 0, with its sides stitched as said; and lighter ones of it, which
/// fit those of its neighbours as it fits its neighbours.
std::shared_ptr<const GroundMesh> makeGroundTile(const Heights& heights, const TileTree& tree, TileTree::Ref tile,
                                                 std::uint8_t stitch);

class TileMaker {
public:
    struct Wanted {
        std::uint32_t subject = 0;
        std::shared_ptr<const Heights> heights;
        std::shared_ptr<const TileTree> tree;
        TileTree::Ref ref;
        std::uint8_t stitch = 0;
    };
    struct Made {
        Wanted of;
        std::shared_ptr<const GroundMesh> mesh;
    };

    /// `arrived` is called on the thread that makes them, when some are there to be taken.
    explicit TileMaker(std::function<void()> arrived);
    TileMaker(const TileMaker&) = delete;
    TileMaker& operator=(const TileMaker&) = delete;
    /// Waits for the tile that is being made.
    ~TileMaker();

    /// In place of what was wanted before: what nobody waits for any more is not made.
    void want(std::vector<Wanted> tiles);
    [[nodiscard]] std::vector<Made> take();

private:
    void run(const std::stop_token& stop);

    std::function<void()> m_arrived;
    std::mutex m_mutex;
    std::condition_variable_any m_wake;
    std::vector<Wanted> m_wanted; ///< the first of them last
    std::vector<Made> m_made;
    std::jthread m_thread;
};

} // namespace thicket::app
