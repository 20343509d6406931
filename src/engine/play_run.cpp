#include "engine/play_run.h"

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

}  // namespace

namespace {

std::span<const PlannedStep> steps_run(const PlayPlan& plan) {
  const std::span all(plan.clip.steps);
  return plan.solo_step < 0 ? all : all.first(static_cast<size_t>(plan.solo_step) + 1);
}

}  // namespace

PlayRun::PlayRun(std::shared_ptr<const PlayPlan> plan)
    : plan_(std::move(plan)),
      dry_(plan_->against ? *plan_->against : plan_->clip.sound),
      wet_(plan_->clip.sound),
      run_(steps_run(*plan_), plan_->findings, wet_.format(block)),
      entering_(wet_.channels(), plan_->solo_step < 0 ? 0 : static_cast<int>(run_.at(static_cast<size_t>(plan_->solo_step)).latency())),
      scratch_(wet_.channels(), block),
      aside_(wet_.channels(), block),
      dry_block_(dry_.channels(), block) {}

void PlayRun::read_wet(const AudioBlock& out) {
  const int n = wet_.read(out);
  out.part(n, out.frames() - n).clear();
}

void PlayRun::seek(Samples position) {
  position_ = std::max<Samples>(position, 0);
  dry_.seek(position_);
  double run_in_s = 1;
  for (const auto& step : plan_->clip.steps) run_in_s = std::max(run_in_s, step.type->run_in_s);
  const auto before = std::min(position_, static_cast<Samples>(run_in_s * plan_->clip.sound.rate));
  wet_.seek(position_ - before);
  run_.reset(position_ - before);
  entering_.reset();
  for (Samples left = before + run_.latency(); left > 0;) {
    const auto n = static_cast<int>(std::min<Samples>(left, block));
    const auto part = scratch_.block(0, n);
    auto aside = aside_.block(0, n);
    read_wet(part);
    run(part, &aside, -1);
    left -= n;
  }
}

// `entering`: takes what enters the step that is looked at, in step with what leaves it.
void PlayRun::run(const AudioBlock& wet, AudioBlock* entering, int focus) {
  const int solo = plan_->solo_step;
  if (solo == 0) entering->copy_from(wet);
  if (focus == 0) to_mono(wet, focus_in_);
  run_.process(wet, [&](size_t i, const AudioBlock& b) {
    if (solo > 0 && static_cast<int>(i) == solo - 1) entering->copy_from(b);
    if (static_cast<int>(i) == focus - 1) to_mono(b, focus_in_);
    if (static_cast<int>(i) == focus) to_mono(b, focus_out_);
  });
  if (solo >= 0) entering_.process(*entering);
}

void PlayRun::next(AudioBlock before, AudioBlock after, int focus) {
  if (plan_->solo_step < 0) {
    // Another version may have other channels.
    const auto heard = dry_block_.block(0, before.frames());
    const int n = dry_.read(heard);
    heard.part(n, heard.frames() - n).clear();
    for (int c = 0; c < before.channels(); ++c) std::ranges::copy(heard.channel(std::min(c, heard.channels() - 1)), before.channel(c).begin());
  }
  read_wet(after);
  run(after, &before, focus);
  position_ += before.frames();
}

std::uint64_t identity_of_sounds(const PlayPlan& plan) {
  return Hasher().add(identity(plan.clip.sound)).add(plan.against ? identity(*plan.against) : 0).value();
}

bool PlayRun::update(std::shared_ptr<const PlayPlan> plan) {
  if (plan == plan_) return true;  // as for nearly every packet
  const auto& now = plan_->clip.steps;
  const auto& next = plan->clip.steps;
  if (plan_->sounds != plan->sounds || now.size() != next.size() || plan_->solo_step != plan->solo_step) return false;
  for (size_t i = 0; i < now.size(); ++i)
    if (now[i].type != next[i].type) return false;
  for (size_t i = 0; i < run_.size(); ++i) {
    for (size_t p = 0; p < now[i].settings.values.size(); ++p)
      if (now[i].settings[p] != next[i].settings[p])
        run_.at(i).set(static_cast<int>(p), next[i].settings[p]);
    if (plan_->findings[i] != plan->findings[i]) run_.at(i).set_findings(plan->findings[i]);
  }
  plan_ = std::move(plan);
  return true;
}

Samples PlayRun::end() const {
  // Ringing longer than this is a drone; nobody waits for it.
  const auto most = static_cast<Samples>(plan_->clip.sound.rate * 10);
  return std::max(dry_.frames(), wet_.frames() + std::min(run_.tail(), most));
}

const Processor* PlayRun::processor(int step) const {
  return step >= 0 && step < static_cast<int>(run_.size()) ? &run_.at(static_cast<size_t>(step))
                                                           : nullptr;
}

}  // namespace drevan
