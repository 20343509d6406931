// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/step_words.h"

#include <QCollator>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include <algorithm>

#include "dialogs/sweep_sheet.h"
#include "reel/edits/edits.h"
#include "reel/sides.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

StepWords::StepWords(const Work& work, StepId step, QWidget* parent)
    : QWidget(parent), work_(work), step_(step) {
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(0, 4, 0, 0);
  grid->setHorizontalSpacing(10);
  grid->setColumnStretch(1, 1);
  const StepType& type = *work_.selection.step(step_)->type;
  int row = 0;
  const auto add = [&](std::string_view label, std::string_view help, std::string_view id,
                       QWidget* field) {
    auto* name = new QLabel(text(label), this);
    name->setBuddy(field);
    field->setToolTip(text(help));
    field->setAccessibleName(text(label));
    field->setObjectName(text(id));
    grid->addWidget(name, row, 0);
    grid->addWidget(field, row++, 1);
  };
  for (size_t i = 0; i < type.texts.size(); ++i) {
    const TextParameter& t = type.texts[i];
    Words& words = words_.emplace_back();
    lead_ = lead_ || t.is_response;
    const int index = static_cast<int>(i);
    if (t.is_file()) {
      add(t.label, t.help, t.id, file_field(index));
    } else {
      words.line = new QLineEdit(this);
      connect(words.line, &QLineEdit::editingFinished, this,
              [this, index] { set_text(index, words_[static_cast<size_t>(index)].line->text()); });
      add(t.label, t.help, t.id, words.line);
    }
  }
  for (size_t i = 0; i < type.sides.size(); ++i) {
    auto* button = new QToolButton(this);
    button->setPopupMode(QToolButton::InstantPopup);
    button->setMenu(new QMenu(button));
    const int index = static_cast<int>(i);
    connect(button->menu(), &QMenu::aboutToShow, this, [this, index] { fill_side_menu(index); });
    sides_.push_back(button);
    add(type.sides[i].label, type.sides[i].help, type.sides[i].id, button);
  }
  refresh();
}

QWidget* StepWords::file_field(int index) {
  Words& words = words_[static_cast<size_t>(index)];
  const TextParameter& t = work_.selection.step(step_)->type->texts[static_cast<size_t>(index)];
  auto* field = new QWidget(this);
  auto* row = new QHBoxLayout(field);
  row->setContentsMargins({});
  row->setSpacing(2);
  words.file = new QToolButton(field);
  words.file->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  words.file->setToolTip(text(t.help));
  words.file->setAccessibleName(text(t.label));
  words.file->setPopupMode(QToolButton::InstantPopup);
  auto* menu = new QMenu(words.file);
  const auto entry = [&](const QString& name, auto what) {
    connect(menu->addAction(name), &QAction::triggered, this, [this, what] {
      work_.document.end_merge();  // not one of those that are tried
      what();
    });
  };
  entry(tr("Nothing"), [this, index] { set_text(index, {}); });
  entry(tr("A file..."), [this, index, kinds = text(t.files)] {
    if (const auto file = chosen_file(kinds); !file.isEmpty()) set_text(index, file);
  });
  if (t.is_response)
    entry(tr("Measure one with a sweep..."), [this, index] { measure_response(index); });
  words.file->setMenu(menu);
  const auto arrow = [&](Qt::ArrowType type, int way, const QString& help) {
    auto* button = new QToolButton(field);
    button->setArrowType(type);
    button->setToolTip(help);
    button->setAccessibleName(help);
    button->setObjectName(text(t.id) + (way < 0 ? "_before" : "_next"));
    connect(button, &QToolButton::clicked, this, [this, index, way] { browse(index, way); });
    return button;
  };
  words.before = arrow(Qt::LeftArrow, -1, tr("The file before in this folder"));
  words.next = arrow(Qt::RightArrow, 1, tr("The next file in this folder"));
  row->addWidget(words.file, 1);
  row->addWidget(words.before);
  row->addWidget(words.next);
  field->setFocusProxy(words.file);
  return field;
}

