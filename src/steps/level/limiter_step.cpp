// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/envelope.h"
#include "dsp/gain.h"
#include "dsp/true_peak.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { peak_kind, ceiling_db, drive_db, look_ahead_ms, release_ms };
enum Kind : int { sample_peak, true_peak };

constexpr double most_look_ahead_ms = 10;
// Between its own interpolator and others' a true peak differs by this much.
constexpr double true_peak_margin_db = 0.06;

// The gain a peak asks for is spread over the look-ahead: the largest reduction that is coming is
// held, then averaged over the same time, so the gain glides down and is there when the peak is. No
// value in that mean is below what any sample under it asks for, so no sample passes the ceiling.
// A true peak is made by its neighbours, too: it is held for half the interpolator's length more on either side.
class Limiter final : public Processor {
 public:
  Limiter(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        ahead_(frames(most_look_ahead_ms) + around),
        delay_(format.channels, ahead_ + around),
        detector_(format.channels),
        level_(format.channels, around),
        lag_(ahead_),
        coming_(ahead_ + 2 * around),
        mean_(ahead_) {
    drive_.prepare(rate_, s[drive_db]);
    level_copy_ = AudioBuffer(format.channels, chunk);
    time();
  }

  void process(const AudioBlock& block) noexcept override {
    drive_.process(block);
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk);
      limit(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return delay_.frames(); }
  void reset() noexcept override {
    drive_.settle();
    delay_.reset();
    detector_.reset();
    level_.reset();
    lag_.reset();
    coming_.reset();
    mean_.reset();
    fast_.reset();
    slow_.reset();
    level_db_ = silence_db;
    reduced_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    drive_.set_db(settings_[drive_db]);
    time();
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_db_);
    out[1] = static_cast<float>(reduced_);
    return 2;
  }

 private:
  static constexpr int chunk = 128;
  static constexpr int around = TruePeakDetector::delay();

  int frames(double ms) const {
    return std::max(1, static_cast<int>(std::lround(ms * rate_ / 1000)));
  }
  void time() noexcept {
    // Let go at once after a short peak, slowly under a dense programme: two detectors, the stronger
    // of which holds.
    fast_.set(0, settings_[release_ms], rate_);
    slow_.set(200, 6 * settings_[release_ms], rate_);
    const int glide = frames(settings_[look_ahead_ms]);
    mean_.set_length(glide);
    coming_.set_length(glide + 2 * around);
    wait_ = ahead_ - around + 1 - glide;
  }

  void limit(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    const bool between = static_cast<int>(settings_[peak_kind]) == true_peak;
    std::array<float, chunk> peaks{};
    const double ceiling = settings_[ceiling_db] - (between ? true_peak_margin_db : 0);
    const auto most = static_cast<float>(from_db(ceiling));
    if (between) {
      detector_.process(block, std::span(peaks).first(n), most);
    } else {
      // Held back as much as the true peaks are, so that switching changes no timing.
      const auto copy = level_copy_.block(0, block.frames());
      copy.copy_from(block);
      level_.process(copy);
      for (int c = 0; c < block.channels(); ++c)
        for (size_t i = 0; i < n; ++i) peaks[i] = std::max(peaks[i], std::abs(copy.channel(c)[i]));
    }
    delay_.process(block);
    for (size_t i = 0; i < n; ++i) {
      double wanted = 0;
      if (peaks[i] > most) wanted = to_db(static_cast<double>(peaks[i])) - ceiling;
      const double held = coming_.process(lag_.process(wanted, wait_));
      const double reduced = std::max(fast_.process(held), slow_.process(held));
      reduced_ = mean_.process(reduced);
      const float gain = reduced_ > 0 ? static_cast<float>(from_db(-reduced_)) : 1.0F;
      for (int c = 0; c < block.channels(); ++c) {
        float& x = block.channel(c)[i];
        x *= gain;
        if (!between) x = std::clamp(x, -most, most);  // the last bit of rounding
      }
    }
    if (n > 0) level_db_ = to_db(static_cast<double>(peaks[n - 1]));
  }

  Settings settings_;
  double rate_;
  int ahead_;
  GlidingGain drive_;
  Delay delay_;
  TruePeakDetector detector_;
  Delay level_;
  AudioBuffer level_copy_;
  LagLine lag_;
  int wait_ = 0;
  SlidingMaximum coming_;
  MovingMean mean_;
  BranchingDetector fast_, slow_;
  double level_db_ = silence_db, reduced_ = 0;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Limiter>(s, format);
}

double transfer_db(const Settings& s, double in_db) {
  return std::min(in_db + s[drive_db], s[ceiling_db]);
}

std::string brief(const Settings& s) {
  return fmt::format("{} {:.1f}",
                     static_cast<int>(s[peak_kind]) == true_peak ? "true peak" : "peak",
                     s[ceiling_db]);
}

}  // namespace

const StepType& limiter_step() {
  static const StepType type{
      .id = "limiter",
      .label = "Limiter",
      .summary = "lets nothing pass its ceiling",
      .family = Family::level,
      .parameters =
          {choice_parameter(
               "measure", "Ceiling of",
               {{"sample_peak", "Sample peak"}, {"true_peak", "True peak"}}, true_peak,
               "Whether no sample, or no peak between samples (dBTP), passes the ceiling."),
           {.id = "ceiling_db",
            .label = "Ceiling",
            .unit = "dB",
            .least = -30,
            .most = 0,
            .standard = -1,
            .help = "The highest peak that comes out, in dBFS or dBTP."},
           {.id = "drive_db",
            .label = "Drive",
            .unit = "dB",
            .least = 0,
            .most = 24,
            .standard = 0,
            .help = "Gain before the ceiling, in dB: how far everything below it is lifted."},
           {.id = "look_ahead_ms",
            .label = "Look-ahead",
            .unit = "ms",
            .least = 0.5,
            .most = most_look_ahead_ms,
            .standard = 4,
            .help = "How early it begins to turn down before a peak, in ms. Longer is softer."},
           {.id = "release_ms",
            .label = "Release",
            .unit = "ms",
            .least = 10,
            .most = 1000,
            .standard = 100,
            .scale = Scale::logarithmic,
            .help =
                "How soon it lets go after a single peak, in ms; under a dense programme it takes "
                "longer by itself."}},
      .starting_points = {{"Voice, last step",
                           "keeps stray peaks of a voice under -1 dBTP",
                           {{"ceiling_db", -1}}},
                          {"Just under full scale",
                           "for a file that is not coded any further",
                           {{"measure", sample_peak}, {"ceiling_db", -0.1}, {"release_ms", 100}}},
                          {"Dense and near",
                           "everything close to the listener",
                           {{"ceiling_db", -2}, {"drive_db", 6}, {"release_ms", 60}}}},
      .make = make,
      .traits = {.role = Role::limiter, .bends_level = true, .tells = Tells::reduction},
      .brief = brief,
      .picture = TransferSpec{.transfer_db = transfer_db, .ceiling = ceiling_db, .drive = drive_db},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
