#include "batch/batch_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QTableView>

#include "audio/error.h"
#include "audio/time_text.h"
#include "batch/batch_model.h"
#include "batch/report.h"
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

  QSettings settings;
  folder_ = new QLineEdit(settings.value("batch/folder", QDir::homePath() + "/rendered").toString(), this);
  folder_->setObjectName("folder");
  folder_->setAccessibleName(tr("Output folder"));
  auto* choose = new QPushButton(tr("Choose ..."), this);
  pattern_ = new QLineEdit(settings.value("batch/pattern", "{clip}").toString(), this);
  pattern_->setAccessibleName(tr("File name"));
  pattern_->setToolTip(tr("Name of each file: {clip}, {group}, {reel} and {number} are filled in"));
  pattern_->setFixedWidth(150);
  container_ = new QComboBox(this);
  container_->addItems({"WAV", "FLAC"});
  container_->setCurrentIndex(settings.value("batch/container", 0).toInt());
  container_->setAccessibleName(tr("File format"));
  samples_ = new QComboBox(this);
  samples_->addItems({tr("16 bit"), tr("24 bit"), tr("32 bit float")});
  samples_->setCurrentIndex(settings.value("batch/samples", 1).toInt());
  samples_->setAccessibleName(tr("Bits"));
  auto* form = new QHBoxLayout;
  form->setSpacing(8);
  const auto caption = [&](const QString& label) {
    auto* l = new QLabel(label, this);
    l->setObjectName("quiet");
    form->addWidget(l);
  };
  caption(tr("Folder"));
  form->addWidget(folder_, 1);
  form->addWidget(choose);
  form->addSpacing(10);
  caption(tr("Name"));
  form->addWidget(pattern_);
  form->addSpacing(10);
  caption(tr("Format"));
  form->addWidget(container_);
  form->addWidget(samples_);

  auto* all_box = new QCheckBox(tr("all clips"), this);
  all_box->setChecked(true);
  render_ = new QPushButton(tr("Render"), this);
  render_->setObjectName("primary");
  render_->setMinimumWidth(110);
  render_->setToolTip(tr("Renders every ticked clip (Ctrl+Return)"));
  cancel_ = new QPushButton(tr("Cancel"), this);
  cancel_->setEnabled(false);
  report_ = new QPushButton(tr("Save report ..."), this);
  report_->setEnabled(false);
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  status_ = new QLabel(this);
  status_->setObjectName("quiet");
  auto* run = new QHBoxLayout;
  run->setSpacing(10);
  run->addWidget(all_box);
  run->addSpacing(12);
  run->addWidget(progress_, 1);
  run->addWidget(status_);
  run->addWidget(report_);
  run->addWidget(cancel_);
  run->addWidget(render_);

  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(16, 10, 16, 14);
  all->setSpacing(12);
  all->addLayout(form);
  all->addWidget(table_, 1);
  all->addLayout(run);

  connect(choose, &QPushButton::clicked, this, [this] {
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
  connect(all_box, &QCheckBox::clicked, model_, &BatchModel::set_all_ticked);
  connect(render_, &QPushButton::clicked, this, &BatchPage::render);
  connect(cancel_, &QPushButton::clicked, this, &BatchPage::cancel);
  connect(report_, &QPushButton::clicked, this, &BatchPage::save_report);
  connect(&workspace_, &Workspace::reel_changed, this, &BatchPage::refresh);
  connect(&workspace_, &Workspace::clip_changed, this, &BatchPage::refresh);
  refresh();
}

BatchPage::~BatchPage() { worker_.cancel(); }

void BatchPage::set_folder(const QString& folder) { folder_->setText(folder); }
const std::vector<JobResult>& BatchPage::results() const { return model_->results(); }

void BatchPage::refresh() {
  if (rendering_) return;
  model_->refresh(pattern_->text(), container_->currentIndex() == 0 ? ".wav" : ".flac");
}

BatchOptions BatchPage::options() const {
  BatchOptions o;
  o.folder = folder_->text().trimmed().toStdString();
  o.pattern = pattern_->text().toStdString();
  o.container = container_->currentIndex() == 0 ? Container::wav : Container::flac;
  o.samples = static_cast<SampleType>(samples_->currentIndex());
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
  jobs_ = batch_jobs(workspace_.reel(), ids);
  model_->begin(ids);
  rendering_ = true;
  render_->setEnabled(false);
  report_->setEnabled(false);
  cancel_->setEnabled(true);
  status_->setText(tr("Starting ..."));
  since_.start();
  worker_.start([this, jobs = jobs_, o = options()](const CancelToken& cancel) -> Worker::Finish {
    std::vector<JobResult> results;
    QString problem;
    try {
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
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    // Told in any case: a cancelled batch has results, too.
    QMetaObject::invokeMethod(
        this,
        [this, results, problem] {
          if (!problem.isEmpty()) Q_EMIT workspace_.message(problem, true);
          ended(results);
        },
        Qt::QueuedConnection);
    return {};
  });
}

void BatchPage::cancel() {
  status_->setText(tr("Cancelling ..."));
  worker_.cancel();
}

void BatchPage::show_progress() {
  const double share = model_->share_done();
  progress_->setValue(static_cast<int>(share * 1000));
  const double left = time_left(share, static_cast<double>(since_.elapsed()) / 1000);
  status_->setText(left < 0 ? tr("%1 %").arg(share * 100, 0, 'f', 0)
                            : tr("%1 %, %2 left").arg(share * 100, 0, 'f', 0).arg(QString::fromStdString(length_text(left))));
}

void BatchPage::ended(std::vector<JobResult> results) {
  rendering_ = false;
  render_->setEnabled(true);
  cancel_->setEnabled(false);
  report_->setEnabled(!results.empty());
  for (size_t i = 0; i < results.size(); ++i) model_->update(i, results[i]);
  const auto count = [&](JobState s) { return static_cast<int>(std::ranges::count(results, s, &JobResult::state)); };
  QString text = tr("%1 done").arg(count(JobState::done));
  if (const int n = count(JobState::failed)) text += tr(", %1 failed").arg(n);
  if (const int n = count(JobState::cancelled)) text += tr(", %1 cancelled").arg(n);
  status_->setText(tr("%1 in %2").arg(text, QString::fromStdString(length_text(static_cast<double>(since_.elapsed()) / 1000))));
  progress_->setValue(results.empty() ? 0 : 1000);
  Q_EMIT finished();
}

void BatchPage::save_report() {
  const auto file = QFileDialog::getSaveFileName(this, tr("Save report"), folder_->text() + "/report.csv",
                                                 tr("Table (*.csv);;JSON (*.json)"));
  if (file.isEmpty()) return;
  try {
    drevan::save_report(file.toStdString(), jobs_, model_->results());
    Q_EMIT workspace_.message(tr("Saved %1").arg(file), false);
  } catch (const Error& e) {
    Q_EMIT workspace_.message(QString::fromUtf8(e.what()), true);
  }
}

}  // namespace drevan::desktop
