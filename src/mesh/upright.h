#pragma once
// Which way is up in a file. Here it is +Y; what was made otherwise is turned about X in whole quarters, which is exact.

#include "base/named.h"
#include "mesh/rig.h"
#include "mesh/vec.h"

namespace thicket {

/// Each is a quarter turn about X, backwards, after the one before.
enum class Up { Y, Z, MinusY, MinusZ };
constexpr Named<Up> kUps[] = {{Up::Y, "y", "Y points up"},
                              {Up::Z, "z", "Z points up"},
                              {Up::MinusY, "y-down", "Y points down"},
                              {Up::MinusZ, "z-down", "Z points down"}};
constexpr std::span<const Named<Up>> namesOf(Up /*any*/) {
    return kUps;
}

/// A place or a direction of something in which `up` is up, once that is +Y.
template <class V> [[nodiscard]] V turnedUp(Up up, const V& v) {
    V out = v;
    const auto y = v[1];
    const auto z = v[2];
    switch (up) {
    case Up::Y:
        break;
    case Up::Z:
        out[1] = z;
        out[2] = -y;
        break;
    case Up::MinusY:
        out[1] = -y;
        out[2] = -z;
        break;
    case Up::MinusZ:
        out[1] = -z;
        out[2] = y;
        break;
    }
    return out;
}

/// That turn as a rotation.
[[nodiscard]] Quatd turnOf(Up up);

/// A skeleton whose roots are turned so, with what was bound to it.
void turnUp(Rig& rig, Up up);

} // namespace thicket
