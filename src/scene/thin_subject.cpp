#include "scene/thin_subject.h"

#include "base/memory.h"
#include "base/parallel.h"
#include "base/text.h"
#include "measure/drift.h"
#include "measure/pose_deviation.h"
#include "reduce/mirror.h"
#include "reduce/pieces.h"
#include "reduce/rebuild.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <thread>

namespace thicket {
namespace {
constexpr double kNearTheEnd = 1.15;  // a target this close to the record's end is not taken as it is
constexpr double kMostOff = 0.1;      // of the diagonal; a level farther off is no longer the subject
constexpr double kPosedMargin = 1.15; // for what lies between the moments that were measured
constexpr double kBuys = 1.25;        // times as far off as the one before that a level must be for both to be kept
constexpr double kNothing = 1e-5;     // of the diagonal; off by less is not off at all
constexpr std::size_t kMostMore = 3;  // levels tried in place of those that buy nothing
constexpr double kLeastGain = 0.7;    // a level heavier than this share of the one before does not pay
// Triangles up to which levels are made beside each other, since none keeps all cores busy all the time. Of heavier meshes
// one is made after another, which takes the memory of one.
constexpr std::uint32_t kBeside = 2'000'000;
void insertByWeight(Subject& subject, Level level) {
    const auto at = std::find_if(subject.mesh().levels.begin() + 1, subject.mesh().levels.end(),
                                 [&](const Level& l) { return l.triangles < level.triangles; });
    subject.mesh().levels.insert(at, std::move(level));
}

} // namespace

namespace {
double msSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
}

Result<Record> recordBy(const Subject& subject, const ThinState& state, const ReduceOptions& options,
                        const JobContext& job) {
    if (!subject.mesh().cutRules.symmetric)
        return recordCollapses(*state.source, options, job);
    const auto plane = findMirror(*state.source, *state.query, job.part(0, 0.1));
    if (job.cancelled())
        return cancelledError();
    if (!plane)
        return Error{ErrorCode::BadInput, "", "it is not symmetric across X, Y or Z through its middle",
                     "leave its levels free to be uneven"};
    return recordMirrored(*state.source, *state.query, *plane, options, job.part(0.1, 1));
}
} // namespace

double memoryFor(const Mesh& mesh) {
    // As measured, the mesh itself not counted; what else vertices carry is there up to three times.
    const bool plain = mesh.normals.empty() && mesh.uvs.empty() && mesh.colors.empty();
    return (plain ? 190.0 : 360.0) * mesh.triangleCount() +
           3 * static_cast<double>(mesh.extras.morphs.size() * mesh.positions.size() * sizeof(Vec3f));
}

Result<ThinState> recordSubject(const Subject& subject, const ReduceOptions& options, const JobContext& job) {
    ThinState state;
    state.source = subject.mesh().source().mesh;
    const auto start = std::chrono::steady_clock::now();
    state.care = subject.mesh().care;
    const std::vector<float> care = state.care ? careOf(*state.source, *state.care) : std::vector<float>();
    ReduceOptions careful = options;
    careful.care = care;
    careful.reuseVertices = subject.mesh().cutRules.reuseVertices;
    if (auto fits = checkMemory(memoryFor(*state.source), availableMemory(),
                                "recording " + grouped(state.source->triangleCount()) + " triangles");
        !fits) {
        Error error = fits.error();
        error.where = subject.name;
        return error;
    }
    state.query = std::make_shared<const SurfaceQuery>(*state.source);
    auto record = recordBy(subject, state, careful, job.part(0, 0.7));
    if (!record) {
        Error error = record.error();
        error.where = subject.name;
        return error;
    }
    state.recordMs = msSince(start);
    const auto recorded = std::chrono::steady_clock::now();
    state.cutRules = subject.mesh().cutRules;
    addCheckpoints(*record); // the curve's own cuts take less time by them
    auto curve = measureCurve(*state.source, *state.query, *record, job.part(0.7, 0.8), care);
    if (!curve)
        return curve.error();
    const CutRules& rules = subject.mesh().cutRules;
    if (rules.keepPieces || rules.reuseVertices || rules.symmetric) {
        record->pieces = countPieces(*record);
    } else {
        PieceOptions pieces;
        pieces.source = state.source.get();
        pieces.care = care;
        if (auto done = dropPieces(*record, *curve, pieces, job.part(0.8, 0.9)); !done)
            return done.error();
        if (!record->drops.empty()) {
            addCheckpoints(*record);
            curve = measureCurve(*state.source, *state.query, *record, job.part(0.9, 1), care);
            if (!curve)
                return curve.error();
        }
    }
    state.record = std::make_shared<const Record>(std::move(*record));
    state.curve = std::move(*curve);
    state.curveMs = msSince(recorded);
    return state;
}

