#include "budget/calibrate.h"

#include <Eigen/QR>
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace thicket {
namespace {

constexpr int kFigureCount = 5;
constexpr double kTooLittle = 1e-3;     // of a figure's column that is its own: it cannot be told from the others
constexpr int kWide = kFigureCount + 1; // with the times beside
using Figures = Eigen::Matrix<double, kFigureCount, 1>; // milliseconds a piece, in the order of Figure
using Design = Eigen::Matrix<double, Eigen::Dynamic, kFigureCount>;
using Upper = Eigen::Matrix<double, kWide, kWide>;
// Of so few columns that no product of them is worth being done by blocks, which take long to compile.
using Narrow = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::ColMajor, kWide, kWide>;
using NarrowColumn = Eigen::Matrix<double, Eigen::Dynamic, 1, Eigen::ColMajor, kWide, 1>;

double geometryOf(const Figures& f, const FrameTime& r) {
    return f[0] * r.triangles + f[1] * r.vertices;
}
double predicted(const Figures& f, const FrameTime& r) {
    return std::max(geometryOf(f, r), f[3] * r.pixels) + f[2] * r.draws + f[4];
}
/// What a row counts: times are off by a share of themselves, and short ones by some more.
std::vector<double> weightsOf(const std::vector<FrameTime>& rows) {
    std::vector<double> ms;
    for (const FrameTime& r : rows)
        ms.push_back(r.ms);
    std::nth_element(ms.begin(), ms.begin() + static_cast<std::ptrdiff_t>(ms.size() / 2), ms.end());
    const double floor = std::max(0.1 * ms[ms.size() / 2], 1e-9);
    std::vector<double> out;
    for (const FrameTime& r : rows)
        out.push_back(1 / (floor + r.ms));
    return out;
}

double squares(const Figures& f, const std::vector<FrameTime>& rows, const std::vector<double>& weights) {
    double sum = 0;
    for (std::size_t i = 0; i < rows.size(); ++i)
        sum += std::pow(weights[i] * (predicted(f, rows[i]) - rows[i].ms), 2);
    return sum;
}

Design designOf(const std::vector<FrameTime>& rows, const std::vector<std::uint8_t>& byPixels,
                const std::vector<double>& weights) {
    Design a(static_cast<Eigen::Index>(rows.size()), kFigureCount);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const FrameTime& r = rows[i];
        const bool pixels = byPixels[i] != 0;
        a.row(static_cast<Eigen::Index>(i)) << (pixels ? 0 : r.triangles), (pixels ? 0 : r.vertices), r.draws,
            (pixels ? r.pixels : 0), 1;
        a.row(static_cast<Eigen::Index>(i)) *= weights[i];
    }
    return a;
}

/// The triangle that is left of a design, with the times beside it, when rows are turned into it one after the other:
/// the same lengths and angles between columns, in six rows.
/// SOURCE     Golub & Van Loan, Matrix Computations, 5.2.5 (QR by Givens rotations).
Upper reduced(const Design& a, const Eigen::VectorXd& ms) {
    Upper out = Upper::Zero();
    for (Eigen::Index i = 0; i < a.rows(); ++i) {
        Eigen::Matrix<double, 1, kWide> row;
        row << a.row(i), ms[i];
        for (int k = 0; k < kWide; ++k) {
            const double length = std::hypot(out(k, k), row[k]);
            if (length <= 0)
                continue;
            const double c = out(k, k) / length;
            const double s = row[k] / length;
            for (int j = k; j < kWide; ++j) {
                const double above = out(k, j);
                out(k, j) = c * above + s * row[j];
                row[j] = c * row[j] - s * above;
            }
        }
    }
    return out;
}

/// The best figures of which none is below 0: of all ways to leave some at 0 the one that is least off. All of them are
/// asked of a triangle of six rows, which is off from the times by as much as all rows are.
Figures leastSquares(const Design& a, const Eigen::VectorXd& ms) {
    Upper r = reduced(a, ms);
    Eigen::Matrix<double, kWide, 1> scale;
    for (int k = 0; k < kWide; ++k) {
        scale[k] = std::max(r.col(k).norm(), 1e-300);
        r.col(k) /= scale[k];
    }
    const Eigen::Matrix<double, kWide, 1> times = r.col(kFigureCount);
    Figures best = Figures::Zero();
    double least = times.squaredNorm();
    for (int set = 1; set < 1 << kFigureCount; ++set) {
        std::vector<int> used;
        for (int k = 0; k < kFigureCount; ++k)
            if ((set >> k & 1) != 0 && r.col(k).squaredNorm() > 0)
                used.push_back(k);
        if (used.empty())
            continue;
        Narrow part(kWide, static_cast<Eigen::Index>(used.size()));
        for (std::size_t i = 0; i < used.size(); ++i)
            part.col(static_cast<Eigen::Index>(i)) = r.col(used[i]);
        const NarrowColumn x = part.colPivHouseholderQr().solve(times);
        const double off = (part * x - times).squaredNorm();
        if (x.minCoeff() < 0 || off >= least * (1 - 1e-12))
            continue;
        least = off;
        best.setZero();
        for (std::size_t i = 0; i < used.size(); ++i)
            best[used[i]] = x[static_cast<Eigen::Index>(i)] * scale[kFigureCount] / scale[used[i]];
    }
    return best;
}

Result<void> checkRows(const std::vector<FrameTime>& rows) {
    if (rows.size() < kFewestFrameTimes)
        return Error{ErrorCode::BadInput, "frame times",
                     fmt::format("are {} rows; five figures need at least {}", rows.size(), kFewestFrameTimes),
                     "measure more frames, of unlike kinds"};
    bool any = false;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const FrameTime& r = rows[i];
        for (const double v : {r.triangles, r.vertices, r.draws, r.pixels, r.ms})
            if (!(v >= 0 && v <= 1e15))
                return Error{ErrorCode::BadInput, "frame times", fmt::format("row {}: {} is no amount", i + 1, v),
                             "leave the row out"};
        any = any || r.ms > 0;
    }
    if (!any)
        return Error{ErrorCode::BadInput, "frame times", "are all 0", "measure in milliseconds"};
    return {};
}

