// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/chain_run.h"

#include <algorithm>
#include <limits>

#include "audio/denormals.h"
#include "dsp/delay.h"
#include "engine/rendering/aside.h"
#include "engine/rendering/kept_level.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"

namespace drevan {

namespace {

// Sound flows through a step or past it, by a curve: both run on, in step, and are crossfaded.
class Switched final : public Processor {
 public:
  Switched(std::unique_ptr<Processor> inner, int channels_in, int wide, const StreamFormat& format)
      : inner_(std::move(inner)),
        dry_(wide, static_cast<int>(inner_->latency())),
        buffer_(wide, format.max_block),
        channels_in_(channels_in),
        step_(static_cast<float>(1 / (0.01 * format.rate))) {}
  void process(const AudioBlock& block) noexcept override {
    const auto past = buffer_.block(0, block.frames()).first(block.channels());
    past.spread_from(block.first(channels_in_));
    dry_.process(past);
    inner_->process(block);
    float amount = amount_;
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      amount = amount < goal_ ? std::min(goal_, amount + step_) : std::max(goal_, amount - step_);
      for (int c = 0; c < block.channels(); ++c)
        block.channel(c)[i] =
            past.channel(c)[i] + amount * (block.channel(c)[i] - past.channel(c)[i]);
    }
    amount_ = amount;
  }
  Samples latency() const noexcept override { return inner_->latency(); }
  Samples tail() const noexcept override { return inner_->tail(); }
  void reset() noexcept override {
    inner_->reset();
    dry_.reset();
    amount_ = goal_;
  }
  void place(Samples frame) noexcept override { inner_->place(frame); }
  void follow(int parameter, const Curve* curve) noexcept override {
    inner_->follow(parameter, curve);
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == on_parameter)
      goal_ = value > 0.5 ? 1.0F : 0.0F;
    else
      inner_->set(parameter, value);
  }
  void set_findings(const Findings& f) noexcept override { inner_->set_findings(f); }
  void hear_side(int side, const AudioBlock& block) noexcept override {
    inner_->hear_side(side, block);
  }
  int readings(std::span<float> out) const noexcept override { return inner_->readings(out); }

 private:
  std::unique_ptr<Processor> inner_;
  Delay dry_;
  AudioBuffer buffer_;
  int channels_in_;
  float amount_ = 1, goal_ = 1, step_;
};

}  // namespace

ChainRun::ChainRun(std::span<const PlannedStep> steps, std::span<const Findings> findings,
                   StreamFormat format, std::span<const StepSides> sides)
    : ChainRun(format) {
  for (size_t i = 0; i < steps.size(); ++i) {
    add(steps[i], findings[i], format, i < sides.size() ? sides[i] : StepSides(), true);
    format.channels = works_.back().out;
  }
  // As they stand at the beginning, from the first frame on.
  reset();
}

ChainRun ChainRun::without_level(const PlannedStep& step, StreamFormat format,
                                 const StepSides& sides) {
  ChainRun out(format);
  out.add(step, {}, format, sides, false);
  out.reset();
  return out;
}

void ChainRun::add(const PlannedStep& step, const Findings& findings, StreamFormat format,
                   const StepSides& sides, bool keep) {
  Work work;
  work.type = step.type;
  work.tracks = step.tracks;
  work.out = drevan::channels_out(*work.type, step.settings, format.channels);
  work.wide = std::max(format.channels, work.out);
  const bool level = keeps_level(*work.type, step.settings);
  work.processor = make_processor(*work.type, step.settings, level ? Findings() : findings, format);
  if (level && keep)
    work.processor = keep_level(std::move(work.processor), findings, work.out, rate_);
  if (curve_of(work.tracks, on_parameter))
    work.processor =
        std::make_unique<Switched>(std::move(work.processor), format.channels, work.wide, format);
  for (size_t k = 0; k < sides.size(); ++k)
    if (sides[k])
      work.sides.push_back({static_cast<int>(k), reader_of(sides[k]),
                            AudioBuffer(sides[k]->shape().channels, format.max_block)});
  widest_ = std::max(widest_, work.wide);
  works_.push_back(std::move(work));
  tell_paces(works_.back(), {});
}

void ChainRun::set_tracks(size_t i, const std::vector<Track>& tracks) {
  const auto before = std::exchange(works_[i].tracks, tracks);
  tell_paces(works_[i], before);
}