namespace {

/// A target in terms of the subject alone.
LevelTarget ofSubject(const LevelTarget& target, const Subject& subject) {
    return target.kind == TargetKind::VisibleOfRadius
               ? LevelTarget{TargetKind::VisibleMetres, target.value * subject.radius}
               : target;
}

/// Levels, one a target, made beside each other. None where a target goes by the level before it, or where the curve says
/// that it would not pay.
/// timings   what the clock says, in the shares of what was done
std::vector<std::optional<CutLevel>> madeBeside(const Subject& subject, const ThinState& state,
                                                const std::vector<LevelTarget>& targets, const JobContext& job,
                                                ChainTimings* timings) {
    std::vector<std::optional<CutLevel>> out(targets.size());
    const std::uint32_t triangles = subject.mesh().source().triangles;
    if (triangles > kBeside || targets.size() < 2)
        return out;
    std::vector<std::uint8_t> wanted(targets.size(), 0);
    double previous = triangles;
    for (std::size_t i = 0; i < targets.size(); ++i) {
        const LevelTarget target = ofSubject(targets[i], subject);
        const bool spread = targets[i].kind == TargetKind::VisibleOfRadius;
        if (!spread && target.kind != TargetKind::Triangles && target.kind != TargetKind::ShareOfFirst)
            continue;
        const double expected = spread ? state.curve.trianglesForVisible(target.value) : 0;
        if (spread && expected > kLeastGain * previous)
            continue;
        wanted[i] = 1;
        previous = expected > 0 ? expected : previous;
    }
    std::atomic<std::size_t> done = 0;
    const auto owner = std::this_thread::get_id();
    job.report(0, "making levels");
    const auto start = std::chrono::steady_clock::now();
    std::vector<ChainTimings> took(targets.size());
    parallelChunks(targets.size(), 1, [&](std::size_t i, std::size_t /*end*/) {
        if (wanted[i] == 0 || job.cancelled())
            return;
        // Only who runs the work may say how far it is.
        const double n = static_cast<double>(targets.size());
        const double before = static_cast<double>(done) / n;
        auto level =
            cutLevel(*state.source, *state.query, *state.record, state.curve, ofSubject(targets[i], subject), triangles,
                     std::this_thread::get_id() == owner ? job.part(before, before + 1 / n) : job.silent(), &took[i]);
        if (level)
            out[i] = std::move(*level);
        ++done;
    });
    if (timings == nullptr)
        return out;
    double all = 0;
    for (const ChainTimings& t : took)
        all += t.cutMs + t.polishMs + t.measureMs;
    const double share = all > 0 ? msSince(start) / all : 0;
    for (const ChainTimings& t : took) {
        timings->cutMs += share * t.cutMs;
        timings->polishMs += share * t.polishMs;
        timings->measureMs += share * t.measureMs;
    }
    return out;
}

} // namespace

