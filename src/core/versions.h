// Two versions of a hot function are built where the compiler can choose
// between them when the library is loaded. Neither uses fused multiply-add, so
// both give the same bits.
#pragma once
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && \
    defined(__linux__)
#define NEATSIEVE_VERSIONS __attribute__((target_clones("avx2", "default")))
#else
#define NEATSIEVE_VERSIONS
#endif
