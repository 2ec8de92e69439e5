#include "appmodel/strand_model.h"

#include "appmodel/text.h"
#include "io/import/import_strands.h"
#include "io/project/project.h"
#include "io/project/recipe_file.h"
#include "scene/strand_subject.h"
#include "strands/strand_cards.h"

#include <algorithm>
#include <cmath>

namespace thicket::app {
namespace {

/// Some twenty thousand blades, wherever they are to grow.
StrandRecipe firstRecipe(const Scene& scene, std::uint32_t wanted) {
    StrandRecipe r;
    const Subject* surface = scene.find(wanted);
    if (surface != nullptr && !surface->isMesh() && surface->terrain() == nullptr)
        surface = nullptr;
    const auto area = [](const Subject& s) { return s.bounds.size().x() * s.bounds.size().z(); };
    for (const Subject& s : scene.subjects)
        if (scene.find(wanted) == nullptr && (s.terrain() != nullptr || (s.isMesh() && s.role == Role::Horizon)) &&
            (surface == nullptr || area(s) > area(*surface)))
            surface = &s;
    double metres = 400;
    r.where.lowX = r.where.lowZ = -10;
    r.where.highX = r.where.highZ = 10;
    if (surface != nullptr) {
        r.where.surface = surface->id;
        metres = std::max(area(*surface), 1e-6);
        // On something the size of a hand grow hairs, not blades.
        const double size = std::sqrt(metres);
        r.length = std::clamp(0.12 * size, 0.004, 0.6);
        r.width = std::max(r.length / 75, 5e-5);
        r.clumpMetres = 0.75 * r.length;
    }
    constexpr double kFirstStrands = 20'000;
    const double density = std::min(kFirstStrands / metres, 60.0 / (r.length * r.length));
    const double digit = std::pow(10, std::floor(std::log10(density)));
    r.where.density = std::max(1.0, std::floor(density / digit)) * digit;
    return r;
}

Result<Subject> grownBy(const Scene& in, const StrandRecipeFile& file, const JobContext& job) {
    auto grown = growStrandsIn(in, file.recipe, job.part(0, 0.8));
    if (!grown)
        return grown.error();
    StrandsBody body;
    body.strands = std::move(*grown);
    body.recipe = std::make_shared<const StrandRecipe>(file.recipe);
    body.look = file.look.value_or(body.look);
    auto made = makeStrands(file.name, file.role, std::move(body), job.part(0.8, 1));
    if (!made)
        return made;
    if (file.rule)
        made->rule = *file.rule;
    if (file.thinning)
        setThinning(*made, *file.thinning);
    return made;
}

/// A subject as it is now with the lines that a job made of what it was.
Subject withGrowthOf(const Subject& now, const Subject& before, const Subject& made) {
    Subject after = now;
    auto& body = std::get<StrandsBody>(after.body);
    const StrandsBody was = body;
    body = *made.strands();
    body.thinning = was.thinning;
    after.bounds = made.bounds;
    after.radius = made.radius;
    if (was.look != body.look)
        after = withLook(std::move(after), was.look);
    const std::vector<StrandLevel>& then = before.strands()->levels;
    if (was.levels == then)
        return after;
    // Where only their switches were moved meanwhile, and there are as many of them, nothing is chosen anew.
    auto& own = std::get<StrandsBody>(after.body).levels;
    std::vector<StrandLevel> moved = then;
    for (std::size_t i = 0; i < moved.size() && i < was.levels.size(); ++i)
        moved[i].fixed = was.levels[i].fixed;
    if (moved == was.levels && own.size() == was.levels.size()) {
        for (std::size_t i = 0; i < own.size(); ++i)
            own[i].fixed = was.levels[i].fixed;
        return after;
    }
    auto chosen = withStrandLevels(after, was.levels, {});
    return chosen ? *chosen : after;
}

} // namespace

const Subject* StrandModel::strands(std::uint32_t id) const {
    const Subject* found = scene().find(id);
    return found != nullptr && found->strands() != nullptr ? found : nullptr;
}

void StrandModel::edit(const Subject& after, const QString& label, const QString& mergeKey) {
    m_session.document.push(changeSubject(scene(), after, label.toStdString(), mergeKey.toStdString()));
}

void StrandModel::importLines(const QString& path) {
    m_session.add(tr("Reading %1").arg(path.section('/', -1)),
                  [this, path](const Scene&, const JobContext& job) -> Result<Subject> {
                      auto made = importStrands(toPath(path), {}, Role::Dressing, {}, job);
                      if (!made)
                          return made.error();
                      if (!made->notes.empty())
                          QMetaObject::invokeMethod(this, [this, path, note = made->notes.front()] {
                              m_session.say(path.section('/', -1) + QStringLiteral(": ") + toText(note));
                          });
                      return std::move(made->subject);
                  });
}

void StrandModel::growNew(std::uint32_t surface) {
    m_session.add(tr("Growing"), [surface](const Scene& in, const JobContext& job) {
        StrandRecipeFile file;
        file.name = "Grass";
        file.recipe = firstRecipe(in, surface);
        return grownBy(in, file, job);
    });
}

void StrandModel::openRecipe(const QString& path) {
    m_session.add(tr("Growing"), [path](const Scene& in, const JobContext& job) -> Result<Subject> {
        const auto file = readStrandRecipe(in, toPath(path));
        if (!file)
            return file.error();
        return grownBy(in, *file, job);
    });
}

void StrandModel::saveRecipe(std::uint32_t id, const QString& path) {
    const Subject* found = strands(id);
    if (found == nullptr || !found->strands()->recipe)
        return;
    if (auto done = writeStrandRecipe(scene(), *found, toPath(path)); !done)
        m_session.report(done.error());
    else
        m_session.say(tr("Written: %1").arg(path));
}

const StrandRecipe* StrandModel::recipe(std::uint32_t id) const {
    if (const auto pending = m_pending.find(id); pending != m_pending.end())
        return &pending->second.recipe;
    const Subject* found = strands(id);
    return found != nullptr ? found->strands()->recipe.get() : nullptr;
}

void StrandModel::setRecipe(std::uint32_t id, const StrandRecipe& recipe, const QString& label) {
    if (strands(id) == nullptr)
        return;
    const int number = ++m_asked;
    m_pending[id] = {recipe, number};
    emit recipeChanged(id);
    Session::Change change;
    change.title = tr("Growing");
    change.label = label.toStdString();
    change.key = QStringLiteral("grow-%1").arg(id);
    change.supersede = true;
    change.kind = Kind::Strands;
    change.work = [recipe](const Subject& before, const Scene& in, const JobContext& job) -> Result<Subject> {
        auto grown = growStrandsIn(in, recipe, job.part(0, 0.8));
        if (!grown)
            return grown.error();
        // Points of another number or length ask for other levels; those of the same stay where they are.
        const StrandsBody& was = *before.strands();
        const bool alike = was.recipe && was.recipe->points == recipe.points && was.recipe->length == recipe.length;
        Subject start = before;
        if (!alike)
            std::get<StrandsBody>(start.body).levels.clear();
        auto made = withStrands(std::move(start), std::move(*grown), job.part(0.8, 1));
        if (!made)
            return made;
        auto& body = std::get<StrandsBody>(made->body);
        body.recipe = std::make_shared<const StrandRecipe>(recipe);
        if (alike)
            return made;
        const bool cards = !was.levels.empty() && was.levels.back().perCard > 0;
        const std::size_t most = was.levels.size() - (cards ? 1 : 0);
        std::vector<StrandLevel> levels = usualLevels(*body.strands, *body.worth, std::max<std::size_t>(2, most));
        if (cards) { // they stay, where they come in too
            levels.push_back(was.levels.back());
            levels.back().deviation = 0;
        }
        return withStrandLevels(*made, std::move(levels), job);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        // Name, rule, curves, looks and levels may have changed meanwhile: only what grew comes from the job.
        return withGrowthOf(now, before, made);
    };
    change.ended = [this, id, number] {
        if (const auto pending = m_pending.find(id); pending != m_pending.end() && pending->second.number == number) {
            m_pending.erase(pending);
            emit recipeChanged(id);
        }
    };
    m_session.change({id}, std::move(change));
}

void StrandModel::changeLevels(std::uint32_t id, const QString& label,
                               std::function<std::vector<StrandLevel>(const StrandsBody&)> how) {
    Session::Change change;
    change.title = tr("Choosing points");
    change.label = label.toStdString();
    change.kind = Kind::Strands;
    change.work = [how = std::move(how)](const Subject& before, const Scene&,
                                         const JobContext& job) -> Result<Subject> {
        return before.strands()->strands ? withStrandLevels(before, how(*before.strands()), job) : before;
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        const StrandsBody& is = *now.strands();
        const StrandsBody& was = *before.strands();
        if (is.strands != was.strands || is.levels != was.levels)
            return std::nullopt;
        Subject after = now;
        auto& body = std::get<StrandsBody>(after.body);
        body.levels = made.strands()->levels;
        body.layout = made.strands()->layout;
        return after;
    };
    m_session.change({id}, std::move(change));
}

namespace {

/// The coarsest level that is drawn as lines.
const StrandLevel& lastOfLines(const StrandsBody& body) {
    const bool cards = body.levels.back().perCard > 0;
    return body.levels[body.levels.size() - (cards ? 2 : 1)];
}

} // namespace

bool StrandModel::setCards(std::uint32_t id, std::uint32_t perCard) {
    const Subject* found = strands(id);
    if (found == nullptr || !found->strands()->strands || perCard < kLeastPerCard || perCard > kMostPerCard ||
        found->strands()->strands->size() < 2 * std::size_t{perCard})
        return false;
    const StrandLevel& last = found->strands()->levels.back();
    if (last.perCard == perCard)
        return true;
    const QString label = last.perCard > 0 ? tr("Change the cards of %1") : tr("Make cards of %1");
    changeLevels(id, label.arg(toText(found->name)), [perCard](const StrandsBody& body) {
        std::vector<StrandLevel> levels = body.levels;
        if (levels.back().perCard == 0)
            levels.emplace_back();
        levels.back().perCard = perCard;
        return levels;
    });
    return true;
}

bool StrandModel::addLevel(std::uint32_t id) {
    const Subject* found = strands(id);
    constexpr std::size_t kMost = 8;
    if (found == nullptr || !found->strands()->strands || found->strands()->levels.size() >= kMost ||
        lastOfLines(*found->strands()).segments <= found->strands()->strands->size())
        return false;
    changeLevels(id, tr("Add a level to %1").arg(toText(found->name)), [](const StrandsBody& body) {
        const auto straight = static_cast<std::uint64_t>(body.strands->size());
        const auto inner = static_cast<double>(body.strands->segments() - straight);
        const std::uint64_t last = lastOfLines(body).segments;
        const double share = static_cast<double>(last - straight) / std::max(inner, 1.0) / 2;
        StrandLevel level = levelWithShare(*body.strands, *body.worth, share);
        if (level.segments >= last)
            level = levelWithShare(*body.strands, *body.worth, 0);
        std::vector<StrandLevel> levels = body.levels;
        levels.push_back(level);
        return levels;
    });
    return true;
}

void StrandModel::removeLevel(std::uint32_t id, int level) {
    const Subject* found = strands(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->strands()->levels.size()))
        return;
    changeLevels(id, tr("Remove L%1 of %2").arg(level).arg(toText(found->name)), [level](const StrandsBody& body) {
        std::vector<StrandLevel> levels = body.levels;
        if (level < static_cast<int>(levels.size()))
            levels.erase(levels.begin() + level);
        return levels;
    });
}

