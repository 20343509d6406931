// SPDX-License-Identifier: GPL-3.0-or-later
// What the Batch tells beside its rows: what it will take, what nobody heard, how it goes and went;
// finished files played and found.
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QTableView>
#include <thread>

#include "audio/time_text.h"
#include "batch/estimate.h"
#include "pages/batch/batch_model.h"
#include "pages/batch/batch_page.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"

namespace drevan::desktop {

namespace {

// Seconds of one core for a second of sound, for each step and one more; learned from batches.
constexpr double usual_cost = 0.0006;

QString size_text(std::uint64_t bytes) {
  const double mb = static_cast<double>(bytes) / 1e6;
  return mb < 1000 ? QObject::tr("%1 MB").arg(mb, 0, 'f', mb < 10 ? 1 : 0)
                   : QObject::tr("%1 GB").arg(mb / 1000, 0, 'f', 1);
}

double cores() { return std::max(1U, std::thread::hardware_concurrency()); }

}  // namespace

QHBoxLayout* BatchPage::make_rows() {
  estimate_ = new QLabel(this);
  estimate_->setObjectName("estimate");
  estimate_->setMinimumWidth(20);
  estimate_->setToolTip(
      tr("What the ticked clips take: time as long as earlier batches took, space without what "
         "rings on; and how many nobody has listened to since their chain last changed"));
  play_ = new QPushButton(tr("Play the file"), this);
  play_->setObjectName("play_file");
  play_->setToolTip(
      tr("Plays the finished file of the row, or pauses it (Space); a double click "
         "does, too. A finished row can be dragged into another program"));
  show_ = new QPushButton(tr("Open the folder"), this);
  show_->setObjectName("show_folder");
  show_->setToolTip(tr("Opens the output folder in the file manager"));
  auto* row = new QHBoxLayout;
  row->setSpacing(10);
  row->addWidget(estimate_, 1);
  row->addWidget(play_);
  row->addWidget(show_);
  return row;
}

void BatchPage::show_estimate() {
  if (!isVisible()) return;
  const auto o = options();
  const auto all = estimate_batch(work_.document.reel(), model_->ticked(), o);
  if (all.clips == 0) return estimate_->setText(tr("Nothing is ticked"));
  const double cost = QSettings().value("batch/cost", usual_cost).toDouble();
  // In the order of the list of what is rendered.
  const int what = what_->currentIndex();
  const auto stems = static_cast<std::uint64_t>(std::ssize(work_.document.reel().groups));
  const std::uint64_t files[] = {0, stems, 1, stems + 1, stems + 1};
  const auto bytes = (what == 0 || what == 4 ? all.bytes : 0) + files[what] * all.mix_bytes;
  QString text =
      tr("%1, %2 of sound: about %3 and %4")
          .arg(counted(all.clips, tr("clip")), QString::fromStdString(length_text(all.seconds)),
               QString::fromStdString(length_text(std::max(1.0, all.work * cost / cores()))),
               size_text(bytes));
  const auto room = free_space(o.folder);
  const bool full = room && *room < bytes;
  if (room)
    text += (full ? tr(", but only %1 are free") : tr(" (%1 are free)")).arg(size_text(*room));
  if (const int n = model_->not_heard(); n == all.clips)
    text += tr(".  Nobody listened to them since their chains changed");
  else if (n > 0)
    text += tr(".  Nobody listened to %1 of them since their chains changed").arg(n);
  estimate_->setStyleSheet("color: " + (full ? theme().attention : theme().quiet).name());
  estimate_->setText(text);
}

void BatchPage::show_progress() {
  const double share = share_done(jobs_, model_->results());
  const double so_far = static_cast<double>(since_.elapsed()) / 1000;
  progress_->setValue(static_cast<int>(share * 1000));
  Q_EMIT progressed(share);
  if (paused_) return;
  const double left = time_left(share, so_far);
  const QString speed =
      so_far > 1 ? tr(", %1 x real time").arg(seconds_ * share / so_far, 0, 'f', 0) : QString();
  status_->setText(left < 0 ? tr("%1 %").arg(share * 100, 0, 'f', 0)
                            : tr("%1 %%3, %2 left")
                                  .arg(share * 100, 0, 'f', 0)
                                  .arg(QString::fromStdString(length_text(left)), speed));
}

void BatchPage::ended(std::vector<JobResult> results, std::vector<MixFile> mixes) {
  mixes_ = std::move(mixes);
  pause(false);
  pause_->setEnabled(false);
  rendering_ = false;
  render_->setEnabled(true);
  cancel_->setEnabled(false);
  report_->setEnabled(!results.empty() || !mixes_.empty());
  for (size_t i = 0; i < results.size(); ++i) model_->update(i, results[i]);
  const auto count = [&](JobState s) {
    return static_cast<int>(std::ranges::count(results, s, &JobResult::state));
  };
  QString text = tr("%1 done").arg(count(JobState::done));
  if (const auto kept = std::ranges::count(results, true, &JobResult::kept); kept > 0)
    text += tr(" (%1 unchanged)").arg(kept);
  const auto missing =
      std::ranges::count_if(results, [](const JobResult& r) { return !r.missed.empty(); });
  if (missing > 0) text += tr(", %1 not on target").arg(missing);
  if (const auto broken = std::ranges::count_if(
          results, [](const JobResult& r) { return r.state == JobState::done && !r.whole; });
      broken > 0)
    text += tr(", %1 not whole").arg(broken);
  if (const int n = count(JobState::failed)) text += tr(", %1 failed").arg(n);
  if (const int n = count(JobState::cancelled)) text += tr(", %1 cancelled").arg(n);
  if (!mixes_.empty()) {
    text += tr(", %1 written").arg(counted(std::ssize(mixes_), tr("file")));
    const auto& first = mixes_.front();
    if (first.levels.loudness_lufs)
      text += tr(" (%1 %2 LUFS%3)")
                  .arg(QString::fromStdString(first.name))
                  .arg(*first.levels.loudness_lufs, 0, 'f', 1)
                  .arg(first.missed.empty() ? QString() : tr(", off target"));
  }
  if (const int n = model_->changed_since(); n > 0)
    text += tr(", %1 changed meanwhile for the next batch").arg(n);
  const double seconds = static_cast<double>(since_.elapsed()) / 1000;
  const QString how = tr("%1 in %2").arg(text, QString::fromStdString(length_text(seconds)));
  status_->setText(how);
  progress_->setValue(results.empty() ? 0 : 1000);
  const bool all_new = std::ranges::all_of(
      results, [](const JobResult& r) { return r.state == JobState::done && !r.kept; });
  if (all_new && mixes_.empty() && !results.empty()) remember_speed(seconds);
  show_estimate();
  Q_EMIT finished(how);
}

void BatchPage::remember_speed(double seconds) {
  const auto all = estimate_batch(model_->rendered_reel(), model_->rendered(), options());
  // Short ones tell more of starting than of rendering.
  if (all.work > 0 && seconds > 1) QSettings().setValue("batch/cost", seconds * cores() / all.work);
}

// Rendering goes on with the reel as it was when it began.
void BatchPage::say_edits_come_later() {
  if (!rendering_ || edit_told_ || work_.document.previewing() || model_->changed_since() == 0)
    return;
  edit_told_ = true;
  work_.notices.tell(
      tr("The batch goes on with the clips as they were; this edit belongs to the next one."));
}

std::filesystem::path BatchPage::file_of(ClipId clip_id) const { return model_->file_of(clip_id); }

void BatchPage::play_row() {
  Player& player = work_.listening.player();
  const int row = table_->currentIndex().row();
  const auto file = row < 0 ? std::filesystem::path() : model_->file_of(model_->clip_at(row));
  if (file.empty())
    return work_.notices.warn(tr("Choose a row that is rendered; its file is played then."));
  const auto* played = work_.listening.file_played();
  if (played && *played == file)
    player.playing() ? player.pause() : player.play();
  else
    work_.listening.play_file(file);
}

// The Bench plays its clip again.
void BatchPage::hideEvent(QHideEvent* e) {
  work_.listening.end_file();
  QWidget::hideEvent(e);
}

}  // namespace drevan::desktop
