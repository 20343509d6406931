// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <optional>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/biquad.h"
#include "dsp/convolver.h"
#include "dsp/sound_way.h"
#include "steps/places/acoustics_places.h"
#include "steps/places/acoustics_scene.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

using P = AcousticsParameter;

int sources_of(const Settings& s, int channels) {
  return s[P::sides] == both_sides ? std::min(channels, 2) : 1;
}
int channels_out(const Settings& s, int) {
  return static_cast<ListenerKind>(static_cast<int>(s[P::listener])) == ListenerKind::mono ? 1 : 2;
}

// Empty where it was never set.
std::string text_in(const Settings& s, size_t i) { return i < s.texts.size() ? s.texts[i] : ""; }

// The user's ears, where there are some that can be read, or the standard ones.
std::shared_ptr<const Ears> ears_for(const Settings& s, double rate) {
  if (static_cast<int>(s[P::listener]) != static_cast<int>(ListenerKind::headphones))
    return nullptr;
  const std::string own = text_in(s, ears_text);
  for (const auto& file : {own, std::string()}) {
    try {
      return Ears::load(file, rate);
    } catch (const Error&) {  // told by plan_flaws()
    }
  }
  return nullptr;
}

// A response in two convolvers: its beginning is made anew as the source moves, the rest when the
// room changes.
class Acoustics final : public Processor {
 public:
  Acoustics(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        sources_(sources_of(s, format.channels)),
        out_(channels_out(s, format.channels)),
        long_block_(long_block(format.rate)),
        head_(static_cast<size_t>(long_block_ - block)),
        drawn_(text_in(s, drawn_text)),
        response_(rate_, ears_for(s, rate_), longest_late_s),
        late_{FloatVector(longest()), FloatVector(longest())},
        early_{FloatVector(head_), FloatVector(head_)},
        sound_(sources_, block),
        ears_(2, block),
        sum_(block) {
    for (auto& shelf : low_end_)
      shelf.set(design_biquad(BiquadKind::low_shelf, low_end_hz(s), std::numbers::sqrt2 / 2,
                              s[P::low_end_db], rate_));
    for (int i = 0; i < sources_; ++i)
      for (int ear = 0; ear < 2; ++ear) heads_.emplace_back(block, static_cast<Samples>(head_));
    for (int ear = 0; ear < 2; ++ear)
      tails_.emplace_back(long_block_, static_cast<Samples>(longest() - head_));
    if (travels())
      for (int i = 0; i < sources_; ++i) ways_.emplace_back(rate_, block, 2.4 * farthest_m);
    reset();
  }
  void process(const AudioBlock& x) noexcept override {
    for (int done = 0; done < x.frames();) {
      if (at_ == 0) move();
      const int n = std::min(block - at_, x.frames() - done);
      hear(x.part(done, n));
      done += n;
      at_ = (at_ + n) % block;
      frame_ += n;
    }
  }
  Samples latency() const noexcept override {
    return block + response_.lead() + (travels() ? SoundWay::latency() : 0);
  }
  Samples tail() const noexcept override {
    if (part() == AcousticsPart::early) {
      const double way_s = travels() ? 2.4 * farthest_m / sound_m_s : 0;
      return static_cast<Samples>((echoes_s + way_s) * rate_) + long_block_;
    }
    double longest = 0.1;
    for (size_t b = 0; b < octave_count; ++b) longest = std::max(longest, eyring_s(scene_.room, b));
    const double way_s = travels() ? 2.4 * farthest_m / sound_m_s : 0;
    return static_cast<Samples>(
               (std::min(std::max(1.34 * longest + 0.1, echoes_s), longest_late_s) + way_s) *
               rate_) +
           long_block_;
  }
  void reset() noexcept override {
    scene_ = room_scene(settings_);
    frame_ = 0;
    gone_m_ = 0;
    paced_from_ = 0;
    for (auto& shelf : low_end_) shelf.reset();
    at_ = 0;
    blocks_ = 0;
    room_changed_ = false;
    put(goal_at(frame_) - scene_.listener);
    make_late();
    make_early();
    for (auto& h : heads_) h.reset();
    for (auto& t : tails_) t.reset();
    begin_ways();
  }
  void place(Samples frame) noexcept override {
    frame_ = frame;
    gone_m_ = 0;
    paced_from_ = 0;
    const Place way = goal_at(frame_) - scene_.listener;
    if ((way - way_).length() > 0) {
      put(way);
      response_.set(scene_);
      make_early();
      for (auto& h : heads_) h.reset();
    }
    begin_ways();
  }
  void follow(int parameter, const Curve* curve) noexcept override {
    if (parameter != P::pace_m_s) return;
    go_on_from_here();
    pace_ = curve;
    if (pace_) gone_m_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    // Another pace goes on from where it is. What follows a curve is told by the curve.
    if (parameter == P::pace_m_s) {
      if (!pace_) go_on_from_here();
      settings_.values[P::pace_m_s] = value;
      return;
    }
    settings_.values[static_cast<size_t>(parameter)] = value;
    const bool source = (parameter >= P::azimuth_deg && parameter <= P::distance_m) ||
                        (parameter >= P::x_m && parameter <= P::z_m) || parameter == P::path_m;
    if (!source) room_changed_ = late_stale_ = true;
  }
  int readings(std::span<float> out) const noexcept override {
    const Place here = scene_.listener + way_;
    out[0] = static_cast<float>(here.x);
    out[1] = static_cast<float>(here.y);
    out[2] = static_cast<float>(here.z);
    return 3;
  }

 private:
  static constexpr int block = 256;
  static constexpr double echoes_s = 0.5;  // after which no echo comes outdoors
  // Some 85 ms.
  static int long_block(double rate) {
    int size = 1024;
    while (size < 0.08 * rate) size *= 2;
    return size;
  }
  size_t longest() const { return static_cast<size_t>(longest_late_s * rate_); }
  AcousticsPart part() const {
    return static_cast<AcousticsPart>(static_cast<int>(settings_[P::part]));
  }
  bool travels() const { return settings_[P::travel] > 0; }
  double seconds(Samples frame) const { return static_cast<double>(frame) / rate_; }
  // How far it has gone along its path.
  double gone_m(Samples frame) const {
    return pace_ ? integral_to(*pace_, seconds(frame))
                 : gone_m_ + settings_[P::pace_m_s] * seconds(frame - paced_from_);
  }
  void go_on_from_here() noexcept {
    gone_m_ = gone_m(frame_);
    paced_from_ = frame_;
  }
  Place goal_at(Samples frame) const { return source_at(settings_, scene_, drawn_, gone_m(frame)); }

  void put(const Place& way) noexcept {
    way_ = way;
    put_sources(settings_, within_room(scene_.room, scene_.listener + way, 0.15), sources_, scene_);
  }
  // Where the source was before, had it always gone its path.
  void begin_ways() noexcept {
    RoomScene then = scene_;
    for (size_t i = 0; i < ways_.size(); ++i)
      ways_[i].reset([&](size_t blocks) {
        const Place at = goal_at(frame_ - static_cast<Samples>(blocks) * block);
        put_sources(settings_, at, sources_, then);
        return way_m(then, static_cast<int>(i));
      });
  }
  // Where the convolvers begin a block: a new place for the source, and what follows from it.
  void move() noexcept {
    if (room_changed_) {
      scene_ = room_scene(settings_);
      put(way_);
      early_stale_ = true;
      room_changed_ = false;
    }
    // Glides to where it is to be as the listener sees it, but follows its path as it is.
    const Place to = goal_at(frame_ + block) - scene_.listener;
    const bool on_path = settings_[P::path] > 0 && (pace_ || settings_[P::pace_m_s] != 0);
    const double k = on_path ? 1 : 1 - std::exp(-block / (0.02 * rate_));
    Place next = way_ + (to - way_) * k;
    const bool there = (to - next).length() < 1e-4;
    if (there) next = to;
    if ((next - way_).length() > 0) {
      put(next);
      early_stale_ = true;
    }
    // The room answers to where it has come, or is by far.
    const double far = way_.length() / std::max(late_m_, nearest_m);
    if ((there && !on_path && way_.length() != late_m_) || far > 1.15 || far < 0.87)
      late_stale_ = true;
    for (size_t i = 0; i < ways_.size(); ++i) ways_[i].begin(way_m(scene_, static_cast<int>(i)));
    // Every other block, so that one fade ends before the next.
    if (blocks_ % 2 == 0 && early_stale_) {
      response_.set(scene_);
      make_early();
    }
    // The rest as its convolvers begin a block, every other one.
    if (blocks_ % (2 * long_block_ / block) == 0 && late_stale_) make_late();
    ++blocks_;
  }
  void make_early() noexcept {
    early_stale_ = false;
    for (int i = 0; i < sources_; ++i) {
      for (size_t ear = 0; ear < 2; ++ear)
        std::copy_n(late_[ear].begin(), head_, early_[ear].begin());
      add_early(i, early_[0], early_[1]);
      for (size_t ear = 0; ear < 2; ++ear)
        heads_[static_cast<size_t>(2 * i) + ear].set(early_[ear]);
    }
  }
  void make_late() noexcept {
    late_stale_ = false;
    early_stale_ = true;
    late_m_ = way_.length();
    response_.set(scene_);
    const size_t echoes = head_ + static_cast<size_t>(echoes_s * rate_);
    size_t used = std::max(response_.make_late(late_[0], late_[1]), echoes);
    if (part() == AcousticsPart::early) {
      for (auto& ear : late_) std::ranges::fill(ear, 0.0F);
      used = echoes;
    }
    // What comes by walls and echoes after the beginning, where one source stands for both; the
    // beginning itself is each source's own.
    for (size_t ear = 0; ear < 2; ++ear)
      std::copy_n(late_[ear].begin(), head_, early_[ear].begin());
    add_early(0, std::span(late_[0]).first(used), std::span(late_[1]).first(used));
    for (size_t ear = 0; ear < 2; ++ear) {
      std::copy_n(early_[ear].begin(), head_, late_[ear].begin());
      tails_[ear].set(std::span<const float>(late_[ear]).first(used).subspan(head_));
    }
  }

  void add_early(int source, std::span<float> left, std::span<float> right) noexcept {
    if (part() != AcousticsPart::late) response_.add_early(source, left, right);
  }

  void hear(const AudioBlock& x) noexcept {
    const auto n = static_cast<size_t>(x.frames());
    const AudioBlock in = sound_.block(0, x.frames()), ears = ears_.block(0, x.frames());
    // Of more than two channels: centre and surrounds 3 dB down, as in ITU-R BS.775.
    const int only = static_cast<int>(settings_[P::sides]) - 1;
    for (int s = 0; s < sources_; ++s) {
      const int from = only >= 0 && x.channels() > 1 ? only : s;
      const auto to = in.channel(s);
      std::copy_n(x.channel(from).begin(), n, to.begin());
      for (int c = 2; c < x.channels(); ++c) {
        if (c == 3 || (c >= 4 && c % 2 != from)) continue;
        for (size_t i = 0; i < n; ++i) to[i] += 0.7071F * x.channel(c)[i];
      }
      if (settings_[P::low_end_db] > 0)
        for (size_t i = 0; i < n; ++i)
          to[i] = static_cast<float>(
              low_end_[static_cast<size_t>(s)].process(static_cast<double>(to[i])));
    }
    for (size_t i = 0; i < ways_.size(); ++i) ways_[i].process(in.channel(static_cast<int>(i)));
    const auto sum = std::span(sum_).first(n);
    std::ranges::fill(sum, 0.0F);
    for (int s = 0; s < sources_; ++s)
      for (size_t i = 0; i < n; ++i) sum[i] += in.channel(s)[i];
    for (size_t ear = 0; ear < 2; ++ear) {
      const auto out = ears.channel(static_cast<int>(ear));
      std::ranges::copy(sum, out.begin());
      tails_[ear].process(out);
      for (int s = 0; s < sources_; ++s) {
        const auto part = std::span(part_).first(n);
        std::ranges::copy(in.channel(s), part.begin());
        heads_[static_cast<size_t>(2 * s) + ear].process(part);
        for (size_t i = 0; i < n; ++i) out[i] += part[i];
      }
      if (static_cast<int>(ear) < out_)
        std::ranges::copy(out, x.channel(static_cast<int>(ear)).begin());
    }
  }
  Settings settings_;
  double rate_;
  int sources_, out_, long_block_;
  size_t head_;
  DrawnPath drawn_;
  RoomResponse response_;
  std::array<FloatVector, 2> late_, early_;
  std::vector<Convolver> heads_, tails_;  // heads: source by source, its left and its right ear
  std::vector<SoundWay> ways_;            // none: travel time is left out
  AudioBuffer sound_, ears_;
  std::vector<float> sum_;
  std::array<float, block> part_{};
  std::array<Biquad, 2> low_end_;
  RoomScene scene_;
  Place way_;           // from the listener to the source
  double late_m_ = -1;  // how far the source was when the late sound was made
  Samples frame_ = 0, blocks_ = 0;
  const Curve* pace_ = nullptr;  // that the pace follows
  double gone_m_ = 0;            // where the pace was turned last, and when
  Samples paced_from_ = 0;
  int at_ = 0;
  bool room_changed_ = false, early_stale_ = true, late_stale_ = true;
};

PlanView view(const Settings& s, double seconds) {
  RoomScene scene = room_scene(s);
  PlanView v;
  v.size = scene.room.size;
  v.listener = scene.listener;
  const DrawnPath drawn(text_in(s, drawn_text));
  v.source = source_at(s, scene, drawn, s[P::pace_m_s] * seconds, &v.held_back);
  v.outdoors = open_share(scene.room) > 0.6;
  const auto materials = surface_materials();
  constexpr std::array<int, 6> sides{P::left, P::right, P::back, P::front, P::floor, P::ceiling};
  for (size_t i = 0; i < 6; ++i) {
    const auto& m = materials[static_cast<size_t>(s[static_cast<size_t>(sides[i])])];
    v.sides[i] = m.label;
    v.hardness[i] = 1 - (m.absorption[3] + m.absorption[4]) / 2;
  }
  for (size_t b = 0; b < octave_count; ++b) v.decay_s[b] = v.outdoors ? 0 : eyring_s(scene.room, b);
  v.critical_m =
      v.outdoors || scene.room_gain <= 0 ? 0 : critical_m(scene.room, 4) / scene.room_gain;
  if (s[P::path] > 0) {
    const double way = s[P::path] == static_cast<double>(SourcePath::drawn)
                           ? drawn.length_m()
                           : 7 * std::max(s[P::path_m], s[P::distance_m]);
    for (int i = 0; i <= 240; ++i)
      v.path.push_back(source_at(s, scene, drawn, way * i / 240 * (s[P::pace_m_s] < 0 ? -1 : 1)));
  }
  std::vector<RoomImage> images;
  room_images(scene.room, v.source, 1, images);
  for (const auto& image : images) {
    if (image.order == 0 || image.gain[4] < 0.05) continue;
    // Where the way from the image passes the wall.
    const Place way = scene.listener - image.at;
    double share = 0;
    if (image.at.x < 0 || image.at.x > v.size.x)
      share = ((image.at.x < 0 ? 0 : v.size.x) - image.at.x) / way.x;
    if (image.at.y < 0 || image.at.y > v.size.y)
      share = ((image.at.y < 0 ? 0 : v.size.y) - image.at.y) / way.y;
    if (share > 0) v.bounces.push_back(image.at + way * share);
  }
  return v;
}

}  // namespace

