// SPDX-License-Identifier: GPL-3.0-or-later
// Play, loop, time; before / after / removed; the meter.
#pragma once

#include <QElapsedTimer>
#include <QWidget>

#include "measure/programme_meter.h"
#include "widgets/loudness_readout.h"
#include "widgets/meter.h"
#include "widgets/segmented.h"
#include "engine/playing/player.h"
#include "work/work.h"

class QCheckBox;
class QLabel;
class QToolButton;

namespace drevan::desktop {

class Foot : public QWidget {
  Q_OBJECT

 public:
  /// Whose: the selected clip's, or the whole reel's.
  enum class Of { clip, scene };
  explicit Foot(const Work& work, Of of = Of::clip, QWidget* parent = nullptr);

  void toggle_play();
  void listen(Listen what);
  bool looping() const;
  Meter& meter() { return *meter_; }
  LoudnessReadout& loudness() { return *loudness_; }
  Segmented& compare() { return *compare_; }
  /// Compares around the selected step alone.
  void set_solo_step(bool on);
  bool matched() const;
  /// Call some 30 times a second.
  void live();

 Q_SIGNALS:
  void loop_changed(bool on);
  void matched_changed(bool on);
  void record_wanted();
  /// What was heard since the last call of live(), interleaved stereo.
  void heard(std::span<const float> stereo);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void show_device();
  void begin_loudness();
  void hear_loudness();

  const Work& work_;
  const Of shows_;
  ProgrammeMeter programme_;
  bool was_playing_ = false;
  std::vector<float> heard_;
  QElapsedTimer since_readings_;
  QToolButton *play_, *loop_, *record_;
  QLabel *time_, *of_, *device_;
  Segmented* compare_;
  QCheckBox *matched_, *solo_;
  LoudnessReadout* loudness_;
  Meter* meter_;
};

}  // namespace drevan::desktop
