// SPDX-License-Identifier: GPL-3.0-or-later
// Output level, left and right, with peak hold and an over lamp that stays lit until cleared.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <array>

namespace drevan::desktop {

class Meter : public QWidget {
  Q_OBJECT

 public:
  explicit Meter(QWidget* parent = nullptr);

  /// Largest samples since the last call; `over`: the lamp. Call some 30 times a second.
  void show_peaks(std::array<float, 2> peaks, bool over);
  bool lamp() const { return over_ || places_ > 0; }
  /// How many places of the clip pass full scale behind its chain; they light the lamp, too.
  void show_places(int places);
  int places() const { return places_; }
  /// Highest peak since the last clear(), dBFS.
  double held_db() const { return hold_db_; }
  QSize sizeHint() const override { return {250, 30}; }
  QSize minimumSizeHint() const override { return {100, 26}; }

 public Q_SLOTS:
  void clear();

 Q_SIGNALS:
  void cleared();
  /// The lamp was clicked and there are places to go to.
  void next_place_wanted();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;

 private:
  std::array<double, 2> shown_db_{-90, -90};
  double hold_db_ = -90;
  bool over_ = false;
  int places_ = 0;
  QElapsedTimer since_;
};

}  // namespace drevan::desktop
