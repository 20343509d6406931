// SPDX-License-Identifier: GPL-3.0-or-later
// Counts what a thread that must keep up with a sound device may not do: take memory or give it
// back, wait for a lock, open a file. Not under a sanitizer, which has an allocator of its own.
#pragma once

namespace drevan::test {

/// While one lives, what its thread does is counted. One at a time in a thread.
class RealTimeWatch {
 public:
  RealTimeWatch();
  ~RealTimeWatch();
  RealTimeWatch(const RealTimeWatch&) = delete;
  RealTimeWatch& operator=(const RealTimeWatch&) = delete;

  struct Counts {
    int taken = 0;  ///< malloc and its kin
    int given_back = 0;
    int locks = 0;
    int files = 0;
    int all() const { return taken + given_back + locks + files; }
  };
  /// So far.
  Counts counts() const;
};

}  // namespace drevan::test
