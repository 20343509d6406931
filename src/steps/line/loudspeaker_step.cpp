// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/bend.h"
#include "dsp/biquad.h"
#include "dsp/carrier.h"
#include "dsp/cone.h"
#include "dsp/convolver.h"
#include "dsp/delay.h"
#include "dsp/oversampler.h"
#include "dsp/smoothed.h"
#include "steps/common_parameters.h"
#include "steps/line/loudspeaker_response.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { device, drive_db, bass_st, treble_st, age_pct, angle_deg, mix_pct, level };

// As new: the user's own, where there is one that can be read.
std::optional<SpeakerDevice> own_device(const Settings& s) {
  if (s.texts.empty() || s.texts[0].empty()) return std::nullopt;
  return known_speaker_device(s.texts[0]);
}
const SpeakerDevice& listed_device(const Settings& s) {
  return speaker_devices()[static_cast<size_t>(s[device])];
}
SpeakerUse use_of(const Settings& s) {
  return {.bass_st = s[bass_st], .treble_st = s[treble_st], .age_pct = s[age_pct]};
}
Speaker now_of(const Settings& s) {
  const auto own = own_device(s);
  return in_use(own ? own->speaker : listed_device(s).speaker, use_of(s));
}

// All behind the cone as one response: what the body does and what the angle does, each reckoned on
// a grid even in pitch, where a turn costs little.
class SpeakerBody {
 public:
  explicit SpeakerBody(double rate)
      : taps_(static_cast<size_t>(0.06 * rate)), design_(size_of(taps_)), response_(taps_) {
    const double bin_hz = rate / 2 / (design_.places() - 1);
    for (size_t k = 0; k < points; ++k)
      hz_[k] = lowest_hz * std::pow(rate / 2 / lowest_hz, static_cast<double>(k) / (points - 1));
    for (int i = 0; i < design_.places(); ++i) {
      const double at = std::log(std::max(i * bin_hz / lowest_hz, 1.0)) /
                        std::log(rate / 2 / lowest_hz) * (points - 1);
      places_.push_back(static_cast<float>(std::min(at, points - 1.001)));
    }
    gains_db_.resize(places_.size());
  }
  Samples taps() const noexcept { return static_cast<Samples>(taps_); }
  void set_body(const Speaker& d) noexcept {
    for (size_t k = 0; k < points; ++k) body_db_[k] = static_cast<float>(body_db(d, hz_[k]));
  }
  std::span<const float> design(const Speaker& d, double angle) noexcept {
    for (size_t k = 0; k < points; ++k)
      all_db_[k] = body_db_[k] + static_cast<float>(angle_db(d, hz_[k], angle));
    for (size_t i = 0; i < places_.size(); ++i) {
      const auto k = static_cast<size_t>(places_[i]);
      gains_db_[i] =
          all_db_[k] + (places_[i] - static_cast<float>(k)) * (all_db_[k + 1] - all_db_[k]);
    }
    design_.design(gains_db_, response_);
    return response_;
  }

 private:
  static constexpr size_t points = 384;
  static constexpr double lowest_hz = 10;
  static int size_of(size_t taps) {
    int size = 1024;
    while (size < 4 * static_cast<int>(taps)) size *= 2;
    return size;
  }

  size_t taps_;
  MinimumPhase design_;
  std::vector<float> response_, places_, gains_db_;
  std::array<double, points> hz_{};
  std::array<float, points> body_db_{}, all_db_{};
};

// Loose parts buzz while the cone moves farther than they hold.
class Rattle {
 public:
  void set(double hz, double rate) noexcept {
    high_.set(design_biquad(BiquadKind::high_pass, std::min(hz, 0.4 * rate), 2, 0, rate));
    low_.set(design_biquad(BiquadKind::low_pass, std::min(hz, 0.4 * rate), 2, 0, rate));
    rings_ = static_cast<Samples>(0.02 * rate);
  }
  void reset() noexcept {
    high_.reset();
    low_.reset();
    left_ = 0;
  }
  /// `at`: from where it buzzes; `gain`: at twice that and above, frame by frame.
  void add(std::span<const float> moved, std::span<float> out, double at, const float* gain,
           Samples frame, int channel) noexcept {
    for (size_t i = 0; i < out.size(); ++i) {
      const double over = std::abs(static_cast<double>(moved[i])) - at;
      if (over > 0) left_ = rings_;
      if (left_ == 0) continue;
      if (--left_ == 0) {
        reset();
        continue;
      }
      const auto noise = static_cast<double>(frame_noise(frame + static_cast<Samples>(i), channel));
      const double buzz = over > 0 ? noise * std::min(over / at, 1.0) : 0;
      out[i] += gain[i] * static_cast<float>(low_.process(high_.process(buzz)));
    }
  }

