// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QShortcut>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>

#include "dialogs/help_window.h"
#include "pages/record/record_strip.h"
#include "pages/start/start_page.h"
#include "theme/theme.h"
#include "widgets/desktop_notice.h"
#include "widgets/show_folder.h"
#include "work/open_work.h"
#include "work/recent_reels.h"
#include "work/recipe_files.h"
#include "work/remedies.h"

namespace drevan::desktop {

namespace {
constexpr int title_bar_height = 32;  // of common window managers, about
constexpr int mark_from = 980;

// By its name: what is dropped on the Scene with such a one is a picture first.
bool is_film_file(const QString& file) {
  static const QStringList endings{"mp4", "mov", "mkv", "webm", "avi",
                                   "m4v", "mxf", "mpg", "mpeg", "ts"};
  return endings.contains(QFileInfo(file).suffix().toLower());
}
}  // namespace

MainWindow::MainWindow() : open_work_(std::make_unique<OpenWork>()), work_(open_work_->parts) {
  setWindowTitle("Drevan");
  setAcceptDrops(true);
  auto* all = new QWidget(this);
  auto* box = new QVBoxLayout(all);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(0);
  box->addWidget(make_top());
  stack_ = new QStackedWidget(all);
  bench_ = new Bench(work_, stack_);
  scene_ = new ScenePage(work_, stack_);
  batch_ = new BatchPage(work_, stack_);
  stack_->addWidget(bench_);
  stack_->addWidget(scene_);
  stack_->addWidget(batch_);
  start_ = new StartPage(stack_);
  stack_->addWidget(start_);
  connect(scene_, &ScenePage::bench_wanted, this, [this] { show_place(Place::bench); });
  connect(scene_, &ScenePage::bus_wanted, this, [this](ClipId bus) { work_.mix_sum.open(bus); });
  connect(scene_, &ScenePage::bus_chosen, this, [this](ClipId bus) {
    bus_stays_ = true;
    work_.mix_sum.open(bus);
  });
  connect(start_, &StartPage::reel_wanted, this,
          [this](const QString& file) { open_files({file}); });
  connect(start_, &StartPage::open_wanted, this, [this] { open_dialog(); });
  connect(start_, &StartPage::files_wanted, this, [this] { add_dialog(); });
  connect(start_, &StartPage::folder_wanted, this, [this] { add_folder_dialog(); });
  make_record_strip();
  box->addWidget(record_strip_);
  box->addWidget(stack_, 1);
  setCentralWidget(all);
  make_menus();
  top_left_->setMinimumWidth(menus_->sizeHint().width());

  message_timer_ = new QTimer(this);
  message_timer_->setSingleShot(true);
  connect(message_timer_, &QTimer::timeout, this, [this] {
    message_->clear();
    more_->hide();
  });
  connect(batch_, &BatchPage::progressed, this, &MainWindow::show_batch_progress);
  connect(batch_, &BatchPage::finished, this, &MainWindow::tell_batch_done);
  connect(&work_.notices, &Notices::message, this, &MainWindow::tell);
  connect(&work_.document, &Document::reel_changed, this, &MainWindow::refresh);
  connect(&work_.document, &Document::leaving, this, &MainWindow::keep_picture);
  connect(&work_.films, &SceneFilms::cuts_progress, this, &MainWindow::show_cutting);
  connect(&work_.jobs, &Jobs::making_progress, this, &MainWindow::show_making);

  QSettings settings;
  resize(QSize(1280, 800).boundedTo(screen()->availableSize() - QSize(0, title_bar_height)));
  restoreGeometry(settings.value("window/geometry").toByteArray());
  for (auto* splitter : findChildren<QSplitter*>())
    splitter->restoreState(settings.value("window/" + splitter->objectName()).toByteArray());
  work_.document.new_reel();
  show_place(Place::bench);
}

// Pages and dialogs go before the work they show: some of their threads still read it.
MainWindow::~MainWindow() {
  for (QObject* part : std::initializer_list<QObject*>{&work_.notices, &work_.document,
                                                       &work_.printing, &work_.mix_sum})
    disconnect(part, nullptr, this, nullptr);
  for (auto* child : findChildren<QWidget*>(Qt::FindDirectChildrenOnly)) delete child;
}

QWidget* MainWindow::make_top() {
  auto* top = new QWidget(this);
  top->setFixedHeight(44);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(2, 0, 8, 0);
  row->setSpacing(4);
  auto* left = top_left_ = new QWidget(top);
  auto* left_row = new QHBoxLayout(left);
  left_row->setContentsMargins(0, 0, 0, 0);
  mark_ = new QLabel("drevan", left);
  QFont f = heading_font();
  f.setPixelSize(19);
  mark_->setFont(f);
  mark_->setStyleSheet("color: " + theme().attention.name());
  // Where there is no room for both the menus stay.
  mark_->setMinimumWidth(1);
  mark_->setContentsMargins(14, 0, 12, 0);
  menus_ = new QMenuBar(left);
  menus_->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
  left_row->setSpacing(0);
  left_row->addWidget(mark_);
  left_row->addWidget(menus_, 0, Qt::AlignVCenter);
  left_row->addStretch();

  auto* middle = new QWidget(top);
  auto* middle_row = new QHBoxLayout(middle);
  middle_row->setContentsMargins(0, 0, 0, 0);
  const QString names[] = {tr("Bench"), tr("Scene"), tr("Batch")};
  const QString tips[] = {tr("One clip through its chain (Ctrl+1)"),
                          tr("Clips against picture (Ctrl+2)"),
                          tr("Many clips into files (Ctrl+3)")};
  for (int i = 0; i < 3; ++i) {
    auto* b = new QToolButton(middle);
    b->setObjectName("place");
    b->setText(names[i]);
    b->setToolTip(tips[i]);
    b->setCheckable(true);
    connect(b, &QToolButton::clicked, this, [this, i] { show_place(static_cast<Place>(i)); });
    middle_row->addWidget(b);
    places_.push_back(b);
  }
  auto* right = new QWidget(top);
  auto* right_row = new QHBoxLayout(right);
  right_row->setContentsMargins(0, 0, 0, 0);
  message_ = new QLabel(right);
  message_->setMinimumWidth(10);
  message_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  message_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  reel_name_ = new QLabel(right);
  reel_name_->setFont(bold_font());
  saved_ = new QLabel(right);
  saved_->setObjectName("quiet");
  // In a narrow window they are cut off, they do not widen it.
  reel_name_->setMinimumWidth(40);
  saved_->setMinimumWidth(20);
  more_ = new QToolButton(right);
  more_->setObjectName("more");
  more_->setText(tr("More"));
  more_->setToolTip(tr("What to do about it, and what else went wrong in this session"));
  more_->hide();
  connect(more_, &QToolButton::clicked, this, &MainWindow::show_trouble);
  right_row->addWidget(message_, 1);
  right_row->addWidget(more_);
  right_row->addSpacing(12);
  right_row->addWidget(reel_name_);
  right_row->addSpacing(4);
  right_row->addWidget(saved_);
  row->addWidget(left);
  row->addSpacing(6);
  row->addWidget(middle);
  row->addWidget(right, 1);
  return top;
}

void MainWindow::show_place(Place place) {
  place_ = place;
  // Before there is anything to work on, the Bench is the place to begin.
  const bool nothing = work_.document.file().empty() && work_.document.reel().clips.empty();
  stack_->setCurrentWidget(place == Place::batch   ? static_cast<QWidget*>(batch_)
                           : place == Place::scene ? static_cast<QWidget*>(scene_)
                           : nothing               ? static_cast<QWidget*>(start_)
                                                   : bench_);
  for (size_t i = 0; i < places_.size(); ++i)
    places_[i]->setChecked(static_cast<Place>(i) == place);
}

void MainWindow::resizeEvent(QResizeEvent* e) {
  mark_->setVisible(width() >= mark_from);
  QMainWindow::resizeEvent(e);
}

void MainWindow::use_theme(const QString& name) {
  QSettings().setValue("theme", name);
  apply_theme(*qApp, name);
  mark_->setStyleSheet("color: " + theme().attention.name());
}

// What a recent reel is known by.
void MainWindow::keep_picture() {
  if (!work_.document.file().empty() && work_.selection.clip() && bench_->scope().width() > 100)
    keep_recent_picture(QString::fromStdString(work_.document.file().string()),
                        bench_->scope().grab());
}

void MainWindow::refresh() {
  const auto file = QString::fromStdString(work_.document.file().string());
  if (!file.isEmpty() && file != noted_file_) note_recent_reel(file);
  noted_file_ = file;
  show_place(place_);
  const History& h = work_.document.history();
  reel_name_->setText(QString::fromStdString(work_.document.reel().name));
  saved_->setText(work_.document.file().empty()
                      ? (work_.document.reel().clips.empty() ? QString() : tr("not saved"))
                  : h.changed() ? tr("changed")
                                : tr("saved"));
  setWindowTitle(QString("%1 - Drevan").arg(QString::fromStdString(work_.document.reel().name)));
  undo_->setEnabled(h.can_undo());
  undo_->setText(h.can_undo() ? tr("Undo %1").arg(QString::fromStdString(h.undo_label()))
                              : tr("Undo"));
  redo_->setEnabled(h.can_redo());
  redo_->setText(h.can_redo() ? tr("Redo %1").arg(QString::fromStdString(h.redo_label()))
                              : tr("Redo"));
}

void MainWindow::tell(const QString& text, bool failure, const Problem& why) {
  constexpr qsizetype most_kept = 50;
  const Problem what = why.empty() ? Problem{text.toStdString(), Cause::request, {}} : why;
  if (failure) troubles_ << Trouble{QDateTime::currentDateTime(), what};
  if (troubles_.size() > most_kept) troubles_.removeFirst();
  more_->setVisible(failure);
  message_->setStyleSheet("color: " + (failure ? theme().attention : theme().quiet).name());
  message_->setText(
      message_->fontMetrics().elidedText(text, Qt::ElideRight, std::max(60, message_->width())));
  message_->setToolTip(text);
  message_timer_->start(failure ? 30000 : 6000);
  // What went wrong must not be missed because it is long.
  if (failure && message_->text() != text && isVisible()) {
    auto* box = new QMessageBox(QMessageBox::Warning, "Drevan", text, QMessageBox::Ok, this);
    box->setInformativeText(remedy_for(what.cause).what_to_do);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->open();
  }
}

void MainWindow::show_trouble() {
  if (troubles_.isEmpty()) return tell(tr("Nothing went wrong so far."), false);
  auto* sheet = new TroubleSheet(troubles_, this);
  sheet->setAttribute(Qt::WA_DeleteOnClose);
  connect(sheet, &TroubleSheet::chapter_wanted, this, [this](const QString& heading) {
    help().show();
    help().raise();
    help().show_chapter(heading);
  });
  sheet->show();
}

// It goes on while one works on the Bench.
void MainWindow::show_batch_progress(double share) {
  places_.back()->setText(tr("Batch %1 %").arg(share * 100, 0, 'f', 0));
}

void MainWindow::tell_batch_done(const QString& how) {
  places_.back()->setText(tr("Batch"));
  if (isActiveWindow() && place_ == Place::batch) return;
  work_.notices.tell(tr("The batch has ended: %1").arg(how));
  QApplication::alert(this);
  if (!isActiveWindow()) show_desktop_notice(tr("The batch has ended"), how);
}

Foot& MainWindow::foot() { return place_ == Place::scene ? scene_->foot() : bench_->foot(); }

// What the page in sight plays.
void MainWindow::play_or_pause() {
  // What is recorded to would go on without it.
  if (work_.recording.recording()) return work_.recording.stop();
  place_ == Place::batch ? batch_->play_row() : foot().toggle_play();
}

void MainWindow::show_render() {
  const auto file = batch_->file_of(work_.selection.clip_id());
  if (file.empty())
    return tell(tr("This clip was not rendered in this session; Ctrl+Return renders the batch."),
                true);
  show_folder(work_.notices, file);
}

void MainWindow::open_files(const QStringList& files) {
  QStringList sounds, films;
  for (const auto& given : files) {
    const QString f = QFileInfo(given).absoluteFilePath();
    if (f.endsWith(".reel")) {
      if (may_leave()) work_.document.open(f.toStdString());
    } else if (f.endsWith(".recipe")) {
      use_recipe_file(work_, f.toStdString());
    } else if (place_ == Place::scene && is_film_file(f)) {
      films << f;
    } else {
      sounds << f;
    }
  }
  if (!films.isEmpty()) work_.films.add(films, work_.films.end_s());
  if (!sounds.isEmpty()) work_.jobs.add_files(sounds);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const auto& url : e->mimeData()->urls())
    if (url.isLocalFile()) files << url.toLocalFile();
  e->acceptProposedAction();
  open_files(files);
}

void MainWindow::closeEvent(QCloseEvent* e) {
  // What was recorded becomes clips first.
  record_strip_->open(false);
  while (work_.recording.busy()) QApplication::processEvents(QEventLoop::AllEvents, 20);
  if (batch_->rendering() &&
      QMessageBox::question(
          this, tr("End the batch?"),
          tr("Clips are being rendered. Files that are done stay; the others are not written."),
          QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Cancel) != QMessageBox::Discard)
    return e->ignore();
  if (!may_leave()) return e->ignore();
  keep_picture();
  QSettings settings;
  settings.setValue("window/geometry", saveGeometry());
  for (auto* splitter : findChildren<QSplitter*>())
    if (!splitter->objectName().isEmpty())
      settings.setValue("window/" + splitter->objectName(), splitter->saveState());
  work_.listening.player().pause();
  work_.document.leave();
  e->accept();
}

}  // namespace drevan::desktop