void StepWords::browse(int index, int way) {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  const auto at = static_cast<size_t>(index);
  const QFileInfo now(text(s->settings.texts[at]));
  auto names = now.dir().entryList(text(s->type->texts[at].files).split(' '), QDir::Files);
  QCollator order;
  order.setNumericMode(true);
  std::ranges::sort(names, [&](const QString& a, const QString& b) { return order(a, b); });
  const auto count = names.size();
  auto place = names.indexOf(now.fileName());
  // What cannot be used is passed by.
  for (qsizetype tried = 1; tried < count; ++tried) {
    place = (place + way + count) % count;
    const QString file = now.dir().filePath(names[place]);
    if (fault_of(s->type->texts[at], file.toStdString()).empty()) return set_text(index, file);
  }
  work_.notices.tell(tr("There is no other file of this kind in %1.").arg(now.dir().dirName()));
}

void StepWords::measure_response(int index) {
  SweepSheet sheet(this);
  if (sheet.exec() == QDialog::Accepted) set_text(index, sheet.response());
}

void StepWords::refresh() {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  for (size_t i = 0; i < words_.size() && i < s->settings.texts.size(); ++i) {
    const QString now = text(s->settings.texts[i]);
    if (words_[i].line && !words_[i].line->hasFocus()) words_[i].line->setText(now);
    if (!words_[i].file) continue;
    words_[i].file->setText(now.isEmpty() ? tr("none") : now.section('/', -1));
    for (QToolButton* b : {words_[i].before, words_[i].next}) b->setEnabled(!now.isEmpty());
  }
  for (size_t i = 0; i < sides_.size(); ++i) sides_[i]->setText(side_name(static_cast<int>(i)));
}

QString StepWords::side_name(int index) const {
  const ChainStep* s = work_.selection.step(step_);
  if (static_cast<size_t>(index) >= s->sides.size()) return tr("choose a sound");
  const SideChoice& choice = s->sides[static_cast<size_t>(index)];
  if (choice.from == SideChoice::From::file) return text(choice.file.filename().string());
  if (choice.from == SideChoice::From::nothing) return tr("choose a sound");
  const Clip* clip = side_clip(work_.document.reel(), choice);
  return clip ? text(clip->name) : tr("%1 (not in the reel)").arg(text(choice.name));
}

void StepWords::fill_side_menu(int index) {
  QMenu* menu = sides_[static_cast<size_t>(index)]->menu();
  menu->clear();
  connect(menu->addAction(tr("Nothing")), &QAction::triggered, this,
          [this, index] { set_side(index, {}); });
  connect(menu->addAction(tr("A file...")), &QAction::triggered, this, [this, index] {
    const auto file = chosen_file("*.wav *.flac *.mp3 *.ogg *.m4a *.aif *.aiff");
    if (file.isEmpty()) return;
    SideChoice choice;
    choice.from = SideChoice::From::file;
    choice.file = file.toStdString();
    set_side(index, choice);
  });
  menu->addSeparator();
  for (const Clip& clip : work_.document.reel().clips) {
    if (clip.id == work_.selection.clip_id()) continue;
    SideChoice choice;
    choice.from = SideChoice::From::clip;
    choice.clip = clip.id;
    choice.name = clip.name;
    connect(menu->addAction(text(clip.name)), &QAction::triggered, this,
            [this, index, choice] { set_side(index, choice); });
  }
}

QString StepWords::chosen_file(const QString& kinds) {
  return QFileDialog::getOpenFileName(this, tr("Choose a file"), QString(),
                                      tr("Files (%1)").arg(kinds));
}

// What is wrong with words is said, and they stay as they were.
void StepWords::set_text(int index, const QString& typed) {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  const TextParameter& t = s->type->texts[static_cast<size_t>(index)];
  const std::string words = typed.trimmed().toStdString();
  if (words == s->settings.texts[static_cast<size_t>(index)]) return;
  if (const auto fault = fault_of(t, words); !fault.empty()) {
    work_.notices.warn(tr("%1 %2.").arg(t.is_file() ? typed : text(t.label), text(fault)));
    if (QLineEdit* line = words_[static_cast<size_t>(index)].line)
      line->setText(text(s->settings.texts[static_cast<size_t>(index)]));
    return;
  }
  work_.document.change([&](const Reel& reel) {
    return edits::set_text(reel, work_.selection.clip_id(), step_, index, words);
  });
}

void StepWords::set_side(int index, SideChoice choice) {
  work_.document.change([&](const Reel& reel) {
    return edits::set_side(reel, work_.selection.clip_id(), step_, index, choice);
  });
}

}  // namespace drevan::desktop
