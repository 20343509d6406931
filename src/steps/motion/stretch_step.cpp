// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <cmath>

#include "steps/catalogue.h"
#include "steps/motion/pace.h"
#include "steps/picture_spec.h"

namespace drevan {

namespace {

enum : int { length_pct, length_s };

const Parameter& length_parameter() {
  static const Parameter p{
      .id = "length_pct",
      .label = "Length",
      .unit = "%",
      .least = 10,
      .most = 400,
      .standard = 100,
      .scale = Scale::logarithmic,
      .help = "How long the sound becomes, in percent of its length. Its pitch stays."};
  return p;
}

using RubberBand::RubberBandStretcher;

class Stretch final : public Rewriter {
 public:
  Stretch(const Settings& s, const RewriteContext& context)
      : format_(context.format),
        pace_(length_parameter(), s[length_pct], context.tracks, length_pct, false),
        to_s_(s[length_s]) {}
  Samples length(Samples frames) const override {
    const Pace pace = pace_of(frames);
    return pace.unchanged()
               ? frames
               : std::max<Samples>(1,
                                   std::llround(pace.map(seconds(frames)).out_of(seconds(frames)) *
                                                format_.rate));
  }
  TimeMap map(Samples frames) const override { return pace_of(frames).map(seconds(frames)); }

  void rewrite(SoundReader& in, const Sink& out, const Tell& tell) override {
    const Samples frames = in.shape().frames, goal = length(frames);
    if (pace_of(frames).unchanged()) return copy(in, out, tell);
    const auto read = [&](const Sink& take) { copy(in, take, [](double) {}); };
    const double factor = static_cast<double>(goal) / static_cast<double>(frames);
    // What is not one straight line has corners, which must come where they belong.
    if (const TimeMap map = this->map(frames); map.points().size() > 2)
      return along(in, map, goal, out, tell);
    // Below a fourth the engine loses its footing at high rates, so it is asked twice.
    if (factor >= 0.25) return pass(read, frames, goal, out, tell);
    const auto between =
        std::max<Samples>(1, std::llround(static_cast<double>(frames) * std::sqrt(factor)));
    const auto once = [&](const Sink& take) { pass(read, frames, between, take, [](double) {}); };
    pass(once, between, goal, out, tell);
  }

 private:
  double seconds(Samples frames) const { return static_cast<double>(frames) / format_.rate; }
  Pace pace_of(Samples frames) const {
    if (to_s_ <= 0 || frames == 0) return pace_;
    return Pace(std::clamp(to_s_ / seconds(frames), 0.1, 4.0));
  }

  // The engine, told before each of its frames how far to go, so that what enters at a moment is
  // heard where `map` has it: its own key frames are up to 0.2 s off (measured: knocks at 16 kHz).
  // Frame by frame means: it is given just what it asks for.
  void along(SoundReader& in, const TimeMap& map, Samples goal, const Sink& out,
             const Tell& tell) const {
    const Samples frames = in.shape().frames;
    const auto heard_at = [&](double frame) {
      return map.out_of(std::clamp(frame / format_.rate, 0.0, seconds(frames))) * format_.rate;
    };
    const auto slope = [&](double frame, double step) {
      const double at = std::clamp(frame, 0.0, std::max(0.0, static_cast<double>(frames) - step));
      return std::max(0.05, (heard_at(at + step) - heard_at(at)) / step);
    };
    RubberBandStretcher engine(
        static_cast<size_t>(std::llround(format_.rate)), static_cast<size_t>(format_.channels),
        RubberBandStretcher::OptionProcessRealTime | RubberBandStretcher::OptionEngineFiner |
            RubberBandStretcher::OptionChannelsTogether | RubberBandStretcher::OptionThreadingNever,
        slope(0, 256), 1.0);
    const size_t most = std::max<size_t>(engine.getSamplesRequired(), 65536);
    engine.setMaxProcessSize(most);
    const auto pad = static_cast<Samples>(engine.getPreferredStartPad()),
               first = static_cast<Samples>(engine.getSamplesRequired());
    auto late = static_cast<Samples>(engine.getStartDelay());
    AudioBuffer input(format_.channels, static_cast<Samples>(most));
    in.seek(0);
    // What enters in the middle of a frame leaves `late` frames behind what was made before it.
    Samples fed = 0, made = 0, left = goal;
    double step = 256;
    while (left > 0) {
      const auto need = static_cast<Samples>(std::min(engine.getSamplesRequired(), most));
      const auto middle = static_cast<double>(fed + need - first);
      if (fed > 0) {
        const double even = slope(middle, step);
        const double wanted = (heard_at(middle + step) - static_cast<double>(made)) / step;
        engine.setTimeRatio(middle > 0 ? std::clamp(wanted, 0.5 * even, 2 * even) : even);
        if (need > 0) step = static_cast<double>(need);
      }
      const AudioBlock block = input.block(0, static_cast<int>(need));
      const auto silent = static_cast<int>(std::clamp<Samples>(pad - fed, 0, need));
      block.clear();
      for (int at = silent, got = 1; at < need && got > 0; at += got)
        got = in.read(block.part(at, static_cast<int>(need) - at));
      std::array<const float*, max_channels> data{};
      for (int c = 0; c < format_.channels; ++c)
        data[static_cast<size_t>(c)] = block.channel(c).data();
      engine.process(data.data(), static_cast<size_t>(need), false);
      fed += need;
      const Samples more = drain(engine, late, left, out);
      made += more;
      tell(1 - static_cast<double>(left) / static_cast<double>(goal));
      if (need == 0 && more == 0) break;
    }
    silence(left, out);
  }

