#include "scene/strand_subject.h"

#include "scene/fields.h"
#include "strands/ribbon_mesh.h"
#include "strands/strand_cards.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr std::size_t kMostLevels = 5;

/// A few strands as ribbons, wide enough to be seen in a picture the size of a thumb.
void makeLikeness(StrandsBody& body) {
    constexpr double kShown = 400;
    const double share = std::min(1.0, kShown / static_cast<double>(body.strands->size()));
    // Those next to the first: a tuft says more than a few strands from all over.
    const StrandSet& set = *body.strands;
    std::vector<std::pair<float, std::uint32_t>> near;
    for (std::uint32_t s = 0; s < set.size(); ++s)
        near.emplace_back((set.points[set.first[s]] - set.points.front()).squaredNorm(), s);
    const auto shown = std::min<std::size_t>(near.size(), static_cast<std::size_t>(kShown));
    std::nth_element(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(shown - 1), near.end());
    // Where they stand far apart they move together: each would be less than a pixel.
    constexpr float kAcross = 1.5F; // of their length, from the first to the farthest
    float farthest = 0;
    float longest = 0;
    for (std::size_t i = 0; i < shown; ++i) {
        const std::uint32_t s = near[i].second;
        farthest = std::max(farthest, std::sqrt(near[i].first));
        longest = std::max(longest, (set.points[set.first[s + 1] - 1] - set.points[set.first[s]]).norm());
    }
    const float together = std::min(1.0F, kAcross * longest / std::max(farthest, 1e-6F));
    StrandSet tuft;
    tuft.first.push_back(0);
    for (std::size_t i = 0; i < shown; ++i) {
        const std::uint32_t s = near[i].second;
        const Vec3f root = set.points[set.first[s]];
        const Vec3f moved = together * (root - set.points.front()) - root;
        for (std::uint32_t p = set.first[s]; p < set.first[s + 1]; ++p) {
            tuft.points.push_back(set.points[p] + moved);
            tuft.widths.push_back(set.widths[p]);
        }
        tuft.first.push_back(static_cast<std::uint32_t>(tuft.points.size()));
    }
    const Bounds box = placesOf(tuft).world;
    constexpr double kOfPicture = 0.012;
    const auto least = static_cast<float>(kOfPicture * box.diagonal());
    for (float& width : tuft.widths)
        width = std::max(width, share < 1 ? 0.6F * least : least);
    body.likeness = std::make_shared<const Mesh>(ribbonMesh(tuft, body.look));
    auto surfaces = std::make_shared<Surfaces>();
    surfaces->materials.resize(1);
    surfaces->materials[0].name = "strands";
    surfaces->materials[0].doubleSided = true;
    // Pictures of meshes do not read colours of vertices.
    const Vec3f mean = (body.look.root + body.look.tip) / 2;
    surfaces->materials[0].baseColor = {mean.x(), mean.y(), mean.z(), 1};
    body.likenessSurfaces = std::move(surfaces);
}

/// Everything that follows from the lines.
Result<void> derive(StrandsBody& body, const std::string& name, const JobContext& job) {
    if (auto sound = checkStrands(*body.strands, name); !sound)
        return sound;
    auto worth = weighPoints(*body.strands, job);
    if (!worth)
        return worth.error();
    body.worth = std::make_shared<const std::vector<float>>(std::move(*worth));
    body.places = placesOf(*body.strands);
    body.layout = {};
    makeLikeness(body);
    return {};
}

Result<void> layLevels(StrandsBody& body, std::vector<StrandLevel> levels, const JobContext& job) {
    StrandLevel source;
    source.segments = body.strands->segments();
    std::vector<StrandLevel> out{source};
    std::optional<StrandLevel> ofCards;
    for (std::size_t l = 1; l < levels.size(); ++l) {
        if (levels[l].perCard > 0) { // of several the last
            ofCards = levels[l];
            continue;
        }
        StrandLevel level = levelWithin(*body.strands, *body.worth, levels[l].deviation);
        level.fixed = levels[l].fixed;
        out.push_back(level);
    }
    std::stable_sort(out.begin() + 1, out.end(),
                     [](const StrandLevel& a, const StrandLevel& b) { return a.deviation < b.deviation; });
    std::shared_ptr<const StrandCards> cards;
    if (ofCards) {
        const bool same = body.layout.cards && !body.levels.empty() && body.levels.back().perCard == ofCards->perCard;
        cards = body.layout.cards;
        if (!same) {
            auto made = cardsOf(*body.strands, ofCards->perCard, job);
            if (!made)
                return made.error();
            cards = std::make_shared<const StrandCards>(std::move(*made));
        }
        ofCards->deviation = cards->deviation;
        ofCards->segments = cards->count();
        out.push_back(*ofCards);
    }
    body.levels = std::move(out);
    body.layout = layOut(*body.strands, *body.worth, body.places, body.levels, &body.layout, std::move(cards));
    return {};
}

} // namespace