/// What of a figure is its own: the share of its column that the others, in force, cannot make up. `a`: as reduced.
double ownShare(const Upper& a, int figure, const std::vector<int>& others) {
    const Eigen::Matrix<double, kWide, 1> column = a.col(figure);
    if (column.squaredNorm() <= 0)
        return 0;
    if (others.empty())
        return 1;
    Narrow rest(kWide, static_cast<Eigen::Index>(others.size()));
    for (std::size_t i = 0; i < others.size(); ++i)
        rest.col(static_cast<Eigen::Index>(i)) = a.col(others[i]) / std::max(a.col(others[i]).norm(), 1e-300);
    const NarrowColumn share = rest.colPivHouseholderQr().solve(column);
    return (column - rest * share).norm() / column.norm();
}

void tellUndetermined(const Upper& a, std::size_t byPixels, Calibration& out) {
    const auto amount = [&](Figure figure) { return a.col(static_cast<int>(figure)).squaredNorm() > 0; };
    if (byPixels == 0)
        out.undetermined.emplace_back("no frame waits for pixels: what one costs is only known not to be more");
    if (!amount(Figure::Triangle) && !amount(Figure::Vertex))
        out.undetermined.emplace_back("no frame waits for geometry: what a triangle or a vertex costs is not known");
    const std::vector<int> all{0, 1, 2, 3, 4};
    for (const Figure figure : {Figure::Triangle, Figure::Vertex, Figure::Draw, Figure::Pixel}) {
        const int at = static_cast<int>(figure);
        if (!amount(figure)) {
            if (figure == Figure::Draw)
                out.undetermined.emplace_back("no frame has draws: what one costs is not known");
            continue;
        }
        std::vector<int> others;
        for (const int k : all)
            if (k != at && a.col(k).squaredNorm() > 0)
                others.push_back(k);
        if (ownShare(a, at, others) > kTooLittle)
            continue;
        // The one that it goes along with, if it is one alone.
        std::string with = "the others";
        for (const int k : others)
            if (ownShare(a, at, {k}) <= kTooLittle)
                with = nameOf(static_cast<Figure>(k));
        out.undetermined.push_back(fmt::format(
            "{} and {} cannot be told apart: their numbers rise together in all frames", nameOf(figure), with));
    }
}

} // namespace

void Calibration::into(Device& device) const {
    device.nsPerTriangle = nsPerTriangle;
    device.nsPerVertex = nsPerVertex;
    device.usPerDraw = usPerDraw;
    device.nsPerPixel = nsPerPixel;
    device.overdraw = 1;
    device.baseMs = baseMs;
}

