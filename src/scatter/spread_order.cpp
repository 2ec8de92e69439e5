#include "scatter/spread_order.h"

#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace thicket {
namespace {

constexpr std::uint32_t kNone = 0xFFFFFFFFU;

/// Points that were taken, by squares of x and z.
class Squares {
public:
    Squares(std::span<const Vec3d> points, const Vec3d& low, const Vec3d& high) : m_points(points), m_low(low) {
        m_width = std::max(high.x() - low.x(), 1e-9);
        m_depth = std::max(high.z() - low.z(), 1e-9);
        m_next.resize(points.size(), kNone);
    }

    /// Begins again with squares of at least that side.
    void begin(double side, std::span<const std::uint32_t> taken) {
        constexpr double kMost = 4e6;
        m_side = std::max({side, std::sqrt(m_width * m_depth / kMost), m_width / 2e6, m_depth / 2e6});
        m_columns = static_cast<std::int64_t>(m_width / m_side) + 1;
        m_rows = static_cast<std::int64_t>(m_depth / m_side) + 1;
        m_heads.assign(static_cast<std::size_t>(m_columns * m_rows), kNone);
        for (const std::uint32_t i : taken)
            put(i);
    }
    void put(std::uint32_t i) {
        std::uint32_t& head = m_heads[squareOf(column(m_points[i].x()), row(m_points[i].z()))];
        m_next[i] = head;
        head = i;
    }
    [[nodiscard]] bool anyWithin(const Vec3d& at, double radius) const {
        const double squared = radius * radius;
        const std::int64_t left = column(at.x() - radius);
        const std::int64_t right = column(at.x() + radius);
        for (std::int64_t r = row(at.z() - radius); r <= row(at.z() + radius); ++r)
            for (std::int64_t c = left; c <= right; ++c)
                for (std::uint32_t i = m_heads[squareOf(c, r)]; i != kNone; i = m_next[i])
                    if ((m_points[i] - at).squaredNorm() < squared)
                        return true;
        return false;
    }

private:
    [[nodiscard]] std::int64_t column(double x) const {
        return std::clamp(static_cast<std::int64_t>((x - m_low.x()) / m_side), std::int64_t{0}, m_columns - 1);
    }
    [[nodiscard]] std::int64_t row(double z) const {
        return std::clamp(static_cast<std::int64_t>((z - m_low.z()) / m_side), std::int64_t{0}, m_rows - 1);
    }
    [[nodiscard]] std::size_t squareOf(std::int64_t c, std::int64_t r) const {
        return static_cast<std::size_t>(r * m_columns + c);
    }

    std::span<const Vec3d> m_points;
    Vec3d m_low;
    double m_width = 1;
    double m_depth = 1;
    double m_side = 1;
    std::int64_t m_columns = 1;
    std::int64_t m_rows = 1;
    std::vector<std::uint32_t> m_heads;
    std::vector<std::uint32_t> m_next;
};

} // namespace

Result<std::vector<std::uint32_t>> spreadOrder(std::span<const Vec3d> points, std::span<const float> apart,
                                               std::size_t wanted, std::uint64_t seed, const JobContext& job) {
    wanted = std::min(wanted, points.size());
    std::vector<std::uint32_t> out;
    out.reserve(wanted);
    if (wanted == 0)
        return out;
    // Tried in a random order, always the same; laid out in it, since that is how they are read.
    BigVector<std::uint64_t> keys(points.size());
    for (std::size_t i = 0; i < points.size(); ++i)
        keys[i] = (lot(seed, i) & ~std::uint64_t{0xFFFFFFFF}) | i;
    sortKeys(keys, {});
    std::vector<Vec3d> tried(points.size());
    std::vector<float> far(apart.empty() ? 0 : points.size());
    std::vector<std::uint32_t> left(points.size());
    Vec3d low = points[0];
    Vec3d high = low;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const std::size_t from = keys[i] & 0xFFFFFFFFU;
        tried[i] = points[from];
        if (!far.empty())
            far[i] = apart[from];
        left[i] = static_cast<std::uint32_t>(i);
        low = low.cwiseMin(tried[i]);
        high = high.cwiseMax(tried[i]);
    }
    Squares squares(tried, low, high);
    constexpr double kFall = 0.8;     // of the radius from round to round
    constexpr std::size_t kTries = 8; // for each that may be expected, in the first rounds
    constexpr int kRounds = 96;
    // Of points that are all wanted, the last lie where they lie: chance orders them as well as anything.
    const std::size_t ordered = wanted < points.size() ? wanted : wanted - wanted / 8;
    double radius = std::max((high - low).norm() / 2, 1e-9);
    for (int round = 0; round < kRounds && out.size() < ordered && !left.empty(); ++round, radius *= kFall) {
        if (job.cancelled())
            return cancelledError();
        job.report(static_cast<double>(out.size()) / static_cast<double>(wanted), "spreading");
        squares.begin(radius, out);
        const std::size_t tries = std::min(left.size(), kTries * (2 * out.size() + 8));
        std::size_t kept = 0;
        std::size_t i = 0;
        for (; i < tries && out.size() < ordered; ++i) {
            const std::uint32_t point = left[i];
            const double away = far.empty() ? radius : radius * static_cast<double>(far[point]);
            if (squares.anyWithin(tried[point], away)) {
                left[kept++] = point;
            } else {
                out.push_back(point);
                squares.put(point);
            }
        }
        // Those that were turned away go behind the others, so that every one has its turn.
        if (i < left.size()) {
            std::rotate(left.begin() + static_cast<std::ptrdiff_t>(kept), left.begin() + static_cast<std::ptrdiff_t>(i),
                        left.end());
            left.resize(left.size() - (i - kept));
            std::rotate(left.begin(), left.begin() + static_cast<std::ptrdiff_t>(kept), left.end());
        } else {
            left.resize(kept);
        }
    }
    for (std::size_t i = 0; i < left.size() && out.size() < wanted; ++i)
        out.push_back(left[i]);
    for (std::uint32_t& place : out)
        place = static_cast<std::uint32_t>(keys[place] & 0xFFFFFFFFU);
    return out;
}

} // namespace thicket
