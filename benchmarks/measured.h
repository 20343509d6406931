// SPDX-License-Identifier: GPL-3.0-or-later
// Time and peak memory of a piece of work, each in a process of its own.
#pragma once

#include <functional>

namespace drevan::bench {

struct Measured {
  double seconds = 0;  ///< wall clock of the work alone
  double peak_mb = 0;  ///< largest resident memory of its process
};

/// Forks, runs `work`, waits. Throws std::runtime_error when it failed. The caller must have no
/// threads and little memory of its own: what it holds counts as the child's.
Measured measured(const std::function<void()>& work);

}  // namespace drevan::bench
