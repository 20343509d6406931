// SPDX-License-Identifier: GPL-3.0-or-later
// What is done with many clips at once: copy and paste, names, levels.
#include <QApplication>
#include <QClipboard>
#include <QInputDialog>
#include <QMenu>

#include "audio/error.h"
#include "main_window.h"
#include "reel/files/json_file.h"
#include "reel/edits/many.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

// As text, so that it can be sent to a colleague, too.
void to_clipboard(const Recipe& recipe) {
  QApplication::clipboard()->setText(QString::fromStdString(dump_json(to_json(recipe), 1)));
}

}  // namespace

void MainWindow::make_many_entries(QMenu* m) {
  add(m, tr("Copy the step"), QKeySequence::Copy, [this] { copy_step(); });
  add(m, tr("Copy the clip's chain"), QKeySequence("Ctrl+Alt+C"), [this] {
    const Clip* clip = work_.selection.clip();
    if (!clip || clip->chain.steps.empty())
      return tell(tr("This clip has no steps of its own to copy."), true);
    to_clipboard({clip->name, "", for_everyone(clip->chain), {}});
    tell(tr("The chain of %1 is in the clipboard.").arg(QString::fromStdString(clip->name)), false);
  });
  add(m, tr("Paste into the marked clips"), QKeySequence::Paste, [this] { paste_steps(); });
  add(m, tr("Paste the settings alone"), QKeySequence("Ctrl+Shift+V"),
      [this] { paste_settings(); });
  m->addSeparator();
  add(m, tr("This setting for all marked clips"), QKeySequence("Ctrl+Shift+E"),
      [this] { same_settings(); });
  const auto marked = [this](auto&& edit) {
    if (work_.selection.clip())
      work_.document.change([&](const Reel& reel) { return edit(reel, marked_clips()); });
  };
  add(m, tr("Marked clips up by 1 dB"), QKeySequence("Ctrl+Shift++"), [marked] {
    marked([](const Reel& reel, const std::vector<ClipId>& ids) {
      return edits::nudge_gain(reel, ids, 1);
    });
  });
  add(m, tr("Marked clips down by 1 dB"), QKeySequence("Ctrl+Shift+-"), [marked] {
    marked([](const Reel& reel, const std::vector<ClipId>& ids) {
      return edits::nudge_gain(reel, ids, -1);
    });
  });
  add(m, tr("Take all steps off the marked clips"), QKeySequence("Ctrl+Shift+Delete"), [marked] {
    marked([](const Reel& reel, const std::vector<ClipId>& ids) {
      return edits::take_steps_off(reel, ids);
    });
  });
  add(m, tr("Rename the marked clips ..."), QKeySequence("Ctrl+F2"), [this] { rename_marked(); });
}

void MainWindow::copy_step() {
  const ChainStep* step = work_.selection.step();
  if (!step) return tell(tr("Choose a step in the level path first."), true);
  Chain chain;
  chain.steps = {*step};
  // A clip's curves count from its beginning, as a recipe's do; those of group and reel do not.
  const auto place =
      place_of(work_.document.reel(), *work_.selection.clip(), work_.selection.step_id());
  if (place && place->owner != ChainOwner::clip)
    shift_curves(chain.steps[0], -work_.selection.clip()->place.s);
  to_clipboard({std::string(step->type->label), "", for_everyone(chain), {}});
  tell(tr("%1 is in the clipboard.").arg(QString::fromStdString(std::string(step->type->label))),
       false);
}

std::optional<Recipe> MainWindow::pasted() {
  const QString text = QApplication::clipboard()->text();
  if (text.trimmed().isEmpty()) {
    tell(tr("The clipboard is empty; copy a step or a chain first."), true);
    return std::nullopt;
  }
  try {
    return recipe_from_text(text.toStdString(), "the clipboard");
  } catch (const Error& e) {
    tell(tr("What is in the clipboard is no step or chain: %1").arg(QString::fromUtf8(e.what())),
         true);
    return std::nullopt;
  }
}

// Behind the selected step: in the clips' own chains, or in the group's or reel's where it stands.
void MainWindow::paste_steps() {
  const Clip* clip = work_.selection.clip();
  if (!clip) return;
  const auto recipe = pasted();
  if (!recipe) return;
  const auto place = place_of(work_.document.reel(), *clip, work_.selection.step_id());
  const auto marked = marked_clips();
  if (place && place->owner != ChainOwner::clip && marked.size() == 1) {
    work_.document.change([&](const Reel& reel) {
      return edits::paste_steps_into(reel, clip->id, {place->owner, place->index + 1}, *recipe);
    });
    return;
  }
  const bool own = place && place->owner == ChainOwner::clip && marked.size() == 1;
  work_.document.change([&](const Reel& reel) {
    return edits::paste_steps(reel, marked, *recipe, own ? place->index + 1 : -1);
  });
}

void MainWindow::paste_settings() {
  if (!work_.selection.step())
    return tell(tr("Choose the step that gets them in the level path first."), true);
  if (const auto recipe = pasted())
    work_.document.change([&](const Reel& reel) {
      return edits::paste_settings(reel, work_.selection.clip_id(), work_.selection.step_id(),
                                   *recipe);
    });
}

// The settings of the selected step, for every marked clip that has such a step.
void MainWindow::same_settings() {
  const ChainStep* step = work_.selection.step();
  const auto marked = marked_clips();
  if (!step || marked.size() < 2)
    return tell(tr("Choose a step, and mark the clips that get its settings, with Ctrl and a "
                   "click."),
                true);
  const Settings settings = step->settings;
  const StepType& type = *step->type;
  work_.document.change([&](const Reel& reel) {
    edits::Edit all{reel, {}};
    for (int p = 0; p < std::ssize(type.parameters); ++p)
      all = edits::turn_alike(all.next, marked, type, p, settings[static_cast<size_t>(p)]);
    all.label = tr("%1 alike in the marked clips")
                    .arg(QString::fromUtf8(type.label.data(), std::ssize(type.label)))
                    .toStdString();
    all.merge.clear();
    return all;
  });
}

void MainWindow::rename_marked() {
  bool taken = false;
  const auto pattern = QInputDialog::getText(this, tr("Rename the marked clips"),
                                             tr("{name}, {group} and {number} are filled in:"),
                                             QLineEdit::Normal, "{group} {number}", &taken);
  if (!taken) return;
  work_.document.change([&](const Reel& reel) {
    return edits::rename_by_pattern(reel, marked_clips(), pattern.toStdString());
  });
}

}  // namespace drevan::desktop
