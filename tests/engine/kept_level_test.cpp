// SPDX-License-Identifier: GPL-3.0-or-later
// What wraps a step passes everything on: steps that come out as loud as they went in.
#include "engine/rendering/kept_level.h"

#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "audio/decibel.h"
#include "steps/curve.h"
#include "support/step_bench.h"

namespace drevan {
namespace {

// Writes down what it is told.
class Spy final : public Processor {
 public:
  explicit Spy(std::vector<std::string>& told) : told_(&told) {}
  void process(const AudioBlock& block) noexcept override {
    told_->push_back("process " + std::to_string(block.channels()) + " x " +
                     std::to_string(block.frames()));
  }
  void hear_side(int side, const AudioBlock& block) noexcept override {
    told_->push_back("side " + std::to_string(side) + ", " + std::to_string(block.channels()) +
                     " x " + std::to_string(block.frames()));
  }
  Samples latency() const noexcept override { return 123; }
  Samples tail() const noexcept override { return 456; }
  void reset() noexcept override { told_->emplace_back("reset"); }
  void place(Samples frame) noexcept override {
    told_->push_back("place " + std::to_string(frame));
  }
  void set(int parameter, double value) noexcept override {
    told_->push_back("set " + std::to_string(parameter) + " to " + std::to_string(value));
  }
  void follow(int parameter, const Curve* curve) noexcept override {
    told_->push_back("follow " + std::to_string(parameter) + (curve ? "" : ": none"));
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = 7;
    return 1;
  }

 private:
  std::vector<std::string>* told_;
};

TEST(KeptLevel, TheStepInsideIsToldAllAndHeardInAll) {
  std::vector<std::string> told;
  const auto kept = keep_level(std::make_unique<Spy>(told), {{6.0F}}, 2, 48000);
  AudioBuffer x(4, 64), side(3, 64);
  const Curve curve{{{0, 1}, {1, 2}}};
  kept->reset();
  kept->place(-77);
  kept->set(3, 2.5);
  kept->follow(2, &curve);
  kept->follow(2, nullptr);
  kept->hear_side(1, side.block());
  kept->process(x.block());
  const std::vector<std::string> wanted{"reset",         "place -77",      "set 3 to 2.500000",
                                        "follow 2",      "follow 2: none", "side 1, 3 x 64",
                                        "process 4 x 64"};
  EXPECT_EQ(told, wanted);
  EXPECT_EQ(kept->latency(), 123);
  EXPECT_EQ(kept->tail(), 456);
  float reading = 0;
  EXPECT_EQ(kept->readings(std::span(&reading, 1)), 1);
  EXPECT_EQ(reading, 7);
}

// Every step that can keep its level is its own sound, louder or quieter: in every channel, with
// what it hears beside it, turned while it runs, and placed anew.
TEST(KeptLevel, EveryStepsSoundIsItsOwnButForItsGain) {
  int steps = 0;
  for (const StepType* type : catalogue()) {
    if (!type->traits.keeps_level) continue;
    ++steps;
    const test::StepBench bench(*type, {48000, 2, 4096});
    Settings s = bench.busy();
    for (size_t i = 0; i < type->parameters.size(); ++i)
      if (type->id == "vocoder" && type->parameters[i].id == "carrier")
        s.values[i] = type->parameters[i].most;
    const auto run = [&](bool keeps) {
      auto p = bench.make(s);
      const int out = channels_out(*type, s, 2);
      if (keeps) p = keep_level(std::move(p), {{-6.0206F}}, out, 48000);
      p->reset();
      AudioBuffer x = bench.wide(bench.programme(1), s), side = bench.beside(1);
      AudioBuffer* beside = type->sides.empty() ? nullptr : &side;
      test::StepBench::run(*p, x, 1000, beside);
      p->reset();
      p->place(5000);
      for (size_t i = 0; i < type->parameters.size(); ++i)
        if (!type->parameters[i].fixed) p->set(static_cast<int>(i), type->parameters[i].standard);
      AudioBuffer again = bench.wide(bench.programme(1), s);
      test::StepBench::run(*p, again, 1000, beside);
      return std::pair{std::move(x), std::move(again)};
    };
    const auto [plain, plain_turned] = run(false);
    const auto [kept, kept_turned] = run(true);
    for (int c = 0; c < channels_out(*type, s, 2); ++c)
      for (size_t i = 0; i < plain.channel(c).size(); ++i) {
        ASSERT_NEAR(kept.channel(c)[i], plain.channel(c)[i] / 2, 2e-5) << type->id << " " << c;
        ASSERT_NEAR(kept_turned.channel(c)[i], plain_turned.channel(c)[i] / 2, 2e-5)
            << type->id << " " << c;
      }
  }
  EXPECT_GT(steps, 10);
}

}  // namespace
}  // namespace drevan
