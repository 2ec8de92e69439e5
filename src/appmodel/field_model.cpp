#include "appmodel/field_model.h"

#include "appmodel/text.h"
#include "io/import/placement_table.h"
#include "io/project/recipe_file.h"
#include "scene/fields.h"
#include "scene/kinds.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

/// A recipe for meshes that nobody has scattered yet: some two thousand of them, with room about each.
ScatterRecipe firstRecipe(const Scene& scene, const std::vector<std::uint32_t>& assets) {
    ScatterRecipe r;
    double footprint = 0;
    for (const std::uint32_t id : assets) {
        ScatterAsset asset;
        asset.subject = id;
        r.assets.push_back(asset);
        const Vec3d size = scene.find(id)->bounds.size();
        footprint = std::max(footprint, std::max(size.x(), 0.05) * std::max(size.z(), 0.05));
    }
    const Subject* ground = nullptr;
    const auto area = [](const Subject& s) { return s.bounds.size().x() * s.bounds.size().z(); };
    for (const Subject& s : scene.subjects)
        if ((s.terrain() != nullptr || (s.isMesh() && s.role == Role::Horizon)) &&
            (ground == nullptr || area(s) > area(*ground)))
            ground = &s;
    double metres = 0;
    if (ground != nullptr) {
        r.surface = ground->id;
        metres = area(*ground);
    } else {
        const double half = std::clamp(std::round(25 * std::sqrt(footprint)), 10.0, 2000.0);
        r.lowX = r.lowZ = -half;
        r.highX = r.highZ = half;
        metres = 4 * half * half;
    }
    constexpr double kFirstCopies = 2000;
    const double density = std::min(kFirstCopies / metres, 0.25 / footprint);
    const double digit = std::pow(10, std::floor(std::log10(density)));
    r.density = std::max(1.0, std::floor(density / digit)) * digit;
    return r;
}

std::string fieldName(const Scene& scene, const std::vector<std::uint32_t>& assets) {
    return assets.size() == 1 ? scene.find(assets.front())->name + " field"
                              : "Field of " + std::to_string(assets.size());
}

} // namespace

const Subject* FieldModel::field(std::uint32_t id) const {
    const Subject* found = scene().find(id);
    return found != nullptr && found->instances() != nullptr ? found : nullptr;
}

void FieldModel::edit(const Subject& after, const QString& label, const QString& mergeKey) {
    m_session.document.push(changeSubject(scene(), after, label.toStdString(), mergeKey.toStdString()));
}

void FieldModel::addField(const QString& title, std::function<Result<Subject>(const Scene&, const JobContext&)> make) {
    m_session.add(title, std::move(make), [this](Subject& subject) {
        InstancesBody& body = std::get<InstancesBody>(subject.body);
        for (const std::uint32_t asset : body.assets)
            if (scene().findMesh(asset) == nullptr) {
                m_session.say(
                    tr("%1: one of its meshes was removed meanwhile; nothing was added").arg(toText(subject.name)),
                    true);
                return false;
            }
        if (Placements copies = *body.copies; !keepFreeIds(scene(), copies)) {
            body.copies = std::make_shared<const Placements>(std::move(copies));
            m_session.say(tr("%1: some ids are in use already, so its copies have new ones").arg(toText(subject.name)));
        }
        return true;
    });
}

void FieldModel::importTable(const QString& path, bool skipBad) {
    addField(tr("Reading %1").arg(path.section('/', -1)),
             [this, path, skipBad](const Scene& scene, const JobContext& job) -> Result<Subject> {
                 const std::filesystem::path file = toPath(path);
                 TableOptions options;
                 for (const Subject& s : scene.subjects)
                     if (s.isMesh())
                         options.assets.push_back(s.name);
                 if (options.assets.empty())
                     return Error{ErrorCode::BadInput, file.string(), "places meshes, and the project has none yet",
                                  "add the meshes that it names first"};
                 auto table = readPlacementTable(file, options, job.part(0, 0.3));
                 if (!table)
                     return table.error();
                 if (table->badRows > 0 && !skipBad) {
                     QMetaObject::invokeMethod(
                         this, [this, path, bad = table->badRows, good = table->copies.size(),
                                text = toText(badRowsText(*table))] { emit rowsRefused(path, bad, good, text); });
                     return Session::saidAlready();
                 }
                 if (table->copies.empty())
                     return Error{ErrorCode::BadInput, file.string(), "holds no row that can be placed",
                                  "its assets must be called as meshes of the project are"};
                 std::vector<std::uint32_t> assets;
                 for (const std::string& name : table->assets)
                     for (const Subject& s : scene.subjects)
                         if (s.isMesh() && s.name == name) {
                             assets.push_back(s.id);
                             break;
                         }
                 auto ordered = inSpreadOrder(table->copies, job.part(0.3, 1));
                 if (!ordered)
                     return ordered.error();
                 Subject made =
                     makeField(scene, file.stem().string(), Role::Dressing, std::move(assets), std::move(*ordered));
                 made.source.path = std::filesystem::absolute(file).lexically_normal();
                 return made;
             });
}

