// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a file of responses holds what it promises.
#pragma once

#include <cstddef>

namespace drevan {

/// A SOFA file (AES69) promises `measurements` x `receivers` x `samples` values and holds `values`. The
/// product may be more than any number holds, so it is never made.
constexpr bool holds_responses(std::size_t values, std::size_t measurements, std::size_t receivers,
                               std::size_t samples) {
  return measurements > 0 && receivers > 0 && samples > 0 && samples <= values &&
         receivers <= values / samples && measurements <= values / samples / receivers;
}

}  // namespace drevan
