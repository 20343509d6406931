// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/who_sheet.h"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>
#include <QToolTip>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <atomic>

#include "audio/error.h"
#include "audio/parallel.h"
#include "engine/planning/voices.h"
#include "reel/edits/groups.h"
#include "theme/theme.h"
#include "widgets/group_mark.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double sure = 0.5;  // below it a proposal is called unsure

// Speakers are told apart by shape; beyond the seventh shapes come again.
GroupMark mark_of(int speaker) {
  return speaker < 0 ? GroupMark::none : static_cast<GroupMark>(1 + speaker % 7);
}

}  // namespace

VoicePlane::VoicePlane(QWidget* parent) : QWidget(parent) {
  setObjectName("voices");
  setAccessibleName(tr("Voices on a plane"));
  setToolTip(
      tr("Clips whose voices are alike lie together; each shape is a speaker, faint where "
         "it is not sure. A click chooses a clip."));
}

void VoicePlane::show_guess(const SpeakerGuess& guess, const QStringList& names) {
  guess_ = guess;
  names_ = names;
  update();
}

void VoicePlane::show_current(int clip) {
  current_ = clip;
  update();
}

QPointF VoicePlane::at(size_t i) const {
  const QRectF r = QRectF(rect()).adjusted(20, 20, -20, -20);
  return {r.center().x() + guess_.place[i][0] * r.width() / 2,
          r.center().y() - guess_.place[i][1] * r.height() / 2};
}

int VoicePlane::clip_near(QPointF point) const {
  int best = -1;
  double least = 12;
  for (size_t i = 0; i < guess_.speaker.size(); ++i) {
    const double d = QLineF(point, at(i)).length();
    if (guess_.speaker[i] < 0 || d >= least) continue;
    least = d;
    best = static_cast<int>(i);
  }
  return best;
}

void VoicePlane::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setPen(Qt::NoPen);
  p.setBrush(t.panel);
  p.drawRoundedRect(QRectF(rect()), 6, 6);
  for (size_t i = 0; i < guess_.speaker.size(); ++i) {
    if (guess_.speaker[i] < 0) continue;
    const bool chosen = current_ == static_cast<int>(i);
    const QColor ink = chosen ? t.attention : faded(t.text, 0.25 + 0.75 * guess_.confidence[i]);
    draw_group_mark(p, mark_of(guess_.speaker[i]), at(i), ink);
    if (!chosen) continue;
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(at(i), 10, 10);
  }
}

void VoicePlane::mousePressEvent(QMouseEvent* e) {
  const int clip = clip_near(e->position());
  if (clip >= 0) Q_EMIT clip_chosen(clip);
}

bool VoicePlane::event(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QWidget::event(e);
  const auto* help = static_cast<QHelpEvent*>(e);
  const int clip = clip_near(help->pos());
  QToolTip::showText(help->globalPos(),
                     clip >= 0 && clip < names_.size() ? names_[clip] : toolTip(), this);
  return true;
}

WhoSheet::WhoSheet(const Work& work, std::vector<ClipId> clips, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work), clips_(std::move(clips)) {
  setObjectName("who_sheet");
  setWindowTitle(tr("Who speaks?"));
  setProperty("chapter", tr("From a folder to a finished reel"));
  resize(860, 520);
  told_ = new QLabel(tr("Listening to %1 ...").arg(counted(std::ssize(clips_), tr("clip"))), this);
  told_->setObjectName("quiet");
  told_->setWordWrap(true);
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  plane_ = new VoicePlane(this);
  list_ = new QTreeWidget(this);
  list_->setObjectName("who_list");
  list_->setAccessibleName(tr("Clips and who is likely to speak in them"));
  list_->setToolTip(tr("A click plays the clip"));
  list_->setHeaderLabels({tr("Clip"), tr("Speaker"), tr("How sure")});
  list_->setRootIsDecorated(false);
  list_->setColumnWidth(0, 180);
  count_ = new QSpinBox(this);
  count_->setAccessibleName(tr("How many speak"));
  count_->setToolTip(tr("How many different people speak; 0: find it out"));
  count_->setRange(0, 12);
  count_->setSpecialValueText(tr("found by itself"));
  group_ = new QPushButton(tr("Group so"), this);
  group_->setObjectName("group_so");
  group_->setEnabled(false);
  auto* cancel = new QPushButton(tr("Cancel"), this);
  auto* many = new QHBoxLayout;
  many->addWidget(new QLabel(tr("Speakers"), this));
  many->addWidget(count_);
  many->addStretch();
  names_box_ = new QVBoxLayout;
  auto* left = new QVBoxLayout;
  left->addWidget(plane_, 1);
  left->addLayout(many);
  left->addLayout(names_box_);
  auto* row = new QHBoxLayout;
  row->addLayout(left, 1);
  row->addWidget(list_, 1);
  auto* foot = new QHBoxLayout;
  foot->addWidget(told_, 1);
  foot->addWidget(cancel);
  foot->addWidget(group_);
  auto* all = new QVBoxLayout(this);
  all->addWidget(progress_);
  all->addLayout(row, 1);
  all->addLayout(foot);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(group_, &QPushButton::clicked, this, &WhoSheet::group);
  connect(count_, &QSpinBox::valueChanged, this, &WhoSheet::show_guess);
  connect(plane_, &VoicePlane::clip_chosen, this,
          [this](int i) { list_->setCurrentItem(list_->topLevelItem(i)); });
  connect(list_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
    if (item) plane_->show_current(list_->indexOfTopLevelItem(item));
  });
  connect(list_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item) {
    work_.selection.select_clip(clips_[static_cast<size_t>(list_->indexOfTopLevelItem(item))]);
    work_.listening.seek(ClipTime{0});
    work_.listening.player().play();
  });
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { work_.notices.warn(why); });
  hear();
}

