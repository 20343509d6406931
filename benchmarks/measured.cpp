// SPDX-License-Identifier: GPL-3.0-or-later
#include "measured.h"

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <chrono>
#include <cstdio>
#include <stdexcept>

namespace drevan::bench {

Measured measured(const std::function<void()>& work) {
  std::array<int, 2> ends{};
  if (::pipe(ends.data()) != 0) throw std::runtime_error("no pipe");
  std::fflush(nullptr);
  const pid_t child = ::fork();
  if (child < 0) throw std::runtime_error("no fork");
  if (child == 0) {
    double seconds = -1;
    try {
      const auto start = std::chrono::steady_clock::now();
      work();
      seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    } catch (const std::exception& e) {
      std::fprintf(stderr, "%s\n", e.what());
    }
    const bool told = ::write(ends[1], &seconds, sizeof seconds) == sizeof seconds;
    ::_exit(told && seconds >= 0 ? 0 : 1);
  }
  ::close(ends[1]);
  Measured out;
  const bool heard = ::read(ends[0], &out.seconds, sizeof out.seconds) == sizeof out.seconds;
  ::close(ends[0]);
  int status = 0;
  rusage use{};
  ::wait4(child, &status, 0, &use);
  if (!heard || status != 0) throw std::runtime_error("a measured piece of work failed");
  out.peak_mb = static_cast<double>(use.ru_maxrss) / 1024;
  return out;
}

}  // namespace drevan::bench
