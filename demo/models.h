#pragma once
// The Saltmere's models, deterministic.

#include "mesh/mesh.h"
#include "mesh/rig.h"

namespace thicket::demo {

struct Model {
    std::string name;
    std::vector<Mesh> levels; ///< one, but for the skiff
    Surfaces surfaces;
    Rig rig = {}; ///< empty: it does not move
};

Model windpump();     ///< about 480 k triangles, 14.8 m tall
Model eelTrap();      ///< about 300 k, woven, 1.6 m long
Model sluiceGate();   ///< about 180 k, 4.6 m wide
Model skiff();        ///< three levels made by hand, 4.4 m long
Model heron();        ///< about 110 k, skinned, with two animations, 1 m tall
Model channelWater(); ///< 2 km square, at the height of the tide
Model tallReed();     ///< three clumps of reed in loose blades
Model bentReed();
Model seedHead();
Model markerPost(); ///< 1.4 m tall, with a painted band
Model driftStone(); ///< half a metre across

constexpr double kWaterHeight = -0.55;

/// Height of the flat along the channel, metres, at a place; the bed is made from it.
double groundHeight(double x, double z);

/// Generated pictures as PNG.
enum class Pattern {
    PaintedMetal,
    Galvanised,
    Timber,
    Concrete,
    Willow,
    Rope,
    Mud,
    Feather,
    Horn,
    Reed, ///< blades on the left, seed heads on the right, roots below
    Water,
    Patches ///< grey: where reeds stand thick
};
/// `side` pixels wide and high.
Image makeTexture(Pattern pattern, const std::string& name, int side = 256);

} // namespace thicket::demo