Result<Calibration> calibrate(const std::vector<FrameTime>& rows) {
    if (auto fine = checkRows(rows); !fine)
        return fine.error();
    const std::size_t n = rows.size();
    const std::vector<double> weights = weightsOf(rows);
    Eigen::VectorXd ms(static_cast<Eigen::Index>(n));
    for (std::size_t i = 0; i < n; ++i)
        ms[static_cast<Eigen::Index>(i)] = weights[i] * rows[i].ms;

    // Beginnings: none waits for pixels, then those that have most of them a triangle, more and more.
    std::vector<std::size_t> order(n);
    for (std::size_t i = 0; i < n; ++i)
        order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return rows[a].pixels * (rows[b].triangles + 1) > rows[b].pixels * (rows[a].triangles + 1);
    });
    Figures best = Figures::Zero();
    std::vector<std::uint8_t> bestBy(n, 0);
    double least = std::numeric_limits<double>::infinity();
    constexpr int kBeginnings = 12;
    constexpr int kMostRounds = 60;
    for (int b = 0; b <= kBeginnings; ++b) {
        std::vector<std::uint8_t> by(n, 0);
        for (std::size_t i = 0; i < n * static_cast<std::size_t>(b) / kBeginnings; ++i)
            by[order[i]] = 1;
        for (int round = 0; round < kMostRounds; ++round) {
            const Figures f = leastSquares(designOf(rows, by, weights), ms);
            if (const double off = squares(f, rows, weights); off < least) {
                least = off;
                best = f;
                bestBy = by;
            }
            std::vector<std::uint8_t> now(n);
            for (std::size_t i = 0; i < n; ++i)
                now[i] = f[3] * rows[i].pixels > geometryOf(f, rows[i]) ? 1 : 0;
            if (now == by)
                break;
            by = std::move(now);
        }
    }

    Calibration out;
    out.waitsForPixels.resize(n);
    for (std::size_t i = 0; i < n; ++i)
        out.waitsForPixels[i] = best[3] * rows[i].pixels > geometryOf(best, rows[i]) ? 1 : 0;
    const auto byPixels = static_cast<std::size_t>(std::count(out.waitsForPixels.begin(), out.waitsForPixels.end(), 1));
    if (byPixels == 0) { // none may cost more than would make a frame wait for it
        double most = std::numeric_limits<double>::infinity();
        for (const FrameTime& r : rows)
            if (r.pixels > 0)
                most = std::min(most, geometryOf(best, r) / r.pixels);
        best[3] = std::isfinite(most) ? most : 0;
    }
    const Upper a = reduced(designOf(rows, out.waitsForPixels, weights), ms);
    tellUndetermined(a, byPixels, out);
    double sum = 0;
    for (const FrameTime& r : rows) {
        out.residuals.push_back(predicted(best, r) - r.ms);
        sum += out.residuals.back() * out.residuals.back();
        out.worst = std::max(out.worst, std::abs(out.residuals.back()));
    }
    out.rms = std::sqrt(sum / static_cast<double>(n));
    // Of the figures in force: the diagonal of sigma^2 (A^T A)^-1, which is sigma^2 over what of a column is its own,
    // squared (Belsley, Kuh & Welsch, Regression Diagnostics, 3.2). What is not told apart counts as hardly its own.
    std::vector<int> used;
    for (int k = 0; k < kFigureCount; ++k)
        if (a.col(k).squaredNorm() > 0)
            used.push_back(k);
    const double sigma = std::sqrt(squares(best, rows, weights) /
                                   std::max(1.0, static_cast<double>(n) - static_cast<double>(used.size())));
    constexpr double kUnit[] = {1e6, 1e6, 1e3, 1e6, 1}; // of a millisecond, as devices are told
    for (const int k : used) {
        std::vector<int> others = used;
        std::erase(others, k);
        out.error[static_cast<std::size_t>(k)] =
            sigma / (std::max(ownShare(a, k, others), kTooLittle) * a.col(k).norm()) * kUnit[k];
    }
    out.nsPerTriangle = best[0] * kUnit[0];
    out.nsPerVertex = best[1] * kUnit[1];
    out.usPerDraw = best[2] * kUnit[2];
    out.nsPerPixel = best[3] * kUnit[3];
    out.baseMs = best[4];
    return out;
}

} // namespace thicket
