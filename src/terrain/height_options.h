#pragma once
// What a person says of a file of heights where the file does not.

#include "base/named.h"

#include <cstdint>
#include <optional>

namespace thicket {

enum class RawSamples { Unsigned16, Signed16, Float32 };
constexpr Named<RawSamples> kRawSamples[] = {{RawSamples::Unsigned16, "u16", "16 bits, from 0"},
                                             {RawSamples::Signed16, "s16", "16 bits, signed"},
                                             {RawSamples::Float32, "f32", "32-bit floating point"}};
constexpr std::span<const Named<RawSamples>> namesOf(RawSamples /*any*/) {
    return kRawSamples;
}

struct HeightOptions {
    double spacing = 0; ///< metres between heights; 0: what the file says
    /// Heights of the lowest and the highest value that whole numbers can have (0 and 65,535, or 0 and 255). Left out:
    /// values are metres. Floating-point values are always metres.
    std::optional<double> low;
    std::optional<double> high;
    std::optional<double> noData; ///< a value that means no ground, besides what the file says
    // Of raw files only:
    std::uint32_t columns = 0;
    std::uint32_t rows = 0; ///< 0: as many as the file has
    RawSamples samples = RawSamples::Unsigned16;
    bool bigEndian = false;

    bool operator==(const HeightOptions&) const = default;
};

} // namespace thicket
