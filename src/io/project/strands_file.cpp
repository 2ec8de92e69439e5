#include "io/project/strands_file.h"

#include <bit>
#include <cstring>
#include <fmt/format.h>

namespace thicket {
namespace {

static_assert(std::endian::native == std::endian::little, "columns are written as they lie in memory");
static_assert(sizeof(Vec3f) == 3 * sizeof(float));

constexpr char kStrandsMagic[8] = {'T', 'H', 'K', 'S', 'T', 'R', 'N', '1'};
constexpr std::size_t kStrandsHeader = sizeof(kStrandsMagic) + 2 * sizeof(std::uint64_t) + 3 * sizeof(double);
constexpr std::size_t kBytesAPoint = 4 * sizeof(float);

} // namespace

std::vector<std::byte> encodeStrands(const StrandSet& set) {
    const std::uint64_t counts[2] = {set.size(), set.points.size()};
    std::vector<std::byte> out(kStrandsHeader + counts[0] * sizeof(std::uint32_t) + counts[1] * kBytesAPoint);
    std::byte* at = out.data();
    const auto put = [&at](const void* from, std::size_t bytes) {
        if (bytes > 0)
            std::memcpy(at, from, bytes);
        at += bytes;
    };
    put(kStrandsMagic, sizeof kStrandsMagic);
    put(counts, sizeof counts);
    put(set.origin.data(), 3 * sizeof(double));
    for (std::size_t s = 0; s < set.size(); ++s) {
        const std::uint32_t count = set.countOf(s);
        put(&count, sizeof count);
    }
    put(set.points.data(), set.points.size() * sizeof(Vec3f));
    put(set.widths.data(), set.widths.size() * sizeof(float));
    return out;
}

Result<StrandSet> decodeStrands(std::span<const std::byte> data, const std::string& where) {
    const auto bad = [&](const std::string& what) {
        return Error{ErrorCode::BadInput, where, what, "take an older copy of the project"};
    };
    if (data.size() < kStrandsHeader || std::memcmp(data.data(), kStrandsMagic, sizeof kStrandsMagic) != 0)
        return bad("holds no strands");
    std::uint64_t counts[2];
    std::memcpy(counts, data.data() + sizeof kStrandsMagic, sizeof counts);
    if (counts[0] > kMostStrands || counts[1] > kMostStrandPoints)
        return bad(fmt::format("names {} strands and {} points, more than there can be", counts[0], counts[1]));
    if (data.size() != kStrandsHeader + counts[0] * sizeof(std::uint32_t) + counts[1] * kBytesAPoint)
        return bad(
            fmt::format("is {} bytes long, not what {} strands and {} points take", data.size(), counts[0], counts[1]));
    StrandSet out;
    std::memcpy(out.origin.data(), data.data() + sizeof kStrandsMagic + sizeof counts, 3 * sizeof(double));
    if (!out.origin.allFinite() || out.origin.cwiseAbs().maxCoeff() > 1e12)
        return bad("stands nowhere");
    const std::byte* at = data.data() + kStrandsHeader;
    out.first.resize(static_cast<std::size_t>(counts[0]) + 1);
    std::uint64_t sum = 0;
    for (std::size_t s = 0; s < counts[0]; ++s, at += sizeof(std::uint32_t)) {
        std::uint32_t count = 0;
        std::memcpy(&count, at, sizeof count);
        sum += count;
        if (sum > counts[1])
            return bad("its strands have more points than it holds");
        out.first[s + 1] = static_cast<std::uint32_t>(sum);
    }
    if (sum != counts[1])
        return bad("its strands have fewer points than it holds");
    out.points.resize(static_cast<std::size_t>(counts[1]));
    out.widths.resize(out.points.size());
    if (!out.points.empty()) {
        std::memcpy(out.points.front().data(), at, out.points.size() * sizeof(Vec3f));
        std::memcpy(out.widths.data(), at + out.points.size() * sizeof(Vec3f), out.widths.size() * sizeof(float));
    }
    if (auto sound = checkStrands(out, where); !sound)
        return sound.error();
    return out;
}

} // namespace thicket
