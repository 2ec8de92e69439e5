#pragma once
// Numbers as the window, the command line and the reports write them.

#include <cstdint>
#include <string>
#include <string_view>

namespace thicket {

/// 484210 -> "484,210"
std::string grouped(std::int64_t value);
/// 484210 -> "484 k", 1180000 -> "1.18 M"
std::string shortCount(double value);
/// At least so many digits that count, never an exponent: 0.036, 14.8, 1,235; 0 below a millionth.
/// REQUIRES   digits > 0.
std::string figure(double value, int digits);
/// Metres with a sensible unit: "3.6 mm", "84.0 m", "1,240 m"
std::string length(double metres);
/// "0.72 px"
std::string pixels(double px);
/// Bytes as "1.9 MB"
std::string memorySize(double bytes);

/// The same text with every byte that is not part of valid UTF-8 replaced by U+FFFD: names from files may be in any
/// encoding, but what is written is UTF-8.
std::string validUtf8(std::string_view text);

/// Deterministic 32-bit hash of an id (Wellons' lowbias32), and the same as a share in [0, 1).
std::uint32_t hashId(std::uint32_t id);
double hashShare(std::uint32_t id);

} // namespace thicket
