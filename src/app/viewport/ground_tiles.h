#pragma once
// The tiles of terrains as meshes for the graphics card, made when they are first drawn and kept while there is room.

#include "app/viewport/gl_scene.h"
#include "switching/selector.h"
#include "terrain/heights.h"

#include <map>

namespace thicket::app {

class GroundTiles {
public:
    static constexpr std::size_t kMostBytes = std::size_t{192} << 20;

    /// Adds the tiles of all terrains of a selection: one item a tile.
    void add(const Scene& scene, const SelectInput& input, const Selection& selection, std::vector<DrawItem>& out);
    [[nodiscard]] std::size_t bytes() const { return m_bytes; }
    /// How many were made for the last picture.
    [[nodiscard]] std::size_t made() const { return m_made; }

private:
    struct Key {
        std::uint32_t subject;
        std::uint32_t tile;
        std::uint8_t stitch;
        auto operator<=>(const Key&) const = default;
    };
    struct Kept {
        std::shared_ptr<const GroundMesh> mesh;
        std::uint64_t used = 0; ///< picture in which it was last drawn
    };
    void follow(std::uint32_t subject, const std::shared_ptr<const TileTree>& tree);
    void makeRoom();

    std::map<Key, Kept> m_tiles;
    std::map<std::uint32_t, std::shared_ptr<const TileTree>> m_trees; ///< that tiles were made of, by subject
    std::size_t m_bytes = 0;
    std::size_t m_made = 0;
    std::uint64_t m_picture = 0;
};

} // namespace thicket::app
