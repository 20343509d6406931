// SPDX-License-Identifier: GPL-3.0-or-later
// Which clip and which of its steps are looked at.
#pragma once

#include <QObject>
#include <optional>

#include "reel/reel.h"

namespace drevan::desktop {

class Document;

class Selection : public QObject {
  Q_OBJECT

 public:
  explicit Selection(Document& document, QObject* parent = nullptr);

  /// nullptr: the reel has none.
  const Clip* clip() const;
  ClipId clip_id() const { return clip_; }
  double clip_seconds() const;
  void select_clip(ClipId id);

  /// 0: none.
  StepId step_id() const { return step_; }
  const ChainStep* step() const { return step(step_); }
  /// A step of the clip's three chains, or nullptr.
  const ChainStep* step(StepId id) const;
  void select_step(StepId id);
  /// Index among the steps that the clip's sound flows through; -1: it does not.
  int running_index(StepId id) const;

 Q_SIGNALS:
  /// Another clip, or another range or file of the same one.
  void clip_changed();
  void step_changed();

 private:
  void follow();
  void keep_step();
  void tell_step();

  Document& document_;
  ClipId clip_ = 0;
  StepId step_ = 0, step_before_preview_ = 0;
  StepId told_step_ = 0;       // as step_changed() told it last
  std::optional<Clip> shown_;  // as clip_changed() told it last
  bool fresh_reel_ = false;
};

}  // namespace drevan::desktop
