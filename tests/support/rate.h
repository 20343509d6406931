// SPDX-License-Identifier: GPL-3.0-or-later
// The rate of most tests. Files that are compiled together share it.
#pragma once

namespace drevan::at_48k {

inline constexpr double rate = 48000;  // Hz

}  // namespace drevan::at_48k
