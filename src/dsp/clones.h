// SPDX-License-Identifier: GPL-3.0-or-later
// One function compiled for several instruction sets, the best chosen when the program starts.
#pragma once

// Element by element the results are the same bits on every set: contraction is off and sums are
// not reordered. Sanitizers run before the choice could be made, so they get the plain one.
// DREVAN_PLAIN builds without them, to see what they bring.
#if !defined(DREVAN_PLAIN) && defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define DREVAN_CLONES __attribute__((target_clones("avx2", "default")))
#else
#define DREVAN_CLONES
#endif
