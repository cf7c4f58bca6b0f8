// Loops that the compiler may build twice: for every processor of the family and for those with wider
// vectors.
#pragma once

// No fused multiply-add: results stay the same on both. The choice at start-up does not go together with the
// sanitizers.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__)
#define RT_SIMD __attribute__((target_clones("avx2", "default")))
#else
#define RT_SIMD
#endif
