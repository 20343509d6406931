// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>

#include "dsp/sinc_interpolator.h"
#include "steps/motion/pace.h"
#include "steps/picture_spec.h"

namespace drevan {

namespace {

enum : int { speed_pct };

const Parameter& speed_parameter() {
  static const Parameter p{
      .id = "speed_pct",
      .label = "Speed",
      .unit = "%",
      .least = 10,
      .most = 400,
      .standard = 100,
      .scale = Scale::logarithmic,
      .help = "How fast the tape runs, in percent: 50 % is twice as long and an octave deeper."};
  return p;
}

class Speed final : public Rewriter {
 public:
  Speed(const Settings& s, const RewriteContext& context)
      : format_(context.format),
        pace_(speed_parameter(), s[speed_pct], context.tracks, speed_pct, true) {}
  Samples length(Samples frames) const override {
    return pace_.unchanged()
               ? frames
               : std::max<Samples>(
                     1, std::llround(map(frames).out_of(seconds(frames)) * format_.rate));
  }
  TimeMap map(Samples frames) const override { return pace_.map(seconds(frames)); }

  void rewrite(SoundReader& in, const Sink& out, const Tell& tell) override {
    const TimeMap map = this->map(in.shape().frames);
    const Samples all = length(in.shape().frames);
    const auto place = [&](Samples n) {
      return map.in_of(static_cast<double>(n) / format_.rate) * format_.rate;
    };
    constexpr int block = 1024;
    AudioBuffer made(format_.channels, block);
    for (Samples at = 0; at < all; at += block) {
      const auto n = static_cast<int>(std::min<Samples>(block, all - at));
      if (pace_.unchanged()) {
        in.seek(at);
        in.read(made.block(0, n));
      } else {
        some(in, made.block(0, n), [&](int i) { return place(at + i); });
      }
      out(made.block(0, n));
      tell(static_cast<double>(at + n) / static_cast<double>(all));
    }
  }

 private:
  double seconds(Samples frames) const { return static_cast<double>(frames) / format_.rate; }

  template <class Place>
  void some(SoundReader& in, const AudioBlock& out, Place&& place) {
    const int n = out.frames();
    std::vector<double> places(static_cast<size_t>(n) + 1);
    for (int i = 0; i <= n; ++i) places[static_cast<size_t>(i)] = place(i);
    double fastest = 1;
    for (size_t i = 1; i < places.size(); ++i)
      fastest = std::max(fastest, places[i] - places[i - 1]);
    const int reach = SincInterpolator::reach(fastest);
    const auto first = static_cast<Samples>(std::floor(places.front())) - reach;
    const auto last = static_cast<Samples>(std::ceil(places.back())) + reach;
    // Silence before the beginning and behind the end.
    const auto before = static_cast<Samples>(std::max<Samples>(0, -first));
    AudioBuffer heard(format_.channels, last - first + 1);
    in.seek(first + before);
    for (Samples at = before; at < heard.frames();) {
      const int got = in.read(heard.block(
          at, static_cast<int>(std::min<Samples>(format_.max_block, heard.frames() - at))));
      if (got == 0) break;
      at += got;
    }
    for (int c = 0; c < out.channels(); ++c)
      for (int i = 0; i < n; ++i) {
        const auto k = static_cast<size_t>(i);
        out.channel(c)[k] = static_cast<float>(SincInterpolator::at(
            heard.channel(c), places[k] - static_cast<double>(first), places[k + 1] - places[k]));
      }
  }

  StreamFormat format_;
  Pace pace_;
};

std::unique_ptr<Rewriter> rewrite(const Settings& s, const RewriteContext& context) {
  return std::make_unique<Speed>(s, context);
}

}  // namespace

const StepType& speed_step() {
  static const StepType type{
      .id = "speed",
      .label = "Speed",
      .summary = "runs the tape faster or slower: pitch and length together",
      .family = Family::motion,
      .parameters = {speed_parameter()},
      .starting_points = {{"Half speed", "an octave deeper, twice as long", {{"speed_pct", 50}}},
                          {"Giant", "a large, slow body", {{"speed_pct", 80}}},
                          {"Small creature", "quick and high", {{"speed_pct", 160}}}},
      .rewrite = rewrite,
      .traits = {.role = Role::tape_speed},
      .brief = [](const Settings& s) { return fmt::format("{:.0f} %", s[speed_pct]); },
      .picture = ClockSpec{.length = speed_pct},
  };
  return type;
}

}  // namespace drevan
