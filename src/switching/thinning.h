#pragma once
// How a field of copies thins out over distance. Its copies stand in one progressive order, of which every beginning is
// evenly spread: a copy's *rank*, 0..1, is its place in it. Of a field that keeps a share of its copies those of the
// lowest ranks are drawn, so what stays never moves. Those just beyond the share are on their way out: smaller, until
// they are gone. Those that are drawn may grow, so that the cover is held.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

namespace thicket {

struct CurvePoint {
    double metres = 0;
    double value = 0;
    bool operator==(const CurvePoint&) const = default;
};

/// Straight between its points, level before the first and after the last.
struct DistanceCurve {
    static constexpr std::size_t kMostPoints = 12;
    std::vector<CurvePoint> points; ///< by rising distance; none: 1 everywhere

    [[nodiscard]] double at(double metres) const;
    /// The line that it is between two distances, as its value at 0 m and what it gains a metre; empty where a point
    /// lies between them.
    [[nodiscard]] std::optional<std::pair<double, double>> lineWithin(double nearest, double farthest) const;
    /// Its least and largest value between two distances.
    [[nodiscard]] std::pair<double, double> between(double nearest, double farthest) const;
    /// How much a value may change at most over a metre: anywhere, and between two distances.
    [[nodiscard]] double steepest() const { return steepest(0, 1e300); }
    [[nodiscard]] double steepest(double nearest, double farthest) const;
    bool operator==(const DistanceCurve&) const = default;
};

/// The rule of a field: what share of its copies is drawn at a distance, and how many times as large.
struct Thinning {
    static constexpr double kMostGrowth = 8;
    DistanceCurve keep;    ///< 0..1
    DistanceCurve grow;    ///< 1..kMostGrowth; of no account where the cover is held
    bool holdCover = true; ///< copies grow as much as holds the cover of all of them, but not beyond `growAtMost`
    double growAtMost = 2.5;
    double band = 0.15; ///< 0..1; copies beyond the share by less than this much of it are on their way out
    /// The curves go by height on screen: their distances hold for what fills the picture's height at so many metres, and
    /// go along with it for what does so elsewhere. 0: they go by distance.
    double fullHeight = 0;
    bool widths = false; ///< of strands: what grows, and shrinks on its way out, is their width alone

    [[nodiscard]] static Thinning ofWidths() {
        Thinning out;
        out.widths = true;
        return out;
    }
    /// Something is thinned, or grows, at some distance.
    [[nodiscard]] bool thins() const;
    [[nodiscard]] double keepAt(double metres) const { return keep.at(metres); }
    [[nodiscard]] double growAt(double metres) const;
    /// The same of a copy's size, which levels are decided by: 1 where only widths grow. Then between two distances,
    /// and how much it may change at most over a metre, anywhere or between two.
    [[nodiscard]] double sizeAt(double metres) const { return widths ? 1 : growAt(metres); }
    [[nodiscard]] std::pair<double, double> sizeBetween(double nearest, double farthest) const;
    /// The same where shares in a range are kept, between such distances.
    [[nodiscard]] std::pair<double, double> sizeWhere(std::pair<double, double> kept, double nearest,
                                                      double farthest) const;
    [[nodiscard]] double steepestSize() const { return steepestSize(0, 1e300); }
    [[nodiscard]] double steepestSize(double nearest, double farthest) const;
    /// Ranks from here on are not drawn where such a share is kept.
    [[nodiscard]] double endOf(double kept) const { return kept * (1 + band); }
    bool operator==(const Thinning&) const = default;
};

/// The same rule so many times nearer.
Thinning nearerBy(Thinning thinning, double times);

/// The same rule for what fills the picture's height at so many metres; as it is where it goes by distance.
Thinning thinningFor(Thinning thinning, double fullHeight);

/// How large, or wide, a copy is on its way out, 0..1: all of it at ranks below the kept share, gone at `endOf` it.
/// SOURCE  the smooth step 3t^2 - 2t^3.
double sizeInBand(const Thinning& thinning, double keep, double rank);
/// What a share of copies covers of what all of them cover, without growth: those on their way out cover some too.
double coverOf(const Thinning& thinning, double keep);
/// What is left of the cover of the whole field at a distance: 1 is all of it, more where it grows beyond need.
double coverAt(const Thinning& thinning, double metres);

/// Where in the order of its field a copy is.
constexpr double rankOf(std::uint32_t place, std::size_t count) {
    return (static_cast<double>(place) + 0.5) / static_cast<double>(count);
}

/// A number 0..65535 that belongs to a copy's id, wherever it stands in a list.
std::uint16_t spreadOf(std::uint32_t id);
/// What a soft band multiplies a copy's switches by: 1 - width to 1 + width.
constexpr double softFactor(double width, std::uint16_t spread) {
    return 1 + width * (2 * (static_cast<double>(spread) + 0.5) / 65536 - 1);
}

} // namespace thicket
