#include "pages/bench/step_words.h"

#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "reel/edits.h"
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
    const int index = static_cast<int>(i);
    if (t.is_file()) {
      words.file = new QToolButton(this);
      words.file->setPopupMode(QToolButton::InstantPopup);
      auto* menu = new QMenu(words.file);
      connect(menu->addAction(tr("Nothing")), &QAction::triggered, this,
              [this, index] { set_text(index, {}); });
      connect(menu->addAction(tr("A file...")), &QAction::triggered, this, [this, index] {
        const auto& of = work_.selection.step(step_)->type->texts[static_cast<size_t>(index)];
        if (const auto file = chosen_file(text(of.files)); !file.isEmpty()) set_text(index, file);
      });
      words.file->setMenu(menu);
      add(t.label, t.help, t.id, words.file);
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

void StepWords::refresh() {
  const ChainStep* s = work_.selection.step(step_);
  if (!s) return;
  for (size_t i = 0; i < words_.size() && i < s->settings.texts.size(); ++i) {
    const QString now = text(s->settings.texts[i]);
    if (words_[i].line && !words_[i].line->hasFocus()) words_[i].line->setText(now);
    if (words_[i].file) words_[i].file->setText(now.isEmpty() ? tr("none") : now.section('/', -1));
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