 private:
  Biquad high_, low_;
  Samples rings_ = 1, left_ = 0;
};

// Amplifier, cone, what follows the cone, rattle.
class Loudspeaker final : public Processor {
 public:
  Loudspeaker(const Settings& s, StreamFormat format)
      : settings_(s),
        own_(own_device(s)),
        rate_(format.rate),
        channels_(format.channels),
        body_(rate_),
        cone_(channels_),
        lanes_(static_cast<size_t>(channels_)),
        moved_(lanes_.size()),
        dry_(channels_, block + Oversampler::latency()),
        dry_copy_(channels_, Oversampler::most_frames) {
    for (int c = 0; c < channels_; ++c) through_.emplace_back(block, body_.taps());
    for (Smoothed* g : glides()) g->prepare(rate_, 20, 0);
    reset();
  }
  void process(const AudioBlock& block_in) noexcept override {
    for (int done = 0; done < block_in.frames();) {
      // Made anew where the convolvers begin a block, so that it goes by the frame.
      if (at_ == 0 && stale_) make_body();
      const int n = std::min({block - at_, block_in.frames() - done, Oversampler::most_frames});
      hear(block_in.part(done, n));
      done += n;
      at_ = (at_ + n) % block;
    }
  }
  Samples latency() const noexcept override { return block + Oversampler::latency(); }
  Samples tail() const noexcept override {
    // The cone's ringing by 80 dB.
    const double ring_s = 9.21 * std::max(now_.q, 0.5) / (std::numbers::pi * now_.resonance_hz);
    return static_cast<Samples>((ring_s + 0.03) * rate_) + body_.taps() + latency();
  }
  void reset() noexcept override {
    if (changed_ || stale_) make_body();
    for (Smoothed* g : glides()) g->jump(g->goal());
    still_ = false;
    cone_.reset();
    dry_.reset();
    for (size_t c = 0; c < lanes_.size(); ++c) {
      through_[c].reset();
      lanes_[c].oversampler.reset();
      lanes_[c].rattle.reset();
      lanes_[c].last = static_cast<float>(bias_.value());
    }
    at_ = 0;
    frame_ = 0;
  }
  void place(Samples frame) noexcept override { frame_ = frame; }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter <= angle_deg && parameter != drive_db) {
      changed_ = changed_ || parameter != angle_deg;
      stale_ = true;
    }
    drive_.set(from_db(settings_[drive_db]));
    mix_.set(settings_[mix_pct] / 100);
  }

 private:
  static constexpr int block = 256;
  using Values = std::array<float, Oversampler::most_frames>;
  struct Lane {
    Oversampler oversampler;
    Rattle rattle;
    float last = 0;  // of the driven, oversampled sound
  };

  std::array<Smoothed*, 9> glides() noexcept {
    return {&drive_, &mix_, &warped_, &damping_, &stiffening_, &clip_, &soft_, &bias_, &rattle_};
  }
  // Where all that glides goes to.
  void aim() noexcept {
    drive_.set(from_db(settings_[drive_db]));
    mix_.set(settings_[mix_pct] / 100);
    warped_.set(std::tan(std::numbers::pi * std::min(now_.resonance_hz / rate_, 0.45)));
    damping_.set(1 / now_.q);
    stiffening_.set(1 / (from_db(now_.excursion_dbfs) * from_db(now_.excursion_dbfs)));
    clip_.set(from_db(now_.clip_dbfs));
    soft_.set(now_.clip == Bend::soft);
    bias_.set(now_.bias);
    rattle_.set(now_.rattle_db <= -60 ? 0 : from_db(now_.rattle_db));
    for (auto& lane : lanes_) lane.rattle.set(now_.rattle_hz, rate_);
  }
  void make_body() noexcept {
    if (std::exchange(changed_, false)) {
      now_ = in_use(own_ ? own_->speaker : listed_device(settings_).speaker, use_of(settings_));
      aim();
      body_.set_body(now_);
    }
    stale_ = false;
    const auto response = body_.design(now_, settings_[angle_deg]);
    for (auto& t : through_) t.set(response);
  }
  // The amplifier, at eight times the rate. In: driven.
  void amplify(Lane& lane, std::span<float> sound) noexcept {
    const size_t n = sound.size();
    for (size_t i = 0; i < n; ++i) sound[i] *= gain_in_[i];
    Oversampler::Planes driven, out;
    lane.oversampler.up(sound, driven);
    if (lopsided_)
      for (auto& p : driven)
        for (size_t i = 0; i < n; ++i) p[i] += offset_[i];
    std::array<float, Oversampler::most_frames + 1> last;  // NOLINT
    last[0] = std::exchange(lane.last, driven.back()[n - 1]);
    std::copy_n(driven.back().begin(), n, last.begin() + 1);
    for (size_t p = 0; p < out.size(); ++p) {
      const float* before = p == 0 ? last.data() : driven[p - 1].data();
      for (size_t i = 0; i < n; ++i) out[p][i] = -rest_[i];
      if (some_soft_)
        add_bent(Bend::soft, before, driven[p].data(), soft_out_.data(), out[p].data(), n);
      if (some_hard_)
        add_bent(Bend::hard, before, driven[p].data(), hard_out_.data(), out[p].data(), n);
    }
    lane.oversampler.down(out, sound);
  }
  void glide(size_t n) noexcept {
    // Where nothing moves all of it stays as it is.
    const bool still = std::ranges::none_of(glides(), [](Smoothed* g) { return g->moving(); });
    if (still && still_) return;
    still_ = still;
    if (still) n = gain_in_.size();
    Values drive, clip, soft;
    drive_.next(std::span(drive).first(n));
    clip_.next(std::span(clip).first(n));
    some_soft_ = soft_.moving() || soft_.value() > 0;
    some_hard_ = soft_.moving() || soft_.value() < 1;
    soft_.next(std::span(soft).first(n));
    lopsided_ = bias_.moving() || bias_.value() > 0;
    bias_.next(std::span(offset_).first(n));
    mix_.next(std::span(mix_now_).first(n));
    warped_.next(std::span(motion_.warped).first(n));
    damping_.next(std::span(motion_.damping).first(n));
    stiffening_.next(std::span(motion_.stiffening).first(n));
    for (size_t i = 0; i < n; ++i) {
      gain_in_[i] = drive[i] / clip[i];
      // A lopsided one works where its curve is less steep.
      const float steep = 1 + offset_[i] * offset_[i];
      soft_out_[i] = soft[i] * clip[i] * steep * std::sqrt(steep);
      hard_out_[i] = (1 - soft[i]) * clip[i];
    }
    // What leaves where nothing enters, by the same sums, so that it is taken away to the last bit.
    rest_.fill(0);
    if (some_soft_)
      add_bent(Bend::soft, offset_.data(), offset_.data(), soft_out_.data(), rest_.data(), n);
    if (some_hard_)
      add_bent(Bend::hard, offset_.data(), offset_.data(), hard_out_.data(), rest_.data(), n);
  }
  // Within a block of the convolvers.
  void hear(const AudioBlock& x) noexcept {
    const auto n = static_cast<size_t>(x.frames());
    if (n == 0) return;
    const auto dry = dry_copy_.block(0, x.frames());
    dry.copy_from(x);
    dry_.process(dry);
    glide(n);
    for (size_t c = 0; c < lanes_.size(); ++c) amplify(lanes_[c], x.channel(static_cast<int>(c)));
    cone_.process(x, motion_, moved_);
    const bool rattles = rattle_.moving() || rattle_.value() > 0;
    Values rattle;  // NOLINT: filled as far as it is read
    rattle_.next(std::span(rattle).first(n));
    for (size_t c = 0; c < lanes_.size(); ++c) {
      const auto sound = x.channel(static_cast<int>(c));
      if (rattles)
        lanes_[c].rattle.add(std::span(moved_[c]).first(n), sound, from_db(now_.rattle_at_dbfs),
                             rattle.data(), frame_, static_cast<int>(c));
      through_[c].process(sound);
      const auto d = dry.channel(static_cast<int>(c));
      for (size_t i = 0; i < n; ++i) sound[i] = d[i] + mix_now_[i] * (sound[i] - d[i]);
    }
    frame_ += x.frames();
  }

  Settings settings_;
  std::optional<SpeakerDevice> own_;
  double rate_;
  int channels_;
  SpeakerBody body_;
  Speaker now_;  // as it is used
  Cone cone_;
  bool still_ =
      false;  // what glides has come to its goals, and all that follows from it is reckoned
  std::vector<Lane> lanes_;
  std::vector<std::array<float, Cone::most_frames>> moved_;
  std::vector<Convolver> through_;
  Delay dry_;
  AudioBuffer dry_copy_;
  Smoothed drive_, mix_, warped_, damping_, stiffening_, clip_, soft_, bias_, rattle_;
  Cone::Motion motion_{};
  Values gain_in_{}, offset_{}, soft_out_{}, hard_out_{}, rest_{}, mix_now_{};
  bool some_soft_ = false, some_hard_ = true, lopsided_ = false, changed_ = true, stale_ = false;
  int at_ = 0;
  Samples frame_ = 0;
};

