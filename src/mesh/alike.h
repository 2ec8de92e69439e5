#pragma once
// Values that are alike bit for bit, and hashes that agree with that: also of what is not a number, so that a search
// finds it again in place of looking at all of it.

#include <bit>
#include <cstdint>

namespace thicket::detail {

/// 0 and -0 are one.
inline std::uint32_t bitsOf(float value) {
    return std::bit_cast<std::uint32_t>(value + 0.0F);
}
inline std::uint32_t bitsOf(std::uint16_t value) {
    return value;
}

inline std::uint64_t mix(std::uint64_t hash, std::uint32_t value) {
    hash = (hash ^ value) * 0x9E3779B97F4A7C15ULL;
    return hash ^ (hash >> 29);
}

/// Of vectors and arrays.
template <class V> std::uint64_t mixAll(std::uint64_t hash, const V& values) {
    for (const auto& value : values)
        hash = mix(hash, bitsOf(value));
    return hash;
}
template <class V> bool alike(const V& a, const V& b) {
    auto other = b.begin();
    for (const auto& value : a)
        if (bitsOf(value) != bitsOf(*other++))
            return false;
    return true;
}

} // namespace thicket::detail