void FieldModel::scatterNew(const std::vector<std::uint32_t>& assets) {
    std::vector<std::uint32_t> meshes;
    for (const std::uint32_t id : assets)
        if (scene().findMesh(id) != nullptr)
            meshes.push_back(id);
    if (meshes.empty()) {
        m_session.say(tr("Choose the meshes to scatter in the list first."), true);
        return;
    }
    addField(tr("Scattering"), [meshes](const Scene& in, const JobContext& job) -> Result<Subject> {
        const ScatterRecipe recipe = firstRecipe(in, meshes);
        auto copies = scatterIn(in, recipe, job);
        if (!copies)
            return copies.error();
        Subject made = makeField(in, fieldName(in, meshes), Role::GroundCover, meshes, std::move(*copies));
        std::get<InstancesBody>(made.body).recipe = std::make_shared<const ScatterRecipe>(recipe);
        return made;
    });
}

void FieldModel::openRecipe(const QString& path) {
    addField(tr("Scattering"), [path](const Scene& in, const JobContext& job) -> Result<Subject> {
        auto file = readRecipeFile(in, toPath(path));
        if (!file)
            return file.error();
        auto copies = scatterIn(in, file->recipe, job);
        if (!copies)
            return copies.error();
        std::vector<std::uint32_t> assets;
        for (const ScatterAsset& asset : file->recipe.assets)
            assets.push_back(asset.subject);
        Subject made = makeField(in, file->name, file->role, assets, std::move(*copies));
        if (file->rule)
            made.rule = *file->rule;
        InstancesBody& body = std::get<InstancesBody>(made.body);
        body.thinning = file->thinning.value_or(usualThinning(file->role, made.rule.reachMetres));
        body.recipe = std::make_shared<const ScatterRecipe>(std::move(file->recipe));
        return made;
    });
}

void FieldModel::saveRecipe(std::uint32_t id, const QString& path) {
    const Subject* found = field(id);
    if (found == nullptr || !found->instances()->recipe)
        return;
    if (auto done = writeRecipeFile(scene(), *found, toPath(path)); !done)
        m_session.report(done.error());
    else
        m_session.say(tr("Written: %1").arg(path));
}

const ScatterRecipe* FieldModel::recipe(std::uint32_t id) const {
    if (const auto pending = m_pending.find(id); pending != m_pending.end())
        return &pending->second.recipe;
    const Subject* found = field(id);
    return found != nullptr ? found->instances()->recipe.get() : nullptr;
}

void FieldModel::setRecipe(std::uint32_t id, const ScatterRecipe& recipe, const QString& label) {
    if (field(id) == nullptr)
        return;
    const int number = ++m_asked;
    m_pending[id] = {recipe, number};
    emit recipeChanged(id);
    Session::Change change;
    change.title = tr("Scattering");
    change.label = label.toStdString();
    change.key = QStringLiteral("scatter-%1").arg(id);
    change.supersede = true;
    change.kind = Kind::Instances;
    change.work = [recipe](const Subject& before, const Scene& in, const JobContext& job) -> Result<Subject> {
        auto copies = scatterIn(in, recipe, job);
        if (!copies)
            return copies.error();
        Subject made = before;
        InstancesBody& body = std::get<InstancesBody>(made.body);
        body.assets.clear();
        for (const ScatterAsset& asset : recipe.assets)
            body.assets.push_back(asset.subject);
        body.copies = std::make_shared<const Placements>(std::move(*copies));
        body.recipe = std::make_shared<const ScatterRecipe>(recipe);
        refresh(in, made);
        return made;
    };
    change.merge = [this](const Subject& now, const Subject&, const Subject& made) -> std::optional<Subject> {
        for (const std::uint32_t asset : made.instances()->assets)
            if (scene().findMesh(asset) == nullptr)
                return std::nullopt;
        Subject after = now; // its name, rule and curves may have changed meanwhile
        InstancesBody& body = std::get<InstancesBody>(after.body);
        const InstancesBody& fresh = *made.instances();
        body.assets = fresh.assets;
        body.copies = fresh.copies;
        body.recipe = fresh.recipe;
        after.bounds = made.bounds;
        after.radius = made.radius;
        return after;
    };
    change.ended = [this, id, number] {
        if (const auto pending = m_pending.find(id); pending != m_pending.end() && pending->second.number == number) {
            m_pending.erase(pending);
            emit recipeChanged(id);
        }
    };
    m_session.change({id}, std::move(change));
}