Result<Subject> thinSubject(const Subject& subject, const ThinState& state, const std::vector<LevelTarget>& targets,
                            const JobContext& job, ChainTimings* timings) {
    Subject out = subject;
    out.mesh().curve = state.curve;
    out.mesh().pieces = state.record->pieces;
    out.mesh().aggregate = state.record->aggregate;
    out.mesh().careCut = state.care;
    std::vector<Level> kept;
    for (std::size_t i = 1; i < subject.mesh().levels.size(); ++i)
        if (subject.mesh().levels[i].locked || subject.mesh().levels[i].origin != LevelOrigin::Collapsed)
            kept.push_back(subject.mesh().levels[i]);
    out.mesh().levels = {subject.mesh().source()};
    std::uint32_t previous = out.mesh().source().triangles;
    Error last{ErrorCode::CheckFailed, subject.name, "no lighter level can be made",
               "the mesh is already as light as its shape allows"};
    const double fewest = state.record->fewestTriangles();
    std::vector<LevelTarget> asked = targets;
    std::vector<std::optional<CutLevel>> made = madeBeside(subject, state, targets, job.part(0, 0.8), timings);
    const bool beside = std::any_of(made.begin(), made.end(), [](const auto& level) { return level.has_value(); });
    const JobContext rest = job.part(beside ? 0.8 : 0, 0.95);
    for (std::size_t i = 0; i < asked.size(); ++i) {
        LevelTarget target = ofSubject(asked[i], subject);
        if (target.kind == TargetKind::ShareOfPrevious && target.value * previous < kNearTheEnd * fewest) {
            // The last collapses of a record cost most: half-way to its end is a better level, where that still pays.
            target = {TargetKind::Triangles, std::sqrt(previous * fewest)};
            if (target.value > kLeastGain * previous)
                break;
        }
        const bool spread = asked[i].kind == TargetKind::VisibleOfRadius;
        // One that is hardly lighter does not pay: the next one, farther away, is lighter.
        if (spread && state.curve.trianglesForVisible(target.value) > kLeastGain * previous)
            continue;
        const auto n = static_cast<double>(asked.size());
        const bool asMade = i < made.size() && made[i] && made[i]->heaviest < previous;
        Result<CutLevel> level =
            asMade ? Result<CutLevel>(std::move(*made[i]))
                   : cutLevel(*state.source, *state.query, *state.record, state.curve, target, previous,
                              rest.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n), timings);
        if (!level) {
            if (level.error().code == ErrorCode::Cancelled)
                return level.error();
            last = level.error();
            last.where = subject.name;
            continue;
        }
        const bool byRole = spread || asked[i].kind == TargetKind::ShareOfPrevious;
        if (byRole && level->deviation.max() > kMostOff * subject.bounds.diagonal())
            break; // a share was asked for, not this shape
        if (spread && level->mesh.triangleCount() > kLeastGain * previous)
            continue;
        previous = level->mesh.triangleCount();
        // What is hardly further off comes in where the one before does, and is lighter: that one buys nothing.
        const double alike = std::max(kBuys * out.mesh().levels.back().visible, kNothing * subject.bounds.diagonal());
        if (byRole && out.mesh().levels.size() > 1 && level->deviation.visible <= alike) {
            out.mesh().levels.pop_back();
            if (!spread && asked.size() < targets.size() + kMostMore)
                asked.push_back(asked.back());
        }
        out.mesh().levels.push_back(levelFrom(std::move(*level)));
    }
    if (out.mesh().levels.size() == 1 && kept.empty())
        return last;
    const auto judging = std::chrono::steady_clock::now();
    if (auto judged = judgeLevels(subject, state, std::span(out.mesh().levels).subspan(1), job.part(0.95, 1)); !judged)
        return judged.error();
    if (timings != nullptr)
        timings->measureMs += msSince(judging);
    out.mesh().levels.insert(out.mesh().levels.end(), kept.begin(), kept.end());
    const auto isKept = [](const Level& l) { return l.locked || l.origin != LevelOrigin::Collapsed; };
    std::stable_sort(out.mesh().levels.begin() + 1, out.mesh().levels.end(), [&isKept](const Level& a, const Level& b) {
        return a.triangles != b.triangles ? a.triangles > b.triangles : isKept(a) && !isKept(b);
    });
    // A cut next to a kept level of the same weight would be a level that never pays.
    out.mesh().levels.erase(
        std::unique(out.mesh().levels.begin(), out.mesh().levels.end(),
                    [&isKept](const Level& a, const Level& b) { return a.triangles == b.triangles && !isKept(b); }),
        out.mesh().levels.end());
    return out;
}