// Each clip once; how many speak is asked of what was heard.
void WhoSheet::hear() {
  std::vector<ClipSound> sounds;
  std::erase_if(clips_, [&](ClipId id) { return !work_.document.reel().find(id); });
  for (const ClipId id : clips_)
    sounds.push_back(clip_sound(work_.document.reel(), *work_.document.reel().find(id)));
  lane_.start([this, sounds](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<VoicePrint> prints(sounds.size());
    std::atomic<size_t> done = 0;
    on_all_cores(sounds.size(), cancel, [&](size_t i) {
      try {
        prints[i] = hear_voice(sounds[i], cancel);
      } catch (const Error&) {
        // A missing file has no voice.
      }
      const double share = static_cast<double>(++done) / static_cast<double>(sounds.size());
      lane_.post(cancel, [this, share] { progress_->setValue(static_cast<int>(share * 1000)); });
    });
    return [this, prints] {
      prints_ = prints;
      progress_->hide();
      show_guess();
    };
  });
}

void WhoSheet::show_guess() {
  if (prints_.empty()) return;
  guess_ = guess_speakers(prints_, count_->value());
  QStringList names;
  for (const ClipId id : clips_) {
    const Clip* clip = work_.document.reel().find(id);
    names << (clip ? QString::fromStdString(clip->name) : QString());
  }
  plane_->show_guess(guess_, names);
  fill_names();
  fill_list();
  const auto unsure = std::ranges::count_if(guess_.confidence, [](double c) { return c < sure; });
  told_->setText(
      guess_.speakers == 0
          ? tr("Nobody speaks long enough in these clips to tell.")
          : tr("It sounds like %1. Of %2 it is not sure: look at the faint ones.")
                .arg(counted(guess_.speakers, tr("speaker")), counted(unsure, tr("clip"))));
  group_->setEnabled(guess_.speakers > 0);
}

void WhoSheet::fill_names() {
  while (std::ssize(names_) > guess_.speakers) {
    delete names_.back()->parentWidget();
    names_.pop_back();
  }
  while (std::ssize(names_) < guess_.speakers) {
    const int speaker = static_cast<int>(names_.size());
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* mark = new QLabel(row);
    mark->setPixmap(group_mark_icon(mark_of(speaker)).pixmap(16, 16));
    auto* name = new QLineEdit(tr("Speaker %1").arg(speaker + 1), row);
    name->setAccessibleName(tr("Name of speaker %1").arg(speaker + 1));
    name->setToolTip(tr("What the group of this speaker is called"));
    connect(name, &QLineEdit::textChanged, this, &WhoSheet::fill_list);
    line->addWidget(mark);
    line->addWidget(name, 1);
    names_box_->addWidget(row);
    names_.push_back(name);
  }
}

void WhoSheet::fill_list() {
  list_->clear();
  for (size_t i = 0; i < clips_.size(); ++i) {
    const Clip* clip = work_.document.reel().find(clips_[i]);
    const int speaker = guess_.speaker[i];
    auto* item = new QTreeWidgetItem(list_);
    item->setText(0, clip ? QString::fromStdString(clip->name) : tr("gone"));
    item->setText(
        1, speaker < 0 ? tr("cannot be told") : names_[static_cast<size_t>(speaker)]->text());
    item->setText(
        2, speaker < 0 ? QString() : tr("%1 %").arg(std::lround(guess_.confidence[i] * 100)));
    if (speaker >= 0) item->setIcon(1, group_mark_icon(mark_of(speaker)));
    if (guess_.confidence[i] < sure)
      for (const int column : {1, 2}) item->setForeground(column, theme().attention);
  }
}

QLineEdit* WhoSheet::name_of(int speaker) const { return names_.at(static_cast<size_t>(speaker)); }

// Clips of which it cannot be told stay where they are.
void WhoSheet::group() {
  std::vector<ClipId> told;
  std::map<ClipId, std::string> name;
  for (size_t i = 0; i < clips_.size(); ++i) {
    if (guess_.speaker[i] < 0 || !work_.document.reel().find(clips_[i])) continue;
    told.push_back(clips_[i]);
    name[clips_[i]] = names_[static_cast<size_t>(guess_.speaker[i])]->text().toStdString();
  }
  if (work_.document.change([&](const Reel& reel) {
        return edits::group_by(reel, told, [&](const Clip& c) { return name.at(c.id); });
      }))
    accept();
}

}  // namespace drevan::desktop
