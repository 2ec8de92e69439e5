#include "scene/field_band.h"

#include "scene/kinds.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace thicket {
namespace {

constexpr double kBesideBand = 0.2;    // beside the soft band, of the distance: what is looked at on either side
constexpr std::uint32_t kStands = 16;  // copies that are tried as the middle of the picture
constexpr std::size_t kShots = 5;      // pictures in all, each round another copy
constexpr int kSides = 8;              // that each is looked at from
constexpr std::size_t kCounted = 4096; // copies that are counted to find the fullest picture
constexpr double kHalfView = 0.1;      // the tangent of half the picture, to count by

const BandAsset* assetOf(const FieldBand& band, const Placement& copy) {
    const auto found = std::find_if(band.assets.begin(), band.assets.end(),
                                    [&copy](const BandAsset& a) { return a.place == copy.asset; });
    return found == band.assets.end() ? nullptr : &*found;
}

/// Whether a copy is near enough to its switch to be looked at.
bool besideSwitch(const FieldBand& band, const BandDrawn& drawn) {
    return drawn.size > 0 && std::abs(drawn.distance - drawn.from) < (band.width + kBesideBand) * drawn.from;
}

/// Whether a copy may lie in the width of a shot.
bool mayBeSeen(const BandAsset& asset, const Placement& copy, const View& view) {
    const Vec3d way = copy.position - view.eye;
    const double depth = way.dot(view.forward);
    const double reach = 2 * asset.chain.radius * copy.scale * asset.thinning.growAt(way.norm());
    return depth > 0 &&
           std::abs(way.dot(view.forward.cross(kUp).normalized())) < kBandWidth / 2 / view.pixelScale() * depth + reach;
}

struct Standing {
    View view;
    Vec3d target{0, 0, 0};
    int count = -1; ///< copies that are seen
};

/// Where pictures are fullest of copies that are about to switch, the fullest first. The first copies of a field are
/// spread evenly over it, whatever its shape.
std::vector<Standing> fullest(const FieldBand& band, const View& stated, const PopOptions& options) {
    const Placements& copies = *band.copies;
    std::vector<Standing> out;
    for (std::size_t i = 0; i < copies.size() && out.size() < kStands; ++i) {
        const BandAsset* asset = assetOf(band, copies[i]);
        if (asset == nullptr)
            continue;
        // Its own switch is in the middle of the picture.
        const double scale = asset->growsWithScale ? copies[i].scale : 1.0;
        const double radius = asset->chain.radius * copies[i].scale;
        const double nearest = asset->chain.rule.measureFrom == MeasureFrom::NearestPoint ? radius : 0;
        const double far = std::max(asset->metres * scale * copies[i].importance + nearest, 1.2 * radius);
        Standing best;
        for (int side = 0; side < kSides; ++side) {
            const double yaw = 2 * std::numbers::pi * (side + 0.25) / kSides;
            const double level = std::cos(options.elevation);
            const Vec3d back(std::sin(yaw) * level, std::sin(options.elevation), std::cos(yaw) * level);
            const View view = lookAt(stated, copies[i].position + back * far, copies[i].position);
            int count = 0;
            for (std::size_t k = 0; k < std::min(copies.size(), kCounted); ++k) {
                const BandAsset* other = assetOf(band, copies[k]);
                count += other != nullptr && mayBeSeen(*other, copies[k], view) &&
                                 besideSwitch(band, drawnFrom(band, *other, k, view))
                             ? 1
                             : 0;
            }
            if (count > best.count)
                best = {view, copies[i].position, count};
        }
        out.push_back(best);
    }
    std::stable_sort(out.begin(), out.end(), [](const Standing& a, const Standing& b) { return a.count > b.count; });
    out.resize(std::min(out.size(), kShots));
    return out;
}

/// The worse of two, figure by figure.
void takeWorse(PopScore& worst, const PopScore& one) {
    worst.outlineShift = std::max(worst.outlineShift, one.outlineShift);
    worst.changedPixels = std::max(worst.changedPixels, one.changedPixels);
    worst.meanDeltaE = std::max(worst.meanDeltaE, one.meanDeltaE);
    worst.pixelsTall = std::max(worst.pixelsTall, one.pixelsTall);
    worst.direction = one.direction;
}

} // namespace

double judgedBlur(const Subject& subject, const View& view) {
    constexpr double kManyAlike = 60; // pixels a degree
    const bool many = subject.isMesh() && subject.mesh().aggregate;
    return eyeBlurPx(std::max(view.pixelsADegree, many ? kManyAlike : 0.0));
}

bool BandAsset::operator==(const BandAsset& o) const {
    return place == o.place && finer == o.finer && coarser == o.coarser && finerSurfaces == o.finerSurfaces &&
           coarserSurfaces == o.coarserSurfaces && finerViews == o.finerViews && coarserViews == o.coarserViews &&
           metres == o.metres && growsWithScale == o.growsWithScale && blurPx == o.blurPx && thinning == o.thinning &&
           chain.rule.measureFrom == o.chain.rule.measureFrom;
}

BandDrawn drawnFrom(const FieldBand& band, const BandAsset& asset, std::size_t slot, const View& view) {
    const Placement& copy = (*band.copies)[slot];
    const double metres = (centreOf(copy, asset.chain.bounds) - view.eye).norm();
    const double rank = rankOf(static_cast<std::uint32_t>(slot), band.copies->size());
    BandDrawn out;
    out.size = asset.thinning.growAt(metres) * sizeInBand(asset.thinning, asset.thinning.keepAt(metres), rank);
    Placement grown = copy; // on its way out it counts as whole
    grown.scale *= asset.thinning.sizeAt(metres);
    out.distance = copyDistance(asset.chain, grown, view, asset.chain.rule.measureFrom);
    out.from = asset.metres * (asset.growsWithScale ? grown.scale : 1.0) * copy.importance;
    out.softFrom = out.from * softFactor(band.width, spreadOf(copy.id));
    return out;
}

