// SPDX-License-Identifier: GPL-3.0-or-later
// A row of choices of which one holds: before / after / removed.
#pragma once

#include <QColor>
#include <QWidget>
#include <vector>

#include "theme/theme.h"

namespace drevan::desktop {

class Segmented : public QWidget {
  Q_OBJECT

 public:
  struct Part {
    QString label, tip;
    QColor Theme::*role;
  };
  explicit Segmented(std::vector<Part> parts, QWidget* parent = nullptr);

  int current() const { return current_; }
  void set_current(int index);
  QRectF part_rect(int index) const;
  QSize sizeHint() const override { return {static_cast<int>(parts_.size()) * 88, 30}; }
  QSize minimumSizeHint() const override { return {static_cast<int>(parts_.size()) * 76, 26}; }

 Q_SIGNALS:
  void chosen(int index);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  bool event(QEvent* e) override;

 private:
  void choose(int index);

  std::vector<Part> parts_;
  int current_ = 0;
};

}  // namespace drevan::desktop
