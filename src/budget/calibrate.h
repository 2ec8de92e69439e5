#pragma once
// A device's figures from frame times that were measured on it.

#include "budget/audit.h"

#include <array>
#include <string>
#include <vector>

namespace thicket {

/// One frame, or one load, that was measured.
struct FrameTime {
    double triangles = 0;
    double vertices = 0;
    double draws = 0;
    double pixels = 0; ///< as often as they were drawn
    double ms = 0;
};

/// What device figures are made of, in this order.
enum class Figure { Triangle, Vertex, Draw, Pixel, Base };
constexpr Named<Figure> kFigures[] = {{Figure::Triangle, "triangle", "a triangle"},
                                      {Figure::Vertex, "vertex", "a vertex"},
                                      {Figure::Draw, "draw", "a draw"},
                                      {Figure::Pixel, "pixel", "a pixel"},
                                      {Figure::Base, "base", "every frame"}};
constexpr std::span<const Named<Figure>> namesOf(Figure /*any*/) {
    return kFigures;
}

struct Calibration {
    double nsPerTriangle = 0;
    double nsPerVertex = 0;
    double usPerDraw = 0;
    double nsPerPixel = 0;
    double baseMs = 0;
    std::array<double, 5> error{}; ///< one standard deviation of each figure, in its unit
    std::vector<double> residuals; ///< one a row: predicted less measured, milliseconds
    double rms = 0;
    double worst = 0;                         ///< the largest residual, without its sign
    std::vector<std::string> undetermined;    ///< what these times do not tell, each in a sentence
    std::vector<std::uint8_t> waitsForPixels; ///< one a row
    /// Takes the figures over; overdraw becomes 1, since pixels were counted as often as drawn.
    void into(Device& device) const;
};

constexpr std::size_t kFewestFrameTimes = 6;

/// Fits the model of frame times (max(geometry, pixels) + draws + base, no figure below 0) by least squares. Which frames
/// wait for pixels is found from several beginnings, each until nothing changes.
/// ERRORS     BadInput: fewer rows than kFewestFrameTimes, a value that is negative or no number, times that are all 0, or
///            rows that tell no figure at all (said which).
/// SOURCE     non-negative least squares (Lawson & Hanson 1974), by trying all sets of figures at 0.
Result<Calibration> calibrate(const std::vector<FrameTime>& rows);

} // namespace thicket
