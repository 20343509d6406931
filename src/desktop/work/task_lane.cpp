// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/task_lane.h"

#include <new>

namespace drevan::desktop {

TaskLane::~TaskLane() {
  cancel();
  std::unique_lock lock(mutex_);
  ended_.wait(lock, [&] { return !active_; });
}

// The mutex is held.
void TaskLane::give(Task task) {
  next_.push_back({std::move(task), std::make_shared<CancelToken>(), round_});
  if (!std::exchange(active_, true)) TaskPool::shared().run(urgency_, [this] { run_all(); });
}

void TaskLane::start(Task task) {
  cancel();
  const std::lock_guard lock(mutex_);
  give(std::move(task));
}

void TaskLane::enqueue(Task task) {
  const std::lock_guard lock(mutex_);
  give(std::move(task));
}

void TaskLane::cancel() {
  const std::lock_guard lock(mutex_);
  if (running_) running_->cancel();
  ++round_;  // results that have not been delivered yet are not any more
  next_.clear();
}

bool TaskLane::busy() const {
  const std::lock_guard lock(mutex_);
  return running_ || !next_.empty();
}

int TaskLane::waiting() const {
  const std::lock_guard lock(mutex_);
  return static_cast<int>(next_.size());
}

void TaskLane::deliver(std::uint64_t round, Finish what) {
  QMetaObject::invokeMethod(
      this,
      [this, round, what = std::move(what)] {
        const bool current = [&] {
          const std::lock_guard lock(mutex_);
          return round == round_;
        }();
        if (current) what();
      },
      Qt::QueuedConnection);
}

void TaskLane::post(const CancelToken& token, Finish what) {
  std::uint64_t round = 0;
  {
    const std::lock_guard lock(mutex_);
    if (running_.get() != &token) return;
    round = running_round_;
  }
  deliver(round, std::move(what));
}

void TaskLane::run_all() {
  std::unique_lock lock(mutex_);
  while (!next_.empty()) {
    {
      const Given given = std::move(next_.front());
      next_.pop_front();
      running_ = given.token;
      running_round_ = given.round;
      lock.unlock();
      run(given);
    }
    lock.lock();
  }
  active_ = false;
  ended_.notify_all();
}

void TaskLane::run(const Given& given) {
  Finish finish;
  Problem problem;
  try {
    finish = given.task(*given.token);
  } catch (...) {
    problem = caught_problem();  // nothing where it was cancelled
  }
  {
    // Free before the result is delivered: what it does may be to start the next task.
    const std::lock_guard lock(mutex_);
    running_ = nullptr;
  }
  if (!problem.empty()) finish = [this, problem] { Q_EMIT failed(problem); };
  if (finish) deliver(given.round, std::move(finish));
}

}  // namespace drevan::desktop
