#pragma once
// Functions that are built once more for wider registers, where a processor has them; the loader chooses.

#include <type_traits>

// The sanitizers instrument the choosing itself, which runs before they are ready.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__)
#define THICKET_LANES __attribute__((target_clones("default", "avx2")))
#else
#define THICKET_LANES
#endif

namespace thicket {

// Plain comparisons instead of std::max and std::min, whose references keep loops from becoming vector code.
template <class T> constexpr T larger(T a, std::type_identity_t<T> b) {
    return a < b ? b : a;
}
template <class T> constexpr T smaller(T a, std::type_identity_t<T> b) {
    return b < a ? b : a;
}
template <class T> constexpr T within01(T t) {
    return smaller(larger(t, 0), 1);
}

} // namespace thicket
