#include "batch/batch_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
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

#include "audio/error.h"
#include "audio/time_text.h"
#include "batch/batch_model.h"
#include "batch/report.h"
#include "batch/rules_dialog.h"
#include "theme/theme.h"
#include "widgets/words.h"

namespace drevan::desktop {

BatchPage::BatchPage(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
  model_ = new BatchModel(workspace, this);
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
  const int widths[] = {170, 160, 80, 180, 180, 190};
  for (int c = 0; c < 6; ++c) table_->setColumnWidth(c, widths[c]);
  table_->horizontalHeader()->setStretchLastSection(true);

  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(16, 10, 16, 14);
  all->setSpacing(10);
  all->addLayout(make_form());
  all->addLayout(make_formats());
  all->addWidget(table_, 1);
  all->addLayout(make_run());
  connect_all();
  show_target();
}

void BatchPage::showEvent(QShowEvent* e) {
  QWidget::showEvent(e);
  refresh();
}

namespace {

QLabel* caption(const QString& label, QWidget* parent) {
  auto* l = new QLabel(label, parent);
  l->setObjectName("quiet");
  return l;
}

// The other formats that can be written at once, as the list of the button "Also".
constexpr std::pair<const char*, OutputFormat> also_formats[] = {{"WAV, 16 bit", {Container::wav, SampleType::int16}},
                                                                 {"WAV, 24 bit", {Container::wav, SampleType::int24}},
                                                                 {"WAV, 32 bit float", {Container::wav, SampleType::float32}},
                                                                 {"FLAC, 16 bit", {Container::flac, SampleType::int16}},
                                                                 {"FLAC, 24 bit", {Container::flac, SampleType::int24}}};

enum What { clips, groups, mix, mix_and_groups, everything };

}  // namespace

QHBoxLayout* BatchPage::make_form() {
  QSettings settings;
  what_ = new QComboBox(this);
  what_->setObjectName("what");
  what_->addItems({tr("each clip"), tr("a file per group"), tr("the reel as one mix"), tr("mix and groups as stems"), tr("clips, mix and stems")});
  what_->setAccessibleName(tr("What is rendered"));
  what_->setToolTip(tr("Mix and groups lay every clip down at its place in the reel; the groups' files are stems that sum to the mix"));
  what_->setCurrentIndex(std::clamp(settings.value("batch/what", 0).toInt(), 0, 4));
  folder_ = new QLineEdit(settings.value("batch/folder", QDir::homePath() + "/rendered").toString(), this);
  folder_->setObjectName("folder");
  folder_->setAccessibleName(tr("Output folder"));
  choose_ = new QPushButton(tr("Choose ..."), this);
  pattern_ = new QLineEdit(settings.value("batch/pattern", "{clip}").toString(), this);
  pattern_->setObjectName("pattern");
  pattern_->setAccessibleName(tr("File name"));
  pattern_->setToolTip(tr("Name of each file: {clip}, {group}, {reel} and {number} are filled in; the column File shows how"));
  pattern_->setFixedWidth(150);
  auto* row = new QHBoxLayout;
  row->setSpacing(8);
  row->addWidget(caption(tr("Render"), this));
  row->addWidget(what_);
  row->addSpacing(10);
  row->addWidget(caption(tr("Folder"), this));
  row->addWidget(folder_, 1);
  row->addWidget(choose_);
  row->addSpacing(10);
  row->addWidget(caption(tr("Name"), this));
  row->addWidget(pattern_);
  return row;
}

QHBoxLayout* BatchPage::make_formats() {
  QSettings settings;
  container_ = new QComboBox(this);
  container_->addItems({"WAV", "FLAC"});
  container_->setCurrentIndex(settings.value("batch/container", 0).toInt());
  container_->setAccessibleName(tr("File format"));
  samples_ = new QComboBox(this);
  samples_->addItems({tr("16 bit"), tr("24 bit"), tr("32 bit float")});
  samples_->setCurrentIndex(settings.value("batch/samples", 1).toInt());
  samples_->setAccessibleName(tr("Bits"));
  also_ = new QToolButton(this);
  also_->setObjectName("also");
  also_->setPopupMode(QToolButton::InstantPopup);
  also_->setToolTip(tr("Writes the same in these formats too, in one go"));
  auto* menu = new QMenu(also_);
  const auto wanted = settings.value("batch/also").toStringList();
  for (const auto& [label, format] : also_formats) {
    QAction* a = menu->addAction(tr(label));
    a->setCheckable(true);
    a->setChecked(wanted.contains(label));
    connect(a, &QAction::toggled, this, &BatchPage::refresh);
  }
  also_->setMenu(menu);
  rate_ = new QComboBox(this);
  rate_->setAccessibleName(tr("Rate"));
  rate_->addItem(tr("the reel's rate"), 0);
  for (const int hz : {44100, 48000, 96000}) rate_->addItem(tr("%1 kHz").arg(hz / 1000.0), hz);
  rate_->setCurrentIndex(std::max(0, rate_->findData(settings.value("batch/rate", 0).toInt())));
  target_ = new QComboBox(this);
  target_->setObjectName("target");
  target_->setAccessibleName(tr("Target"));
  target_->setToolTip(tr("What every clip is judged by; it belongs to the reel"));
  target_->addItem(tr("none"), QString());
  for (const Target& t : targets()) target_->addItem(QString::fromStdString(t.label), QString::fromStdString(t.id));
  rules_button_ = new QPushButton(tr("Rules ..."), this);
  rules_button_->setToolTip(tr("Which recipe each clip gets, by its group and name"));
  auto* row = new QHBoxLayout;
  row->setSpacing(8);
  row->addWidget(caption(tr("Format"), this));
  for (QWidget* w : std::initializer_list<QWidget*>{container_, samples_, also_, rate_}) row->addWidget(w);
  row->addSpacing(10);
  row->addWidget(caption(tr("Target"), this));
  row->addWidget(target_);
  row->addStretch();
  row->addWidget(rules_button_);
  return row;
}

QHBoxLayout* BatchPage::make_run() {
  QSettings settings;
  all_box_ = new QCheckBox(tr("all clips"), this);
  all_box_->setChecked(true);
  changed_ = new QCheckBox(tr("only what changed"), this);
  changed_->setObjectName("only_changed");
  changed_->setChecked(settings.value("batch/only_changed", true).toBool());
  changed_->setToolTip(tr("Leaves files alone that a batch into this folder made before, when source, chain and format are the same"));
  render_ = new QPushButton(tr("Render"), this);
  render_->setObjectName("primary");
  render_->setMinimumWidth(110);
  render_->setToolTip(tr("Renders every ticked clip (Ctrl+Return)"));
  pause_ = new QPushButton(tr("Pause"), this);
  pause_->setObjectName("pause");
  pause_->setCheckable(true);
  pause_->setEnabled(false);
  cancel_ = new QPushButton(tr("Cancel"), this);
  cancel_->setEnabled(false);
  report_ = new QPushButton(tr("Save report ..."), this);
  report_->setEnabled(false);
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  status_ = new QLabel(this);
  status_->setObjectName("quiet");
  auto* row = new QHBoxLayout;
  row->setSpacing(10);
  row->addWidget(all_box_);
  row->addWidget(changed_);
  row->addSpacing(12);
  row->addWidget(progress_, 1);
  row->addWidget(status_);
  for (auto* b : {report_, pause_, cancel_, render_}) row->addWidget(b);
  return row;
}

void BatchPage::connect_all() {
  connect(choose_, &QPushButton::clicked, this, [this] {
    const auto folder = QFileDialog::getExistingDirectory(this, tr("Output folder"), folder_->text());
    if (!folder.isEmpty()) folder_->setText(folder);
  });
  connect(container_, &QComboBox::currentIndexChanged, this, [this] {
    // What a container cannot hold cannot be chosen.
    if (container_->currentIndex() == 1 && samples_->currentIndex() == 2) samples_->setCurrentIndex(1);
    refresh();
  });
  connect(samples_, &QComboBox::currentIndexChanged, this, [this](int i) {
    if (i == 2) container_->setCurrentIndex(0);
  });
  connect(pattern_, &QLineEdit::textChanged, this, &BatchPage::refresh);
  connect(what_, &QComboBox::currentIndexChanged, this, &BatchPage::refresh);
  connect(all_box_, &QCheckBox::clicked, model_, &BatchModel::set_all_ticked);
  connect(model_, &BatchModel::dataChanged, this, [this](const QModelIndex& from, const QModelIndex& to) {
    // Another set of ticks, other names.
    if (!rendering_ && isVisible() && from.column() == BatchModel::clip && to.column() == BatchModel::clip) say_clashes();
  });
  connect(render_, &QPushButton::clicked, this, &BatchPage::render);
  connect(cancel_, &QPushButton::clicked, this, &BatchPage::cancel);
  connect(pause_, &QPushButton::toggled, this, &BatchPage::pause);
  connect(report_, &QPushButton::clicked, this, &BatchPage::save_report);
  connect(rules_button_, &QPushButton::clicked, this, [this] {
    rules().show();
    rules().raise();
  });
  connect(target_, &QComboBox::activated, this, [this](int i) { workspace_.set_target(target_->itemData(i).toString()); });
  connect(&workspace_, &Workspace::target_changed, this, &BatchPage::show_target);
  connect(&workspace_, &Workspace::reel_changed, this, &BatchPage::refresh);
  connect(&workspace_, &Workspace::clip_changed, this, &BatchPage::refresh);
}

RulesDialog& BatchPage::rules() {
  if (!rules_) rules_ = new RulesDialog(workspace_, this);
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
  worker_.cancel();
}

void BatchPage::set_folder(const QString& folder) { folder_->setText(folder); }
const std::vector<JobResult>& BatchPage::results() const { return model_->results(); }

// One's own target is a file: it gets a line of its own.
void BatchPage::show_target() {
  const auto name = QString::fromStdString(workspace_.reel().target);
  int at = target_->findData(name);
  if (at < 0 && workspace_.target()) {
    target_->addItem(QString::fromStdString(workspace_.target()->label), name);
    at = target_->count() - 1;
  }
  target_->setCurrentIndex(std::max(0, at));
}

void BatchPage::refresh() {
  if (rendering_) return;
  model_->refresh(pattern_->text(), container_->currentIndex() == 0 ? ".wav" : ".flac");
  // Every drag of a knob on the Bench comes by here; what follows asks the disk about every clip.
  if (!isVisible()) return;
  const auto chosen = options().also.size();
  also_->setText(chosen == 0 ? tr("Also ...") : tr("Also %1 more").arg(chosen));
  const bool each = what_->currentIndex() == clips || what_->currentIndex() == everything;
  for (QWidget* w : std::initializer_list<QWidget*>{pattern_, also_, changed_}) w->setEnabled(each);
  say_clashes();
}

// What would be in the way is said before anything runs, and names that get a number show it.
void BatchPage::say_clashes() {
  status_->clear();
  if (what_->currentIndex() != clips && what_->currentIndex() != everything) return;
  try {
    const auto ids = model_->ticked();
    const auto jobs = batch_jobs(workspace_.reel(), ids);
    const auto o = options();
    const int n = name_clashes(jobs, o);
    std::map<int, QString> names;
    if (n > 0) {
      const auto files = output_names(jobs, o);
      for (size_t i = 0; i < ids.size(); ++i) names[ids[i]] = QString::fromStdString(files[i].filename().string());
      status_->setText(tr("%1 taken already and get a number").arg(n == 1 ? tr("1 name is") : tr("%1 names are").arg(n)));
    }
    model_->set_names(std::move(names));
  } catch (const Error& e) {
    status_->setText(QString::fromUtf8(e.what()));
  }
}

BatchOptions BatchPage::options() const {
  BatchOptions o;
  o.folder = folder_->text().trimmed().toStdString();
  o.pattern = pattern_->text().toStdString();
  o.container = container_->currentIndex() == 0 ? Container::wav : Container::flac;
  o.samples = static_cast<SampleType>(samples_->currentIndex());
  o.target = workspace_.target();
  o.only_changed = changed_->isChecked();
  for (int i = 0; i < also_->menu()->actions().size(); ++i)
    if (also_->menu()->actions()[i]->isChecked() && !(also_formats[i].second == OutputFormat{o.container, o.samples})) o.also.push_back(also_formats[i].second);
  o.pause = &paused_;
  return o;
}

void BatchPage::render() {
  if (rendering_) return;
  const auto ids = model_->ticked();
  if (ids.empty()) {
    Q_EMIT workspace_.message(tr("No clip is ticked, so there is nothing to render."), true);
    return;
  }
  QSettings settings;
  settings.setValue("batch/folder", folder_->text());
  settings.setValue("batch/pattern", pattern_->text());
  settings.setValue("batch/container", container_->currentIndex());
  settings.setValue("batch/samples", samples_->currentIndex());
  settings.setValue("batch/only_changed", changed_->isChecked());
  settings.setValue("batch/what", what_->currentIndex());
  settings.setValue("batch/rate", rate_->currentData());
  QStringList also;
  for (const auto* a : also_->menu()->actions())
    if (a->isChecked()) also << a->text();
  settings.setValue("batch/also", also);
  const Reel reel = to_render();
  jobs_ = batch_jobs(reel, ids);
  mixes_.clear();
  seconds_ = 0;
  for (const int id : ids)
    if (const Clip* c = reel.find(id)) seconds_ += static_cast<double>(c->frames) / reel.sources[static_cast<size_t>(c->source)].rate;
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
  std::erase_if(mixed.clips, [&](const Clip& c) { return std::ranges::find(ids, c.id) == ids.end(); });
  worker_.start([this, jobs = jobs_, o = options(), mixed, what](const CancelToken& cancel) -> Worker::Finish {
    std::vector<JobResult> results;
    std::vector<MixFile> mixes;
    QString problem;
    try {
      if (what == clips || what == everything)
        results = run_batch(jobs, o, workspace_.findings(), cancel, [this](size_t job, const JobResult& r) {
          QMetaObject::invokeMethod(
              this,
              [this, job, r] {
                if (!rendering_) return;
                model_->update(job, r);
                show_progress();
              },
              Qt::QueuedConnection);
        });
      if (what != clips) {
        auto mix_options = o;
        mix_options.also.clear();
        auto done = render_mix(mixed, mix_options, {what != groups, what != mix, o.target}, workspace_.findings(), cancel, [this, last = -1](double p) mutable {
          if (static_cast<int>(p * 200) == last) return;
          last = static_cast<int>(p * 200);
          QMetaObject::invokeMethod(
              this,
              [this, p] {
                if (!rendering_ || paused_) return;
                progress_->setValue(static_cast<int>(p * 1000));
                status_->setText(tr("Mixing, %1 %").arg(p * 100, 0, 'f', 0));
              },
              Qt::QueuedConnection);
        });
        mixes = std::move(done.files);
        if (results.empty()) results = std::move(done.clips);
      }
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    } catch (const Cancelled&) {
      // Told below.
    }
    // Told in any case: a cancelled batch has results, too.
    QMetaObject::invokeMethod(
        this,
        [this, results, mixes, problem] {
          if (!problem.isEmpty()) Q_EMIT workspace_.message(problem, true);
          ended(results, mixes);
        },
        Qt::QueuedConnection);
    return {};
  });
}

// The reel at the rate that is asked for.
Reel BatchPage::to_render() const {
  Reel reel = workspace_.reel();
  if (const int hz = rate_->currentData().toInt(); hz > 0) reel.rate = hz;
  return reel;
}

void BatchPage::cancel() {
  paused_ = false;
  status_->setText(tr("Cancelling ..."));
  worker_.cancel();
}

void BatchPage::show_progress() {
  const double share = share_done(jobs_, model_->results());
  const double so_far = static_cast<double>(since_.elapsed()) / 1000;
  progress_->setValue(static_cast<int>(share * 1000));
  if (paused_) return;
  const double left = time_left(share, so_far);
  const QString speed = so_far > 1 ? tr(", %1 x real time").arg(seconds_ * share / so_far, 0, 'f', 0) : QString();
  status_->setText(left < 0 ? tr("%1 %").arg(share * 100, 0, 'f', 0)
                            : tr("%1 %%3, %2 left").arg(share * 100, 0, 'f', 0).arg(QString::fromStdString(length_text(left)), speed));
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
  const auto count = [&](JobState s) { return static_cast<int>(std::ranges::count(results, s, &JobResult::state)); };
  QString text = tr("%1 done").arg(count(JobState::done));
  if (const auto kept = std::ranges::count(results, true, &JobResult::kept); kept > 0) text += tr(" (%1 unchanged)").arg(kept);
  const auto missing = std::ranges::count_if(results, [](const JobResult& r) { return !r.missed.empty(); });
  if (missing > 0) text += tr(", %1 not on target").arg(missing);
  if (const int n = count(JobState::failed)) text += tr(", %1 failed").arg(n);
  if (const int n = count(JobState::cancelled)) text += tr(", %1 cancelled").arg(n);
  if (!mixes_.empty()) {
    text += tr(", %1 written").arg(counted(std::ssize(mixes_), tr("file")));
    const auto& first = mixes_.front();
    if (first.levels.loudness_lufs) text += tr(" (%1 %2 LUFS%3)").arg(QString::fromStdString(first.name)).arg(*first.levels.loudness_lufs, 0, 'f', 1).arg(first.missed.empty() ? QString() : tr(", off target"));
  }
  status_->setText(tr("%1 in %2").arg(text, QString::fromStdString(length_text(static_cast<double>(since_.elapsed()) / 1000))));
  progress_->setValue(results.empty() ? 0 : 1000);
  Q_EMIT finished();
}

void BatchPage::save_report() {
  const auto file = QFileDialog::getSaveFileName(this, tr("Save report"), folder_->text() + "/report.html",
                                                 tr("Page (*.html);;Table (*.csv);;JSON (*.json)"));
  if (!file.isEmpty()) save_report_to(file.toStdString());
}

void BatchPage::save_report_to(const std::filesystem::path& file) {
  try {
    drevan::save_report(file, {jobs_, model_->results(), workspace_.target(), mixes_});
    Q_EMIT workspace_.message(tr("Saved %1").arg(QString::fromStdString(file.string())), false);
  } catch (const Error& e) {
    Q_EMIT workspace_.message(QString::fromUtf8(e.what()), true);
  }
}

}  // namespace drevan::desktop
