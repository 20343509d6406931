// SPDX-License-Identifier: GPL-3.0-or-later
// What is chosen, told in a sentence whose words can be turned.
#pragma once

#include <QWidget>
#include <functional>
#include <vector>

#include "reel/reel.h"
#include "work/open_reel.h"
#include "work/work.h"

class QLineEdit;

namespace drevan::desktop {

class SceneRows;

class SceneSentence : public QWidget {
  Q_OBJECT

 public:
  SceneSentence(const Work& work, SceneRows& rows, QWidget* parent = nullptr);

  /// As it reads.
  QString sentence() const;
  /// Where a word stands, by what it says; empty: it is not there. For tests.
  QRectF word_rect(const QString& word) const;

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void hideEvent(QHideEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  bool event(QEvent* e) override;

 private:
  /// What the sentence is about.
  Grab grabbed() const;
  void let_go();
  struct Word {
    QString text, tip{};
    bool strong = false;                         ///< whom it is about
    std::function<void(double)> turn{};          ///< by so many steps from where it was pressed
    std::function<void()> click{};               ///< pressed and let go
    std::function<void(const QString&)> type{};  ///< what was typed in its place
    bool can() const { return turn || click || type; }
  };
  void refresh();
  void tell_clip(const Clip& clip);
  void tell_event(const Event& e);
  void tell_space(const Space& space);
  void tell_length(const Clip& clip, double seconds);
  Word place_word(const QString& text, double at_s, std::function<void(double)> to);
  Word level_word(const QString& text, double db, std::function<void(double)> to);
  Word send_word(ClipId clip, SpaceId space, double db);
  Word place_in_word(ClipId clip, const Send& send);
  QRectF rect_of(size_t word) const;
  int word_at(QPointF at) const;

  const Work& work_;
  SceneRows& rows_;
  std::vector<Word> words_;
  int pressed_ = -1, under_ = -1;
  Word held_;  // as it was pressed
  Grab grab_;  // what it speaks of, and so does a word that is typed
  QPointF pressed_at_;
  bool turned_ = false;
  QLineEdit* typed_ = nullptr;
};

}  // namespace drevan::desktop
