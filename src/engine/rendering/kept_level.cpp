// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/kept_level.h"

#include <algorithm>
#include <cmath>

#include "dsp/gain.h"
#include "engine/rendering/chain_run.h"
#include "measure/levels.h"

namespace drevan {

namespace {

constexpr double most_gain_db = 48;

class LevelLearner final : public Learner {
 public:
  LevelLearner(const PlannedStep& step, StreamFormat format, const StepSides& sides)
      : run_(ChainRun::without_level(step, format, sides)),
        before_({format.rate, run_.channels_in(), format.max_block}, Detail::quick),
        after_({format.rate, run_.channels_out(), format.max_block}, Detail::quick),
        buffer_(run_.widest(), format.max_block) {}
  void hear(const AudioBlock& block) override {
    before_.hear(block);
    const auto own = buffer_.block(0, block.frames());
    own.copy_from(block);
    run_.process(own);
    after_.hear(own.first(run_.channels_out()));
  }
  Findings findings() const override {
    const auto louder = louder_by(after_.levels(), before_.levels());
    if (!louder) return {{0.0F}};
    // In whole steps: sums of the same sound in other blocks differ in their last bits, and what is
    // made of it may not.
    const double steps = std::round(std::clamp(*louder, -most_gain_db, most_gain_db) * 1024);
    return {{static_cast<float>(steps / 1024)}};
  }

 private:
  ChainRun run_;
  LevelMeter before_, after_;
  AudioBuffer buffer_;
};

class LevelKeeper final : public Processor {
 public:
  LevelKeeper(std::unique_ptr<Processor> inner, const Findings& findings, int channels_out,
              double rate)
      : inner_(std::move(inner)), channels_out_(channels_out) {
    gain_.prepare(rate, gain_db(findings), 60);
  }
  void process(const AudioBlock& block) noexcept override {
    inner_->process(block);
    gain_.process(block.first(channels_out_));
  }
  void hear_side(int side, const AudioBlock& block) noexcept override {
    inner_->hear_side(side, block);
  }
  Samples latency() const noexcept override { return inner_->latency(); }
  Samples tail() const noexcept override { return inner_->tail(); }
  void reset() noexcept override {
    inner_->reset();
    gain_.settle();
  }
  void place(Samples frame) noexcept override { inner_->place(frame); }
  void follow(int parameter, const Curve* curve) noexcept override {
    inner_->follow(parameter, curve);
  }
  void set(int parameter, double value) noexcept override { inner_->set(parameter, value); }
  void set_findings(const Findings& f) noexcept override { gain_.set_db(gain_db(f)); }
  int readings(std::span<float> out) const noexcept override { return inner_->readings(out); }

 private:
  static double gain_db(const Findings& f) {
    return f.empty() ? 0 : static_cast<double>(f.values[0]);
  }
  std::unique_ptr<Processor> inner_;
  int channels_out_;
  GlidingGain gain_;
};

}  // namespace

std::unique_ptr<Learner> learn_level(const PlannedStep& step, StreamFormat format,
                                     const StepSides& sides) {
  return std::make_unique<LevelLearner>(step, format, sides);
}

std::unique_ptr<Learner> make_learner(const PlannedStep& step, StreamFormat format,
                                      const StepSides& sides) {
  return keeps_level(*step.type, step.settings) ? learn_level(step, format, sides)
                                                : step.type->learn(step.settings, format);
}

std::unique_ptr<Processor> keep_level(std::unique_ptr<Processor> inner, const Findings& findings,
                                      int channels_out, double rate) {
  return std::make_unique<LevelKeeper>(std::move(inner), findings, channels_out, rate);
}

}  // namespace drevan
