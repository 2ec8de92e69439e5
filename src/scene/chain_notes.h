#pragma once
// What is wrong with when the levels of a subject show, why, and what would mend it.

#include "scene/scene.h"

namespace thicket {

enum class ChainNoteKind {
    OutOfOrder,        ///< set by hand nearer than the level before it
    NeverShows,        ///< comes in where the next one does
    BandTooWide,       ///< the hysteresis of its switch reaches beyond the next one
    BeyondReach,       ///< comes in where nothing is drawn any more
    BeyondFar,         ///< comes in beyond the far plane of the stated view
    CoarserThanPromise ///< set by hand where it is off by more than the allowance
};

struct ChainNote {
    ChainNoteKind kind = ChainNoteKind::OutOfOrder;
    int level = 0;
    std::string text; ///< what is wrong and why, in one sentence
    std::string mend; ///< what the mend does, in a few words
    Subject mended;   ///< the subject with it
};

/// In order of levels. A mend takes away its own note; applied one after the other until none is left they come to an
/// end.
std::vector<ChainNote> chainNotes(const Subject& subject, const View& view);

} // namespace thicket
