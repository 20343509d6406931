// What changes the reel: every edit is one undo step.
#include <QTimer>

#include "audio/error.h"
#include "batch/batch.h"
#include "batch/meet.h"
#include "widgets/words.h"
#include "workspace.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

// What a preview shows is not the reel: an edit ends it first. A step that was asked for was one of the
// preview's, perhaps; then nothing is done, and the line says so.
bool Workspace::end_preview_for(std::optional<StepPlace> place) {
  if (!preview_) return true;
  const bool same = !place || (step(*place) && [&] {
    const ChainStep shown = *step(*place);
    const auto& steps = chain_of(history_.now(), *history_.now().find(clip_id_), place->owner).steps;
    return place->index < static_cast<int>(steps.size()) && steps[static_cast<size_t>(place->index)] == shown;
  }());
  end_preview();
  if (!same) Q_EMIT message(tr("That step was only a recipe's preview, which has ended; nothing was changed."), false);
  return same;
}

void Workspace::edit(Reel next, const QString& label, const QString& merge) {
  preview_.reset();
  history_.edit(std::move(next), label.toStdString(), merge.toStdString());
  keep_journal(label);
  keep_selection();
  Q_EMIT reel_changed();
  after_edit();
}

// Every state goes to the disk, undone or not; what goes wrong there is told a moment later.
void Workspace::keep_journal(const QString& label) {
  if (!journal_ && file_.empty()) begin_unsaved();
  if (!journal_) return;
  journal_->tell(history_.shared(), label.toStdString());
  QTimer::singleShot(400, this, [this] {
    const auto problem = journal_ ? journal_->take_problem() : std::string();
    if (!problem.empty()) Q_EMIT message(QString::fromStdString(problem), true);
  });
}

void Workspace::show_state() {
  preview_.reset();
  keep_selection();
  Q_EMIT reel_changed();
  Q_EMIT clip_changed();
  after_edit();
}

void Workspace::undo() {
  end_preview();
  const auto label = QString::fromStdString(history_.undo_label());
  history_.undo();
  keep_journal(tr("Undo: %1").arg(label));
  show_state();
  Q_EMIT message(tr("Undone: %1").arg(label), false);
}

void Workspace::redo() {
  end_preview();
  const auto label = QString::fromStdString(history_.redo_label());
  history_.redo();
  keep_journal(label);
  show_state();
  Q_EMIT message(tr("Done again: %1").arg(label), false);
}

void Workspace::go_to(int state) {
  end_preview();
  history_.go_to(static_cast<size_t>(state));
  keep_journal(tr("Go back in the list"));
  show_state();
}

Reel Workspace::changed(const std::function<void(Reel&, Clip&)>& change) const {
  Reel next = history_.now();
  if (Clip* clip = next.find(clip_id_)) change(next, *clip);
  return next;
}

void Workspace::add_step(ChainOwner owner, int index, const StepType& type) {
  end_preview();
  if (!clip()) return;
  Reel next = changed([&](Reel& r, Clip& c) {
    auto& steps = chain_of(r, c, owner).steps;
    steps.insert(steps.begin() + std::clamp(index, 0, static_cast<int>(steps.size())),
                 make_step(type.id));
  });
  selected_ = StepPlace{owner, index};
  edit(std::move(next), tr("Add %1").arg(step_label(type)));
  Q_EMIT step_changed();
}

void Workspace::remove_step(StepPlace place) {
  if (!end_preview_for(place)) return;
  const ChainStep* s = step(place);
  if (!s) return;
  const auto label = tr("Remove %1").arg(step_label(*s->type));
  edit(changed([&](Reel& r, Clip& c) {
         auto& steps = chain_of(r, c, place.owner).steps;
         steps.erase(steps.begin() + place.index);
       }),
       label);
}

