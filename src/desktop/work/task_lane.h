// SPDX-License-Identifier: GPL-3.0-or-later
// Long work off the interface's thread: the newest task wins, or one comes after the other.
#pragma once

#include <QObject>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>

#include "audio/progress.h"
#include "work/task_pool.h"

namespace drevan::desktop {

/// Runs one task at a time on the pool's threads: the newest it was given, where older ones are
/// cancelled, or all of them in order. A task returns what to do with its result on the interface's
/// thread (may be empty); after a cancel that is dropped, never done. Whatever a task throws is
/// told by failed(), never lost and never the program's end.
class TaskLane : public QObject {
  Q_OBJECT

 public:
  using Urgency = TaskPool::Urgency;
  using Finish = std::function<void()>;
  using Task = std::function<Finish(const CancelToken&)>;

  explicit TaskLane(Urgency urgency = Urgency::soon) : urgency_(urgency) {}
  /// Cancels, and waits for the task that runs.
  ~TaskLane() override;

  /// Cancels what runs and waits, and starts this next.
  void start(Task task);
  /// Starts this when all that was given before has ended.
  void enqueue(Task task);
  /// Of what runs and what waits.
  void cancel();
  bool busy() const;
  /// Tasks that wait behind the one that runs.
  int waiting() const;
  /// From within a task: something to do on the interface's thread while the task goes on. Dropped,
  /// as the result is, when the task was cancelled before it comes to it. `token`: the one the task
  /// was given.
  void post(const CancelToken& token, Finish what);

 Q_SIGNALS:
  /// A task ended with an exception that it did not handle.
  void failed(const drevan::Problem& why);

 private:
  struct Given {
    Task task;
    std::shared_ptr<CancelToken> token;
    std::uint64_t round = 0;
  };
  void give(Task task);
  void deliver(std::uint64_t round, Finish what);
  /// On the pool: all tasks until none waits.
  void run_all();
  void run(const Given& given);

  const Urgency urgency_;
  mutable std::mutex mutex_;
  std::condition_variable ended_;
  bool active_ = false;  // a thread of the pool is in run_all()
  std::deque<Given> next_;
  std::shared_ptr<CancelToken> running_;  // of the task that runs; nullptr: none does
  std::uint64_t running_round_ = 0;
  std::uint64_t round_ = 0;  // every cancel begins another; what is of an older one is dropped
};

}  // namespace drevan::desktop