std::vector<double> response(const Settings& s, std::span<const double> hz) {
  const Speaker now = now_of(s);
  std::vector<double> out;
  for (const double f : hz)
    out.push_back(cone_db(now, f) + body_db(now, f) + angle_db(now, f, s[angle_deg]));
  return out;
}
std::vector<double> distortion(const Settings& s, std::span<const double> level_db,
                               bool at_resonance) {
  const Speaker now = now_of(s);
  std::vector<double> out;
  for (const double db : level_db)
    out.push_back(distortion_pct(now, db + s[drive_db], at_resonance));
  return out;
}
double directivity(const Settings& s, double hz, double angle) {
  return angle_db(now_of(s), hz, angle);
}
std::pair<double, double> ends(const Settings& s) {
  const Speaker now = now_of(s);
  return {now.box == SpeakerBox::horn ? now.horn_hz : now.resonance_hz, now.upper_hz};
}

double clips_at(const Settings& s) { return now_of(s).clip_dbfs - s[drive_db]; }

std::vector<Parameter> parameters() {
  std::vector<Choice> of;
  for (const auto& d : speaker_devices()) of.push_back({d.id, d.label});
  const auto moved = [](std::string_view id, std::string_view label, std::string_view help) {
    return Parameter{
        .id = id, .label = label, .unit = "st", .least = -24, .most = 24, .help = help};
  };
  return {choice_parameter("device", "Device", of, 2, "What the sound comes out of."),
          {.id = "drive_db",
           .label = "Drive",
           .unit = "dB",
           .least = -24,
           .most = 30,
           .standard = 0,
           .help = "How far it is driven; 0: as it was made for."},
          moved("bass_st", "Low end", "Moves where it begins to sound, in semitones."),
          moved("treble_st", "High end", "Moves where it ends and its peaks, in semitones."),
          {.id = "age_pct",
           .label = "Age",
           .unit = "%",
           .least = 0,
           .most = 100,
           .standard = 0,
           .help = "Worn: duller, less damped, with more peaks and loose parts."},
          {.id = "angle_deg",
           .label = "Angle",
           .unit = "deg",
           .least = 0,
           .most = 180,
           .standard = 0,
           .help = "Where one stands: 0 in front of it, 180 behind it."},
          mix_parameter(100),
          level_parameter()};
}

}  // namespace

