#pragma once
// The tiles of terrains as meshes for the graphics card, made when they are first drawn and kept while there is room.
// A frame waits for a few at most: while others are made, what covers the same ground is drawn in their place, so there
// is never a hole.

#include "app/viewport/tile_maker.h"
#include "switching/selector.h"

#include <map>

namespace thicket::app {

class GroundTiles {
public:
    static constexpr std::size_t kMostBytes = std::size_t{256} << 20;

    /// `arrived` is called on another thread when tiles have been made that were waited for.
    explicit GroundTiles(std::function<void()> arrived) : m_maker(std::move(arrived)) {}

    /// Adds the tiles of all terrains of a selection: one item a tile.
    /// halvings  how many times each tile's cells are halved, where they can be: the viewport in motion.
    void add(const Scene& scene, const SelectInput& input, const Selection& selection, int halvings,
             std::vector<DrawItem>& out);
    [[nodiscard]] std::size_t bytes() const { return m_bytes; }
    /// How many were made for the last picture, while it waited.
    [[nodiscard]] std::size_t made() const { return m_made; }
    /// How many of the last picture's are still being made.
    [[nodiscard]] std::size_t waiting() const { return m_waiting; }

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
        bool stale = false;     ///< of the ground as it was before an edit
    };
    struct Ground {
        std::uint32_t subject;
        const TerrainBody* body;
        std::shared_ptr<const TileTree> tree;
        double allowPx;
        bool crossFade;
        int halvings;
    };
    void follow(std::uint32_t subject, const std::shared_ptr<const TileTree>& tree);
    void makeRoom();
    void keep(const Key& key, std::shared_ptr<const GroundMesh> mesh);
    void takeMade();
    /// A tile with its sides stitched in any way; null: there is none.
    [[nodiscard]] Kept* anyOf(std::uint32_t subject, std::uint32_t tile);
    struct Missing {
        TileTree::Ref ref;
        std::uint8_t stitch;
    };
    [[nodiscard]] std::vector<Missing> missingOf(const Ground& ground, const std::vector<DrawnTile>& tiles);
    void makeSome(const Ground& ground, const std::vector<Missing>& missing, std::vector<TileMaker::Wanted>& wanted);
    void draw(const Ground& ground, const DrawnTile& tile, Kept& kept, std::vector<DrawItem>& out) const;
    void drawAll(const Ground& ground, const std::vector<DrawnTile>& tiles, std::vector<DrawItem>& out);

    std::map<Key, Kept> m_tiles;
    std::map<std::uint32_t, std::shared_ptr<const TileTree>> m_trees; ///< that tiles were made of, by subject
    std::size_t m_bytes = 0;
    std::size_t m_made = 0;
    std::size_t m_waiting = 0;
    std::uint64_t m_picture = 0;
    TileMaker m_maker; ///< last: it ends before what it tells of
};

} // namespace thicket::app
