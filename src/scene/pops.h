#pragma once
// The switches of a scene, each looked at where it happens.

#include "bake/pop.h"
#include "scene/field_band.h"

#include <memory>

namespace thicket {

/// What a switch's score depends on: when this is the same, so is the score.
struct PopKey {
    std::shared_ptr<const Mesh> finer;
    std::shared_ptr<const Mesh> coarser;
    std::shared_ptr<const Surfaces> finerSurfaces;
    std::shared_ptr<const Surfaces> coarserSurfaces;
    double metres = 0; ///< measured as the promise is: to the nearest point
    double pixelScale = 0;
    double blurPx = 0; ///< as judgedBlur says
    /// Of ground: the tile that gives way to its coarser one, in place of meshes.
    std::shared_ptr<const TileTree> tree = {};
    std::uint32_t tile = 0; ///< the coarser one
    /// Of an emitter: it and the coarser level, in place of meshes.
    std::optional<Emitter> emitter = {};
    std::size_t emitterLevel = 0;
    /// Of a field: its copies and the levels of its assets, in place of meshes.
    FieldBand band = {};
    bool operator==(const PopKey&) const = default;
};

/// One switch of a chain that can happen within the subject's reach.
struct SwitchPlace {
    std::uint32_t subject = 0;
    int finer = 0; ///< the level shown before
    int level = 1; ///< the coarser one
    PopKey key;
    View view = {}; ///< of a field: the stated one

    /// The same switch at another distance.
    [[nodiscard]] SwitchPlace movedTo(double metres) const;
};

/// All switches of a scene whose levels have their meshes, subject by subject, for the stated view. Levels that never
/// show (their switch is where the next one's is) are left out. Meshes that stand nowhere but in fields switch there: of
/// a field all switches to a level of the same number are one. Of ground whose levels switch suddenly: of each level
/// the tile that is off most where all of its like have come in; levels that pass into each other have no switch.
std::vector<SwitchPlace> switchesOf(const Scene& scene);

/// One switch that is looked at from several distances: what both sides look like is made ready once.
/// REQUIRES   `place` is of `subject`, as it is.
/// THREADS    one at a time.
class SwitchLooks {
public:
    SwitchLooks(const Subject& subject, const SwitchPlace& place);
    ~SwitchLooks();
    SwitchLooks(const SwitchLooks&) = delete;
    SwitchLooks& operator=(const SwitchLooks&) = delete;
    /// ERRORS     Cancelled.
    Result<PopScore> score(double metres, const PopOptions& options, const JobContext& job);

private:
    struct Looks;
    SwitchPlace m_place;
    std::unique_ptr<Looks> m_looks;
};

/// The same where it is.
/// ERRORS     Cancelled.
Result<PopScore> scoreSwitch(const Subject& subject, const SwitchPlace& place, const PopOptions& options,
                             const JobContext& job);

} // namespace thicket
