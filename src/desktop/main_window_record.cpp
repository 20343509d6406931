// SPDX-License-Identifier: GPL-3.0-or-later
// Recording: what the window's pages say of where and how.
#include "dialogs/recording_sheet.h"
#include "main_window.h"
#include "pages/record/record_strip.h"
#include "pages/start/start_page.h"
#include "reel/times/clip_times.h"
#include "work/document.h"
#include "work/recording_desk.h"
#include "work/selection.h"

namespace drevan::desktop {

void MainWindow::make_record_strip() {
  record_strip_ = new RecordStrip(work_, this);
  connect(record_strip_, &RecordStrip::record_wanted, this, &MainWindow::record_or_stop);
  connect(record_strip_, &RecordStrip::settings_wanted, this, [this] {
    auto* sheet = new RecordingSheet(work_, this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
  for (Foot* foot : {&bench_->foot(), &scene_->foot()})
    connect(foot, &Foot::record_wanted, this, &MainWindow::record_or_stop);
  connect(start_, &StartPage::record_wanted, this, &MainWindow::record_or_stop);
}

// The first time it opens the inputs, so that the level is looked at before anything is recorded.
void MainWindow::record_or_stop() {
  if (work_.recording.recording()) return work_.recording.stop();
  if (!record_strip_->isVisible()) return record_strip_->open(true);
  work_.recording.record(recording_wish());
}

// In the Scene all plays meanwhile; elsewhere nothing does.
RecordingWish MainWindow::recording_wish() const {
  const Reel& reel = work_.document.reel();
  RecordingWish wish;
  wish.line = record_strip_->line();
  const Clip* of = reel.find(wish.line.take_of);
  if (place_ == Place::scene) {
    wish.plays = true;
    wish.round = scene_->looped();
    wish.place = ReelTime{wish.round ? wish.round->begin.s
                          : of       ? of->place.s
                                     : scene_->rows().playhead()};
    return wish;
  }
  if (of) {
    wish.place = ReelTime{of->place.s};
  } else {
    for (const Clip& c : reel.clips)
      wish.place = std::max(wish.place, whole_in_reel(times_of(reel, c)).end);
  }
  return wish;
}

}  // namespace drevan::desktop