void StrandModel::setDeviation(std::uint32_t id, int level, double metres) {
    const Subject* found = strands(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->strands()->levels.size()) || !(metres > 0) ||
        found->strands()->levels[static_cast<std::size_t>(level)].perCard > 0)
        return;
    changeLevels(id, tr("Change L%1 of %2").arg(level).arg(toText(found->name)),
                 [level, metres](const StrandsBody& body) {
                     std::vector<StrandLevel> levels = body.levels;
                     if (level < static_cast<int>(levels.size()))
                         levels[static_cast<std::size_t>(level)].deviation = metres;
                     return levels;
                 });
}

void StrandModel::relink(std::uint32_t id, const QString& path) {
    const Subject* found = strands(id);
    if (found == nullptr || found->strands()->recipe)
        return;
    Session::Change change{tr("Reading %1").arg(path.section('/', -1)), "Point " + found->name + " to its file"};
    change.kind = Kind::Strands;
    change.work = [path](const Subject& before, const Scene&, const JobContext& job) {
        return attachSource(before, toPath(path), job);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        Subject after = withGrowthOf(now, before, made);
        after.source = made.source;
        return after;
    };
    m_session.change({id}, std::move(change));
}

void StrandModel::readAs(std::uint32_t id, const std::function<void(Reading&)>& how, const QString& label) {
    const Subject* found = strands(id);
    if (found == nullptr || found->strands()->recipe || !found->strands()->strands)
        return;
    Session::Change change{tr("Reading %1").arg(toText(found->source.path.filename().string())),
                           label.arg(toText(found->name)).toStdString()};
    change.kind = Kind::Strands;
    change.work = [how](const Subject& before, const Scene&, const JobContext& job) -> Result<Subject> {
        const StrandsBody& is = *before.strands();
        Reading reading{is.width, is.unit, is.up};
        const Reading was = reading;
        how(reading);
        if (reading == was)
            return Session::saidAlready();
        Subject start = inUnit(before, reading.unit);
        auto& body = std::get<StrandsBody>(start.body);
        body.width = reading.width;
        body.up = reading.up;
        return attachSource(start, start.source.path, job);
    };
    change.merge = [](const Subject& now, const Subject& before, const Subject& made) -> std::optional<Subject> {
        if (made.strands()->unit != before.strands()->unit && now.strands()->levels != before.strands()->levels)
            return std::nullopt; // they are of the unit before
        Subject after = withGrowthOf(now, before, made);
        after.source = made.source;
        if (now.rule == before.rule)
            after.rule = made.rule;
        if (now.strands()->thinning == before.strands()->thinning)
            setThinning(after, made.strands()->thinning);
        return after;
    };
    change.ended = [this, id] { emit recipeChanged(id); }; // fields show what is, though nothing came of it
    m_session.change({id}, std::move(change));
}

