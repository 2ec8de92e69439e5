#include "appmodel/ground_model.h"

#include "appmodel/text.h"
#include "base/file.h"
#include "base/text.h"
#include "io/import/heights_file.h"
#include "io/project/project.h"
#include "io/ship/write_glb.h"

#include <QElapsedTimer>
#include <algorithm>
#include <cmath>

namespace thicket::app {

const Subject* GroundModel::terrain(std::uint32_t id) const {
    const Subject* found = scene().find(id);
    return found != nullptr && found->terrain() != nullptr && found->terrain()->heights ? found : nullptr;
}

void GroundModel::add(const QString& title, std::function<Result<Subject>(const JobContext&)> make) {
    m_session.add(title, [make = std::move(make)](const Scene&, const JobContext& job) { return make(job); });
}

void GroundModel::importHeights(const QString& path, const HeightOptions& options) {
    const std::filesystem::path beside = m_session.besideFolder();
    add(tr("Reading %1").arg(path.section('/', -1)),
        [this, path, options, beside](const JobContext& job) -> Result<Subject> {
            const std::filesystem::path file = std::filesystem::absolute(toPath(path)).lexically_normal();
            auto read = readHeights(file, options, job.part(0, 0.7), {beside});
            if (!read)
                return read.error();
            if (!read->notes.empty())
                QMetaObject::invokeMethod(this, [this, path, notes = read->notes] {
                    QStringList lines;
                    for (const std::string& note : notes)
                        lines << path.section('/', -1) + QStringLiteral(": ") + toText(note);
                    m_session.say(lines.join('\n'), true);
                });
            TerrainBody body;
            body.reading = options;
            body.source = std::make_shared<const Heights>(std::move(read->heights));
            const std::string hash = read->hash.empty() ? hashOf(*body.source) : read->hash;
            auto made = makeTerrain(file.stem().string(), std::move(body), job.part(0.7, 1), read->tree);
            if (made)
                made->source = {file, hash, {}};
            return made;
        });
}

void GroundModel::makeTrial(std::uint32_t side) {
    add(tr("Making ground"), [side](const JobContext& job) {
        TerrainBody body;
        body.trial = GroundRecipe();
        body.trial->columns = body.trial->rows = side + 1;
        return makeTerrain("Trial ground", std::move(body), job);
    });
}

void GroundModel::relink(std::uint32_t id, const QString& path) {
    const Subject* found = scene().find(id);
    if (found == nullptr || found->terrain() == nullptr)
        return;
    Session::Change change{tr("Reading %1").arg(path.section('/', -1)), "Point " + found->name + " to its file"};
    change.kind = Kind::Terrain;
    change.work = [path, beside = m_session.besideFolder()](const Subject& before, const Scene&,
                                                            const JobContext& job) {
        return attachSource(before, toPath(path), job, beside);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (now.terrain()->strokes != before.terrain()->strokes || now.terrain()->cells != before.terrain()->cells)
            return std::nullopt;
        Subject after = made;
        after.name = now.name;
        after.role = now.role;
        after.rule = now.rule;
        return after;
    };
    m_session.change({id}, std::move(change));
}

void GroundModel::setTileSize(std::uint32_t id, std::uint32_t cells) {
    const Subject* found = terrain(id);
    if (found == nullptr || found->terrain()->cells == cells)
        return;
    Session::Change change{tr("Making tiles"), "Change the size of tiles"};
    change.kind = Kind::Terrain;
    change.key = QStringLiteral("tile-size-%1").arg(id);
    change.supersede = true;
    change.work = [cells](const Subject& before, const Scene&, const JobContext& job) {
        return withTileSize(before, cells, job);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (now.terrain()->heights != before.terrain()->heights)
            return std::nullopt;
        Subject after = now;
        auto& body = std::get<TerrainBody>(after.body);
        body.cells = made.terrain()->cells;
        body.tree = made.terrain()->tree;
        return after;
    };
    m_session.change({id}, std::move(change));
}

void GroundModel::setBetween(std::uint32_t id, Passing between) {
    const Subject* found = terrain(id);
    if (found == nullptr || found->terrain()->between == between)
        return;
    Subject after = *found;
    std::get<TerrainBody>(after.body).between = between;
    m_session.document.push(changeSubject(scene(), std::move(after),
                                          between == Passing::Morph       ? "Morph between levels"
                                          : between == Passing::CrossFade ? "Cross-fade between levels"
                                                                          : "Switch suddenly"));
}

void GroundModel::standOnGround(std::uint32_t id) {
    const Subject* found = scene().find(id);
    if (const SharedPlacements all = found != nullptr ? placementsOf(*found) : nullptr; !all || all->empty())
        return;
    auto note = std::make_shared<QString>();
    Session::Change change;
    change.title = tr("Looking for the ground");
    change.label = "Stand on the ground";
    change.kind = found->kind();
    change.work = [note](const Subject& before, const Scene& in, const JobContext&) -> Result<Subject> {
        StoodOnGround stood = thicket::standOnGround(in, *placementsOf(before));
        if (stood.without == stood.copies.size())
            return Error{ErrorCode::BadInput, before.name, "has no ground below any of its copies",
                         "add heights that lie under them"};
        if (stood.without > 0)
            *note = tr("%1: %2 of its copies have no ground below them and stay where they are")
                        .arg(toText(before.name), toText(grouped(stood.without)));
        if (stood.moved == 0) {
            if (note->isEmpty())
                *note = tr("%1 stands on the ground already").arg(toText(before.name));
            else
                *note += tr("; the others stand on it already");
            return Session::saidAlready();
        }
        Subject made = before;
        setPlacements(made, std::make_shared<const Placements>(std::move(stood.copies)));
        refresh(in, made);
        return made;
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (placementsOf(now) != placementsOf(before))
            return std::nullopt;
        Subject after = now; // its name and rule may have changed meanwhile
        setPlacements(after, placementsOf(made));
        after.bounds = made.bounds;
        after.radius = made.radius;
        return after;
    };
    change.ended = [this, note] {
        if (!note->isEmpty())
            m_session.say(*note);
    };
    m_session.change({id}, std::move(change));
}

void GroundModel::beginStroke(std::uint32_t id, BrushKind kind, double radius, double strength, const Vec3d& at) {
    const Subject* found = terrain(id);
    if (found == nullptr || stroking())
        return;
    const TerrainBody& body = *found->terrain();
    m_stroke.id = id;
    m_stroke.under = {body.heights, body.tree};
    m_stroke.stroke = {kind,
                       radius,
                       strength,
                       body.heights->heightAt(at.x(), at.z()).value_or(at.y()) - body.heights->origin.y(),
                       {{at.x(), at.z()}}};
    m_stroke.laid = false;
    ++m_stroke.number;
    layStroke();
}

void GroundModel::goOnWithStroke(const Vec3d& at) {
    if (!stroking())
        return;
    // A point each fifth of the brush is all that shows.
    const auto& last = m_stroke.stroke.path.back();
    if (std::hypot(at.x() - last[0], at.z() - last[1]) < m_stroke.stroke.radius / 5)
        return;
    m_stroke.stroke.path.push_back({at.x(), at.z()});
    layStroke();
}

void GroundModel::layStroke() {
    const Subject* found = terrain(m_stroke.id);
    if (found == nullptr) {
        m_stroke.id = 0;
        return;
    }
    QElapsedTimer timer;
    timer.start();
    StrokeOutcome outcome = thicket::layStroke(*found, m_stroke.under, m_stroke.stroke, m_stroke.laid);
    m_strokeMs = static_cast<double>(timer.nsecsElapsed()) * 1e-6;
    m_strokeTiles = outcome.tiles;
    m_stroke.touched = outcome.touched;
    m_stroke.laid = true;
    m_session.document.push(changeSubject(scene(), std::move(outcome.terrain),
                                          nameOf(m_stroke.stroke.kind) + " the ground",
                                          "ground-stroke-" + std::to_string(m_stroke.number)));
    emit strokeLaid();
}

void GroundModel::endStroke() {
    if (!stroking())
        return;
    const Subject* found = terrain(m_stroke.id);
    m_stroke.id = 0;
    if (found != nullptr && m_stroke.touched.x1 >= m_stroke.touched.x0)
        follow(*m_stroke.under.heights, *found->terrain()->heights, m_stroke.touched,
               "ground-stroke-" + std::to_string(m_stroke.number));
    m_stroke.under = {};
    emit strokeLaid();
}

void GroundModel::cancelStroke() {
    if (!stroking())
        return;
    m_stroke.id = 0;
    m_stroke.under = {};
    m_session.document.undo().undo();
    emit strokeLaid();
}

/// What stood on the ground where it changed goes up or down with it: copies of fields that were scattered on it, and
/// all others that stood within half a metre of it.
void GroundModel::follow(const Heights& before, const Heights& after, const HeightRect& touched,
                         const std::string& mergeKey) {
    constexpr double kStands = 0.5;
    const double lowX = before.origin.x() + touched.x0 * before.spacing;
    const double highX = before.origin.x() + touched.x1 * before.spacing;
    const double lowZ = before.origin.z() + touched.y0 * before.spacing;
    const double highZ = before.origin.z() + touched.y1 * before.spacing;
    Edit edit;
    for (const Subject& subject : scene().subjects) {
        const SharedPlacements all = placementsOf(subject);
        if (!all || subject.role == Role::Horizon)
            continue;
        const bool scattered = subject.instances() != nullptr && subject.instances()->recipe;
        std::optional<Placements> moved;
        for (std::size_t i = 0; i < all->size(); ++i) {
            const Vec3d& p = (*all)[i].position;
            if (p.x() < lowX || p.x() > highX || p.z() < lowZ || p.z() > highZ)
                continue;
            const auto was = before.heightAt(p.x(), p.z());
            const auto is = after.heightAt(p.x(), p.z());
            if (!was || !is || *was == *is || (!scattered && std::abs(p.y() - *was) > kStands))
                continue;
            if (!moved)
                moved = *all;
            (*moved)[i].position.y() += *is - *was;
        }
        if (!moved)
            continue;
        Subject stood = subject;
        setPlacements(stood, std::make_shared<const Placements>(std::move(*moved)));
        refresh(scene(), stood);
        for (auto& change : changeSubject(scene(), std::move(stood), {}).changes)
            edit.changes.push_back(std::move(change));
    }
    if (edit.empty())
        return;
    edit.label = nameOf(m_stroke.stroke.kind) + " the ground";
    edit.mergeKey = mergeKey;
    m_session.document.push(std::move(edit));
}

void GroundModel::forecast(std::uint32_t id, const GroundMeshAsk& ask) {
    const Subject* found = terrain(id);
    if (found == nullptr)
        return;
    m_session.looks().run(
        tr("Reckoning a mesh"),
        [this, heights = found->terrain()->heights, ask](const JobContext& job) -> JobQueue::Finish {
            auto counts = forecastMeshes(heights, ask, job);
            if (!counts && counts.error().code == ErrorCode::Cancelled)
                return {};
            std::vector<Forecast> out;
            for (std::size_t i = 0; counts && i < counts->size(); ++i)
                out.push_back({ask.errors[i], (*counts)[i]});
            return [this, out = std::move(out), why = counts ? QString() : toText(counts.error().text())] {
                m_forecasts = out;
                m_noForecast = why;
                emit forecastReady();
            };
        },
        QStringLiteral("ground-forecast"), true);
}

void GroundModel::writeMesh(std::uint32_t id, const GroundMeshAsk& ask, const QString& path) {
    const Subject* found = terrain(id);
    if (found == nullptr)
        return;
    const std::string name = found->name;
    m_session.jobs().run(
        tr("Making a mesh"), [=, this, heights = found->terrain()->heights](const JobContext& job) -> JobQueue::Finish {
            constexpr std::uint64_t kMost = 20'000'000;
            auto meshes = makeGroundMeshes(heights, ask, kMost, job.part(0, 0.9));
            std::optional<Error> problem;
            if (!meshes) {
                problem = meshes.error();
            } else {
                Surfaces surfaces;
                surfaces.materials.emplace_back();
                surfaces.materials.back().name = "Ground";
                surfaces.materials.back().baseColor = {0.16F, 0.15F, 0.09F, 1};
                surfaces.materials.back().roughness = 0.95F;
                if (auto done =
                        writeFile(toPath(path), encodeGlb(name + " mesh", *meshes, surfaces, GlbLevels::Named, {}));
                    !done)
                    problem = done.error();
            }
            if (problem) {
                if (problem->where.empty())
                    problem->where = name;
                return [this, error = *problem] { m_session.report(error); };
            }
            return [this, path] { emit meshWritten(path); };
        });
}

void GroundModel::study(std::uint32_t id) {
    const Subject* found = terrain(id);
    if (found == nullptr)
        return;
    const View stated = scene().statedView();
    const TileRule rule = tileRuleOf(*found, stated);
    std::vector<View> views;
    if (const Route* own = scene().currentRoute(); own != nullptr && own->length() > 0) {
        const Route& route = *own;
        constexpr int kViews = 400;
        for (int i = 0; i <= kViews; ++i)
            views.push_back(viewOnRoute(route, stated, route.length() * i / kViews));
    } else {
        views.push_back(stated);
    }
    Study start;
    start.id = id;
    start.alongRoute = views.size() > 1;
    start.of = found->terrain()->heights;
    if (const Device* device = scene().currentDevice())
        start.prices = {device->nsPerTriangle, device->usPerDraw};
    m_session.looks().run(
        tr("Trying tile sizes"),
        [this, start, rule, views = std::move(views)](const JobContext& job) mutable -> JobQueue::Finish {
            const auto sizes = usualTileSizes(*start.of);
            auto made = studyTileSizes(*start.of, rule, views, sizes, start.prices, job);
            if (!made)
                return {};
            start.result = std::move(*made);
            return [this, start] {
                m_study = start;
                emit studyChanged();
            };
        },
        QStringLiteral("tile-study"), true);
}

} // namespace thicket::app