Result<void> judgeLevels(const Subject& subject, const ThinState& state, std::span<Level> levels,
                         const JobContext& job) {
    const std::vector<int> texels =
        subject.mesh().surfaces ? texelsAcross(*subject.mesh().surfaces) : std::vector<int>();
    DriftOptions options;
    options.texelsAcross = texels;
    std::vector<const Mesh*> meshes;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        job.report(0.6 * static_cast<double>(i) / static_cast<double>(levels.size()), "measuring drift");
        meshes.push_back(levels[i].mesh.get());
        // Merged materials have a layout of their own.
        if (levels[i].materials.merge)
            continue;
        const auto drift = measureDrift(*state.source, *state.query, *levels[i].mesh, options, job);
        if (!drift)
            return drift.error();
        levels[i].driftTexels = drift->textureTexels ? std::optional(drift->textureTexels->p99) : std::nullopt;
        levels[i].driftDegrees = drift->normalDegrees ? std::optional(drift->normalDegrees->p99) : std::nullopt;
    }
    if (!subject.mesh().rig)
        return {};
    const auto posed = deviationInPoses(*state.source, meshes, *subject.mesh().rig, {}, job.part(0.6, 1));
    if (!posed)
        return posed.error();
    for (std::size_t i = 0; i < levels.size(); ++i) {
        levels[i].posed = (*posed)[i].max;
        const double more = std::max(0.0, kPosedMargin * levels[i].posed - levels[i].promised);
        levels[i].promised += more;
        levels[i].visible += more;
    }
    return {};
}

Level levelFrom(CutLevel cut) {
    Level level = levelFrom(std::make_shared<const Mesh>(std::move(cut.mesh)), cut.deviation, LevelOrigin::Collapsed);
    level.pieces = cut.pieces;
    return level;
}

namespace {
/// A level of pictures in its place by triangles; an unlocked one of its kind goes.
Subject withPictures(const Subject& subject, BakedLevel baked, LevelOrigin origin, const ViewGrid& views) {
    Level level;
    level.mesh = std::make_shared<const Mesh>(std::move(baked.mesh));
    level.surfaces = std::make_shared<const Surfaces>(std::move(baked.surfaces));
    level.origin = origin;
    level.views = views;
    level.triangles = level.mesh->triangleCount();
    level.vertices = level.mesh->vertexCount();
    level.draws = static_cast<std::uint32_t>(level.mesh->parts.size());
    level.deviation = baked.difference.shift;
    level.promised = baked.difference.shift + baked.difference.cell; // found on a grid of such cells
    level.visible = level.promised;                                  // an outline is seen
    level.p99 = baked.difference.p99;
    level.rms = baked.difference.rms;
    level.content = levelContent(level);
    Subject out = subject;
    std::erase_if(out.mesh().levels, [origin](const Level& l) { return l.origin == origin && !l.locked; });
    insertByWeight(out, std::move(level));
    return out;
}
} // namespace

Result<Subject> addCards(const Subject& subject, const CardOptions& options, const JobContext& job) {
    auto baked = bakeCards(*subject.mesh().source().mesh, *subject.mesh().surfaces, options, job);
    if (!baked)
        return baked.error();
    return withPictures(subject, std::move(*baked), LevelOrigin::Cards, {});
}

Result<Subject> addImpostor(const Subject& subject, const ImpostorOptions& options, const JobContext& job) {
    auto baked = bakeImpostor(*subject.mesh().source().mesh, *subject.mesh().surfaces, options, job);
    if (!baked)
        return baked.error();
    return withPictures(subject, std::move(baked->level), LevelOrigin::Impostor, baked->grid);
}

Result<Subject> addRebuilt(const Subject& subject, const ThinState& state, std::uint32_t triangles,
                           const JobContext& job) {
    // From a level with a few times the triangles: as near to the source as matters, and quickly gone through.
    constexpr double kBeginWith = 3;
    const Mesh start = cutRecord(*state.record, static_cast<std::uint32_t>(kBeginWith * triangles));
    RebuildOptions options;
    options.triangles = triangles;
    auto mesh = rebuildEven(*state.source, *state.query, start, options, job.part(0, 0.8));
    if (!mesh) {
        Error error = mesh.error();
        error.where = subject.name;
        return error;
    }
    if (mesh->triangleCount() >= subject.mesh().source().triangles)
        return Error{ErrorCode::CheckFailed, subject.name,
                     "rebuilt evenly it has " + grouped(mesh->triangleCount()) + " triangles, no fewer than the source",
                     "ask for fewer; its hard edges need many"};
    const auto deviation = measureDeviation(*state.source, *state.query, *mesh, {}, job.part(0.8, 0.9));
    if (!deviation)
        return deviation.error();
    Level level = levelFrom(std::make_shared<const Mesh>(std::move(*mesh)), *deviation, LevelOrigin::Rebuilt);
    if (auto judged = judgeLevels(subject, state, {&level, 1}, job.part(0.9, 1)); !judged)
        return judged.error();
    Subject out = subject;
    insertByWeight(out, std::move(level));
    return out;
}