double FieldBand::metres() const {
    double out = 1e300;
    for (const BandAsset& a : assets)
        out = std::min(out, a.metres);
    return assets.empty() ? 0 : out;
}

FieldBand FieldBand::movedTo(double to) const {
    FieldBand out = *this;
    const double times = to / std::max(metres(), 1e-9);
    for (BandAsset& a : out.assets)
        a.metres *= times;
    return out;
}

std::size_t mostLevels(const Scene& scene, const Subject& field) {
    std::size_t most = 0;
    for (const std::uint32_t id : field.instances()->assets)
        if (const Subject* asset = scene.findMesh(id))
            most = std::max(most, asset->mesh().levels.size());
    return most;
}

FieldBand bandOf(const Scene& scene, const Subject& field, std::size_t level, const View& view) {
    const InstancesBody& body = *field.instances();
    FieldBand out;
    out.width = field.rule.softBand;
    std::vector<bool> used(body.assets.size(), false);
    std::size_t left = used.size();
    for (const Placement& copy : *body.copies) {
        if (copy.asset >= used.size() || used[copy.asset])
            continue;
        used[copy.asset] = true;
        if (--left == 0)
            break;
    }
    for (std::uint32_t place = 0; place < body.assets.size(); ++place) {
        const Subject* asset = scene.findMesh(body.assets[place]);
        if (asset == nullptr || !used[place] || level >= asset->mesh().levels.size())
            continue;
        const ResolvedChain chain = chainIn(field, *asset, view);
        const std::vector<Level>& levels = asset->mesh().levels;
        if (chain.neverShows(level) || chain.beyondReach(level) || !levels[level].mesh)
            continue;
        std::size_t before = level; // the level in force before the switch
        do
            --before;
        while (before > 0 && (chain.neverShows(before) || !levels[before].mesh));
        if (!levels[before].mesh)
            continue;
        out.finer = static_cast<int>(before);
        out.assets.push_back(
            {place, levels[before].mesh, levels[level].mesh, surfacesOf(*asset, levels[before]),
             surfacesOf(*asset, levels[level]), levels[before].views, levels[level].views, chain.fromMetres[level],
             chain.growsWithScale[level], judgedBlur(*asset, view),
             nearerBy(thinningFor(body.thinning, fullHeightOf(view, chain.radius)), nearerTimes(view, field.id)),
             chain});
    }
    if (!out.assets.empty())
        out.copies = body.copies;
    return out;
}

std::vector<BandLooks> looksOf(const FieldBand& band) {
    std::vector<BandLooks> out;
    for (const BandAsset& a : band.assets)
        out.push_back({LevelLooks(a.finer, a.finerSurfaces, a.finerViews),
                       LevelLooks(a.coarser, a.coarserSurfaces, a.coarserViews)});
    return out;
}

Result<PopScore> scoreBand(const FieldBand& band, std::vector<BandLooks>& looks, const View& view,
                           const PopOptions& options, const JobContext& job) {
    const double pixelsPerMetre = view.pixelScale();
    PopScore out;
    out.field = true;
    for (std::size_t i = 0; i < band.assets.size(); ++i) {
        const BandAsset& a = band.assets[i];
        const Bounds bounds = boundsOf(*a.finer);
        const double near = a.metres * (1 - band.width);
        const double depth = std::max(bounds.size().x(), bounds.size().z()) / 2;
        PopOptions asked = options;
        asked.blurPx = a.blurPx;
        auto one = scorePop([&](const Vec3d& back) -> const Appearance& { return looks[i].finer.from(back); },
                            [&](const Vec3d& back) -> const Appearance& { return looks[i].coarser.from(back); }, bounds,
                            std::max(near + depth, 1.2 * depth + 1e-6), pixelsPerMetre, asked, job);
        if (!one)
            return one.error();
        takeWorse(out, *one);
        if (options.untilSeen && !out.unseen(*options.untilSeen))
            return out;
    }

    std::vector<BandShot> shots;
    for (const Standing& standing : fullest(band, view, options)) {
        if (job.cancelled())
            return cancelledError();
        BandShot shot{standing.view.eye, standing.target, {}};
        for (std::size_t slot = 0; slot < band.copies->size(); ++slot) {
            const Placement& copy = (*band.copies)[slot];
            const BandAsset* asset = assetOf(band, copy);
            if (asset == nullptr || !mayBeSeen(*asset, copy, standing.view))
                continue;
            const BandDrawn drawn = drawnFrom(band, *asset, slot, standing.view);
            if (!besideSwitch(band, drawn))
                continue;
            BandLooks& own = looks[static_cast<std::size_t>(asset - band.assets.data())];
            const Vec3d back = copy.rotation.conjugate() * (standing.view.eye - copy.position).normalized();
            shot.copies.push_back({&own.finer.from(back), &own.coarser.from(back), copy.position, copy.rotation,
                                   copy.scale * drawn.size, drawn.distance >= drawn.softFrom,
                                   drawn.distance >= drawn.from});
        }
        shots.push_back(std::move(shot));
    }
    auto line = lookAtBand(shots, pixelsPerMetre, options, job);
    if (!line)
        return line.error();
    out.line = line->soft;
    out.suddenLine = line->sudden;
    out.scale = line->scale;
    out.before = std::move(line->softly);
    out.after = std::move(line->suddenly);
    out.difference = std::move(line->difference);
    return out;
}

} // namespace thicket