void Workspace::move_step(StepPlace from, StepPlace to) {
  if (!end_preview_for(from)) return;
  const ChainStep* s = step(from);
  if (!s || from == to) return;
  const ChainStep taken = *s;
  // `to` counts places as they are before the step is taken out.
  if (from.owner == to.owner && to.index > from.index) --to.index;
  if (from == to) return;
  Reel next = changed([&](Reel& r, Clip& c) {
    auto& out = chain_of(r, c, from.owner).steps;
    out.erase(out.begin() + from.index);
    ChainStep moved = taken;
    // Who sits out of a step of the group's has no meaning in another chain.
    if (from.owner != to.owner) moved.sits_out.clear();
    auto& in = chain_of(r, c, to.owner).steps;
    to.index = std::clamp(to.index, 0, static_cast<int>(in.size()));
    in.insert(in.begin() + to.index, moved);
  });
  selected_ = to;
  QString label = tr("Move %1").arg(step_label(*taken.type));
  if (from.owner != to.owner)
    label = to.owner == ChainOwner::clip    ? tr("%1 for this clip alone").arg(text(taken.type->label))
            : to.owner == ChainOwner::group ? tr("%1 for the whole group").arg(text(taken.type->label))
                                            : tr("%1 for the whole reel").arg(text(taken.type->label));
  edit(std::move(next), label);
  Q_EMIT step_changed();
}

void Workspace::switch_step(StepPlace place, bool on) {
  if (!end_preview_for(place)) return;
  const ChainStep* s = step(place);
  if (!s || s->on == on) return;
  const auto label = (on ? tr("Switch on %1") : tr("Switch off %1")).arg(step_label(*s->type));
  edit(changed([&](Reel& r, Clip& c) {
         chain_of(r, c, place.owner).steps[static_cast<size_t>(place.index)].on = on;
       }),
       label);
}

void Workspace::set_settings(StepPlace place, const Settings& settings, const QString& label,
                             const QString& merge) {
  if (!end_preview_for(place) || !step(place)) return;
  edit(changed([&](Reel& r, Clip& c) {
         chain_of(r, c, place.owner).steps[static_cast<size_t>(place.index)].settings = settings;
       }),
       label, merge);
}

void Workspace::set_room_tone(std::optional<SecondsRange> range) {
  end_preview();
  const Clip* c = clip();
  if (!c) return;
  if (range) {
    range->begin = std::max(0.0, range->begin);
    range->end = std::min(clip_seconds(), range->end);
    try {
      require_room_tone(*range, clip_seconds(), c->name);
    } catch (const Error& e) {
      tell(e);
      return;
    }
  }
  edit(changed([&](Reel&, Clip& clip) { clip.room_tone = range; }),
       range ? tr("Mark room tone") : tr("Clear room tone"));
}

