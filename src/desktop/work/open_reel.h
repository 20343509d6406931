// SPDX-License-Identifier: GPL-3.0-or-later
// What speaks of the reel that is open: work in the background, sheets, and what a hand holds. It
// ends with the reel, by being one of these.
#pragma once

#include <QDialog>
#include <tuple>
#include <vector>

#include "reel/reel.h"
#include "work/task_lane.h"

namespace drevan::desktop {

class Document;

/// A lane whose tasks are about the open reel: cancelled when that is left, so that no result is
/// delivered into another.
class ReelLane : public TaskLane {
 public:
  explicit ReelLane(const Document& document, Urgency urgency = Urgency::soon);
};

/// A window that is about the open reel: closed when that is left.
class ReelSheet : public QDialog {
  Q_OBJECT

 public:
  explicit ReelSheet(const Document& document, QWidget* parent = nullptr,
                     Qt::WindowFlags flags = {});

 protected:
  /// Whether it works on a copy of the reel, and is closed only when that is done: see work_ended().
  virtual bool works_on() const { return false; }
  void work_ended();

 private:
  bool left_ = false;  // its reel was left while it worked
};

/// What a drag, a text field or a menu holds: clips or an event of the reel that was open then. Who
/// holds asks alive() after every change of the reel, and lets go where it is not.
class Grab {
 public:
  Grab() = default;
  static Grab of_clips(const Document& document, std::vector<ClipId> clips);
  static Grab of_clip(const Document& document, ClipId clip) { return of_clips(document, {clip}); }
  static Grab of_event(const Document& document, EventId event);
  /// The reel as such.
  static Grab of_reel(const Document& document) { return of_clips(document, {}); }

  /// Whether it holds something: of the reel that is open, and all of it is still there.
  bool alive(const Document& document) const;
  /// Whether it is this clip, as it was cut when it was taken: what is drawn of it is still there.
  bool holds(const Document& document, ClipId clip) const;
  void let_go() { *this = {}; }
  /// 0: none.
  ClipId clip() const { return clips_.empty() ? 0 : clips_.front(); }
  const std::vector<ClipId>& clips() const { return clips_; }
  EventId event() const { return event_; }

 private:
  int reel_ = -1;  // its number; -1: it holds nothing
  std::vector<ClipId> clips_;
  std::tuple<SourceId, Samples, Samples> cut_{};  // of the first: source, begin, frames
  EventId event_ = 0;
};

}  // namespace drevan::desktop
