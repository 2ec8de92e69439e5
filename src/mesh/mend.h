#pragma once
// Setting right what is wrong with a mesh. Mends are values: a subject keeps those that were made to it, since its file
// stays as it is, and they are made again when the file is read.

#include "base/named.h"
#include "mesh/findings.h"

#include <optional>

namespace thicket {

enum class MendKind {
    Area,       ///< triangles without area go
    Duplicates, ///< of triangles in one place and facing one way, the first stays
    Unwelded,   ///< points of open borders that lie as close as `value` metres become one
    Normals,    ///< normals anew, smooth across edges of up to `value` degrees
    Specks,     ///< loose pieces less than `value` of the mesh across go
    Needles,    ///< triangles thinner than `value` of their longest side go: short sides are closed, long ones turned
    Flipped,    ///< triangles that face against the rest, or pieces that are inside out, are turned round
    Unit,       ///< what the file has as 1 is `value` metres
    Upright,    ///< another axis of the file is up: `value` is an Up, 1 to 3
    Place,      ///< coarser levels from files are moved to where the first one is
};
constexpr Named<MendKind> kMendKinds[] = {{MendKind::Area, "area", "Remove triangles without area"},
                                          {MendKind::Duplicates, "duplicates", "Remove duplicates"},
                                          {MendKind::Unwelded, "unwelded", "Weld borders"},
                                          {MendKind::Normals, "normals", "Smooth normals"},
                                          {MendKind::Specks, "specks", "Remove specks"},
                                          {MendKind::Needles, "needles", "Remove needles"},
                                          {MendKind::Flipped, "flipped", "Turn round"},
                                          {MendKind::Unit, "unit", "Change the unit"},
                                          {MendKind::Upright, "upright", "Turn upright"},
                                          {MendKind::Place, "place", "Move into place"}};
constexpr std::span<const Named<MendKind>> namesOf(MendKind /*any*/) {
    return kMendKinds;
}

/// Made to all levels of a subject alike, and to all that was measured of them.
constexpr bool ofWhole(MendKind kind) {
    return kind == MendKind::Unit || kind == MendKind::Upright;
}

struct Mend {
    MendKind kind = MendKind::Area;
    double value = 0; ///< as the kind says
    bool operator==(const Mend&) const = default;
};

/// What meshes are made in, in metres.
struct LengthUnit {
    const char* name;
    double metres;
};
constexpr LengthUnit kLengthUnits[] = {{"mm", 0.001}, {"cm", 0.01}, {"m", 1}, {"inch", 0.0254}};
/// A unit by its name, or so many metres as a number; empty where it is neither, or not within mendRange.
std::optional<double> unitMetres(const std::string& text);

/// What a kind's value may be; {0, 0} for those that have none.
std::pair<double, double> mendRange(MendKind kind);

/// The mend for a finding about a mesh of such a diagonal, metres, with usual values; empty where there is none.
std::optional<Mend> mendFor(FindingKind finding, double diagonal);

/// Makes a mend of one mesh: all kinds but Place. Vertices that nothing uses any more go. What a vertex carries stays
/// with it.
/// RETURNS    how many triangles (Unwelded: points; Normals, Unit, Upright: vertices) it was made to; 0: the mesh is unchanged.
/// ERRORS     BadInput where nothing would be left of it, or `value` is no axis.
/// COST       O(T log T) for each time round; needles take up to 16.
Result<std::uint32_t> mendMesh(Mesh& mesh, const Mend& mend);

} // namespace thicket