// Which curves its paces follow, and which they do no more.
void ChainRun::tell_paces(Work& work, std::span<const Track> before) noexcept {
  const auto paces = [&](const Track& t) {
    return t.parameter >= 0 && work.type->parameters[static_cast<size_t>(t.parameter)].paces;
  };
  for (const auto& track : before)
    if (paces(track)) work.processor->follow(track.parameter, nullptr);
  for (const auto& track : work.tracks)
    if (paces(track)) work.processor->follow(track.parameter, track.curve.get());
}

void ChainRun::follow_curves(Work& work) noexcept {
  const double s = static_cast<double>(work.at) / rate_;
  for (const auto& track : work.tracks) {
    const Parameter& p = parameter_of_track(*work.type, track.parameter);
    work.processor->set(track.parameter, value_at(*track.curve, p, s));
  }
}

// Before its beginning and behind its end there is silence.
void ChainRun::hear(Work& work, Side& side, int frames) noexcept {
  const auto sound = side.sound.block(0, frames);
  const auto early = static_cast<int>(std::clamp<Samples>(-work.at, 0, frames));
  int got = 0;
  try {
    if (work.at + early >= 0) got = side.reader->read(sound.part(early, frames - early));
  } catch (const std::exception&) {
    // The temporary file cannot be read any more: the rest is silent.
  }
  sound.part(0, early).clear();
  sound.part(early + got, frames - early - got).clear();
  work.processor->hear_side(side.input, sound);
}

void ChainRun::run(Work& work, const AudioBlock& block) noexcept {
  // Nothing is before the beginning, though a filter may ring ahead of it, and no step begins
  // before it: so it is with a kept stage, and what goes on from one must be the same to the bit.
  if (work.at < 0) {
    const int early = static_cast<int>(std::min<Samples>(-work.at, block.frames()));
    block.part(0, early).clear();
    work.at += early;
    if (early < block.frames()) run(work, block.part(early, block.frames() - early));
    return;
  }
  if (work.tracks.empty()) {
    for (auto& side : work.sides) hear(work, side, block.frames());
    work.at += block.frames();
    return work.processor->process(block);
  }
  for (int done = 0; done < block.frames();) {
    // The grid stands still whatever the blocks are.
    const auto beyond = static_cast<int>(((work.at % curve_grid) + curve_grid) % curve_grid);
    if (beyond == 0) follow_curves(work);
    const int n = std::min(curve_grid - beyond, block.frames() - done);
    for (auto& side : work.sides) hear(work, side, n);
    work.processor->process(block.part(done, n));
    work.at += n;
    done += n;
  }
}

// What is late when it reaches a step belongs to an earlier time.
void ChainRun::place(Samples frame) noexcept {
  for (auto& work : works_) {
    work.at = frame;
    work.processor->place(std::max<Samples>(0, frame));
    for (auto& side : work.sides) side.reader->seek(std::max<Samples>(0, frame));
    frame -= work.processor->latency();
  }
}

std::optional<size_t> ChainRun::dearest() const {
  const auto most = std::ranges::max_element(works_, {}, &Work::cost_s);
  return most == works_.end() ? std::nullopt
                              : std::optional(static_cast<size_t>(most - works_.begin()));
}

Samples ChainRun::latency() const {
  Samples sum = 0;
  for (const auto& work : works_) sum += work.processor->latency();
  return sum;
}

Samples ChainRun::tail() const {
  Samples sum = 0;
  for (const auto& work : works_) sum += work.processor->tail();
  return sum;
}

void ChainRun::reset(Samples frame) noexcept {
  place(frame);
  for (auto& work : works_) {
    // Settings first, so that nothing glides from where they stood.
    follow_curves(work);
    work.processor->reset();
  }
  place(frame);
}

bool can_turn(std::span<const PlannedStep> now, std::span<const PlannedStep> next) {
  // What stands still, and whether a curve switches the step, is built in.
  const auto switched = [](const PlannedStep& s) { return curve_of(s.tracks, on_parameter); };
  return std::ranges::equal(now, next, [&](const PlannedStep& a, const PlannedStep& b) {
    if (a.type != b.type || a.settings.texts != b.settings.texts || !switched(a) != !switched(b))
      return false;
    for (size_t p = 0; p < a.settings.values.size(); ++p)
      if (a.type->parameters[p].fixed && a.settings[p] != b.settings[p]) return false;
    return true;
  });
}

