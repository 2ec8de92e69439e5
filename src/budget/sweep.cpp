#include "budget/sweep.h"

#include "base/parallel.h"
#include "scene/grounds.h"
#include "scene/occluders.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>
#include <numeric>

namespace thicket {
namespace {

constexpr std::uint32_t kStrip = 4;    // rows that are gone along by one camera, there and back
constexpr std::uint32_t kTogether = 8; // strips between looks at how far it is

Error refuse(const std::string& what, const std::string& remedy) {
    return {ErrorCode::BadInput, "sweep", what, remedy};
}

struct Area {
    double lowX = 1e300;
    double lowZ = 1e300;
    double highX = -1e300;
    double highZ = -1e300;
    double lowest = 1e300; ///< Y of what is placed
    [[nodiscard]] bool empty() const { return lowX > highX; }
    void add(const Vec3d& low, const Vec3d& high) {
        lowX = std::min(lowX, low.x());
        lowZ = std::min(lowZ, low.z());
        highX = std::max(highX, high.x());
        highZ = std::max(highZ, high.z());
        lowest = std::min(lowest, low.y());
    }
};

void addCopies(Area& area, const Batch& batch) {
    const double radius = batch.chain.radius;
    for (const CellTable::Cell& cell : batch.copies->cells) {
        const double tall = std::min(radius, batch.chain.bounds.size().y() / 2);
        const Vec3d half = cell.half() + Vec3d(radius, tall, radius) * cell.mostScale;
        area.add(cell.origin - half, cell.origin + half);
    }
}

/// All that is placed, but for what is seen far off; where there is nothing else, that, and then terrains.
Area areaOf(const Scene& scene, const SelectInput& input) {
    Area out;
    Area farOff;
    for (const Batch& batch : input.batches) {
        const Subject* subject = scene.find(input.subjects[batch.subject]);
        addCopies(subject != nullptr && subject->role == Role::Horizon ? farOff : out, batch);
    }
    if (!out.empty() || !farOff.empty())
        return out.empty() ? farOff : out;
    for (const GroundBatch& ground : input.grounds) {
        const TileTree& tree = *ground.tree;
        const Vec3d low = tree.origin + Vec3d(0, static_cast<double>(tree.low), 0);
        out.add(low, low + Vec3d(tree.spacing * (tree.columns - 1), 0, tree.spacing * (tree.rows - 1)));
    }
    return out;
}

struct Grid {
    double x = 0; ///< of the first place
    double z = 0;
    std::uint32_t columns = 0;
    std::uint32_t rows = 0;
    double lowest = 0;
};

Result<Grid> gridOf(const Scene& scene, const SelectInput& input, const SweepOptions& options) {
    if (!(options.spacing > 0 && options.spacing <= 1e6))
        return refuse("the spacing is no distance", "give so many metres between places");
    if (!(options.eyeHeight >= 0 && options.eyeHeight <= 1e5))
        return refuse("the height of the eye is none", "give so many metres above the ground");
    if (options.directions < 1 || options.directions > 36)
        return refuse("the directions are none", "give 1 to 36");
    Area area = areaOf(scene, input);
    if (area.empty())
        return refuse("nothing is placed in the scene", "place something first");
    Grid out;
    out.lowest = area.lowest;
    if (options.area) {
        const auto& a = *options.area;
        if (!(std::all_of(a.begin(), a.end(), [](double v) { return std::isfinite(v) && std::abs(v) < 1e9; }) &&
              a[0] <= a[2] && a[1] <= a[3]))
            return refuse("the area is none", "give low X, low Z, high X and high Z in metres");
        area.lowX = a[0];
        area.lowZ = a[1];
        area.highX = a[2];
        area.highZ = a[3];
    } else {
        area.lowX -= options.spacing;
        area.lowZ -= options.spacing;
        area.highX += options.spacing;
        area.highZ += options.spacing;
    }
    const double columns = std::floor((area.highX - area.lowX) / options.spacing + 1e-9) + 1;
    const double rows = std::floor((area.highZ - area.lowZ) / options.spacing + 1e-9) + 1;
    if (columns * rows > static_cast<double>(kMostSweepPlaces))
        return Error{ErrorCode::TooLarge, "sweep",
                     fmt::format("would stand at {:.0f} places, more than {}", columns * rows, kMostSweepPlaces),
                     "take a larger spacing or a smaller area"};
    out.x = area.lowX;
    out.z = area.lowZ;
    out.columns = static_cast<std::uint32_t>(columns);
    out.rows = static_cast<std::uint32_t>(rows);
    return out;
}

/// Without anything that depends on where one came from.
void forgetTheWay(SelectInput& input) {
    const auto forget = [](SwitchRule& rule) {
        rule.hysteresis = 0;
        rule.dwellSeconds = 0;
        rule.fadeSeconds = 0;
        rule.checkSeconds = 0;
    };
    for (Batch& batch : input.batches)
        forget(batch.chain.rule);
    for (GroundBatch& ground : input.grounds) {
        forget(ground.switching);
        ground.rule.band = 0;
    }
}

} // namespace

std::vector<std::size_t> Sweep::worst(std::size_t most, double apart) const {
    std::vector<std::size_t> order(places.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [this](std::size_t a, std::size_t b) { return places[a].ms > places[b].ms; });
    std::vector<std::size_t> out;
    for (const std::size_t i : order) {
        if (out.size() >= most)
            break;
        if (std::none_of(out.begin(), out.end(), [&](std::size_t o) {
                return std::hypot(places[i].x - places[o].x, places[i].z - places[o].z) < apart;
            }))
            out.push_back(i);
    }
    return out;
}

std::string sweepTable(const Sweep& sweep) {
    std::string out = "x,z,eye,ms,triangles,draws,degrees,over\n";
    for (const SweepPlace& p : sweep.places)
        out += fmt::format("{:.3f},{:.3f},{:.3f},{:.4f},{},{},{:.1f},{}\n", p.x, p.z, p.eye, p.ms, p.triangles, p.draws,
                           p.degrees, p.over ? 1 : 0);
    return out;
}

Result<std::pair<std::uint32_t, std::uint32_t>> sweepSize(const Scene& scene, const SweepOptions& options) {
    const auto grid = gridOf(scene, selectInput(scene, scene.statedView()), options);
    if (!grid)
        return grid.error();
    return std::pair(grid->columns, grid->rows);
}

Result<Sweep> sweepScene(const Scene& scene, const Device& device, const SweepOptions& options, const JobContext& job) {
    const View stated = scene.statedView(&device);
    SelectInput input = selectInput(scene, stated);
    const auto grid = gridOf(scene, input, options);
    if (!grid)
        return grid.error();
    if (scene.settings.cullHidden)
        fillOccluders(scene, input, job.part(0, 0.1));
    forgetTheWay(input);
    SelectOptions how = selectOptions(scene, 0);
    how.listRuns = false;
    how.fades = false;
    Sweep out;
    out.columns = grid->columns;
    out.rows = grid->rows;
    out.spacing = options.spacing;
    out.places.resize(std::size_t{grid->columns} * grid->rows);

    const std::uint32_t strips = (grid->rows + kStrip - 1) / kStrip;
    const auto lookRound = [&](SweepPlace& place, std::vector<SelectState>& states, Selection& selection) {
        const Vec3d eye(place.x, place.eye, place.z);
        for (std::size_t d = 0; d < states.size(); ++d) {
            const double turn = 2 * std::numbers::pi * static_cast<double>(d) / options.directions;
            const View view = lookAt(stated, eye, eye + Vec3d(std::cos(turn), 0, std::sin(turn)));
            select(input, view, 0, how, states[d], selection);
            const Ledger ledger = ledgerOf(input, selection, view, device);
            place.triangles = std::max(place.triangles, ledger.total.triangles);
            place.draws = std::max(place.draws, ledger.total.draws);
            place.over = place.over || overBudget(device, ledger.ms, ledger.total.triangles, ledger.total.draws);
            if (d == 0 || ledger.ms > place.ms) {
                place.ms = ledger.ms;
                place.degrees = turn * 180 / std::numbers::pi;
            }
        }
    };
    const auto goAlong = [&](std::uint32_t strip) {
        // A camera a direction: what it remembers holds at the next place, which is near.
        std::vector<SelectState> states(static_cast<std::size_t>(options.directions));
        Selection selection;
        for (std::uint32_t row = strip * kStrip; row < std::min(grid->rows, (strip + 1) * kStrip); ++row)
            for (std::uint32_t k = 0; k < grid->columns && !job.cancelled(); ++k) {
                const std::uint32_t column = row % 2 == 0 ? k : grid->columns - 1 - k;
                SweepPlace& place = out.places[std::size_t{row} * grid->columns + column];
                place.x = grid->x + column * options.spacing;
                place.z = grid->z + row * options.spacing;
                place.eye = groundHeight(scene, place.x, place.z).value_or(grid->lowest) + options.eyeHeight;
                lookRound(place, states, selection);
            }
    };
    for (std::uint32_t first = 0; first < strips; first += kTogether) {
        job.report(0.1 + 0.9 * first / strips, "looking round");
        parallelChunks(std::min(kTogether, strips - first), 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to; ++i)
                goAlong(first + static_cast<std::uint32_t>(i));
        });
        if (job.cancelled())
            return cancelledError();
    }
    out.over = static_cast<std::size_t>(
        std::count_if(out.places.begin(), out.places.end(), [](const SweepPlace& p) { return p.over; }));
    constexpr std::size_t kDearest = 10;
    constexpr double kApart = 4; // spacings
    out.dearest = out.worst(kDearest, kApart * options.spacing);
    return out;
}

} // namespace thicket