void Workspace::find_room_tone() {
  const Clip* c = clip();
  if (!c || missing(*c)) return;
  Q_EMIT message(tr("Looking for room tone ..."), false);
  const auto sound = clip_sound(reel(), *c);
  const int id = c->id;
  finder_.start([this, sound, id](const CancelToken& cancel) -> Worker::Finish {
    std::optional<SecondsRange> found;
    QString problem;
    try {
      found = drevan::find_room_tone(sound, cancel);
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    return [this, found, problem, id] {
      if (!problem.isEmpty()) {
        Q_EMIT message(problem, true);
      } else if (!found) {
        Q_EMIT message(tr("No half second without speech was found; mark room tone by hand."), true);
      } else if (id == clip_id_) {
        set_room_tone(found);
        Q_EMIT message(tr("Room tone found at %1 to %2 s")
                           .arg(found->begin, 0, 'f', 2)
                           .arg(found->end, 0, 'f', 2),
                       false);
      }
    };
  });
}

bool Workspace::shares_room_tone() const {
  const Clip* c = clip();
  return c && reel().groups[static_cast<size_t>(c->group)].room_tone_clip == c->id;
}

void Workspace::share_room_tone(bool share) {
  end_preview();
  const Clip* c = clip();
  if (!c || share == shares_room_tone()) return;
  if (share && !c->room_tone) {
    Q_EMIT message(tr("%1 has no room tone to share; mark it first.").arg(QString::fromStdString(c->name)), true);
    return;
  }
  edit(changed([&](Reel& r, Clip& clip) { r.groups[static_cast<size_t>(clip.group)].room_tone_clip = share ? clip.id : 0; }),
       share ? tr("Share room tone") : tr("Share no room tone"));
}

void Workspace::set_target(const QString& name_or_file) {
  end_preview();
  Reel next = history_.now();
  next.target = name_or_file.toStdString();
  if (next.target == reel().target) return;
  try {
    if (!next.target.empty()) find_target(next.target);
  } catch (const Error& e) {
    return tell(e);
  }
  edit(std::move(next), name_or_file.isEmpty() ? tr("No target") : tr("Set target"));
}

void Workspace::meet_target() {
  end_preview();
  const Clip* c = clip();
  if (!c || missing(*c)) return;
  if (!target_) {
    Q_EMIT message(tr("The reel has no target yet; choose one above the level path."), true);
    return;
  }
  const auto sound = clip_sound(reel(), *c);
  const Chain own = c->chain, later = [&] {
    Clip bare = *c;
    bare.chain = {};
    return full_chain(reel(), bare);
  }();
  const int id = c->id;
  Q_EMIT message(tr("Trying what meets the target ..."), false);
  meeter_.start([this, sound, own, later, id, target = *target_](const CancelToken& cancel) -> Worker::Finish {
    LevelPathOptions options;
    options.store = &findings_;
    options.levels = &level_store_;
    options.cache = &stages_;
    options.cancel = &cancel;
    Meeting met;
    try {
      met = drevan::meet_target(sound, own, later, target, options);
    } catch (const Error& e) {
      met.told = e.what();
    }
    return [this, met, own, id] {
      // What was changed meanwhile stays.
      if (clip_id_ == id && met.changed && clip()->chain == own) set_chain(met.chain, tr("Meet the target"));
      Q_EMIT message(QString::fromStdString(met.told), !met.meets);
    };
  });
}

void Workspace::copy_chain_to(const std::vector<int>& ids) {
  end_preview();
  Reel next = history_.now();
  copy_chain(next, clip_id_, ids);
  edit(std::move(next), tr("Copy chain to %1").arg(counted(std::ssize(ids), tr("clip"))));
  Q_EMIT message(tr("Chain copied to %1").arg(counted(std::ssize(ids), tr("clip"))), false);
}

void Workspace::set_chain(const Chain& chain, const QString& label) {
  end_preview();
  edit(changed([&](Reel&, Clip& c) { c.chain = chain; }), label);
  Q_EMIT step_changed();
}

Reel Workspace::with_chain(ChainOwner owner, const Chain& chain, bool append) const {
  return changed([&](Reel& r, Clip& c) {
    Chain& to = chain_of(r, c, owner);
    if (!append) to = {};
    to.steps.insert(to.steps.end(), chain.steps.begin(), chain.steps.end());
  });
}

void Workspace::use_recipe(ChainOwner owner, const Recipe& recipe, bool append) {
  end_preview();
  if (!clip()) return;
  selected_.reset();
  edit(with_chain(owner, recipe.chain, append), tr("Use recipe %1").arg(QString::fromStdString(recipe.name)));
  Q_EMIT step_changed();
}

void Workspace::preview(ChainOwner owner, const Chain& chain, bool append) {
  if (!clip()) return;
  auto next = std::make_shared<const Reel>(with_chain(owner, chain, append));
  if (*next == reel()) return;
  if (!preview_) before_preview_ = selected_;
  preview_ = std::move(next);
  show_preview();
}

void Workspace::end_preview() {
  if (!preview_) return;
  preview_.reset();
  selected_ = before_preview_;
  show_preview();
}

void Workspace::show_preview() {
  keep_selection();
  Q_EMIT step_changed();
  Q_EMIT levels_changed();
  load_player();
  measure();
}

void Workspace::apply_recipe(const fs::path& file) {
  try {
    use_recipe(ChainOwner::clip, load_recipe(file), false);
  } catch (const Error& e) {
    tell(e);
  }
}

void Workspace::save_recipe(const fs::path& file) {
  end_preview();
  const Clip* c = clip();
  if (!c) return;
  if (is_source(file, source_files(reel()))) {
    Q_EMIT message(tr("%1 is a recording of this reel; choose another name.").arg(QString::fromStdString(file.string())), true);
    return;
  }
  try {
    drevan::save_recipe({file.stem().string(), "", c->chain, {}}, file);
    Q_EMIT message(tr("Saved %1").arg(QString::fromStdString(file.filename().string())), false);
  } catch (const Error& e) {
    tell(e);
  }
}

void Workspace::remove_clips(const std::vector<int>& ids) {
  end_preview();
  Reel next = history_.now();
  drevan::remove_clips(next, ids);
  edit(std::move(next), tr("Remove %1").arg(counted(std::ssize(ids), tr("clip"))));
  Q_EMIT clip_changed();
}

void Workspace::rename_clip(int id, const QString& name) {
  end_preview();
  Reel next = history_.now();
  Clip* c = next.find(id);
  if (!c || name.trimmed().isEmpty()) return;
  c->name = name.trimmed().toStdString();
  edit(std::move(next), tr("Rename clip"));
}

}  // namespace drevan::desktop
