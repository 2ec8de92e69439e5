// What of a deviation can be seen: needles cannot, fur can, and on shapes with a known answer it is that.

#include "measure/deviation.h"
#include "measure/visible.h"
#include "support/shapes.h"

#include <cmath>
#include <gtest/gtest.h>
#include <random>

namespace thicket {
namespace {

class Dice {
public:
    explicit Dice(unsigned seed) : m_generator(seed) {}
    double between(double low, double high) { return std::uniform_real_distribution<double>(low, high)(m_generator); }
    Vec3d box() { return {between(-1, 1), between(-1, 1), between(-1, 1)}; }
    std::size_t upTo(std::size_t most) { return std::uniform_int_distribution<std::size_t>(0, most)(m_generator); }

private:
    std::mt19937 m_generator;
};

Deviation between(const Mesh& reference, const Mesh& level) {
    auto d = measureDeviation(reference, level, {}, {});
    EXPECT_TRUE(d);
    return *d;
}

/// A four-sided needle that stands on a sphere's surface, pointing outwards.
void addNeedle(Mesh& to, const Vec3d& outwards, double length, double width) {
    const Vec3d up = outwards.normalized();
    const Vec3d side = up.unitOrthogonal();
    const Vec3d other = up.cross(side);
    const auto base = static_cast<std::uint32_t>(to.positions.size());
    for (int k = 0; k < 4; ++k) {
        const double turn = k * M_PI / 2;
        to.positions.push_back(
            (up * 0.999 + width / 2 * (std::cos(turn) * side + std::sin(turn) * other)).cast<float>());
    }
    to.positions.push_back((up * (1 + length)).cast<float>());
    for (std::uint32_t k = 0; k < 4; ++k)
        to.indices.insert(to.indices.end(), {base + k, base + (k + 1) % 4, base + 4});
}

Mesh whiskered(int needles, double length, double width, unsigned seed) {
    Mesh out = shapes::sphere(40);
    Dice dice(seed);
    for (int i = 0; i < needles; ++i)
        addNeedle(out, dice.box() + Vec3d(1e-3, 0, 0), length, width);
    shapes::onePart(out);
    return out;
}

/// A flat plate of two metres, with a square in its middle that stands higher, on walls.
Mesh plateWithBump(double side, double height) {
    Mesh out;
    constexpr int kSquares = 20;
    const auto edge = [&](int i) { // the bump's outline is on lines of the grid
        if (i <= kSquares / 2 - 1)
            return -1 + (1 - side / 2) * i / (kSquares / 2.0 - 1);
        return 1 - (1 - side / 2) * (kSquares - i) / (kSquares / 2.0 - 1);
    };
    // One column of squares in the middle is the bump.
    std::vector<double> at;
    for (int i = 0; i <= kSquares; ++i)
        if (i != kSquares / 2)
            at.push_back(edge(i));
    const auto n = at.size();
    for (const double z : at)
        for (const double x : at)
            out.positions.emplace_back(static_cast<float>(x), 0.0F, static_cast<float>(z));
    const auto quad = [&out](std::uint32_t a, std::uint32_t b, std::uint32_t c, std::uint32_t d) {
        out.indices.insert(out.indices.end(), {a, b, c, a, c, d});
    };
    const std::size_t middle = n / 2 - 1;
    for (std::size_t z = 0; z + 1 < n; ++z)
        for (std::size_t x = 0; x + 1 < n; ++x)
            if (x != middle || z != middle) {
                const auto v = static_cast<std::uint32_t>(z * n + x);
                const auto below = static_cast<std::uint32_t>(v + n);
                quad(v, below, below + 1, v + 1);
            }
    const auto low = static_cast<std::uint32_t>(middle * n + middle);
    const std::array<std::uint32_t, 4> foot{low, low + static_cast<std::uint32_t>(n),
                                            low + static_cast<std::uint32_t>(n) + 1, low + 1};
    const auto top = static_cast<std::uint32_t>(out.positions.size());
    for (const std::uint32_t f : foot)
        out.positions.push_back(out.positions[f] + Vec3f(0, static_cast<float>(height), 0));
    quad(top, top + 1, top + 2, top + 3);
    for (std::uint32_t k = 0; k < 4; ++k)
        quad(foot[k], foot[(k + 1) % 4], top + (k + 1) % 4, top + k);
    shapes::onePart(out);
    return out;
}

Mesh plate() {
    Mesh out;
    out.positions = {{-1, 0, -1}, {-1, 0, 1}, {1, 0, 1}, {1, 0, -1}};
    out.indices = {0, 1, 2, 0, 2, 3};
    shapes::onePart(out);
    return out;
}

} // namespace

TEST(Visible, of_a_surface_that_is_off_all_over_is_how_far_it_is_off) {
    for (const double off : {0.2, 0.01, 0.0005}) {
        const Deviation d = between(shapes::sphere(30, 1), shapes::sphere(30, 1 - off));
        EXPECT_NEAR(d.visible, off, 0.15 * off);
        EXPECT_LE(d.visible, d.promised());
    }
}

TEST(Visible, of_equal_meshes_is_nothing) {
    const Mesh ball = shapes::bumpy(12, 3);
    EXPECT_LE(between(ball, ball).visible, 1e-6);
}

TEST(Visible, needles_are_not_seen_though_every_point_of_them_counts) {
    const Mesh ball = shapes::sphere(40);
    const Mesh whiskers = whiskered(200, 0.05, 0.0004, 5);
    const Deviation d = between(whiskers, ball);
    EXPECT_GT(d.max(), 0.049);
    EXPECT_LT(d.visible, 0.012); // a few widths that stand close to each other
    // In the other direction it is the same two surfaces.
    EXPECT_NEAR(between(ball, whiskers).visible, d.visible, 0.4 * d.visible);
}

TEST(Visible, fur_is_seen_to_go) {
    const Mesh ball = shapes::sphere(40);
    // 20,000 needles on a sphere of radius 1: about 16 a ball of 0.05, each with 2e-5 m2.
    const Deviation d = between(whiskered(20'000, 0.05, 0.0004, 5), ball);
    EXPECT_GT(d.visible, 0.02);
    EXPECT_LE(d.visible, d.max() * 1.001);
}

TEST(Visible, a_bump_is_seen_by_how_wide_it_is) {
    const Mesh flat = plate();
    // As wide as it is high, it is seen from as far as its height shows.
    EXPECT_NEAR(between(plateWithBump(0.1, 0.1), flat).visible, 0.1, 0.025);
    // Thin as a needle, it is seen as far as what of its walls lies in a ball: x^2/8 = 4 w x about.
    const double thin = 0.0005;
    const double seen = between(plateWithBump(thin, 0.2), flat).visible;
    EXPECT_LT(seen, 100 * thin);
    EXPECT_GT(seen, 10 * thin);
    // It never falls as a bump becomes wider.
    double before = 0;
    for (const double side : {0.0003, 0.001, 0.003, 0.01, 0.03, 0.1}) {
        const double now = between(plateWithBump(side, 0.2), flat).visible;
        EXPECT_GE(now, 0.8 * before) << side;
        before = now;
    }
}

TEST(Visible, what_is_off_inside_a_large_triangle_is_found) {
    // The level's two triangles touch the reference at their corners alone.
    Mesh dome;
    constexpr int kSide = 60;
    for (int z = 0; z <= kSide; ++z)
        for (int x = 0; x <= kSide; ++x) {
            const double u = 2.0 * x / kSide - 1;
            const double v = 2.0 * z / kSide - 1;
            const double y = 0.3 * std::max(0.0, (1 - u * u) * (1 - v * v));
            dome.positions.emplace_back(static_cast<float>(u), static_cast<float>(y), static_cast<float>(v));
        }
    for (std::uint32_t z = 0; z < kSide; ++z)
        for (std::uint32_t x = 0; x < kSide; ++x) {
            const std::uint32_t a = z * (kSide + 1) + x;
            const std::uint32_t b = a + kSide + 1;
            dome.indices.insert(dome.indices.end(), {a, b, b + 1, a, b + 1, a + 1});
        }
    shapes::onePart(dome);
    const Deviation d = between(dome, plate());
    EXPECT_GT(d.visible, 0.8 * d.max());
}

/// Never above what was found, never below what covers an eighth of a pixel by independent counting.
TEST(Visible, agrees_with_counting_every_place) {
    Dice dice(11);
    for (int round = 0; round < 3; ++round) {
        const Mesh ball = shapes::sphere(12);
        Mesh other = ball;
        for (int i = 0; i < 12; ++i) { // some vertices pushed out of place
            Vec3f& p = other.positions[dice.upTo(other.positions.size() - 1)];
            p *= static_cast<float>(1 + dice.between(-0.2, 0.2));
        }
        const Deviation d = between(ball, other);
        ASSERT_GT(d.visible, 0);
        EXPECT_LE(d.visible, d.promised());
        // Points of equal area on both surfaces, each with how far it is off.
        const SurfaceQuery toOther(other);
        const SurfaceQuery toBall(ball);
        struct Point {
            Vec3d place;
            double off;
        };
        std::vector<Point> points;
        double each = 0;
        const auto gather = [&](const Mesh& mesh, const SurfaceQuery& query) {
            constexpr int kEach = 24; // triangles of the ball are of much the same size
            each = 4 * M_PI / (kEach * mesh.triangleCount());
            for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
                const auto corner = [&](std::uint32_t k) {
                    return Vec3d(mesh.positions[mesh.indices[3 * t + k]].cast<double>());
                };
                for (int i = 0; i < kEach; ++i) {
                    double u = dice.between(0, 1);
                    double v = dice.between(0, 1);
                    if (u + v > 1) {
                        u = 1 - u;
                        v = 1 - v;
                    }
                    const Vec3d p = corner(0) + u * (corner(1) - corner(0)) + v * (corner(2) - corner(0));
                    points.push_back({p, query.closest(p).distance});
                }
            }
        };
        gather(ball, toOther);
        gather(other, toBall);
        // At one and a half times what was found nothing may be seen; at two thirds something must be.
        const auto seen = [&](double x) {
            std::vector<Vec3d> off;
            for (const Point& p : points)
                if (p.off > x)
                    off.push_back(p.place);
            std::size_t most = 0;
            for (const Vec3d& centre : off)
                most =
                    std::max(most, static_cast<std::size_t>(std::count_if(off.begin(), off.end(), [&](const Vec3d& p) {
                                 return (p - centre).norm() <= x;
                             })));
            return static_cast<double>(most) * each >= x * x / 8;
        };
        EXPECT_FALSE(seen(1.5 * d.visible)) << "round " << round;
        EXPECT_TRUE(seen(d.visible / 1.5)) << "round " << round;
    }
}

TEST(Visible, samples_tell_about_as_much_and_miss_needles_too) {
    const auto sampled = [](const Mesh& a, const Mesh& b) {
        return sampleVisible(a, SurfaceQuery(a), b, SurfaceQuery(b), 20'000);
    };
    Mesh larger = shapes::sphere(40);
    for (Vec3f& p : larger.positions)
        p *= 1.03F;
    EXPECT_NEAR(sampled(shapes::sphere(40), larger), 0.03, 0.006);
    for (const double height : {0.02, 0.1}) {
        const Mesh bump = plateWithBump(0.5, height);
        const Mesh flat = plateWithBump(0.5, 0);
        EXPECT_NEAR(sampled(bump, flat) / between(bump, flat).visible, 1, 0.3) << height;
    }
    const Mesh hairy = whiskered(200, 0.3, 0.0005, 4);
    EXPECT_LT(sampled(hairy, shapes::sphere(40)), 0.03) << "they are 0.3 long";
    EXPECT_LT(sampled(larger, larger), 1e-5);
    // Of what is small but all there: a box of a hundredth on a plate of two metres.
    Mesh bolt = plateWithBump(0.5, 0);
    shapes::append(bolt, shapes::box(3, {0.02, 0.02, 0.02}), {0.7, 0.01, 0.7});
    shapes::onePart(bolt);
    const Mesh flat = plateWithBump(0.5, 0);
    EXPECT_NEAR(sampled(bolt, flat) / between(bolt, flat).visible, 1, 0.3);
}

} // namespace thicket