namespace {

double apart(const Bounds& a, const Bounds& b) {
    return std::max((a.low - b.low).cwiseAbs().maxCoeff(), (a.high - b.high).cwiseAbs().maxCoeff());
}

/// A level that was made as the subject's file was, in its unit and with its axis up, is mended as that was; one that is
/// where it belongs stays.
Mesh mendedAsWhole(const Subject& subject, Mesh mesh) {
    Mesh mended = mesh;
    for (const Mend& mend : subject.mesh().mends)
        if (ofWhole(mend.kind) && !mendMesh(mended, mend))
            return mesh;
    const Bounds whole = boundsOf(*subject.mesh().source().mesh);
    return apart(boundsOf(mended), whole) < apart(boundsOf(mesh), whole) ? mended : mesh;
}

} // namespace

Result<Subject> addHandMade(const Subject& subject, Mesh mesh, Surfaces surfaces, const JobContext& job) {
    const Mesh& source = *subject.mesh().source().mesh;
    mesh = mendedAsWhole(subject, std::move(mesh));
    if (mesh.triangleCount() >= source.triangleCount())
        return Error{ErrorCode::BadInput, subject.name,
                     "the new level has " + grouped(mesh.triangleCount()) + " triangles, no fewer than the source",
                     "take a lighter one, or add it as a subject of its own"};
    const auto deviation = measureDeviation(source, mesh, {}, job);
    if (!deviation)
        return deviation.error();
    Level level = levelFrom(std::make_shared<const Mesh>(std::move(mesh)), *deviation, LevelOrigin::HandMade);
    level.surfaces = std::make_shared<const Surfaces>(std::move(surfaces));
    level.content = levelContent(level);
    Subject out = subject;
    insertByWeight(out, std::move(level));
    return out;
}

Result<void> dressLevel(const Subject& subject, Level& level, std::shared_ptr<const Mesh> plain,
                        const JobContext& job) {
    level.mesh = std::move(plain);
    level.surfaces.reset();
    if (level.materials.any()) {
        auto light = lightenLevel(*level.mesh, *subject.mesh().surfaces, level.materials, job);
        if (!light)
            return light.error();
        if (level.materials.changesMesh())
            level.mesh = std::make_shared<const Mesh>(std::move(light->mesh));
        level.surfaces = std::make_shared<const Surfaces>(std::move(light->surfaces));
    }
    level.draws = static_cast<std::uint32_t>(level.mesh->parts.size());
    level.vertices = level.mesh->vertexCount();
    level.content = levelContent(level);
    return {};
}

Subject withLevelsOf(const Subject& now, const Subject& thinned) {
    Subject out = now;
    out.mesh().levels = thinned.mesh().levels;
    out.mesh().curve = thinned.mesh().curve;
    out.mesh().pieces = thinned.mesh().pieces;
    out.mesh().aggregate = thinned.mesh().aggregate;
    out.mesh().cutRules = thinned.mesh().cutRules;
    out.mesh().careCut = thinned.mesh().careCut;
    return out;
}

bool sameLevels(const Subject& a, const Subject& b) {
    return std::equal(a.mesh().levels.begin(), a.mesh().levels.end(), b.mesh().levels.begin(), b.mesh().levels.end(),
                      [](const Level& x, const Level& y) {
                          return x.mesh == y.mesh && x.surfaces == y.surfaces && x.locked == y.locked &&
                                 x.fixed == y.fixed;
                      });
}

