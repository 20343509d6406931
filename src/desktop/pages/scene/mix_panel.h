// SPDX-License-Identifier: GPL-3.0-or-later
// The mix: its loudness against the target, what is heard of it now, a reference beside it.
#pragma once

#include <QWidget>
#include <vector>

#include "dsp/fft.h"
#include "work/work.h"

class QCheckBox;
class QLabel;
class QProgressBar;
class QToolButton;

namespace drevan::desktop {

/// How alike left and right are, and the spectrum, of what is heard.
class HeardPicture : public QWidget {
  Q_OBJECT

 public:
  explicit HeardPicture(QWidget* parent = nullptr);
  /// Interleaved stereo, as it is heard.
  void hear(std::span<const float> stereo, double rate);
  /// -1 to 1 over the last 0.4 s; 1 in silence.
  double correlation() const { return correlation_; }
  QSize sizeHint() const override { return {290, 76}; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  void settle();

  static constexpr int size_ = 4096, bands_ = 40;
  RealFft fft_{size_};
  FloatVector window_, time_;
  ComplexVector bins_;
  std::vector<float> ring_;  // interleaved
  size_t at_ = 0;
  double rate_ = 48000, correlation_ = 1, ll_ = 0, rr_ = 0, lr_ = 0;
  std::vector<double> band_db_;
};

class MixPanel : public QWidget {
  Q_OBJECT

 public:
  explicit MixPanel(const Work& work, QWidget* parent = nullptr);
  HeardPicture& heard() { return *heard_; }

 Q_SIGNALS:
  /// The mix chain is to be looked at on the Bench.
  void bench_wanted();

 protected:
  void hideEvent(QHideEvent* e) override;

 private:
  QWidget* make_levels();
  QWidget* make_reference();
  void choose_reference();
  void refresh();

  const Work& work_;
  QToolButton *chain_, *target_, *meet_, *reference_, *against_;
  QLabel *loudness_, *verdict_, *details_;
  QCheckBox* mono_;
  QProgressBar* progress_;
  HeardPicture* heard_;
};

}  // namespace drevan::desktop
