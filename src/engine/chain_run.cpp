#include "engine/chain_run.h"

#include <numeric>

#include "audio/denormals.h"
#include "steps/catalogue.h"

namespace drevan {

ChainRun::ChainRun(std::span<const PlannedStep> steps, std::span<const Findings> findings,
                   StreamFormat format) {
  for (size_t i = 0; i < steps.size(); ++i)
    processors_.push_back(make_processor(*steps[i].type, steps[i].settings, findings[i], format));
  place(0);
}

// What is late when it reaches a step belongs to an earlier time.
void ChainRun::place(Samples frame) noexcept {
  for (const auto& p : processors_) {
    p->place(frame);
    frame -= p->latency();
  }
}

Samples ChainRun::latency() const {
  Samples sum = 0;
  for (const auto& p : processors_) sum += p->latency();
  return sum;
}

Samples ChainRun::tail() const {
  Samples sum = 0;
  for (const auto& p : processors_) sum += p->tail();
  return sum;
}

void ChainRun::reset(Samples frame) noexcept {
  for (const auto& p : processors_) p->reset();
  place(frame);
}

void ChainRun::process(const AudioBlock& block) noexcept {
  for (const auto& p : processors_) p->process(block);
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

void stream(const BlockSource& source, ChainRun& run, StreamFormat format, const BlockSink& sink,
            const StageTap& tap) {
  const FlushDenormals flush;
  AudioBuffer buffer(format.channels, format.max_block);
  constexpr Samples endless = std::numeric_limits<Samples>::max();
  const auto late = latencies(run);
  std::vector<InStep> stages;
  stages.emplace_back(0, endless);
  for (const auto l : late) stages.emplace_back(l, endless);
  InStep out(run.latency(), endless);

  const auto feed = [&](const AudioBlock& block) {
    if (tap) stages[0].pass(block, [&](const AudioBlock& b) { tap(0, b); });
    if (tap)
      run.process(block, [&](size_t i, const AudioBlock& b) {
        stages[i + 1].pass(b, [&](const AudioBlock& x) { tap(i + 1, x); });
      });
    else
      run.process(block);
    out.pass(block, sink);
  };

  Samples length = 0;
  for (int n = 0; (n = source(buffer.block())) > 0;) {
    feed(buffer.block(0, n));
    length += n;
  }
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
    const auto n = static_cast<int>(std::min<Samples>(format.max_block, end + run.latency() - fed));
    const auto block = buffer.block(0, n);
    block.clear();
    feed(block);
    fed += n;
  }
}

}  // namespace drevan
