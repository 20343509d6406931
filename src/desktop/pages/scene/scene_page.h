// SPDX-License-Identifier: GPL-3.0-or-later
// The Scene: clips against picture.
#pragma once

#include <QWidget>

#include "pages/bench/foot.h"
#include "pages/scene/film_view.h"
#include "pages/scene/mix_panel.h"
#include "pages/scene/mix_row.h"
#include "pages/scene/scene_plan.h"
#include "pages/scene/scene_rows.h"
#include "pages/scene/scene_sentence.h"
#include "pages/scene/scene_steps.h"
#include "pages/scene/space_list.h"
#include "work/work.h"

class QTimer;
class QSplitter;
class QToolButton;

namespace drevan::desktop {

class ScenePage : public QWidget {
  Q_OBJECT

 public:
  explicit ScenePage(const Work& work, QWidget* parent = nullptr);

  FilmView& film() { return *film_; }
  SceneRows& rows() { return *rows_; }
  SceneSentence& sentence() { return *sentence_; }
  SpaceList& spaces() { return *spaces_; }
  Foot& foot() { return *foot_; }
  MixPanel& mix() { return *mix_; }
  MixRow& mix_row() { return *mix_row_; }
  ScenePlan& plan() { return *plan_; }
  SceneSteps& steps() { return *steps_; }
  /// Level path and editor of what is chosen, under the rows.
  void show_steps(bool on);
  bool shows_steps() const;
  /// The picture in a window of its own as well, or no longer. F11 fills the screen with it.
  void show_film_window(bool on);
  QWidget* film_window() { return film_window_; }
  /// Level path and editor in a window of their own, or under the rows again.
  void show_steps_window(bool on);
  bool steps_in_window() const { return steps_window_ != nullptr; }
  /// What stands beside the picture; with the mix goes its row.
  enum class Beside { spaces, mix, plan };
  void show_beside(Beside what);
  /// Asks for films and adds them behind those there are.
  void add_film_dialog();
  void mark_event();
  /// What plays round and round when the foot says so; empty: it does not.
  std::optional<ReelRange> looped() const;

 Q_SIGNALS:
  /// The selected clip is to be looked at on the Bench.
  void bench_wanted();
  /// A space's chain is.
  void bus_wanted(ClipId bus);
  /// A space or the mix is to be selected, here.
  void bus_chosen(ClipId bus);

 protected:
  void showEvent(QShowEvent*) override;
  void hideEvent(QHideEvent*) override;

 private:
  bool eventFilter(QObject* of, QEvent* e) override;
  void live();
  void look_at(double s);
  void hold_others_back();
  void apply_loop();
  QWidget* make_beside();

  const Work& work_;
  FilmView *film_, *other_film_ = nullptr;
  QWidget *film_window_ = nullptr, *steps_window_ = nullptr;
  QSplitter* split_;  // picture over rows over steps
  SceneRows* rows_;
  SceneSentence* sentence_;
  SpaceList* spaces_;
  MixPanel* mix_;
  ScenePlan* plan_;
  MixRow* mix_row_;
  SceneSteps* steps_;
  QWidget* lane_part_;
  QToolButton* steps_button_;
  Segmented* beside_;
  Foot* foot_;
  QTimer* timer_;
};

}  // namespace drevan::desktop
