#pragma once
// The steps of one selection. What copies are decided to be depends on the camera's way alone; what is hidden and counted
// comes after that. Internal to the selector.

#include "switching/batch_pass.h"

#include <functional>

namespace thicket::detail {

/// A selection that has begun. Stays where it is: its passes point into it.
struct Step {
    SelectMoment moment;
    Frustum frustum;
    std::vector<BatchPass> passes; ///< one a batch
    double since = 0;              ///< seconds from the one before
    bool changed = false;          ///< more than the camera did

    explicit Step(SelectMoment at) : moment(std::move(at)), frustum(frustumOf(moment.view)) {}
    Step(const Step&) = delete;
    Step& operator=(const Step&) = delete;
};

/// Whether times are counted from elsewhere from a moment on, for floats to tell them apart.
bool needsNewEpoch(const SelectState& state, double seconds);

/// Takes a state on to the step's moment, with nothing hidden.
void begin(const SelectInput& input, SelectState& state, Step& step);
/// Decides about all copies, and does something else beside that.
void decideAll(const std::vector<BatchPass>& passes, const std::function<void()>& beside);

/// Chooses the tiles of all grounds. Returns the seconds it took.
double chooseTiles(const SelectInput& input, const SelectMoment& moment, std::vector<TileState>& states,
                   std::vector<TileCut>& cuts);
/// Hides copies, counts and lists what is drawn. REQUIRES that copies were decided and tiles chosen.
void finish(const SelectInput& input, Step& step, SelectState& state, Selection& out);

} // namespace thicket::detail
