// SPDX-License-Identifier: GPL-3.0-or-later
// How much of a test is asked for: at the head of a test these say where it is left out, and why.
#pragma once

#include <gtest/gtest.h>

#include <cstdlib>

#include "support/sanitized.h"

namespace drevan::test {

/// Whether all is asked for, as CI does: scripts/test --all sets DREVAN_TEST_ALL. Else what takes
/// long asks for less.
inline bool in_full() { return std::getenv("DREVAN_TEST_ALL") != nullptr; }

}  // namespace drevan::test

/// Only in CI: it takes long, and what it finds is seldom broken by a newcomer's change.
#define DREVAN_IN_FULL_ONLY(why) \
  if (!::drevan::test::in_full()) GTEST_SKIP() << "only by scripts/test --all: " << (why)

/// Not under a sanitizer, which makes it some ten times longer.
#ifdef DREVAN_SANITIZED
#define DREVAN_NOT_SANITIZED(why) GTEST_SKIP() << "not under a sanitizer: " << (why)
#else
#define DREVAN_NOT_SANITIZED(why) static_assert(sizeof(why) > 1)
#endif
