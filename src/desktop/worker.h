// Long work off the interface's thread: the newest task wins.
#pragma once

#include <QObject>
#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>

#include "audio/progress.h"

namespace drevan::desktop {

/// One thread that runs the newest task it was given; an older one is cancelled. A task runs on
/// the worker and returns what to do with its result on the interface's thread (may be empty).
class Worker : public QObject {
 public:
  using Finish = std::function<void()>;
  using Task = std::function<Finish(const CancelToken&)>;

  explicit Worker(QObject* parent = nullptr, bool background = false);
  ~Worker() override;

  /// Cancels what runs and starts this next. A result of a cancelled task is never delivered.
  void start(Task task);
  void cancel();
  bool busy() const;

 private:
  void run(const std::stop_token& stop);

  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  Task next_;
  std::shared_ptr<CancelToken> token_;
  bool running_ = false;
  bool background_;
  std::jthread thread_;
};

}  // namespace drevan::desktop
