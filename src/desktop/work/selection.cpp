// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/selection.h"

#include "work/document.h"

namespace drevan::desktop {

Selection::Selection(Document& document, QObject* parent) : QObject(parent), document_(document) {
  connect(&document_, &Document::opened, this, [this] {
    clip_ = 0;
    step_ = 0;
    fresh_reel_ = true;
  });
  connect(&document_, &Document::step_wanted, this, [this](StepId step) { step_ = step; });
  connect(&document_, &Document::preview_begins, this, [this] { step_before_preview_ = step_; });
  connect(&document_, &Document::preview_ends, this, [this] { step_ = step_before_preview_; });
  connect(&document_, &Document::reel_changed, this, &Selection::follow);
}

const Clip* Selection::clip() const { return document_.reel().find(clip_); }

double Selection::clip_seconds() const {
  return clip() ? drevan::clip_seconds(document_.reel(), *clip()) : 0;
}

const ChainStep* Selection::step(StepId id) const {
  return clip() ? find_step(document_.reel(), *clip(), id) : nullptr;
}

int Selection::running_index(StepId id) const {
  if (!clip()) return -1;
  const auto running = running_steps(document_.reel(), *clip());
  for (size_t i = 0; i < running.size(); ++i)
    if (running[i].step->id == id) return static_cast<int>(i);
  return -1;
}

// The first step, where the one that was looked at is gone.
void Selection::keep_step() {
  if (step(step_)) return;
  step_ = 0;
  if (!clip()) return;
  for (const auto owner : owners_of(*clip())) {
    if (step_ != 0) return;
    const auto& steps = chain_of(document_.reel(), *clip(), owner).steps;
    if (!steps.empty()) step_ = steps.front().id;
  }
}

void Selection::follow() {
  if (!clip()) clip_ = document_.reel().clips.empty() ? 0 : document_.reel().clips.front().id;
  keep_step();
  const Clip* now = clip();
  const auto range = [](const Clip& c) {
    return std::tuple(c.id, c.source, c.begin, c.frames, c.version);
  };
  const bool same = !fresh_reel_ && (now != nullptr) == shown_.has_value() &&
                    (!now || range(*now) == range(*shown_));
  fresh_reel_ = false;
  shown_ = now ? std::optional(*now) : std::nullopt;
  if (!same) Q_EMIT clip_changed();
  if (!same || step_ != told_step_) tell_step();
}

void Selection::tell_step() {
  told_step_ = step_;
  Q_EMIT step_changed();
}

void Selection::select_clip(ClipId id) {
  if (id == clip_ || !document_.reel().find(id)) return;
  clip_ = id;
  step_ = 0;
  keep_step();
  shown_ = *clip();
  Q_EMIT clip_changed();
  tell_step();
}

void Selection::select_step(StepId id) {
  if (id == step_) return;
  step_ = id;
  tell_step();
}

}  // namespace drevan::desktop