const StepType& acoustics_step() {
  static const StepType type{
      .id = "acoustics",
      .label = "Acoustics",
      .summary = "a source somewhere in a room or outdoors, for a listener",
      .family = Family::space,
      .parameters = acoustics_parameters(),
      .texts = {{.id = "ears",
                 .label = "Ears",
                 .help = "A SOFA file with somebody's ears, for headphones; none: a standard head.",
                 .files = "*.sofa",
                 .fault = Ears::fault},
                {.id = "drawn",
                 .label = "Drawn path",
                 .help = "The points of the drawn path, metres to the right and ahead of where the "
                         "source stands: 0 0, 1.5 2, 3 1.2. Drawn on the plan.",
                 .fault = DrawnPath::fault}},
      .starting_points = {acoustic_places().begin(), acoustic_places().end()},
      .takes_over = keep_source_place,
      .make = make_work<Acoustics>,
      .channels_out = channels_out,
      .traits = {.role = Role::place,
                 .bends_tone = true,
                 .spreads_in_time = true,
                 .keeps_level = level_is_kept<P::level>},
      .brief =
          [](const Settings& s) {
            return fmt::format("{:.3g} x {:.3g} m", s[P::width_m], s[P::length_m]);
          },
      .picture = PlanSpec{.view = view,
                          .azimuth = P::azimuth_deg,
                          .elevation = P::elevation_deg,
                          .distance = P::distance_m,
                          .x = P::x_m,
                          .y = P::y_m,
                          .z = P::z_m,
                          .placed = P::placed,
                          .stand_x = P::stand_x_pct,
                          .stand_y = P::stand_y_pct,
                          .width = P::width_m,
                          .length = P::length_m,
                          .height = P::height_m,
                          .turn = P::turn_deg,
                          .faces = P::faces_deg,
                          .path_size = P::path_m,
                          .path = P::path,
                          .drawn_path = static_cast<int>(SourcePath::drawn),
                          .drawn_text = drawn_text,
                          .decay = P::decay_pct,
                          .parts = {"the source", "the listener", "the room"}},
      .run_in_s = 4,
  };
  return type;
}

}  // namespace drevan
