#include "work/worker.h"

#include <sys/resource.h>
#include <unistd.h>

#include <new>

#include "audio/denormals.h"

namespace drevan::desktop {

Worker::Worker(QObject* parent, bool background) : QObject(parent), background_(background) {
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

Worker::~Worker() {
  thread_.request_stop();
  cancel();
  wake_.notify_all();
  thread_.join();
}

// The mutex is held.
void Worker::give(Task task) {
  next_.push_back({std::move(task), std::make_shared<CancelToken>(), round_});
  wake_.notify_all();
}

void Worker::start(Task task) {
  cancel();
  const std::lock_guard lock(mutex_);
  give(std::move(task));
}

void Worker::enqueue(Task task) {
  const std::lock_guard lock(mutex_);
  give(std::move(task));
}

void Worker::cancel() {
  const std::lock_guard lock(mutex_);
  if (running_) running_->cancel();
  ++round_;  // results that have not been delivered yet are not any more
  next_.clear();
}

bool Worker::busy() const {
  const std::lock_guard lock(mutex_);
  return running_ || !next_.empty();
}

int Worker::waiting() const {
  const std::lock_guard lock(mutex_);
  return static_cast<int>(next_.size());
}

void Worker::deliver(std::uint64_t round, Finish what) {
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

void Worker::post(const CancelToken& token, Finish what) {
  std::uint64_t round = 0;
  {
    const std::lock_guard lock(mutex_);
    if (running_.get() != &token) return;
    round = running_round_;
  }
  deliver(round, std::move(what));
}

void Worker::run(const std::stop_token& stop) {
  const FlushDenormals flush;
  // On Linux a thread may be nicer than its process; sound and screen come first.
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), background_ ? 10 : 5);
  while (!stop.stop_requested()) {
    Given given;
    {
      std::unique_lock lock(mutex_);
      running_ = nullptr;
      if (!wake_.wait(lock, stop, [&] { return !next_.empty(); })) return;
      given = std::move(next_.front());
      next_.pop_front();
      running_ = given.token;
      running_round_ = given.round;
    }
    Finish finish;
    QString problem;
    try {
      finish = given.task(*given.token);
    } catch (const Cancelled&) {
      continue;
    } catch (const std::bad_alloc&) {
      problem =
          tr("The memory is not enough for this; close other programs, or work on shorter clips.");
    } catch (const std::exception& e) {
      problem = QString::fromUtf8(e.what());
    }
    {
      // Free before the result is delivered: what it does may be to start the next task.
      const std::lock_guard lock(mutex_);
      running_ = nullptr;
    }
    if (!problem.isEmpty()) finish = [this, problem] { Q_EMIT failed(problem); };
    if (finish) deliver(given.round, std::move(finish));
  }
}

}  // namespace drevan::desktop
