#include "strands/strand_set.h"

#include "base/file.h"
#include "scatter/spread_order.h"

#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace thicket {

Result<void> checkStrands(const StrandSet& set, const std::string& where) {
    const auto bad = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, where, what, "mend the lines in the program they come from"};
    };
    constexpr float kFarthest = 1e6F;
    if (set.size() == 0)
        return bad("holds no strands");
    for (std::size_t s = 0; s < set.size(); ++s) {
        if (set.countOf(s) < 2)
            return bad(fmt::format("strand {} has a single point", s));
        if (set.countOf(s) > kMostPointsInStrand)
            return bad(fmt::format("strand {} has {} points, more than the {} there can be", s, set.countOf(s),
                                   kMostPointsInStrand));
        for (std::uint32_t i = set.first[s]; i < set.first[s + 1]; ++i) {
            if (!set.points[i].allFinite() || set.points[i].cwiseAbs().maxCoeff() > kFarthest)
                return bad(fmt::format("strand {}: a place is no number, or too far away", s));
            if (!(set.widths[i] >= 0 && set.widths[i] < kFarthest))
                return bad(fmt::format("strand {}: a width is negative or no number", s));
        }
    }
    return {};
}

void centreStrands(StrandSet& set) {
    if (set.points.empty())
        return;
    Vec3f low = set.points.front();
    Vec3f high = low;
    for (const Vec3f& p : set.points) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    }
    const Vec3f middle = ((low + high) / 2).array().round();
    for (Vec3f& p : set.points)
        p -= middle;
    set.origin += middle.cast<double>();
}

Result<StrandSet> inStrandOrder(const StrandSet& set, const JobContext& job) {
    std::vector<Vec3d> roots;
    roots.reserve(set.size());
    for (std::size_t s = 0; s < set.size(); ++s)
        roots.emplace_back(set.points[set.first[s]].cast<double>());
    auto order = spreadOrder(roots, {}, roots.size(), 1, job);
    if (!order)
        return order.error();
    StrandSet out;
    out.origin = set.origin;
    out.first.reserve(set.first.size());
    out.points.reserve(set.points.size());
    out.widths.reserve(set.widths.size());
    out.first.push_back(0);
    for (const std::uint32_t s : *order) {
        for (std::uint32_t i = set.first[s]; i < set.first[s + 1]; ++i) {
            out.points.push_back(set.points[i]);
            out.widths.push_back(set.widths[i]);
        }
        out.first.push_back(static_cast<std::uint32_t>(out.points.size()));
    }
    return out;
}

std::string contentOf(const StrandSet& set) {
    std::vector<std::byte> bytes(sizeof(Vec3d) + set.bytes());
    std::byte* at = bytes.data();
    const auto add = [&at](const void* from, std::size_t count) {
        if (count > 0)
            std::memcpy(at, from, count);
        at += count;
    };
    add(set.origin.data(), sizeof(Vec3d));
    add(set.first.data(), set.first.size() * sizeof(std::uint32_t));
    add(set.points.data(), set.points.size() * sizeof(Vec3f));
    add(set.widths.data(), set.widths.size() * sizeof(float));
    return contentHash(bytes);
}

StrandPlaces placesOf(const StrandSet& set) {
    StrandPlaces out;
    auto places = std::make_shared<Placements>(set.size());
    Vec3f half = Vec3f::Zero();
    Vec3d low = Vec3d::Constant(1e300);
    Vec3d high = -low;
    double length = 0;
    double area = 0;
    for (std::size_t s = 0; s < set.size(); ++s) {
        Vec3f from = set.points[set.first[s]];
        Vec3f to = from;
        float widest = 0;
        for (std::uint32_t i = set.first[s]; i < set.first[s + 1]; ++i) {
            from = from.cwiseMin(set.points[i]);
            to = to.cwiseMax(set.points[i]);
            widest = std::max(widest, set.widths[i]);
            if (i > set.first[s]) {
                const auto segment = static_cast<double>((set.points[i] - set.points[i - 1]).norm());
                length += segment;
                area += segment * static_cast<double>(set.widths[i] + set.widths[i - 1]) / 2;
            }
        }
        const Vec3f middle = (from + to) / 2;
        const Vec3f own = ((to - from).array() * 0.500001F + widest / 2).matrix();
        half = half.cwiseMax(own);
        Placement& place = (*places)[s];
        place.id = static_cast<std::uint32_t>(s + 1);
        place.position = set.origin + middle.cast<double>();
        low = low.cwiseMin(place.position - own.cast<double>());
        high = high.cwiseMax(place.position + own.cast<double>());
        for (std::uint32_t i = set.first[s]; i < set.first[s + 1]; ++i)
            out.radius = std::max(out.radius, 1.000001 * static_cast<double>((set.points[i] - middle).norm()) +
                                                  static_cast<double>(set.widths[i]) / 2);
    }
    out.bounds = {-half.cast<double>(), half.cast<double>()};
    out.radius = std::max(out.radius, 1e-6);
    out.world = {low, high};
    out.meanLength = length / static_cast<double>(set.size());
    out.meanWidth = length > 0 ? area / length : 0;
    out.places = std::move(places);
    return out;
}

} // namespace thicket
