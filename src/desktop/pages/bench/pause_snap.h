// SPDX-License-Identifier: GPL-3.0-or-later
// Ends of pauses in the selected clip's surroundings, for ends of clips to snap to.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

namespace drevan::desktop {

class PauseSnap : public QObject {
  Q_OBJECT

 public:
  explicit PauseSnap(const Work& work, QObject* parent = nullptr);

  /// Begins to listen to the selected clip's source, within `range` of the clip (which may reach
  /// beyond its ends), where that was not done yet. Some milliseconds for a minute.
  void hear(ClipRange range);
  /// `s`, or where speech begins or ends (with the air that cutting a take keeps) within `reach_s`.
  double snapped(double s, double reach_s) const;

 private:
  const Work& work_;
  ClipId clip_ = 0;
  ClipRange range_{};
  std::vector<double> ends_;  // seconds of the clip
  ReelLane lane_;
};

}  // namespace drevan::desktop
