#include "dsp/filter_bank.h"

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"

namespace drevan {

FilterBank::FilterBank(StreamFormat format, const FilterSlots& slots)
    : slots_(slots), fade_frames_(static_cast<int>(std::lround(format.rate * 0.01))) {
  now_.lanes.resize(static_cast<size_t>(format.channels));
  old_.lanes.resize(static_cast<size_t>(format.channels));
  load(now_, slots);
}

void FilterBank::load(Set& set, const FilterSlots& slots) noexcept {
  set.count = 0;
  for (size_t s = 0; s < slots.size(); ++s) {
    for (auto& lane : set.lanes) {
      if (slots[s])
        lane[s].set(*slots[s]);
      else
        lane[s].reset();  // comes back silent
    }
    if (slots[s]) set.used[static_cast<size_t>(set.count++)] = static_cast<int>(s);
  }
}

void FilterBank::set(const FilterSlots& slots) noexcept {
  waiting_ = slots;
  has_waiting_ = true;
  if (fade_left_ == 0) begin_fade();
}

void FilterBank::begin_fade() noexcept {
  old_.used = now_.used;
  old_.count = now_.count;
  std::ranges::copy(now_.lanes, old_.lanes.begin());
  slots_ = waiting_;
  load(now_, slots_);
  has_waiting_ = false;
  fade_left_ = fade_frames_;
}

float FilterBank::run(const Set& set, Lane& lane, float x) noexcept {
  double y = static_cast<double>(x);
  for (int k = 0; k < set.count; ++k)
    y = lane[static_cast<size_t>(set.used[static_cast<size_t>(k)])].process(y);
  return static_cast<float>(y);
}

// The sections' number known to the compiler: their states stay in registers, and the sections of
// neighbouring samples run side by side.
template <int count>
void FilterBank::run_block(const Set& set, Lane& lane, std::span<float> x) noexcept {
  std::array<Biquad, count> now;
  for (size_t k = 0; k < count; ++k) now[k] = lane[static_cast<size_t>(set.used[k])];
  for (float& v : x) {
    double y = static_cast<double>(v);
    for (Biquad& b : now) y = b.process(y);
    v = static_cast<float>(y);
  }
  for (size_t k = 0; k < count; ++k) lane[static_cast<size_t>(set.used[k])] = now[k];
}

void FilterBank::process(const AudioBlock& block) noexcept {
  int i = 0;
  while (fade_left_ > 0 && i < block.frames()) {
    const auto w = static_cast<float>(fade_left_) / static_cast<float>(fade_frames_);
    for (int c = 0; c < block.channels(); ++c) {
      float& x = block.channel(c)[static_cast<size_t>(i)];
      const float before = run(old_, old_.lanes[static_cast<size_t>(c)], x);
      const float after = run(now_, now_.lanes[static_cast<size_t>(c)], x);
      x = w * before + (1 - w) * after;
    }
    ++i;
    if (--fade_left_ == 0 && has_waiting_) begin_fade();
  }
  if (now_.count == 0) return;
  for (int c = 0; c < block.channels(); ++c) {
    auto& lane = now_.lanes[static_cast<size_t>(c)];
    const auto x = block.channel(c).subspan(static_cast<size_t>(i));
    switch (now_.count) {
      case 1: run_block<1>(now_, lane, x); break;
      case 2: run_block<2>(now_, lane, x); break;
      case 3: run_block<3>(now_, lane, x); break;
      case 4: run_block<4>(now_, lane, x); break;
      case 5: run_block<5>(now_, lane, x); break;
      case 6: run_block<6>(now_, lane, x); break;
      case 7: run_block<7>(now_, lane, x); break;
      case 8: run_block<8>(now_, lane, x); break;
      case 9: run_block<9>(now_, lane, x); break;
      case 10: run_block<10>(now_, lane, x); break;
      case 11: run_block<11>(now_, lane, x); break;
      default: run_block<12>(now_, lane, x); break;
    }
  }
}

void FilterBank::reset() noexcept {
  if (has_waiting_) slots_ = waiting_;
  has_waiting_ = false;
  fade_left_ = 0;
  load(now_, slots_);
  for (auto& lane : now_.lanes)
    for (Biquad& b : lane) b.reset();
}

Samples FilterBank::tail() const noexcept {
  // Sections in series ring on after one another; their sum is a safe bound.
  Samples total = 0;
  for (const auto& slot : slots_)
    if (slot) total += ring_samples(*slot);
  return total;
}

double response_db(const FilterSlots& slots, double hz, double rate) {
  double db = 0;
  for (const auto& slot : slots)
    if (slot) db += to_db(std::abs(response(*slot, hz, rate)));
  return db;
}

}  // namespace drevan
