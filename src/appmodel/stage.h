#pragma once
// The five stages, and what the path along the top says of each.

#include <QString>

namespace thicket::app {

enum class Stage { Gather, Thin, Switch, Budget, Ship };

/// Whether a stage's work is done, and what is left in a few words.
struct StageState {
    bool done = false;
    QString caption;
};

} // namespace thicket::app
