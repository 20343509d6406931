// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/batch/batch_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QTableView>
#include <QToolButton>

#include <new>

#include "audio/error.h"
#include "audio/time_text.h"
#include "pages/batch/batch_model.h"
#include "batch/report.h"
#include "dialogs/rules_dialog.h"
#include "widgets/show_folder.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "reel/library/source_files.h"
#include "work/document.h"
#include "work/heard.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/reel_memory.h"
#include "work/selection.h"

namespace drevan::desktop {

BatchPage::BatchPage(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  model_ = new BatchModel(work, this);
  table_ = new QTableView(this);
  table_->setModel(model_);
  table_->setItemDelegate(new BatchDelegate(table_));
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setShowGrid(false);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(32);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table_->setAccessibleName(tr("Clips to render"));
  table_->setToolTip(tr("Tick what is rendered; levels stand against the target"));
  table_->setWordWrap(false);
  table_->setDragEnabled(true);
  table_->setDragDropMode(QAbstractItemView::DragOnly);
  connect(table_, &QTableView::doubleClicked, this, [this](const QModelIndex& i) {
    if (i.column() != BatchModel::clip) play_row();
  });
  table_->setTextElideMode(Qt::ElideMiddle);
  table_->horizontalHeader()->setStretchLastSection(true);
  connect(table_->horizontalHeader(), &QHeaderView::sectionResized, this, [this](int column) {
    // The last one takes what is left by itself.
    const bool by_hand = !fitting_columns_ && column + 1 < model_->columnCount();
    columns_touched_ = columns_touched_ || by_hand;
  });

  setProperty("chapter", tr("The Batch: all clips"));
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(16, 10, 16, 14);
  all->setSpacing(10);
  all->addLayout(make_form());
  all->addLayout(make_formats());
  all->addWidget(table_, 1);
  all->addLayout(make_rows());
  all->addLayout(make_run());
  connect_all();
  show_target();
}

void BatchPage::showEvent(QShowEvent* e) {
  QWidget::showEvent(e);
  refresh();
  fit_columns();
}

void BatchPage::resizeEvent(QResizeEvent* e) {
  QWidget::resizeEvent(e);
  fit_columns();
}

// Names get what the levels leave over, until somebody drags a column.
void BatchPage::fit_columns() {
  if (columns_touched_) return;
  fitting_columns_ = true;
  constexpr int chain_width = 74, heard_width = 66;
  const int all = std::max(600, width() - 48);
  const int level_width = std::clamp(all / 8, 90, 180);
  const int names = all - chain_width - heard_width - 2 * level_width;
  const int widths[] = {names * 27 / 100, names * 18 / 100, chain_width,     heard_width,
                        level_width,      level_width,      names * 28 / 100};
  for (int c = 0; c < 7; ++c) table_->setColumnWidth(c, widths[c]);
  fitting_columns_ = false;
}

namespace {

enum What { clips, groups, mix, mix_and_groups, everything };

}  // namespace

void BatchPage::connect_all() {
  connect(choose_, &QPushButton::clicked, this, [this] {
    const auto folder =
        QFileDialog::getExistingDirectory(this, tr("Output folder"), folder_->text());
    if (!folder.isEmpty()) folder_->setText(folder);
  });
  connect(container_, &QComboBox::currentIndexChanged, this, [this] {
    // What a container cannot hold cannot be chosen.
    if (container_->currentIndex() == 1 && samples_->currentIndex() == 2)
      samples_->setCurrentIndex(1);
    refresh();
  });
  connect(samples_, &QComboBox::currentIndexChanged, this, [this](int i) {
    if (i == 2) container_->setCurrentIndex(0);
  });
  connect(pattern_, &QLineEdit::textChanged, this, &BatchPage::refresh);
  connect(what_, &QComboBox::currentIndexChanged, this, &BatchPage::refresh);
  connect(overwrite_, &QCheckBox::toggled, this, &BatchPage::refresh);
  connect(same_length_, &QCheckBox::toggled, this, &BatchPage::refresh);
  connect(all_box_, &QCheckBox::clicked, model_, &BatchModel::set_all_ticked);
  connect(model_, &BatchModel::dataChanged, this,
          [this](const QModelIndex& from, const QModelIndex& to) {
            // Another set of ticks, other names.
            if (!rendering_ && isVisible() && from.column() == BatchModel::clip &&
                to.column() == BatchModel::clip)
              say_clashes();
          });
  connect(render_, &QPushButton::clicked, this, &BatchPage::render);
  connect(cancel_, &QPushButton::clicked, this, &BatchPage::cancel);
  connect(pause_, &QPushButton::toggled, this, &BatchPage::pause);
  connect(report_, &QPushButton::clicked, this, &BatchPage::save_report);
  connect(rules_button_, &QPushButton::clicked, this, [this] {
    rules().show();
    rules().raise();
  });
  connect(target_, &QComboBox::activated, this,
          [this](int i) { work_.document.set_target(target_->itemData(i).toString()); });
  connect(&work_.document, &Document::target_changed, this, &BatchPage::show_target);
  connect(&work_.document, &Document::reel_changed, this, &BatchPage::refresh);
  connect(&work_.document, &Document::reel_changed, this, &BatchPage::say_edits_come_later);
  connect(&work_.document, &Document::leaving, this, &BatchPage::keep_form);
  connect(&work_.document, &Document::opened, this, [this] {
    if (const auto kept = reel_memory(work_.document.file())["batch"].toObject(); !kept.isEmpty())
      use_form(kept);
  });
  connect(play_, &QPushButton::clicked, this, &BatchPage::play_row);
  connect(show_, &QPushButton::clicked, this,
          [this] { show_folder(work_.notices, std::filesystem::absolute(options().folder)); });
  connect(folder_, &QLineEdit::textChanged, this, [this] { estimate_soon_.start(); });
  connect(&work_.heard, &Heard::changed, this, [this] {
    if (!isVisible()) return;
    estimate_soon_.start();
    table_->viewport()->update();
  });
  estimate_soon_.setSingleShot(true);
  estimate_soon_.setInterval(150);
  connect(&estimate_soon_, &QTimer::timeout, this, &BatchPage::show_estimate);
  connect(&work_.selection, &Selection::clip_changed, this, &BatchPage::refresh);
}

RulesDialog& BatchPage::rules() {
  if (!rules_) rules_ = new RulesDialog(work_, this);
  return *rules_;
}

void BatchPage::set_what(int which) { what_->setCurrentIndex(which); }

void BatchPage::pause(bool on) {
  paused_ = on;
  pause_->setChecked(on);
  pause_->setText(on ? tr("Go on") : tr("Pause"));
  if (rendering_) on ? status_->setText(tr("Paused")) : show_progress();
}

BatchPage::~BatchPage() {
  paused_ = false;
  lane_.cancel();
}

void BatchPage::set_folder(const QString& folder) { folder_->setText(folder); }
const std::vector<JobResult>& BatchPage::results() const { return model_->results(); }

// One's own target is a file: it gets a line of its own.
void BatchPage::show_target() {
  const auto name = QString::fromStdString(work_.document.reel().target);
  int at = target_->findData(name);
  if (at < 0 && work_.document.target()) {
    target_->addItem(QString::fromStdString(work_.document.target()->label), name);
    at = target_->count() - 1;
  }
  target_->setCurrentIndex(std::max(0, at));
}

void BatchPage::refresh() {
  // A chain for the mix matters where there is one.
  mix_chain_->setVisible(what_->currentIndex() >= mix);
  // While a batch renders, too: rows of clips that are gone must not stay.
  model_->refresh(pattern_->text(), container_->currentIndex() == 0 ? ".wav" : ".flac");
  if (rendering_) return;
  // Every drag of a knob on the Bench comes by here; what follows asks the disk about every clip.
  if (!isVisible()) return;
  const auto chosen = options().also.size();
  also_->setText(chosen == 0 ? tr("Also ...") : tr("Also %1 more").arg(chosen));
  const bool each = what_->currentIndex() == clips || what_->currentIndex() == everything;
  for (QWidget* w : std::initializer_list<QWidget*>{pattern_, words_, also_, changed_})
    w->setEnabled(each);
  estimate_soon_.start();
  say_clashes();
}

// What would be in the way is said before anything runs, and names that get a number show it.
void BatchPage::say_clashes() {
  status_->clear();
  if (what_->currentIndex() != clips && what_->currentIndex() != everything) return;
  try {
    const auto ids = model_->ticked();
    const auto jobs = batch_jobs(work_.document.reel(), ids);
    const auto o = options();
    const auto settled = settle_names(jobs, o);
    const auto n = static_cast<int>(std::ranges::count(settled.numbered, true));
    std::map<ClipId, QString> names;
    if (n > 0) {
      for (size_t i = 0; i < ids.size(); ++i)
        names[ids[i]] = QString::fromStdString(settled.files[i].filename().string());
      const QString which = n == 1 ? tr("1 name is") : tr("%1 names are").arg(n);
      status_->setText(
          settled.foreign.empty()
              ? tr("%1 taken already and get a number").arg(which)
              : tr("%1 taken, by files that Drevan did not make too; the new ones get a number")
                    .arg(which));
    }
    model_->set_names(std::move(names));
  } catch (const Error& e) {
    status_->setText(QString::fromUtf8(e.what()));
  }
}

void BatchPage::render() {
  if (rendering_) return;
  const auto ids = model_->ticked();
  if (ids.empty()) {
    work_.notices.warn(tr("No clip is ticked, so there is nothing to render."));
    return;
  }
  work_.listening.end_file();
  keep_form();
  edit_told_ = false;
  const Reel reel = to_render();
  jobs_ = batch_jobs(reel, ids);
  mixes_.clear();
  seconds_ = 0;
  for (const ClipId id : ids)
    if (const Clip* c = reel.find(id))
      seconds_ += static_cast<double>(c->frames) / reel.source_of(*c).rate;
  model_->begin(ids);
  rendering_ = true;
  render_->setEnabled(false);
  report_->setEnabled(false);
  cancel_->setEnabled(true);
  pause(false);
  pause_->setEnabled(true);
  status_->setText(tr("Starting ..."));
  since_.start();
  const auto what = what_->currentIndex();
  // Only ticked clips go into the mix.
  Reel mixed = reel;
  erase_if(mixed.clips, [&](const Clip& c) { return std::ranges::find(ids, c.id) == ids.end(); });
  lane_.start([this, jobs = jobs_, o = options(), mixed, what,
               mix_chain = mix_chain_->isChecked()](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<JobResult> results;
    std::vector<MixFile> mixes;
    Problem problem;
    try {
      if (what == clips || what == everything)
        results = run_batch(jobs, o, work_.measurements.findings(), cancel,
                            [this, &cancel](size_t job, const JobResult& r) {
                              lane_.post(cancel, [this, job, r] {
                                model_->update(job, r);
                                show_progress();
                              });
                            });
      if (what != clips) {
        auto mix_options = o;
        mix_options.also.clear();
        auto done = render_mix(
            mixed, mix_options, {what != groups, what != mix, o.target, mix_chain},
            work_.measurements.findings(), cancel, [this, &cancel, last = -1](double p) mutable {
              if (static_cast<int>(p * 200) == last) return;
              last = static_cast<int>(p * 200);
              lane_.post(cancel, [this, p] {
                if (paused_) return;
                progress_->setValue(static_cast<int>(p * 1000));
                Q_EMIT progressed(p);
                status_->setText(tr("Mixing, %1 %").arg(p * 100, 0, 'f', 0));
              });
            });
        mixes = std::move(done.files);
        if (results.empty()) results = std::move(done.clips);
      }
    } catch (...) {
      problem = caught_problem();  // of a cancelled batch it is told below
    }
    // Told in any case: a cancelled batch has results, too.
    QMetaObject::invokeMethod(
        this,
        [this, results, mixes, problem] {
          if (!problem.empty()) work_.notices.warn(problem);
          ended(results, mixes);
        },
        Qt::QueuedConnection);
    return {};
  });
}

// The reel at the rate that is asked for.
Reel BatchPage::to_render() const {
  Reel reel = work_.document.reel();
  if (const int hz = rate_->currentData().toInt(); hz > 0) reel.rate = hz;
  return reel;
}

void BatchPage::cancel() {
  paused_ = false;
  status_->setText(tr("Cancelling ..."));
  lane_.cancel();
}

void BatchPage::save_report() {
  const auto file =
      QFileDialog::getSaveFileName(this, tr("Save report"), folder_->text() + "/report.html",
                                   tr("Page (*.html);;Table (*.csv);;JSON (*.json)"));
  if (!file.isEmpty()) save_report_to(file.toStdString());
}

void BatchPage::save_report_to(const std::filesystem::path& file) {
  if (is_source(file, source_files(work_.document.reel()))) {
    work_.notices.warn(tr("%1 is a recording of this reel; choose another name.")
                           .arg(QString::fromStdString(file.string())));
    return;
  }
  try {
    drevan::save_report(file, {jobs_, model_->results(), work_.document.target(), mixes_});
    work_.notices.tell(tr("Saved %1").arg(QString::fromStdString(file.string())));
  } catch (const Error& e) {
    work_.notices.warn(QString::fromUtf8(e.what()));
  }
}

}  // namespace drevan::desktop
