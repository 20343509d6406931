// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/task_pool.h"

#include <malloc.h>
#include <sys/resource.h>
#include <unistd.h>

#include "audio/denormals.h"

namespace drevan::desktop {

namespace {

// Sound comes in large pieces, made and freed by many threads. Those are to go back to the system
// when they are freed: by itself glibc keeps ever larger ones in each thread's own heap, half a
// gigabyte in a reel of 500 clips.
bool give_large_memory_back() {
  constexpr int large = 256 << 10;  // bytes
  return ::mallopt(M_MMAP_THRESHOLD, large) == 1;
}

}  // namespace

TaskPool& TaskPool::shared() {
  static const bool set = give_large_memory_back();
  static_cast<void>(set);
  static TaskPool pool;
  return pool;
}

TaskPool::~TaskPool() {
  {
    const std::lock_guard lock(mutex_);
    ending_ = true;
    soon_.wake.notify_all();
    background_.wake.notify_all();
  }
  for (auto& thread : threads_) thread.join();
}

void TaskPool::run(Urgency urgency, std::function<void()> task) {
  const std::lock_guard lock(mutex_);
  Kind& kind = urgency == Urgency::soon ? soon_ : background_;
  kind.tasks.push_back(std::move(task));
  if (kind.waiting >= kind.tasks.size())
    kind.wake.notify_one();
  else
    threads_.emplace_back([this, &kind] { work(kind); });
}

size_t TaskPool::threads() const {
  const std::lock_guard lock(mutex_);
  return threads_.size();
}

void TaskPool::work(Kind& kind) {
  const FlushDenormals flush;
  // On Linux a thread may be nicer than its process; sound and screen come first.
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), kind.nice);
  std::unique_lock lock(mutex_);
  for (;;) {
    ++kind.waiting;
    kind.wake.wait(lock, [&] { return ending_ || !kind.tasks.empty(); });
    --kind.waiting;
    if (kind.tasks.empty()) return;
    {
      const std::function<void()> task = std::move(kind.tasks.front());
      kind.tasks.pop_front();
      lock.unlock();
      task();
    }
    lock.lock();
  }
}

}  // namespace drevan::desktop
