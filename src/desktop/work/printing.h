// SPDX-License-Identifier: GPL-3.0-or-later
// Clips' sound frozen into versions, in the background; see reel.h.
#pragma once

#include <QObject>
#include <optional>
#include <set>
#include <vector>

#include "engine/making/print.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class Selection;

class Printing : public QObject {
  Q_OBJECT

 public:
  Printing(Notices& notices, Document& document, Selection& selection, Measurements& measurements,
           QObject* parent = nullptr);

  /// The selected clip's own chain becomes part of its sound: within `range`, or throughout.
  void print(std::optional<ClipRange> range);
  /// What was printed last is printed into `range` as well, with the same settings.
  void print_again(ClipRange range);
  /// All clips of the selected one's group, with their own chains and the group's.
  void print_group();
  /// What runs and what waits.
  void cancel();
  bool busy() const { return lane_.busy(); }
  /// Prints that wait for the one that runs.
  int waiting() const { return lane_.waiting(); }
  double fade_s() const;
  void set_fade_s(double seconds);

 Q_SIGNALS:
  /// 0 to 1 while something is printed; below 0: no more.
  void progress(double share);

 private:
  struct Job;
  const Clip* printed_clip();
  void start(std::vector<Job> jobs, const QString& label, bool group);
  void run(std::vector<Job>& jobs, const CancelToken& cancel);
  void finish(const std::vector<Job>& jobs, const QString& label, bool group);

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  std::set<std::filesystem::path> promised_;  // names of files that prints were given
  ReelLane lane_{document_};
};

}  // namespace drevan::desktop
