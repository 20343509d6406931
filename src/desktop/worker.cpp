#include "worker.h"

#include <sys/resource.h>
#include <unistd.h>

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

void Worker::start(Task task) {
  const std::lock_guard lock(mutex_);
  if (token_) token_->cancel();
  token_ = std::make_shared<CancelToken>();
  next_ = std::move(task);
  wake_.notify_all();
}

void Worker::cancel() {
  const std::lock_guard lock(mutex_);
  if (token_) token_->cancel();
  next_ = nullptr;
}

bool Worker::busy() const {
  const std::lock_guard lock(mutex_);
  return running_ || next_;
}

void Worker::run(const std::stop_token& stop) {
  const FlushDenormals flush;
  // On Linux a thread may be nicer than its process; sound and screen come first.
  ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), background_ ? 10 : 5);
  while (!stop.stop_requested()) {
    Task task;
    std::shared_ptr<CancelToken> token;
    {
      std::unique_lock lock(mutex_);
      running_ = false;
      if (!wake_.wait(lock, stop, [&] { return static_cast<bool>(next_); })) return;
      task = std::exchange(next_, nullptr);
      token = token_;
      running_ = true;
    }
    Finish finish;
    try {
      finish = task(*token);
    } catch (const Cancelled&) {
      continue;
    }
    {
      // Free before the result is delivered: what it does may be to start the next task.
      const std::lock_guard lock(mutex_);
      running_ = false;
    }
    if (!finish) continue;
    QMetaObject::invokeMethod(
        this,
        [finish = std::move(finish), token] {
          if (!token->cancelled()) finish();
        },
        Qt::QueuedConnection);
  }
}

}  // namespace drevan::desktop
