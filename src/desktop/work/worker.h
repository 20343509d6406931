// Long work off the interface's thread: the newest task wins.
#pragma once

#include <QObject>
#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>

#include "audio/progress.h"

namespace drevan::desktop {

/// One thread that runs the newest task it was given, where older ones are cancelled, or all of them one after
/// the other. A task runs on the worker and returns what to do with its result on the interface's thread (may be
/// empty). Whatever a task throws is told by failed(), never lost and never the program's end.
class Worker : public QObject {
  Q_OBJECT

 public:
  using Finish = std::function<void()>;
  using Task = std::function<Finish(const CancelToken&)>;

  explicit Worker(QObject* parent = nullptr, bool background = false);
  ~Worker() override;

  /// Cancels what runs and waits, and starts this next. A result of a cancelled task is never delivered.
  void start(Task task);
  /// Starts this when all that was given before has ended.
  void enqueue(Task task);
  /// Of what runs and what waits.
  void cancel();
  bool busy() const;
  /// Tasks that wait behind the one that runs.
  int waiting() const;
  /// From within a task: something to do on the interface's thread while the task goes on. Dropped, as the
  /// result is, when the task was cancelled before it comes to it. `token`: the one the task was given.
  void post(const CancelToken& token, Finish what);

 Q_SIGNALS:
  /// A task ended with an exception that it did not handle: a sentence.
  void failed(const QString& why);

 private:
  struct Given {
    Task task;
    std::shared_ptr<CancelToken> token;
    std::uint64_t round = 0;
  };
  void give(Task task);
  void deliver(std::uint64_t round, Finish what);
  void run(const std::stop_token& stop);

  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  std::deque<Given> next_;
  std::shared_ptr<CancelToken> running_;  // of the task that runs; nullptr: none does
  std::uint64_t running_round_ = 0,
                round_ = 0;  // every cancel begins another; what is of an older one is dropped
  bool background_;
  std::jthread thread_;
};

}  // namespace drevan::desktop
