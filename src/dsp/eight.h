// SPDX-License-Identifier: GPL-3.0-or-later
// Eight numbers worked on at a time, where a compiler left to itself finds no way.
#pragma once

#include <cstring>

namespace drevan {

/// + - * / and < work element by element, and a condition of them chooses element by element.
using Eight = float __attribute__((vector_size(32)));
using Four = float __attribute__((vector_size(16)));

inline void load(Eight& to, const float* from) noexcept { std::memcpy(&to, from, sizeof to); }
inline void store(float* to, const Eight& from) noexcept { std::memcpy(to, &from, sizeof from); }

/// Rows become columns.
inline __attribute__((always_inline)) void transpose(Eight (&rows)[8]) noexcept {  // NOLINT
  Eight a[8], b[8];                                                                // NOLINT
  for (int i = 0; i < 4; ++i) {
    a[2 * i] = __builtin_shufflevector(rows[2 * i], rows[2 * i + 1], 0, 8, 1, 9, 4, 12, 5, 13);
    a[2 * i + 1] =
        __builtin_shufflevector(rows[2 * i], rows[2 * i + 1], 2, 10, 3, 11, 6, 14, 7, 15);
  }
  for (int i = 0; i < 8; i += 4)
    for (int j = 0; j < 2; ++j) {
      b[i + 2 * j] = __builtin_shufflevector(a[i + j], a[i + j + 2], 0, 1, 8, 9, 4, 5, 12, 13);
      b[i + 2 * j + 1] =
          __builtin_shufflevector(a[i + j], a[i + j + 2], 2, 3, 10, 11, 6, 7, 14, 15);
    }
  for (int i = 0; i < 4; ++i) {
    rows[i] = __builtin_shufflevector(b[i], b[i + 4], 0, 1, 2, 3, 8, 9, 10, 11);
    rows[i + 4] = __builtin_shufflevector(b[i], b[i + 4], 4, 5, 6, 7, 12, 13, 14, 15);
  }
}

}  // namespace drevan
