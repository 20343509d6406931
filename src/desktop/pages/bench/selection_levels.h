// SPDX-License-Identifier: GPL-3.0-or-later
// What a selection in the scope measures, before and after: thresholds are read off it.
#pragma once

#include <QObject>
#include <QTimer>
#include <optional>

#include "engine/listening/range_levels.h"
#include "work/open_reel.h"
#include "work/work.h"

namespace drevan::desktop {

class SelectionLevels : public QObject {
  Q_OBJECT

 public:
  explicit SelectionLevels(const Work& work, QObject* parent = nullptr);

  /// Measured again by itself while the reel changes; empty: nothing is.
  void want(std::optional<ClipRange> range);
  /// Of the wanted range; nullptr until it is known.
  const RangeLevels* levels() const { return levels_ ? &*levels_ : nullptr; }

 Q_SIGNALS:
  void changed();

 private:
  void measure();

  const Work& work_;
  std::optional<ClipRange> range_;
  std::optional<RangeLevels> levels_;
  QTimer soon_;
  ReelLane lane_;
};

}  // namespace drevan::desktop
