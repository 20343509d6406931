// SPDX-License-Identifier: GPL-3.0-or-later
// Which part of each clip was heard since its chain last changed.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <optional>
#include <vector>

#include "reel/reel.h"

namespace drevan::desktop {

class Document;
class Listening;
class Measurements;
class SceneSounds;
class Selection;
class ShelfMeasurements;

class Heard : public QObject {
  Q_OBJECT

 public:
  Heard(const Document& document, const Selection& selection, const Measurements& measurements,
        const ShelfMeasurements& shelf, const SceneSounds& scene, Listening& listening,
        QObject* parent = nullptr);

  /// Stretches of the clip, in seconds, that were played *after* its chain as it is now; in order,
  /// none overlap.
  std::vector<ClipRange> parts(ClipId clip_id) const;
  /// How much of the clip that is, 0 to 1; empty: its chain is not known yet.
  std::optional<double> share(ClipId clip_id) const;

 Q_SIGNALS:
  void changed();

 private:
  struct Clip {
    std::uint64_t key = 0;  // of what left its chain when it was heard
    std::vector<ClipRange> parts;
  };
  void watch();
  void hear_scene(ReelRange range);
  void add(ClipId clip_id, std::uint64_t key, ClipRange part);
  void bring();
  void keep() const;

  const Document& document_;
  const Selection& selection_;
  const Measurements& measurements_;
  const ShelfMeasurements& shelf_;
  const SceneSounds& scene_;
  Listening& listening_;
  std::map<ClipId, Clip> clips_;
  QTimer timer_;
  // Where playing was when it was looked at last.
  struct Playing {
    bool scene = false;
    ClipId clip = 0;
    double s = 0;  // of the reel in the Scene, else of the clip
  } playing_;
  bool was_heard_ = false;
};

}  // namespace drevan::desktop
