#include "engine/play_run.h"

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

PlayRun::PlayRun(std::shared_ptr<const PlayPlan> plan)
    : plan_(std::move(plan)),
      dry_(plan_->sound),
      wet_(plan_->sound),
      run_(plan_->chain.steps, plan_->findings, dry_.format(block)),
      scratch_(dry_.channels(), block) {}

void PlayRun::read_wet(const AudioBlock& out) {
  const int n = wet_.read(out);
  out.part(n, out.frames() - n).clear();
}

void PlayRun::seek(Samples position) {
  position_ = std::max<Samples>(position, 0);
  dry_.seek(position_);
  const auto before = std::min(position_, static_cast<Samples>(plan_->sound.rate));
  wet_.seek(position_ - before);
  run_.reset();
  for (Samples left = before + run_.latency(); left > 0;) {
    const auto n = static_cast<int>(std::min<Samples>(left, block));
    const auto part = scratch_.block(0, n);
    read_wet(part);
    run_.process(part);
    left -= n;
  }
}

void PlayRun::next(AudioBlock before, AudioBlock after, int focus) {
  const int n = dry_.read(before);
  before.part(n, before.frames() - n).clear();
  read_wet(after);
  if (focus == 0) to_mono(after, focus_in_);
  run_.process(after, [&](size_t i, const AudioBlock& b) {
    if (static_cast<int>(i) == focus - 1) to_mono(b, focus_in_);
    if (static_cast<int>(i) == focus) to_mono(b, focus_out_);
  });
  position_ += before.frames();
}

bool PlayRun::update(std::shared_ptr<const PlayPlan> plan) {
  const auto& now = plan_->chain.steps;
  const auto& next = plan->chain.steps;
  if (identity(plan_->sound) != identity(plan->sound) || now.size() != next.size()) return false;
  for (size_t i = 0; i < now.size(); ++i)
    if (now[i].type != next[i].type) return false;
  for (size_t i = 0; i < now.size(); ++i) {
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
  const auto most = static_cast<Samples>(plan_->sound.rate * 10);
  return dry_.frames() + std::min(run_.tail(), most);
}

const Processor* PlayRun::processor(int step) const {
  return step >= 0 && step < static_cast<int>(run_.size()) ? &run_.at(static_cast<size_t>(step))
                                                           : nullptr;
}

}  // namespace drevan
