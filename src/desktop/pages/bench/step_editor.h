// SPDX-License-Identifier: GPL-3.0-or-later
// The selected step: its picture on the left, its settings as sliders on the right, both always
// showing the same.
#pragma once

#include <QTimer>
#include <QWidget>
#include <vector>

#include "pictures/picture.h"
#include "widgets/value_slider.h"
#include "reel/edits/edits.h"
#include "work/turning.h"
#include "work/work.h"

class QCheckBox;
class QGridLayout;
class QLabel;
class QToolButton;

namespace drevan::desktop {

class CurveLane;
class StepWords;

class StepEditor : public QWidget {
  Q_OBJECT

 public:
  /// `lane` shows the curves of the step's settings.
  StepEditor(const Work& work, CurveLane& lane, QWidget* parent = nullptr);

  StepPicture* picture() const { return picture_; }
  /// The slider of a parameter, nullptr when it is not shown.
  ValueSlider* slider(std::string_view parameter_id) const;
  /// Uses one of the step's starting points, or (below 0) the standard settings.
  void use_starting_point(int index);
  void live();
  /// Settings that follow a curve stand where it is at this moment of the clip.
  void show_playhead(double clip_s);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void rebuild();
  void refresh();
  void show_page(int page);
  void fit_sliders();
  void change(const std::function<edits::Edit(const Reel&, ClipId clip)>& edit);
  void set(int parameter, double value);
  void settle();
  void show_ranges();
  void show_values();
  void fill_menu();
  edits::Edit with_starting_point(const Reel& reel, int index) const;

  const Work& work_;
  CurveLane& lane_;
  Turning turning_;
  QTimer rest_;      // on a starting point
  int rested_ = -2;  // on which; below -1: on none
  double playhead_s_ = 0;
  StepId step_ = 0;
  const StepType* type_ = nullptr;
  ClipId clip_ = 0;
  StepPicture* picture_ = nullptr;
  std::vector<ValueSlider*> sliders_;
  StepWords* words_ = nullptr;
  QWidget* body_ = nullptr;
  QGridLayout* grid_ = nullptr;
  QWidget* sliders_area_ = nullptr;
  QLabel *title_ = nullptr, *summary_ = nullptr, *page_label_ = nullptr;
  QCheckBox* on_ = nullptr;
  QToolButton *points_ = nullptr, *remove_ = nullptr;
  std::vector<float> scope_in_, scope_out_;
};

}  // namespace drevan::desktop