Result<Subject> recutLevels(const Subject& subject, const ThinState& state, const JobContext& job) {
    Subject out = subject;
    out.mesh().curve = state.curve;
    out.mesh().pieces = state.record->pieces;
    out.mesh().aggregate = state.record->aggregate;
    out.mesh().careCut = state.care;
    const double n = static_cast<double>(out.mesh().levels.size());
    for (std::size_t i = 1; i < out.mesh().levels.size(); ++i) {
        if (out.mesh().levels[i].locked || out.mesh().levels[i].origin != LevelOrigin::Collapsed)
            continue;
        auto cut = cutLevel(*state.source, *state.query, *state.record, state.curve,
                            {TargetKind::Triangles, static_cast<double>(out.mesh().levels[i].triangles)},
                            out.mesh().levels[i - 1].triangles,
                            job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
        if (!cut) {
            if (cut.error().code == ErrorCode::Cancelled)
                return cut.error();
            continue; // so light that this record does not reach it: the level stays as it was
        }
        Level made = levelFrom(std::move(*cut));
        if (auto judged = judgeLevels(subject, state, {&made, 1}, job); !judged)
            return judged.error();
        made.fixed = out.mesh().levels[i].fixed;
        keepSeen(made, out.mesh().levels[i]);
        made.materials = out.mesh().levels[i].materials;
        if (made.materials.any())
            if (auto dressed = dressLevel(subject, made, made.mesh, job); !dressed)
                return dressed.error();
        out.mesh().levels[i] = std::move(made);
    }
    return out;
}

Subject restoreLevels(const Subject& subject, const ThinState& state) {
    Subject out = subject;
    out.mesh().curve = state.curve;
    out.mesh().pieces = state.record->pieces;
    out.mesh().aggregate = state.record->aggregate;
    for (Level& level : out.mesh().levels)
        if (!level.mesh && level.origin == LevelOrigin::Collapsed) {
            level.pieces = piecesLeft(*state.record, level.triangles);
            auto cut = cutAndPolish(*state.source, *state.query, *state.record, level.triangles, {});
            auto plain = std::make_shared<const Mesh>(std::move(*cut));
            level.triangles = plain->triangleCount();
            // A picture that cannot be read any more leaves the level with its subject's materials.
            if (!dressLevel(subject, level, plain, {})) {
                level.materials = {};
                (void)dressLevel(subject, level, plain, {});
            }
        }
    return out;
}

Result<Subject> measureLevels(const Subject& subject, const JobContext& job) {
    Subject out = subject;
    if (out.mesh().levels.size() < 2)
        return out;
    const Mesh& source = *out.mesh().source().mesh;
    const SurfaceQuery query(source);
    for (std::size_t i = 1; i < out.mesh().levels.size(); ++i) {
        const double n = static_cast<double>(out.mesh().levels.size());
        auto deviation = measureDeviation(source, query, *out.mesh().levels[i].mesh, {},
                                          job.part(static_cast<double>(i) / n, static_cast<double>(i + 1) / n));
        if (!deviation)
            return deviation.error();
        Level measured = levelFrom(out.mesh().levels[i].mesh, *deviation, out.mesh().levels[i].origin);
        measured.locked = out.mesh().levels[i].locked;
        measured.fixed = out.mesh().levels[i].fixed;
        keepSeen(measured, out.mesh().levels[i]);
        out.mesh().levels[i] = std::move(measured);
    }
    return out;
}

std::vector<Finding> findChainProblems(const Subject& subject) {
    std::vector<Finding> findings;
    const auto note = [&](FindingKind kind, std::size_t level) {
        findings.push_back({kind, 1, 0, static_cast<int>(level), true});
    };
    for (std::size_t i = 1; i < subject.mesh().levels.size(); ++i) {
        if (subject.mesh().levels[i].triangles >= subject.mesh().levels[i - 1].triangles)
            note(FindingKind::LevelsOutOfOrder, i);
        if (!subject.mesh().levels[i].mesh || subject.mesh().levels[i].origin != LevelOrigin::HandMade)
            continue;
        const Bounds bounds = boundsOf(*subject.mesh().levels[i].mesh);
        const double allowed = 0.1 * subject.bounds.diagonal();
        if ((bounds.centre() - subject.bounds.centre()).norm() > allowed ||
            std::abs(bounds.diagonal() - subject.bounds.diagonal()) > 2 * allowed)
            note(FindingKind::LevelBoundsDisagree, i);
    }
    return findings;
}

} // namespace thicket
