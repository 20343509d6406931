// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>

#include "audio/decibel.h"
#include "dsp/hum_tracker.h"
#include "dsp/smoothed.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { mains, depth_db, harmonics };
enum Mains : int { either, fifty, sixty };

class Learn final : public Learner {
 public:
  Learn(int which, StreamFormat format) {
    if (which != sixty) trackers_.emplace_back(format, 49.0, 51.0);
    if (which != fifty) trackers_.emplace_back(format, 59.0, 61.0);
  }
  void hear(const AudioBlock& block) override {
    for (auto& t : trackers_) t.hear(block);
  }
  // Of two hums the one that stands out more.
  Findings findings() const override {
    Findings best;
    double most = 0;
    for (const auto& t : trackers_)
      if (const auto track = t.find()) {
        double sum = 0;
        for (const float v : track->hum.above_db) sum += static_cast<double>(v);
        if (sum > most) most = sum, best = {to_floats(*track)};
      }
    return best;
  }

 private:
  std::vector<HumTracker> trackers_;
};

// The finding says what hums at every moment of the clip; it is made anew and taken off.
class HumRemoval final : public Processor {
 public:
  HumRemoval(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s),
        maker_(format.channels),
        hum_(static_cast<size_t>(format.channels)),
        spans_(hum_.size()) {
    maker_.set_harmonics(static_cast<int>(s[harmonics]));
    // Kept for its room, so that taking on another one like it takes no memory.
    if (read_hum_track(found.values, next_)) take(next_);
    amount_.prepare(format.rate, 5, wanted());
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk);
      remove(block.part(done, n));
      done += n;
    }
  }
  void reset() noexcept override {
    come();
    amount_.jump(wanted());
    maker_.seek(0);
  }
  void place(Samples frame) noexcept override { maker_.seek(frame); }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    harmonics_changed_ = static_cast<int>(settings_[harmonics]) != harmonics_;
    amount_.set(goal());
  }
  void set_findings(const Findings& found) noexcept override {
    read_hum_track(found.values, next_);
    waits_ = true;
    amount_.set(goal());
  }

 private:
  static constexpr int chunk = 256;
  double wanted() const { return known_ ? 1 - from_db(-settings_[depth_db]) : 0; }
  // Another hum, and more or fewer harmonics, come when the present one has faded.
  double goal() const { return waits_ || harmonics_changed_ ? 0 : wanted(); }

  void take(const HumTrack& track) {
    known_ = !track.cycles.empty();
    maker_.set_track(track);
  }
  void swap() noexcept {
    take(next_);
    waits_ = false;
  }

  void remove(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    for (size_t c = 0; c < hum_.size(); ++c) spans_[c] = std::span(hum_[c]).first(n);
    maker_.next(spans_);
    for (size_t i = 0; i < n; ++i) {
      const auto amount = static_cast<float>(amount_.next());
      if (amount == 0) continue;
      for (size_t c = 0; c < hum_.size(); ++c)
        block.channel(static_cast<int>(c))[i] -= amount * hum_[c][i];
    }
    if ((!waits_ && !harmonics_changed_) || amount_.value() != 0) return;
    come();
    amount_.set(wanted());
  }
  // What waited until the hum before it had faded.
  void come() noexcept {
    if (waits_) swap();
    harmonics_ = static_cast<int>(settings_[harmonics]);
    harmonics_changed_ = false;
    maker_.set_harmonics(harmonics_);
  }

  Settings settings_;
  bool known_ = false, waits_ = false, harmonics_changed_ = false;
  int harmonics_ = static_cast<int>(settings_[harmonics]);
  HumMaker maker_;
  HumTrack next_;
  std::vector<std::array<float, chunk>> hum_;
  std::vector<std::span<float>> spans_;
  Smoothed amount_;
};

std::unique_ptr<Learner> learn(const Settings& s, StreamFormat format) {
  return std::make_unique<Learn>(static_cast<int>(s[mains]), format);
}
std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<HumRemoval>(s, found, format);
}
// What a line that stands out is cut to, in the picture.
double response_db(const Settings&, double, double) { return 0; }
// Mains frequencies times the highest harmonic.
std::pair<double, double> looks_at_hz(const Settings& s) { return {49, 61 * s[harmonics]}; }
std::vector<FoundLine> found_lines(const Settings& s, const Findings& found) {
  std::vector<FoundLine> out;
  const auto track = hum_track_from(found.values);
  if (!track) return out;
  const Hum& hum = track->hum;
  for (int h = 0; h < std::min(most_hum_harmonics, static_cast<int>(s[harmonics])); ++h)
    if (hum.above_db[static_cast<size_t>(h)] > 0) out.push_back({(h + 1) * hum.hz, -s[depth_db]});
  return out;
}
std::string brief(const Settings& s) { return fmt::format("down {:.0f} dB", s[depth_db]); }

}  // namespace

const StepType& hum_removal_step() {
  static const StepType type{
      .id = "hum-removal",
      .label = "Hum removal",
      .summary = "takes mains hum and its harmonics out",
      .family = Family::clean,
      .parameters = {[] {
                       auto p = choice_parameter(
                           "mains", "Mains",
                           {{"either", "Found by itself"}, {"50", "50 Hz"}, {"60", "60 Hz"}},
                           either,
                           "Which hum is looked for; where exactly it lies is always found.");
                       p.learned_from = true;
                       return p;
                     }(),
                     {.id = "depth_db",
                      .label = "Depth",
                      .unit = "dB",
                      .least = 0,
                      .most = 60,
                      .standard = 40,
                      .help = "How far the hum is turned down, in dB."},
                     {.id = "harmonics",
                      .label = "Harmonics",
                      .unit = "",
                      .least = 1,
                      .most = most_hum_harmonics,
                      .standard = most_hum_harmonics,
                      .help = "The highest multiple of the mains frequency that is looked at; only "
                              "those that hum are taken.",
                      .whole = true}},
      .starting_points =
          {{"Ground loop", "a buzz with many harmonics, all of it", {{"depth_db", 60}}},
           {"Transformer near by", "the lowest few only, for a soft hum", {{"harmonics", 6}}},
           {"A room that hums", "turned down, not out: the place stays", {{"depth_db", 14}}}},
      .hears = Hears::whole_clip,
      .finding_follows_time = true,
      .learn = learn,
      .make = make,
      .brief = brief,
      .picture = ResponseSpec{.response_db = response_db,
                              .bands = {{.gain = depth_db, .fixed_hz = 1000}},
                              .least_db = -66,
                              .gains_are_depths = true,
                              .found_lines = found_lines,
                              .looks_at_hz = looks_at_hz},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
