// Play, loop, time; before / after / removed; the meter.
#pragma once

#include <QWidget>

#include "widgets/meter.h"
#include "widgets/segmented.h"
#include "workspace.h"

class QCheckBox;
class QLabel;
class QToolButton;

namespace drevan::desktop {

class Foot : public QWidget {
  Q_OBJECT

 public:
  explicit Foot(Workspace& workspace, QWidget* parent = nullptr);

  void toggle_play();
  void listen(Listen what);
  bool looping() const;
  Meter& meter() { return *meter_; }
  Segmented& compare() { return *compare_; }
  /// Call some 30 times a second.
  void live();

 Q_SIGNALS:
  void loop_changed(bool on);

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  Workspace& workspace_;
  QToolButton *play_, *loop_;
  QLabel *time_, *of_, *device_;
  Segmented* compare_;
  QCheckBox* matched_;
  Meter* meter_;
};

}  // namespace drevan::desktop
