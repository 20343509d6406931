// SPDX-License-Identifier: GPL-3.0-or-later
// Edits that cannot be made.
#pragma once

#include <gtest/gtest.h>

#include <string>

#include "audio/error.h"

namespace drevan::test {

/// `make` throws an Error whose sentence holds `why`.
template <class Make>
void expect_impossible(Make&& make, const std::string& why) {
  try {
    make();
    ADD_FAILURE() << why;
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find(why), std::string::npos) << e.what();
  }
}

}  // namespace drevan::test
