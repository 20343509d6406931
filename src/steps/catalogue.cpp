// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/catalogue.h"

#include <algorithm>
#include <bit>
#include <stdexcept>

#include "dsp/sums.h"

#define DREVAN_STEP(name) const StepType& name();
namespace drevan {
#include "steps/step_list.inc"
}
#undef DREVAN_STEP

namespace drevan {

std::span<const StepType* const> catalogue() {
  static const std::vector<const StepType*> all = [] {
    std::vector<const StepType*> steps{
#define DREVAN_STEP(name) &name(),
#include "steps/step_list.inc"
#undef DREVAN_STEP
    };
    std::ranges::sort(steps, [](const StepType* a, const StepType* b) {
      return a->family != b->family ? a->family < b->family : a->label < b->label;
    });
    return steps;
  }();
  return all;
}

namespace {
std::vector<const StepType*>& unlisted() {
  static std::vector<const StepType*> types;
  return types;
}
}  // namespace

void make_known(const StepType& type) { unlisted().push_back(&type); }

const StepType* find_step(std::string_view id) {
  const auto in = [&](auto&& all) -> const StepType* {
    const auto at = std::ranges::find(all, id, [](const StepType* t) { return t->id; });
    return at == all.end() ? nullptr : *at;
  };
  const StepType* listed = in(catalogue());
  return listed ? listed : in(unlisted());
}

const StepType& step_for(Role role) {
  const auto at =
      std::ranges::find(catalogue(), role, [](const StepType* t) { return t->traits.role; });
  if (role == Role::none || at == catalogue().end())
    throw std::logic_error("No step of the catalogue has this role.");
  return **at;
}

namespace {

constexpr float most_sample = 1000;

void mend(std::span<float> x) noexcept {
  for (float& v : x) {
    const auto bits = std::bit_cast<std::uint32_t>(v);
    const bool finite = (bits & 0x7f800000U) != 0x7f800000U;
    v = finite ? std::clamp(v, -most_sample, most_sample) : 0.0F;
  }
}

}  // namespace

// Sound that is in order, nearly all there ever is, is only read.
void guard(const AudioBlock& block) noexcept {
  for (int c = 0; c < block.channels(); ++c) {
    const auto x = block.channel(c);
    if (!(largest_magnitude(x) <= most_sample)) mend(x);  // also for NaN
  }
}

namespace {

class Guarded final : public Processor {
 public:
  Guarded(std::unique_ptr<Processor> inner, int channels_in)
      : inner_(std::move(inner)), channels_in_(channels_in) {}
  void process(const AudioBlock& block) noexcept override {
    guard(block.first(channels_in_));
    inner_->process(block);
  }
  void hear_side(int side, const AudioBlock& block) noexcept override {
    guard(block);
    inner_->hear_side(side, block);
  }
  Samples latency() const noexcept override { return inner_->latency(); }
  Samples tail() const noexcept override { return inner_->tail(); }
  void reset() noexcept override { inner_->reset(); }
  void place(Samples frame) noexcept override { inner_->place(frame); }
  void follow(int parameter, const Curve* curve) noexcept override {
    inner_->follow(parameter, curve);
  }
  void set(int parameter, double value) noexcept override { inner_->set(parameter, value); }
  void set_findings(const Findings& f) noexcept override { inner_->set_findings(f); }
  int readings(std::span<float> out) const noexcept override { return inner_->readings(out); }

 private:
  std::unique_ptr<Processor> inner_;
  int channels_in_;
};

}  // namespace

std::unique_ptr<Processor> make_processor(const StepType& type, const Settings& settings,
                                          const Findings& findings, StreamFormat format) {
  return std::make_unique<Guarded>(type.make(settings, findings, format), format.channels);
}

}  // namespace drevan