void StrandModel::setLook(std::uint32_t id, const StrandLook& look, const QString& mergeKey) {
    const Subject* found = strands(id);
    if (found == nullptr || found->strands()->look == look)
        return;
    edit(withLook(*found, look), tr("Change the colours of %1").arg(toText(found->name)), mergeKey);
}

StrandModel::Measured StrandModel::measuredOf(const Subject& subject) const {
    const StrandsBody& body = *subject.strands();
    return {body.strands,      strandThinning(subject, scene().statedView()),
            body.look,         strandChain(subject, scene().statedView()).fromMetres,
            body.layout.cards, subject.rule.reachMetres};
}

std::vector<StrandCover> StrandModel::cover(std::uint32_t id) {
    const Subject* found = strands(id);
    if (found == nullptr || !found->strands()->strands)
        return {};
    Measured of = measuredOf(*found);
    const auto known = m_covers.find(id);
    if (known != m_covers.end() && known->second.of == of)
        return known->second.values;
    const std::vector<StrandCover> before = known != m_covers.end() ? known->second.values : std::vector<StrandCover>();
    if (m_measuring && m_measuring->first == id && m_measuring->second == of)
        return before; // the old one stays in sight until the new one is there
    m_measuring = {id, of};
    std::vector<double> distances;
    const double last = of.reach > 0 ? of.reach : std::max(50.0, 1.5 * of.from.back());
    constexpr int kPlaces = 9;
    for (int i = 1; i <= kPlaces; ++i) {
        const double share = static_cast<double>(i) / (kPlaces + 0.5);
        distances.push_back(share * share * last);
    }
    const View view = scene().statedView();
    m_session.looks().run(
        tr("Measuring the cover"),
        [this, id, of, distances, view, subject = *found](const JobContext& job) -> JobQueue::Finish {
            const StrandsBody& body = *subject.strands();
            auto values = measureCover(*body.strands, *body.worth, strandChain(subject, view), of.thinning, body.look,
                                       view, distances, job, of.cards.get());
            return [this, id, of, made = std::move(values)] {
                if (m_measuring && m_measuring->first == id && m_measuring->second == of)
                    m_measuring.reset();
                if (!made)
                    return;
                m_covers[id] = {of, *made};
                emit coverChanged(id);
            };
        },
        QStringLiteral("cover-%1").arg(id), true);
    return before;
}

} // namespace thicket::app