Result<Subject> makeStrands(std::string name, Role role, StrandsBody body, const JobContext& job) {
    Subject out;
    out.name = std::move(name);
    out.role = role;
    if (auto done = derive(body, out.name, job); !done)
        return done.error();
    out.rule = usualStrandRule(role, body.places.meanLength);
    body.thinning = usualStrandThinning(role, out.rule.reachMetres);
    if (auto done = layLevels(body, usualLevels(*body.strands, *body.worth, kMostLevels), job); !done)
        return done.error();
    out.body = std::move(body);
    refresh({}, out);
    return out;
}

Result<Subject> withStrands(Subject subject, std::shared_ptr<const StrandSet> strands, const JobContext& job) {
    StrandsBody& body = std::get<StrandsBody>(subject.body);
    body.strands = std::move(strands);
    if (auto done = derive(body, subject.name, job); !done)
        return done.error();
    if (auto done = layLevels(body, std::vector<StrandLevel>(body.levels), job); !done)
        return done.error();
    refresh({}, subject);
    return subject;
}

Result<Subject> withStrandLevels(Subject subject, std::vector<StrandLevel> levels, const JobContext& job) {
    if (auto done = layLevels(std::get<StrandsBody>(subject.body), std::move(levels), job); !done)
        return done.error();
    return subject;
}

Subject inUnit(Subject subject, double metres) {
    auto& body = std::get<StrandsBody>(subject.body);
    const double by = metres / body.unit;
    const double length = body.places.meanLength;
    const SwitchRule usual = usualStrandRule(subject.role, length);
    if (body.thinning == usualStrandThinning(subject.role, subject.rule.reachMetres) && subject.rule == usual) {
        subject.rule = usualStrandRule(subject.role, by * length);
        body.thinning = usualStrandThinning(subject.role, subject.rule.reachMetres);
    }
    for (StrandLevel& level : body.levels) {
        level.deviation *= by;
        if (level.fixed && level.fixed->unit == DecideBy::Distance)
            level.fixed->value *= by;
    }
    body.unit = metres;
    return subject;
}

Subject withLook(Subject subject, const StrandLook& look) {
    auto& body = std::get<StrandsBody>(subject.body);
    body.look = look;
    if (body.strands)
        makeLikeness(body);
    return subject;
}

Result<std::shared_ptr<const StrandSet>> growIn(const Scene& scene, const StrandRecipe& recipe,
                                                const std::vector<std::byte>& mask, const JobContext& job) {
    auto ground = groundOf(scene, recipe.where, mask);
    if (!ground)
        return ground.error();
    auto grown = growStrands(recipe, *ground, job);
    if (!grown)
        return grown.error();
    return std::make_shared<const StrandSet>(std::move(*grown));
}

std::vector<LevelCost> strandCosts(const StrandsBody& body) {
    std::vector<LevelCost> out;
    for (const StrandLevel& level : body.levels) {
        LevelCost cost;
        cost.triangles = static_cast<std::uint32_t>(2 * level.segments);
        cost.vertices = static_cast<std::uint32_t>(
            level.perCard > 0 ? 4 * level.segments
                              : 2 * level.segments + 2 * (body.strands ? body.strands->size() : 0));
        cost.draws = 1;
        cost.deviationMetres = level.deviation;
        cost.fixed = level.fixed;
        out.push_back(cost);
    }
    return out;
}

ResolvedChain strandChain(const Subject& subject, const View& view) {
    const StrandsBody& body = *subject.strands();
    return resolveChain(strandCosts(body), loosened(subject.rule, view.looser(subject.id)), body.places.bounds,
                        std::max(body.places.radius, 1e-6), view);
}

Thinning strandThinning(const Subject& subject, const View& view) {
    const Thinning& own = subject.strands()->thinning;
    return own.fullHeight > 0 ? thinningFor(own, fullHeightOf(view, strandChain(subject, view).radius)) : own;
}

Thinning usualStrandThinning(Role role, double reach) {
    Thinning out = Thinning::ofWidths();
    // Widths make up for far more than sizes can, so strands go sooner than copies of a field.
    switch (role) {
    case Role::GroundCover:
        out.keep = sharesOver(reach, {{0.04, 1}, {0.12, 0.5}, {0.3, 0.22}, {0.6, 0.14}, {0.9, 0.125}, {1, 0}});
        out.growAtMost = 8;
        break;
    case Role::Dressing:
        out.keep = sharesOver(reach, {{0.12, 1}, {0.4, 0.45}, {0.9, 0.25}, {1, 0}});
        out.growAtMost = 4;
        break;
    case Role::Landmark:
    case Role::WorkingPiece:
    case Role::Horizon:
        break; // each of them counts: none goes
    }
    return out;
}

SwitchRule usualStrandRule(Role role, double length) {
    SwitchRule rule = usualFieldRule(role, length);
    rule.cullBelowPx = 0;
    rule.softBand = 0.1;
    rule.marginMetres = std::clamp(std::round(2 * length), 0.5, 20.0);
    if (rule.reachMetres > 0)
        rule.reachMetres = std::clamp(std::round(length * 400 / 10) * 10, 60.0, 4000.0);
    return rule;
}

} // namespace thicket
