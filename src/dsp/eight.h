// Eight numbers worked on at a time, where a compiler left to itself finds no way.
#pragma once

#include <cstring>

namespace drevan {

/// + - * / and < work element by element, and a condition of them chooses element by element.
using Eight = float __attribute__((vector_size(32)));

inline void load(Eight& to, const float* from) noexcept { std::memcpy(&to, from, sizeof to); }
inline void store(float* to, const Eight& from) noexcept { std::memcpy(to, &from, sizeof from); }

}  // namespace drevan