void turn_chain(ChainRun& run, std::span<const PlannedStep> now, std::span<const PlannedStep> next,
                std::span<const Findings> found, std::span<const Findings> finds) {
  for (size_t i = 0; i < run.size(); ++i) {
    for (size_t p = 0; p < now[i].settings.values.size(); ++p)
      if (now[i].settings[p] != next[i].settings[p] &&
          !curve_of(next[i].tracks, static_cast<int>(p)))
        run.at(i).set(static_cast<int>(p), next[i].settings[p]);
    if (now[i].tracks != next[i].tracks) {
      // Where a curve is gone its setting counts again.
      for (const auto& track : now[i].tracks)
        if (track.parameter >= 0)
          run.at(i).set(track.parameter, next[i].settings[static_cast<size_t>(track.parameter)]);
      run.set_tracks(i, next[i].tracks);
    }
    if (found[i] != finds[i]) run.at(i).set_findings(finds[i]);
  }
}

std::vector<Samples> latencies(const ChainRun& run) {
  std::vector<Samples> out;
  Samples sum = 0;
  for (size_t i = 0; i < run.size(); ++i) out.push_back(sum += run.at(i).latency());
  return out;
}

namespace {

// Passes on a stage's blocks without its first `late` frames and nothing beyond `length`.
class InStep {
 public:
  InStep(Samples late, Samples length) : skip_(late), left_(length) {}
  template <class Sink>
  void pass(const AudioBlock& block, Sink&& sink) {
    const auto drop = static_cast<int>(std::min<Samples>(skip_, block.frames()));
    skip_ -= drop;
    const auto n = static_cast<int>(std::min<Samples>(block.frames() - drop, left_));
    if (n <= 0) return;
    left_ -= n;
    sink(block.part(drop, n));
  }
  void end_after(Samples left) { left_ = left; }

 private:
  Samples skip_, left_;
};

}  // namespace

void stream(const BlockSource& source, ChainRun& run, int max_block, const BlockSink& sink,
            const StageTap& tap, size_t beside) {
  const FlushDenormals flush;
  AudioBuffer buffer(run.widest(), max_block);
  constexpr Samples endless = std::numeric_limits<Samples>::max();
  const auto late = latencies(run);
  std::vector<InStep> stages;
  stages.emplace_back(0, endless);
  for (const auto l : late) stages.emplace_back(l, endless);
  InStep out(run.latency(), endless);

  const auto steps = [&](size_t first, size_t end, const AudioBlock& block) {
    run.process(first, end, block, [&](size_t i, const AudioBlock& b) {
      if (tap) stages[i + 1].pass(b, [&](const AudioBlock& x) { tap(i + 1, x); });
    });
    if (end == run.size()) out.pass(block.first(run.channels_out()), sink);
  };
  std::optional<Aside> side;
  if (beside > 0 && beside < run.size())
    side.emplace(StreamFormat{run.rate(), run.widest(), max_block}, true,
                 std::vector<Aside::Hear>{
                     [&](const AudioBlock& block) { steps(beside, run.size(), block); }});
  const auto feed = [&](const AudioBlock& block) {
    if (tap)
      stages[0].pass(block.first(run.channels_in()), [&](const AudioBlock& b) { tap(0, b); });
    steps(0, side ? beside : run.size(), block);
    if (side) side->tell(0, block);
  };

  Samples length = 0;
  for (int n = 0; (n = source(buffer.block().first(run.channels_in()))) > 0;) {
    feed(buffer.block(0, n));
    length += n;
  }
  if (side) side->finish();
  // What is still inside comes out, then the ringing. Stage i lasts its own steps' tails longer.
  Samples fed = length, tails = 0;
  stages[0].end_after(0);
  for (size_t i = 0; i < run.size(); ++i) {
    tails += run.at(i).tail();
    stages[i + 1].end_after(length + tails - std::max<Samples>(0, fed - late[i]));
  }
  const Samples end = length + tails;
  out.end_after(end - std::max<Samples>(0, fed - run.latency()));
  while (fed < end + run.latency()) {
    const auto n = static_cast<int>(std::min<Samples>(max_block, end + run.latency() - fed));
    const auto block = buffer.block(0, n);
    block.clear();
    feed(block);
    fed += n;
  }
  if (side) side->finish();
}

}  // namespace drevan
