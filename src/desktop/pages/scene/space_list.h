// SPDX-License-Identifier: GPL-3.0-or-later
// The reel's spaces: what is fed into each, how loud it is in the mix.
#pragma once

#include <QWidget>

#include "reel/ids.h"
#include "work/work.h"

class QToolButton;
class QVBoxLayout;

namespace drevan::desktop {

class SpaceList : public QWidget {
  Q_OBJECT

 public:
  explicit SpaceList(const Work& work, QWidget* parent = nullptr);

  /// The bar that tells and turns how much of the selected clip's group enters a space; tests drag
  /// it.
  class SendBar* bar(SpaceId space, GroupId group) const;
  QToolButton& add_button() { return *add_; }

 Q_SIGNALS:
  /// Its row and its steps are to be looked at, here.
  void chosen(ClipId bus);
  /// Its chain is to be looked at.
  void bench_wanted(ClipId bus);

 private:
  void refresh();
  void fill_add_menu();
  QWidget* make_space(const struct SpaceShown& shown);

  const Work& work_;
  QWidget* list_ = nullptr;
  QVBoxLayout* column_ = nullptr;
  QToolButton* add_ = nullptr;
};

/// A level in dB as a bar: drag it, turn the wheel, use the arrow keys, double-click for off.
class SendBar : public QWidget {
  Q_OBJECT

 public:
  SendBar(const QString& name, double least_db, double most_db, double off_db,
          QWidget* parent = nullptr);
  void show_level(double db);
  double level() const { return db_; }
  bool held() const { return held_; }
  void let_go() { held_ = false; }
  SpaceId space = 0;
  GroupId group = 0;  ///< none: the space's own level

 Q_SIGNALS:
  void turned(double db);
  void settled();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  QRectF bar_rect() const;
  void turn_to(double db);
  double at(double x) const;

  const QString name_;
  const double least_db_, most_db_, off_db_;
  double db_ = 0;
  bool held_ = false;
};

}  // namespace drevan::desktop
