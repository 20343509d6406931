// SPDX-License-Identifier: GPL-3.0-or-later
// The threads that long work runs on.
#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace drevan::desktop {

/// Threads that are started when a task finds none waiting, and then kept: as many as were ever
/// busy at once. No task waits for another one, so a batch that takes minutes holds nothing up. Two
/// kinds, as a thread cannot become less nice again. Thread-safe.
class TaskPool {
 public:
  enum class Urgency { soon, background };

  /// The one that all lanes share.
  static TaskPool& shared();
  /// Waits for what runs.
  ~TaskPool();
  /// `task` must not throw.
  void run(Urgency urgency, std::function<void()> task);
  /// How many threads there are.
  size_t threads() const;

 private:
  struct Kind {
    int nice = 0;
    std::deque<std::function<void()>> tasks{};
    size_t waiting = 0;  // threads
    std::condition_variable wake{};
  };
  void work(Kind& kind);

  mutable std::mutex mutex_;
  Kind soon_{.nice = 5}, background_{.nice = 10};
  bool ending_ = false;
  std::vector<std::thread> threads_;
};

}  // namespace drevan::desktop
