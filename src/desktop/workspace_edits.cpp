// What changes the reel: every edit is one undo step.
#include "audio/error.h"
#include "widgets/words.h"
#include "workspace.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

void Workspace::edit(Reel next, const QString& label, const QString& merge) {
  history_.edit(std::move(next), label.toStdString(), merge.toStdString());
  keep_selection();
  Q_EMIT reel_changed();
  after_edit();
}

void Workspace::undo() {
  const auto label = QString::fromStdString(history_.undo_label());
  history_.undo();
  keep_selection();
  Q_EMIT reel_changed();
  Q_EMIT clip_changed();
  Q_EMIT message(tr("Undone: %1").arg(label), false);
  after_edit();
}

void Workspace::redo() {
  const auto label = QString::fromStdString(history_.redo_label());
  history_.redo();
  keep_selection();
  Q_EMIT reel_changed();
  Q_EMIT clip_changed();
  Q_EMIT message(tr("Done again: %1").arg(label), false);
  after_edit();
}

Reel Workspace::changed(const std::function<void(Reel&, Clip&)>& change) const {
  Reel next = reel();
  if (Clip* clip = next.find(clip_id_)) change(next, *clip);
  return next;
}

void Workspace::add_step(ChainOwner owner, int index, const StepType& type) {
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
  const ChainStep* s = step(from);
  if (!s || from == to) return;
  const ChainStep moved = *s;
  // `to` counts places as they are before the step is taken out.
  if (from.owner == to.owner && to.index > from.index) --to.index;
  if (from == to) return;
  Reel next = changed([&](Reel& r, Clip& c) {
    auto& out = chain_of(r, c, from.owner).steps;
    out.erase(out.begin() + from.index);
    auto& in = chain_of(r, c, to.owner).steps;
    to.index = std::clamp(to.index, 0, static_cast<int>(in.size()));
    in.insert(in.begin() + to.index, moved);
  });
  selected_ = to;
  edit(std::move(next), tr("Move %1").arg(step_label(*moved.type)));
  Q_EMIT step_changed();
}

void Workspace::switch_step(StepPlace place, bool on) {
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
  if (!step(place)) return;
  edit(changed([&](Reel& r, Clip& c) {
         chain_of(r, c, place.owner).steps[static_cast<size_t>(place.index)].settings = settings;
       }),
       label, merge);
}

void Workspace::set_room_tone(std::optional<SecondsRange> range) {
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

void Workspace::copy_chain_to(const std::vector<int>& ids) {
  Reel next = reel();
  copy_chain(next, clip_id_, ids);
  edit(std::move(next), tr("Copy chain to %1").arg(counted(std::ssize(ids), tr("clip"))));
  Q_EMIT message(tr("Chain copied to %1").arg(counted(std::ssize(ids), tr("clip"))), false);
}

void Workspace::set_chain(const Chain& chain, const QString& label) {
  edit(changed([&](Reel&, Clip& c) { c.chain = chain; }), label);
  Q_EMIT step_changed();
}

void Workspace::apply_recipe(const fs::path& file) {
  try {
    const Recipe recipe = load_recipe(file);
    selected_.reset();
    edit(changed([&](Reel&, Clip& c) { c.chain = recipe.chain; }),
         tr("Use recipe %1").arg(QString::fromStdString(recipe.name)));
    Q_EMIT step_changed();
  } catch (const Error& e) {
    tell(e);
  }
}

void Workspace::save_recipe(const fs::path& file) {
  const Clip* c = clip();
  if (!c) return;
  try {
    drevan::save_recipe({file.stem().string(), "", c->chain}, file);
    Q_EMIT message(tr("Saved %1").arg(QString::fromStdString(file.filename().string())), false);
  } catch (const Error& e) {
    tell(e);
  }
}

void Workspace::remove_clips(const std::vector<int>& ids) {
  Reel next = reel();
  drevan::remove_clips(next, ids);
  edit(std::move(next), tr("Remove %1").arg(counted(std::ssize(ids), tr("clip"))));
  Q_EMIT clip_changed();
}

void Workspace::rename_clip(int id, const QString& name) {
  Reel next = reel();
  Clip* c = next.find(id);
  if (!c || name.trimmed().isEmpty()) return;
  c->name = name.trimmed().toStdString();
  edit(std::move(next), tr("Rename clip"));
}

}  // namespace drevan::desktop
