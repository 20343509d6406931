// The Scene: clips against picture.
#pragma once

#include <QWidget>

#include "pages/bench/foot.h"
#include "pages/scene/film_view.h"
#include "pages/scene/scene_rows.h"
#include "pages/scene/scene_sentence.h"
#include "pages/scene/space_list.h"
#include "work/work.h"

class QTimer;

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
  /// Asks for films and adds them behind those there are.
  void add_film_dialog();
  void mark_event();

 Q_SIGNALS:
  /// The selected clip is to be looked at on the Bench.
  void bench_wanted();
  /// A space's chain is.
  void bus_wanted(int bus);

 protected:
  void showEvent(QShowEvent*) override;
  void hideEvent(QHideEvent*) override;

 private:
  void live();
  void hold_others_back();
  void apply_loop();

  const Work& work_;
  FilmView* film_;
  SceneRows* rows_;
  SceneSentence* sentence_;
  SpaceList* spaces_;
  Foot* foot_;
  QTimer* timer_;
};

}  // namespace drevan::desktop
