#pragma once
// Functions that are built once more for wider registers, where a processor has them; the loader chooses.

// The sanitizers instrument the choosing itself, which runs before they are ready.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__)
#define THICKET_LANES __attribute__((target_clones("default", "avx2")))
#else
#define THICKET_LANES
#endif