void FieldModel::setThinning(std::uint32_t id, const Thinning& thinning, const QString& label,
                             const QString& mergeKey) {
    const Subject* found = scene().find(id);
    const Thinning* now = found != nullptr ? thinningOf(*found) : nullptr;
    if (now == nullptr || *now == thinning)
        return;
    Subject after = *found;
    thicket::setThinning(after, thinning);
    edit(after, label, mergeKey);
}

void FieldModel::holdCover(std::uint32_t id, bool on) {
    const Subject* found = scene().find(id);
    const Thinning* now = found != nullptr ? thinningOf(*found) : nullptr;
    if (now == nullptr || now->holdCover == on)
        return;
    Thinning thinning = *now;
    if (!on) {
        thinning.grow.points.clear();
        for (const CurvePoint& p : thinning.keep.points)
            thinning.grow.points.push_back({p.metres, std::round(100 * thinning.growAt(p.metres)) / 100});
    }
    thinning.holdCover = on;
    setThinning(id, thinning, on ? tr("Hold the cover") : tr("Grow by hand"));
}

void FieldModel::setSwitch(std::uint32_t id, int level, double metres, const QString& mergeKey) {
    const Subject* found = field(id);
    if (found == nullptr || level < 1)
        return;
    Subject after = *found;
    InstancesBody& body = std::get<InstancesBody>(after.body);
    const View view = scene().statedView();
    for (const std::uint32_t id2 : body.assets) {
        const Subject* asset = scene().findMesh(id2);
        const auto at = static_cast<std::size_t>(level);
        if (asset == nullptr || at >= asset->mesh().levels.size())
            continue;
        if (body.fixed.size() <= at)
            body.fixed.resize(at + 1);
        const DecideBy unit = after.rule.decideBy == DecideBy::PixelError ? DecideBy::Distance : after.rule.decideBy;
        body.fixed[at] =
            fixAt(unit, std::clamp(metres, 0.1, 1e6), costsOf(*asset)[at], after.rule, asset->radius, view);
        edit(after, tr("Move a switch of %1").arg(toText(after.name)), mergeKey);
        return;
    }
}

void FieldModel::clearSwitch(std::uint32_t id, int level) {
    const Subject* found = field(id);
    if (found == nullptr || level < 1 || static_cast<std::size_t>(level) >= found->instances()->fixed.size() ||
        !found->instances()->fixed[static_cast<std::size_t>(level)])
        return;
    Subject after = *found;
    std::get<InstancesBody>(after.body).fixed[static_cast<std::size_t>(level)].reset();
    edit(after, tr("Free a switch of %1").arg(toText(after.name)));
}

void FieldModel::setEngineInstances(std::uint32_t id, bool on) {
    const Subject* found = field(id);
    if (found == nullptr || found->instances()->engineInstances == on)
        return;
    Subject after = *found;
    std::get<InstancesBody>(after.body).engineInstances = on;
    edit(after, tr("Count draws otherwise"));
}

void FieldModel::removeCopy(std::uint32_t placement) {
    if (Edit made = thicket::removeCopy(scene(), placement); !made.empty())
        m_session.document.push(std::move(made));
}

FieldModel::LeastCover FieldModel::leastCover(const Thinning& thinning, double reachMetres) {
    LeastCover out;
    double end = reachMetres;
    for (const CurvePoint& p : thinning.keep.points)
        if (p.value <= 0) { // to where the last copies go, which is meant
            end = end > 0 ? std::min(end, p.metres) : p.metres;
            break;
        }
    if (end <= 0)
        end = thinning.keep.points.empty() ? 0 : thinning.keep.points.back().metres;
    double last = 0; // of the points where something is kept: beyond it the field ends
    for (const CurvePoint& p : thinning.keep.points)
        if (p.value > 0 && p.metres <= end)
            last = p.metres;
    constexpr int kSteps = 400;
    for (int i = 0; i <= kSteps; ++i) {
        const double metres = last * i / kSteps;
        if (const double cover = std::min(1.0, coverAt(thinning, metres)); cover < out.share - 1e-9)
            out = {cover, metres};
    }
    return out;
}

} // namespace thicket::app
