#include "scene/mend_subject.h"

#include "measure/deviation.h"
#include "mesh/upright.h"
#include "scene/thin_subject.h"

#include <algorithm>
#include <functional>

namespace thicket {
namespace {

void scaleRig(Rig& rig, float by) {
    for (RigNode& node : rig.nodes)
        node.translation *= by;
    for (auto& bind : rig.inverseBind)
        for (std::size_t k = 12; k < 15; ++k) // the fourth column, which is where it moves to
            bind[k] *= by;
    for (RigAnimation& animation : rig.animations)
        for (RigChannel& channel : animation.channels)
            if (channel.path == RigChannel::Path::Translation)
                for (float& value : channel.values)
                    value *= by;
}

std::shared_ptr<const Care> scaledCare(const std::shared_ptr<const Care>& care, float by) {
    if (!care)
        return nullptr;
    Care out = *care;
    for (CareStroke& stroke : out) {
        for (Vec3f& place : stroke.path)
            place *= by;
        stroke.radius *= by;
        stroke.mirrorX *= by;
    }
    return std::make_shared<const Care>(std::move(out));
}

/// Strokes are mirrored across X, about which it is turned.
std::shared_ptr<const Care> turnedCare(const std::shared_ptr<const Care>& care, Up up) {
    if (!care)
        return nullptr;
    Care out = *care;
    for (CareStroke& stroke : out)
        for (Vec3f& place : stroke.path)
            place = turnedUp(up, place);
    return std::make_shared<const Care>(std::move(out));
}

/// Where a level must go to lie about the same middle as the first; nothing where it does well enough.
std::optional<Vec3f> wayToPlace(const Mesh& first, const Mesh& level) {
    constexpr double kFarOff = 0.02; // of the first one across
    const Bounds bounds = boundsOf(first);
    const Vec3d way = bounds.centre() - boundsOf(level).centre();
    if (way.norm() <= kFarOff * bounds.diagonal())
        return std::nullopt;
    return way.cast<float>();
}

Result<void> measureAgain(Subject& subject, const JobContext& job) {
    MeshBody& body = subject.mesh();
    const Mesh& first = *body.source().mesh;
    if (std::none_of(body.levels.begin() + 1, body.levels.end(),
                     [](const Level& l) { return l.mesh && !ofPictures(l.origin); }))
        return {};
    const SurfaceQuery query(first);
    const double n = static_cast<double>(body.levels.size());
    for (std::size_t i = 1; i < body.levels.size(); ++i) {
        Level& level = body.levels[i];
        if (!level.mesh || ofPictures(level.origin))
            continue;
        auto deviation = measureDeviation(first, query, *level.mesh, {},
                                          job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
        if (!deviation)
            return deviation.error();
        Level measured = levelFrom(level.mesh, *deviation, level.origin);
        keepSeen(measured, level);
        takeMeasures(level, measured); // what drifted was of the surface before, and is not known of this one
        level.content = levelContent(level);
    }
    return {};
}

/// A mend of all levels, however they came about.
Result<std::uint32_t> mendLevels(Subject& subject, const Mend& mend) {
    std::uint32_t count = 0;
    for (Level& level : subject.mesh().levels) {
        if (!level.mesh)
            continue;
        Mesh mesh = *level.mesh;
        auto done = mendMesh(mesh, mend);
        if (!done) {
            Error error = done.error();
            error.where = subject.name;
            return error;
        }
        if (auto fine = checkMesh(mesh, subject.name); !fine)
            return fine.error();
        count += *done;
        level.mesh = std::make_shared<const Mesh>(std::move(mesh));
    }
    return count;
}

/// All that belongs to a subject and is no level of its is changed with them: what moves it, and what is painted.
void changeBeside(MeshBody& body, const std::function<void(Rig&)>& rigged,
                  const std::function<std::shared_ptr<const Care>(const std::shared_ptr<const Care>&)>& painted) {
    if (body.rig) {
        Rig rig = *body.rig;
        rigged(rig);
        body.rig = std::make_shared<const Rig>(std::move(rig));
    }
    const bool asCut = body.careCut == body.care;
    body.care = painted(body.care);
    body.careCut = asCut ? body.care : painted(body.careCut);
}

/// All lengths that were measured of the levels go along.
Result<std::uint32_t> changeUnit(Subject& subject, const Mend& mend) {
    MeshBody& body = subject.mesh();
    const auto by = static_cast<float>(mend.value);
    auto count = mendLevels(subject, mend);
    if (!count)
        return count;
    for (Level& level : body.levels) {
        for (double* length : {&level.deviation, &level.visible, &level.promised, &level.p99, &level.rms, &level.posed,
                               &level.seen, &level.views.half})
            *length *= mend.value;
        level.views.centre *= mend.value;
        if (level.mesh)
            level.content = levelContent(level);
    }
    changeBeside(
        body, [by](Rig& rig) { scaleRig(rig, by); }, [by](const auto& care) { return scaledCare(care, by); });
    return count;
}

/// Distances that were measured hold as they did. From its other sides a switch may look otherwise: its pop says so.
Result<std::uint32_t> turnUpright(Subject& subject, const Mend& mend) {
    MeshBody& body = subject.mesh();
    if (std::any_of(body.levels.begin(), body.levels.end(), [](const Level& l) { return ofPictures(l.origin); }))
        return Error{ErrorCode::BadInput, subject.name, "has levels made of pictures, which show it as it stands",
                     "remove them, and make them again when it stands upright"};
    auto count = mendLevels(subject, mend);
    if (!count)
        return count;
    for (Level& level : body.levels)
        if (level.mesh)
            level.content = levelContent(level);
    const auto up = static_cast<Up>(static_cast<int>(mend.value));
    changeBeside(
        body, [up](Rig& rig) { turnUp(rig, up); }, [up](const auto& care) { return turnedCare(care, up); });
    return count;
}

} // namespace

Result<MendedSubject> mendSubject(const Subject& subject, const Mend& mend, const JobContext& job) {
    MendedSubject out{subject, 0};
    MeshBody& body = out.subject.mesh();
    if (ofWhole(mend.kind)) {
        auto count = mend.kind == MendKind::Unit ? changeUnit(out.subject, mend) : turnUpright(out.subject, mend);
        if (!count)
            return count.error();
        out.count = *count;
    } else if (mend.kind == MendKind::Place) {
        for (std::size_t i = 1; i < body.levels.size(); ++i) {
            Level& level = body.levels[i];
            if (level.origin != LevelOrigin::HandMade || !level.mesh)
                continue;
            const auto way = wayToPlace(*body.source().mesh, *level.mesh);
            if (!way)
                continue;
            Mesh mesh = *level.mesh;
            for (Vec3f& p : mesh.positions)
                p += *way;
            level.mesh = std::make_shared<const Mesh>(std::move(mesh));
            ++out.count;
        }
    } else {
        Mesh mesh = *body.source().mesh;
        auto count = mendMesh(mesh, mend);
        if (!count) {
            Error error = count.error();
            error.where = subject.name;
            return error;
        }
        out.count = *count;
        body.source().mesh = std::make_shared<const Mesh>(std::move(mesh));
        body.source().content = levelContent(body.source());
    }
    if (out.count == 0)
        return MendedSubject{subject, 0};
    body.mends.push_back(mend);
    body.curve = {};
    refreshSubject(out.subject);
    if (!ofWhole(mend.kind))
        if (auto done = measureAgain(out.subject, job.part(0.1, 0.9)); !done)
            return done.error();
    if (job.cancelled())
        return cancelledError();
    out.subject.findings = findProblems(out.subject);
    return out;
}

std::optional<Mend> mendFor(const Subject& subject, const Finding& finding) {
    if (finding.kind == FindingKind::LevelBoundsDisagree) {
        const auto level = static_cast<std::size_t>(finding.level);
        const MeshBody& body = subject.mesh();
        const bool moves = level < body.levels.size() && body.levels[level].mesh &&
                           wayToPlace(*body.source().mesh, *body.levels[level].mesh);
        return moves ? std::optional(Mend{MendKind::Place, 0}) : std::nullopt;
    }
    return mendFor(finding.kind, subject.bounds.diagonal());
}

Subject withLevelsInOrder(const Subject& subject) {
    Subject out = subject;
    std::vector<Level>& levels = out.mesh().levels;
    std::stable_sort(levels.begin() + 1, levels.end(),
                     [](const Level& a, const Level& b) { return a.triangles > b.triangles; });
    for (std::size_t i = 1; i < levels.size();)
        if (levels[i].triangles >= levels[i - 1].triangles)
            levels.erase(levels.begin() + static_cast<std::ptrdiff_t>(i));
        else
            ++i;
    out.findings = findProblems(out);
    return out;
}

Result<void> mendAgain(const std::vector<Mend>& mends, const std::vector<Mesh*>& levels, Rig* rig) {
    for (const Mend& mend : mends) {
        if (mend.kind == MendKind::Place) {
            for (std::size_t i = 1; i < levels.size(); ++i)
                if (const auto way = wayToPlace(*levels.front(), *levels[i]))
                    for (Vec3f& p : levels[i]->positions)
                        p += *way;
            continue;
        }
        const std::size_t count = ofWhole(mend.kind) ? levels.size() : 1;
        for (std::size_t i = 0; i < count; ++i)
            if (auto done = mendMesh(*levels[i], mend); !done)
                return done.error();
        if (mend.kind == MendKind::Unit && rig != nullptr)
            scaleRig(*rig, static_cast<float>(mend.value));
        if (mend.kind == MendKind::Upright && rig != nullptr)
            turnUp(*rig, static_cast<Up>(static_cast<int>(mend.value)));
    }
    return {};
}

std::vector<Finding> findProblems(const Subject& subject) {
    std::vector<Finding> out = findMeshProblems(*subject.mesh().source().mesh);
    const std::vector<Finding> chain = findChainProblems(subject);
    out.insert(out.end(), chain.begin(), chain.end());
    if (subject.source.things > 1) // before what is mended of the whole
        out.insert(out.begin(), {FindingKind::SeveralThings, subject.source.things, 0, 0, false});
    return out;
}

} // namespace thicket
