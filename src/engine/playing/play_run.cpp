// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/playing/play_run.h"

#include <cmath>

#include "audio/hash.h"

namespace drevan {

namespace {

void to_mono(const AudioBlock& in, std::span<float> out) {
  std::ranges::fill(out, 0.0F);
  const float scale = 1.0F / static_cast<float>(in.channels());
  for (int c = 0; c < in.channels(); ++c) {
    const auto x = in.channel(c);
    for (size_t i = 0; i < x.size(); ++i) out[i] += scale * x[i];
  }
}

// The steps that run live.
size_t first_live(const PlayPlan& plan) { return plan.rewritten ? plan.rewritten_stage : 0; }
std::span<const PlannedStep> steps_run(const PlayPlan& plan) {
  const std::span all(plan.clip.steps);
  return (plan.solo_step < 0 ? all : all.first(static_cast<size_t>(plan.solo_step) + 1))
      .subspan(first_live(plan));
}
std::span<const Findings> findings_run(const PlayPlan& plan) {
  return std::span(plan.findings).subspan(first_live(plan));
}

std::span<const StepSides> sides_run(const PlayPlan& plan) {
  return std::span(plan.sides).subspan(std::min(first_live(plan), plan.sides.size()));
}

std::unique_ptr<SoundReader> open_wet(const PlayPlan& plan) {
  if (plan.rewritten) return reader_of(plan.rewritten);
  return std::make_unique<ClipReader>(plan.clip.sound);
}

StreamFormat format_of(const SoundReader& reader) {
  return {reader.shape().rate, reader.shape().channels, PlayRun::block};
}

}  // namespace

PlayRun::PlayRun(std::shared_ptr<const PlayPlan> plan)
    : plan_(std::move(plan)),
      dry_(plan_->against ? *plan_->against : plan_->clip.sound),
      wet_(open_wet(*plan_)),
      run_(steps_run(*plan_), findings_run(*plan_), format_of(*wet_), sides_run(*plan_)),
      entering_(run_.widest(),
                plan_->solo_step < 0 ? 0 : static_cast<int>(run_.at(run_.size() - 1).latency())),
      wide_(run_.widest(), block),
      aside_(run_.widest(), block),
      dry_block_(dry_.channels(), block) {
  const bool solo = plan_->solo_step >= 0;
  comparable_ =
      solo ? run_.entering_channels(run_.size() - 1) == channels()
           : plan_->from_clip.identity() && (plan_->against || dry_.channels() == channels());
}

void PlayRun::read_wet(const AudioBlock& out) {
  const int n = wet_->read(out.first(run_.channels_in()));
  out.part(n, out.frames() - n).clear();
}

void PlayRun::seek(Samples position) {
  position_ = std::max<Samples>(position, 0);
  dry_at_ = std::clamp<Samples>(
      std::llround(plan_->from_clip.in_of(static_cast<double>(position_) / rate()) * rate()), 0,
      dry_.frames());
  if (plan_->from_clip.identity()) dry_at_ = position_;
  dry_.seek(dry_at_);
  double run_in_s = run_.size() > 0 ? 1 : 0;
  for (const auto& step : steps_run(*plan_)) run_in_s = std::max(run_in_s, step.type->run_in_s);
  const auto before = std::min(position_, static_cast<Samples>(run_in_s * rate()));
  wet_->seek(position_ - before);
  run_.reset(position_ - before);
  entering_.reset();
  for (Samples left = before + run_.latency(); left > 0;) {
    const auto n = static_cast<int>(std::min<Samples>(left, block));
    const auto part = wide_.block(0, n);
    auto aside = aside_.block(0, n);
    read_wet(part);
    run(part, &aside, -1);
    left -= n;
  }
}

// `entering`: takes what enters the step that is looked at, in step with what leaves it.
void PlayRun::run(const AudioBlock& wet, AudioBlock* entering, int focus) {
  const int first = static_cast<int>(first_live(*plan_));
  const int solo = plan_->solo_step < 0 ? -1 : plan_->solo_step - first;
  focus -= first;
  if (solo == 0) entering->spread_from(wet.first(run_.channels_in()));
  if (focus == 0) to_mono(wet.first(run_.channels_in()), focus_in_);
  run_.process(wet, [&](size_t i, const AudioBlock& b) {
    if (solo > 0 && static_cast<int>(i) == solo - 1) entering->spread_from(b);
    if (static_cast<int>(i) == focus - 1) to_mono(b, focus_in_);
    if (static_cast<int>(i) == focus) to_mono(b, focus_out_);
  });
  if (solo >= 0) entering_.process(*entering);
}

void PlayRun::let_before_lead(bool lead) {
  if (lead == before_leads_ || plan_->from_clip.identity()) return;
  before_leads_ = lead;
  seek(position_);
}

void PlayRun::next(AudioBlock before, AudioBlock after, int focus) {
  if (plan_->solo_step < 0) {
    const auto heard = dry_block_.block(0, before.frames());
    const int n = dry_.read(heard);
    heard.part(n, heard.frames() - n).clear();
    before.spread_from(heard);
  }
  dry_at_ += before.frames();
  if (before_leads_) {
    after.clear();
    position_ = std::max<Samples>(
        0, std::llround(plan_->from_clip.out_of(static_cast<double>(dry_at_) / rate()) * rate()));
    return;
  }
  const auto wet = wide_.block(0, after.frames());
  auto entering = aside_.block(0, after.frames());
  read_wet(wet);
  run(wet, &entering, focus);
  after.copy_from(wet.first(channels()));
  if (plan_->solo_step >= 0) before.copy_from(entering.first(channels()));
  position_ += before.frames();
}

std::uint64_t identity_of_sounds(const PlayPlan& plan) {
  return Hasher()
      .add(identity(plan.clip.sound))
      .add(plan.against ? identity(*plan.against) : 0)
      .value();
}

bool PlayRun::update(std::shared_ptr<const PlayPlan> plan) {
  if (plan == plan_) return true;  // as for nearly every packet
  if (plan->scene) return false;
  const size_t first = first_live(*plan);
  const auto same_type = [](const PlannedStep& a, const PlannedStep& b) {
    return a.type == b.type;
  };
  if (plan_->sounds != plan->sounds || plan_->clip.steps.size() != plan->clip.steps.size() ||
      plan_->solo_step != plan->solo_step || plan_->rewritten != plan->rewritten ||
      plan_->sides != plan->sides ||
      !std::ranges::equal(plan_->clip.steps, plan->clip.steps, same_type))
    return false;
  const std::span now(plan_->clip.steps), next(plan->clip.steps);
  if (!can_turn(now.subspan(first), next.subspan(first))) return false;
  turn_chain(run_, steps_run(*plan_), steps_run(*plan), findings_run(*plan_), findings_run(*plan));
  plan_ = std::move(plan);
  return true;
}

Programme::Dearest PlayRun::dearest() const {
  const auto step = run_.dearest();
  return {0, step ? steps_run(*plan_)[*step].id : 0};
}

Samples PlayRun::end() const {
  // Ringing longer than this is a drone; nobody waits for it.
  const auto most = static_cast<Samples>(rate() * 10);
  const Samples wet = wet_->shape().frames + std::min(run_.tail(), most);
  return plan_->from_clip.identity() ? std::max(dry_.frames(), wet) : wet;
}

bool PlayRun::ended() const {
  return before_leads_ ? dry_at_ >= dry_.frames() : position_ >= end();
}

const Processor* PlayRun::processor(int step) const {
  const int live = step - static_cast<int>(first_live(*plan_));
  return live >= 0 && live < static_cast<int>(run_.size()) ? &run_.at(static_cast<size_t>(live))
                                                           : nullptr;
}

}  // namespace drevan
