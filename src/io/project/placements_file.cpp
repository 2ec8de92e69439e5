#include "io/project/placements_file.h"

#include <bit>
#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace thicket {
namespace {

static_assert(std::endian::native == std::endian::little, "columns are written as they lie in memory");

constexpr char kPlacesMagic[8] = {'T', 'H', 'K', 'P', 'L', 'A', 'C', '1'};
constexpr std::size_t kPlacesHeader = sizeof(kPlacesMagic) + sizeof(std::uint64_t);
constexpr std::size_t kNumbers = 9; // position, rotation x y z w, scale, importance
constexpr std::size_t kBytesEach = 2 * sizeof(std::uint32_t) + kNumbers * sizeof(double);

void toNumbers(const Placement& p, double* out) {
    const double values[kNumbers] = {p.position.x(), p.position.y(), p.position.z(), p.rotation.x(), p.rotation.y(),
                                     p.rotation.z(), p.rotation.w(), p.scale,        p.importance};
    std::memcpy(out, values, sizeof values);
}

} // namespace

std::string problemOf(const Placement& p) {
    constexpr double kFarthest = 1e12;
    if (!p.position.allFinite() || p.position.cwiseAbs().maxCoeff() > kFarthest)
        return "a position is not a number, or beyond 1e12 m";
    if (!p.rotation.coeffs().allFinite() || !(std::abs(p.rotation.norm() - 1) < 1e-3))
        return "a rotation is not of length 1";
    if (!(p.scale >= 1e-6 && p.scale <= 1e6))
        return "a scale is not between 1e-6 and 1e6";
    if (!(p.importance >= 0.01 && p.importance <= 100))
        return "an importance is not between 0.01 and 100";
    return {};
}

std::vector<std::byte> encodePlacements(const Placements& placements) {
    const std::size_t n = placements.size();
    std::vector<std::byte> out(kPlacesHeader + n * kBytesEach);
    std::memcpy(out.data(), kPlacesMagic, sizeof kPlacesMagic);
    const std::uint64_t count = n;
    std::memcpy(out.data() + sizeof kPlacesMagic, &count, sizeof count);
    std::byte* at = out.data() + kPlacesHeader;
    const auto column = [&](auto member) {
        for (const Placement& p : placements) {
            const std::uint32_t value = p.*member;
            std::memcpy(at, &value, sizeof value);
            at += sizeof value;
        }
    };
    column(&Placement::id);
    column(&Placement::asset);
    for (std::size_t i = 0; i < n; ++i) {
        double values[kNumbers];
        toNumbers(placements[i], values);
        for (std::size_t k = 0; k < kNumbers; ++k)
            std::memcpy(at + (k * n + i) * sizeof(double), &values[k], sizeof(double));
    }
    return out;
}

Result<Placements> decodePlacements(std::span<const std::byte> data, const std::string& where) {
    const auto bad = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, where, what, "take an older copy of the project"};
    };
    if (data.size() < kPlacesHeader || std::memcmp(data.data(), kPlacesMagic, sizeof kPlacesMagic) != 0)
        return bad("holds no placements");
    std::uint64_t count = 0;
    std::memcpy(&count, data.data() + sizeof kPlacesMagic, sizeof count);
    if (count > kMostPlacements)
        return bad(fmt::format("names {} placements, more than the {} there can be", count, kMostPlacements));
    if (data.size() != kPlacesHeader + count * kBytesEach)
        return bad(fmt::format("is {} bytes long, not what {} placements take", data.size(), count));
    const auto n = static_cast<std::size_t>(count);
    const std::byte* ids = data.data() + kPlacesHeader;
    const std::byte* assets = ids + n * sizeof(std::uint32_t);
    const std::byte* numbers = assets + n * sizeof(std::uint32_t);
    Placements out(n);
    for (std::size_t i = 0; i < n; ++i) {
        Placement& p = out[i];
        std::memcpy(&p.id, ids + i * sizeof p.id, sizeof p.id);
        std::memcpy(&p.asset, assets + i * sizeof p.asset, sizeof p.asset);
        double v[kNumbers];
        for (std::size_t k = 0; k < kNumbers; ++k)
            std::memcpy(&v[k], numbers + (k * n + i) * sizeof(double), sizeof(double));
        p.position = {v[0], v[1], v[2]};
        p.rotation = Quatd(v[6], v[3], v[4], v[5]);
        p.scale = v[7];
        p.importance = v[8];
        if (const std::string problem = problemOf(p); !problem.empty())
            return bad(fmt::format("placement {}: {}", i, problem));
    }
    return out;
}

} // namespace thicket