const StepType& loudspeaker_step() {
  static const StepType type{
      .id = "loudspeaker",
      .label = "Loudspeaker",
      .summary = "the device that a sound comes out of",
      .family = Family::line,
      .parameters = parameters(),
      .texts = {{.id = "own",
                 .label = "Own device",
                 .help = "A description of a device, or a measured response as lines of Hz and dB.",
                 .files = "*.json *.csv *.txt",
                 .fault = speaker_file_fault}},
      .starting_points =
          {{"Laptop", "is it still understood?", {{"device", 2}}},
           {"Earpiece", "behind the telephone step", {{"device", 0}}},
           {"Galley wireless", "an old set, a little loose", {{"device", 4}, {"age_pct", 40}}},
           {"Car door", "music and talk from the door", {{"device", 5}, {"drive_db", 4}}},
           {"Pier horn", "announcements outdoors", {{"device", 7}, {"drive_db", 6}}},
           {"Loud-hailer", "shouted over water", {{"device", 8}, {"drive_db", 12}}},
           {"Headphones on a table", "somebody else's", {{"device", 11}, {"angle_deg", 60}}},
           {"Toy", "all it can and more", {{"device", 12}, {"drive_db", 10}}},
           {"Gramophone", "a horn and its peaks", {{"device", 14}, {"age_pct", 50}}}},
      .make = make_work<Loudspeaker>,
      .traits = {.role = Role::loudspeaker,
                 .bends_tone = true,
                 .keeps_level = level_is_kept<level>},
      .brief =
          [](const Settings& s) {
            const auto own = own_device(s);
            return own ? own->label : listed_device(s).label;
          },
      .picture = LoudspeakerSpec{.response_db = response,
                                 .distortion_pct = distortion,
                                 .directivity_db = directivity,
                                 .ends_hz = ends,
                                 .clips_at_db = clips_at,
                                 .low = bass_st,
                                 .high = treble_st,
                                 .drive = drive_db,
                                 .angle = angle_deg},
      .revision = 3,
  };
  return type;
}

}  // namespace drevan
