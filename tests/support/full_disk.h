// SPDX-License-Identifier: GPL-3.0-or-later
// A disk that is full.
#pragma once

#include <signal.h>
#include <sys/resource.h>

namespace drevan::test {

/// While it lives no file of this process may grow beyond `bytes`, as on a disk with that much left.
class FullDisk {
 public:
  explicit FullDisk(rlim_t bytes) {
    old_handler_ = ::signal(SIGXFSZ, SIG_IGN);
    ::getrlimit(RLIMIT_FSIZE, &old_);
    const rlimit now{bytes, old_.rlim_max};
    ::setrlimit(RLIMIT_FSIZE, &now);
  }
  ~FullDisk() {
    ::setrlimit(RLIMIT_FSIZE, &old_);
    ::signal(SIGXFSZ, old_handler_);
  }
  FullDisk(const FullDisk&) = delete;
  FullDisk& operator=(const FullDisk&) = delete;

 private:
  rlimit old_{};
  void (*old_handler_)(int) = nullptr;
};

}  // namespace drevan::test
