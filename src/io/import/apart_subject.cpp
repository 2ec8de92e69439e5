#include "io/import/apart_subject.h"

#include "io/import/import.h"
#include "io/project/placements_file.h"
#include "mesh/upright.h"
#include "scene/mend_subject.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace thicket {
namespace {

/// How many times as large its unit's mends have made a mesh.
double enlarged(const Subject& subject) {
    double by = 1;
    for (const Mend& mend : subject.mesh().mends)
        if (mend.kind == MendKind::Unit)
            by *= mend.value;
    return by;
}

/// What is up in its file, by the mends that turned it.
Up upOf(const Subject& subject) {
    int quarters = 0;
    for (const Mend& mend : subject.mesh().mends)
        if (mend.kind == MendKind::Upright)
            quarters += static_cast<int>(mend.value);
    return static_cast<Up>(quarters % 4);
}

/// Turned as the whole was, and where it stands with it.
Result<Subject> uprightAs(const Subject& whole, Subject thing, const JobContext& job) {
    const Up up = upOf(whole);
    if (up == Up::Y)
        return thing;
    auto made = mendSubject(thing, {MendKind::Upright, static_cast<double>(up)}, job);
    if (!made)
        return made.error();
    const Quatd turn = turnOf(up);
    auto placed = std::make_shared<Placements>(*made->subject.mesh().placed);
    for (Placement& standing : *placed) {
        standing.position = turnedUp(up, standing.position);
        standing.rotation = (turn * standing.rotation * turn.conjugate()).normalized();
    }
    made->subject.mesh().placed = std::move(placed);
    return std::move(made->subject);
}

Result<Subject> inUnitOf(const Subject& whole, Subject thing, const JobContext& job) {
    const double by = enlarged(whole) / enlarged(thing);
    if (std::abs(by - 1) < 1e-9)
        return thing;
    auto made = mendSubject(thing, {MendKind::Unit, by}, job);
    if (!made)
        return made.error();
    auto placed = std::make_shared<Placements>(*made->subject.mesh().placed);
    for (Placement& standing : *placed)
        standing.position *= by;
    made->subject.mesh().placed = std::move(placed);
    return std::move(made->subject);
}

} // namespace

Result<std::vector<Subject>> takeApart(const Subject& whole, const JobContext& job) {
    if (whole.source.things < 2 || whole.source.apart)
        return Error{ErrorCode::BadInput, whole.name, "is one thing", "leave it as it is"};
    auto read = readModel(whole.source.path, job.part(0, 0.5), Meshes::Apart);
    if (!read)
        return read.error();
    std::erase_if(*read, [](const ImportedSubject& thing) { return !thing.ofWhole; });
    if (read->empty() || read->front().source.hash != whole.source.hash)
        return Error{ErrorCode::BadInput, whole.source.path.string(), "has changed since it was read",
                     "point to the file again"};
    const std::size_t copies = whole.mesh().placed ? whole.mesh().placed->size() : 1;
    for (const ImportedSubject& thing : *read)
        if (copies * thing.placed.size() > kMostPlacements)
            return Error{
                ErrorCode::TooLarge, thing.name,
                fmt::format("would stand {} times, more than {}", copies * thing.placed.size(), kMostPlacements),
                "place fewer copies first"};
    std::vector<Subject> out;
    const auto n = static_cast<double>(read->size());
    for (ImportedSubject& thing : *read) {
        const auto done = static_cast<double>(out.size());
        auto made = makeSubject(std::move(thing), job.part(0.5 + 0.5 * done / n, 0.5 + 0.5 * (done + 1) / n));
        if (!made)
            return made.error();
        auto inUnit = inUnitOf(whole, std::move(*made), job);
        if (!inUnit)
            return inUnit.error();
        auto upright = uprightAs(whole, std::move(*inUnit), job);
        if (!upright)
            return upright.error();
        out.push_back(std::move(*upright));
    }
    return out;
}

void standAsIn(const Subject& whole, Subject& thing) {
    const SharedPlacements copies = whole.mesh().placed;
    if (!copies || copies->empty())
        return;
    auto placed = std::make_shared<Placements>();
    for (const Placement& copy : *copies)
        for (const Placement& own : *thing.mesh().placed) {
            Placement p;
            p.position = copy.position + copy.rotation * Vec3d(copy.scale * own.position);
            p.rotation = (copy.rotation * own.rotation).normalized();
            p.scale = copy.scale * own.scale;
            p.importance = copy.importance;
            placed->push_back(p);
        }
    thing.mesh().placed = std::move(placed);
}

} // namespace thicket