  // By the finer engine: it hears all of `source` first to see where things begin, then again. `source` gives `frames`
  // frames to what it is called with, `goal` are made of them.
  void pass(const std::function<void(const Sink&)>& source, Samples frames, Samples goal,
            const Sink& out, const Tell& tell) {
    RubberBandStretcher engine(
        static_cast<size_t>(std::llround(format_.rate)), static_cast<size_t>(format_.channels),
        RubberBandStretcher::OptionProcessOffline | RubberBandStretcher::OptionEngineFiner |
            RubberBandStretcher::OptionChannelsTogether | RubberBandStretcher::OptionThreadingNever,
        static_cast<double>(goal) / static_cast<double>(frames), 1.0);
    const Samples all = std::max(frames, least_frames);
    engine.setExpectedInputDuration(static_cast<size_t>(all));
    engine.setMaxProcessSize(static_cast<size_t>(format_.max_block));
    AudioBuffer none(format_.channels, format_.max_block);
    const auto feed = [&](double from, double share,
                          const std::function<void(const float* const*, size_t, bool)>& take) {
      Samples at = 0;
      const Sink give = [&](const AudioBlock& b) {
        std::array<const float*, max_channels> data{};
        for (int c = 0; c < format_.channels; ++c)
          data[static_cast<size_t>(c)] = b.channel(c).data();
        at += b.frames();
        take(data.data(), static_cast<size_t>(b.frames()), at >= all);
        tell(from + share * static_cast<double>(at) / static_cast<double>(all));
      };
      source(give);
      while (at < all)
        give(none.block(0, static_cast<int>(std::min<Samples>(all - at, format_.max_block))));
    };
    feed(0, 0.25,
         [&](const float* const* data, size_t n, bool last) { engine.study(data, n, last); });
    Samples late = 0, left = goal;
    feed(0.25, 0.75, [&](const float* const* data, size_t n, bool last) {
      engine.process(data, n, last);
      drain(engine, late, left, out);
    });
    silence(left, out);
  }

  // What the engine owes to the last frame.
  void silence(Samples left, const Sink& out) const {
    AudioBuffer none(format_.channels, format_.max_block);
    for (; left > 0; left -= std::min<Samples>(left, format_.max_block))
      out(none.block(0, static_cast<int>(std::min<Samples>(left, format_.max_block))));
  }

  // What the engine has made: `late` frames of it are left out first, and no more than `left` go
  // out; both are counted down. Returns how many there were.
  Samples drain(RubberBandStretcher& engine, Samples& late, Samples& left, const Sink& out) const {
    AudioBuffer made(format_.channels, format_.max_block);
    Samples all = 0;
    for (int ready = 0; (ready = engine.available()) > 0;) {
      std::array<float*, max_channels> data{};
      for (int c = 0; c < format_.channels; ++c)
        data[static_cast<size_t>(c)] = made.channel(c).data();
      const auto got = static_cast<int>(
          engine.retrieve(data.data(), static_cast<size_t>(std::min(ready, format_.max_block))));
      const auto skipped = static_cast<int>(std::min<Samples>(got, late));
      const auto n = static_cast<int>(std::min<Samples>(got - skipped, left));
      guard(made.block(skipped, n));
      if (n > 0) out(made.block(skipped, n));
      all += got;
      late -= skipped;
      left -= n;
    }
    return all;
  }

  void copy(SoundReader& in, const Sink& out, const Tell& tell) const {
    AudioBuffer buffer(format_.channels, format_.max_block);
    in.seek(0);
    for (Samples at = 0; at < in.shape().frames;) {
      const int n = in.read(buffer.block());
      if (n == 0) break;
      out(buffer.block(0, n));
      at += n;
      tell(static_cast<double>(at) / static_cast<double>(in.shape().frames));
    }
  }

  // The engine knows nothing to do with less; silence follows.
  static constexpr Samples least_frames = 8192;

  StreamFormat format_;
  Pace pace_;
  double to_s_;
};

std::unique_ptr<Rewriter> rewrite(const Settings& s, const RewriteContext& context) {
  return std::make_unique<Stretch>(s, context);
}

std::string brief(const Settings& s) {
  return s[length_s] > 0 ? fmt::format("to {:.2f} s", s[length_s])
                         : fmt::format("{:.0f} %", s[length_pct]);
}

}  // namespace

const StepType& stretch_step() {
  static const StepType type{
      .id = "stretch",
      .label = "Stretch",
      .summary = "makes a sound longer or shorter and keeps its pitch",
      .family = Family::motion,
      .parameters = {length_parameter(),
                     {.id = "length_s",
                      .label = "To a length",
                      .unit = "s",
                      .least = 0,
                      .most = 600,
                      .standard = 0,
                      .help =
                          "The length the sound shall have, in seconds, between a tenth and four "
                          "times its own; it then counts instead of the percentage. 0 is off.",
                      .off_at = 0,
                      .fixed = true,
                      .sets_length = true}},
      .starting_points = {{"A little longer",
                           "fills a pause in the picture",
                           {{"length_pct", 110}}},
                          {"A little shorter", "fits before the cut", {{"length_pct", 92}}},
                          {"Long swell", "a whoosh that takes its time", {{"length_pct", 200}}}},
      .rewrite = rewrite,
      .traits = {.role = Role::stretch},
      .brief = brief,
      .picture = ClockSpec{.length = length_pct},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
