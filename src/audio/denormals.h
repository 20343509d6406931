// SPDX-License-Identifier: GPL-3.0-or-later
// Denormal numbers cost a hundred times a normal one and are inaudible: flush them to zero.
#pragma once

#if defined(__SSE__)
#include <xmmintrin.h>
#endif

namespace drevan {

/// Sets flush-to-zero and denormals-are-zero for this thread while it lives, then restores.
/// Every thread that runs processors holds one, so that all paths give the same bits.
class FlushDenormals {
 public:
#if defined(__SSE__)
  FlushDenormals() noexcept : saved_(_mm_getcsr()) { _mm_setcsr(saved_ | 0x8040U); }
  ~FlushDenormals() { _mm_setcsr(saved_); }
#else
  FlushDenormals() noexcept = default;
  ~FlushDenormals() = default;
#endif
  FlushDenormals(const FlushDenormals&) = delete;
  FlushDenormals& operator=(const FlushDenormals&) = delete;

 private:
#if defined(__SSE__)
  unsigned int saved_;
#endif
};

}  // namespace drevan
