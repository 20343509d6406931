// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <utility>

#include "dsp/convolver.h"
#include "dsp/delay.h"
#include "dsp/late_field.h"
#include "dsp/smoothed.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"
#include "steps/space/wall_loss.h"

namespace drevan {

namespace {

enum : int { material, thickness_mm, opening_m2, room_s, room_pct, mix_pct, level };

Wall wall_of(const Settings& s) {
  return {&wall_materials()[static_cast<size_t>(s[material])], s[thickness_mm], s[opening_m2]};
}

// What comes through, then the room one hears it in.
class BehindWall final : public Processor {
 public:
  BehindWall(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        channels_(format.channels),
        taps_(static_cast<size_t>(0.04 * rate_)),
        design_(size_of(taps_)),
        gains_db_(static_cast<size_t>(design_.places())),
        response_(taps_),
        closed_db_(gains_db_.size()),
        room_(rate_, channels_, channels_, shape()),
        dry_(format.channels, block),
        dry_copy_(format.channels, block) {
    for (int c = 0; c < channels_; ++c) through_.emplace_back(block, static_cast<Samples>(taps_));
    share_.prepare(rate_, 20, s[room_pct] / 100);
    mix_.prepare(rate_, 20, s[mix_pct] / 100);
    reset();
  }
  void process(const AudioBlock& block_in) noexcept override {
    for (int done = 0; done < block_in.frames();) {
      // The wall is made anew where the convolvers begin a block, so that it goes by the frame.
      if (at_ == 0 && stale_) make_wall();
      const int n = std::min(block - at_, block_in.frames() - done);
      hear(block_in.part(done, n));
      done += n;
      at_ = (at_ + n) % block;
    }
  }
  Samples latency() const noexcept override { return block; }
  Samples tail() const noexcept override {
    return static_cast<Samples>((1.6 * settings_[room_s] + 0.1) * rate_) + block +
           static_cast<Samples>(taps_);
  }
  void reset() noexcept override {
    make_wall();
    for (auto& t : through_) t.reset();
    dry_.reset();
    room_.reset();
    entered_ = left_ = {};
    for (Smoothed* s : {&share_, &mix_}) s->jump(s->goal());
    at_ = 0;
    in_chunk_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter <= opening_m2) stale_ = true;
    if (parameter < opening_m2) closed_stale_ = true;
    if (parameter == room_s) room_.set(shape());
    if (parameter == room_pct) share_.set(value / 100);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  static constexpr int block = 256;
  static int size_of(size_t taps) {
    int size = 1024;
    while (size < 4 * static_cast<int>(taps)) size *= 2;
    return size;
  }
  LateFieldShape shape() const {
    const double s = settings_[room_s];
    return {.low_s = 1.2 * s, .middle_s = s, .high_s = 0.7 * s, .high_hz = 4000, .size = 0.5};
  }
  void make_wall() noexcept {
    stale_ = false;
    const Wall wall = wall_of(settings_);
    const double bin_hz = rate_ / 2 / (design_.places() - 1);
    // A door that swings changes only what is open.
    if (std::exchange(closed_stale_, false))
      for (size_t i = 0; i < closed_db_.size(); ++i)
        closed_db_[i] = closed_loss_db(wall, std::max(10.0, static_cast<double>(i) * bin_hz));
    for (size_t i = 0; i < gains_db_.size(); ++i)
      gains_db_[i] = -static_cast<float>(with_opening_db(closed_db_[i], wall.opening_m2));
    design_.design(gains_db_, response_);
    for (auto& t : through_) t.set(response_);
  }
  // Within a block of the convolvers.
  void hear(const AudioBlock& x) noexcept {
    const auto dry = dry_copy_.block(0, x.frames());
    dry.copy_from(x);
    dry_.process(dry);
    for (int c = 0; c < channels_; ++c) through_[static_cast<size_t>(c)].process(x.channel(c));
    for (size_t i = 0; i < static_cast<size_t>(x.frames()); ++i) {
      if (in_chunk_ == 0) room_.begin(left_);
      const auto share = static_cast<float>(share_.next()), mix = static_cast<float>(mix_.next());
      for (int c = 0; c < channels_; ++c) {
        const auto channel = static_cast<size_t>(c);
        float& v = x.channel(c)[i];
        entered_[channel][in_chunk_] = v;
        const float wet = v + share * (left_[channel][in_chunk_] - v), d = dry.channel(c)[i];
        v = d + mix * (wet - d);
      }
      if (++in_chunk_ == SmallLateField::chunk) {
        room_.end(entered_);
        in_chunk_ = 0;
      }
    }
  }

  Settings settings_;
  double rate_;
  int channels_;
  size_t taps_;
  MinimumPhase design_;
  std::vector<float> gains_db_, response_;
  std::vector<double> closed_db_;  // loss of the wall while it is shut
  std::vector<Convolver> through_;
  SmallLateField room_;
  SmallLateField::Channels entered_{}, left_{};
  Delay dry_;
  AudioBuffer dry_copy_;
  Smoothed share_, mix_;
  int at_ = 0;
  size_t in_chunk_ = 0;
  bool stale_ = false, closed_stale_ = true;
};

double response(const Settings& s, double hz, double) { return -wall_loss_db(wall_of(s), hz); }
WallLayers layers(const Settings& s) {
  const Wall wall = wall_of(s);
  const double leaf = wall.material->leaf_mm;
  WallLayers out{.label = wall.material->label, .mm = {}};
  if (leaf == 0 || wall.thickness_mm < 2 * leaf + 3)
    out.mm = {wall.thickness_mm};
  else
    out.mm = {leaf, wall.thickness_mm - 2 * leaf, leaf};
  return out;
}

std::vector<Parameter> parameters() {
  std::vector<Choice> of;
  for (const auto& m : wall_materials()) of.push_back({m.id, m.label});
  Parameter keeps = level_parameter();
  keeps.standard = level_as_it_is;
  return {choice_parameter("material", "Wall", of, 0, "What the wall is made of."),
          {.id = "thickness_mm",
           .label = "Thickness",
           .unit = "mm",
           .least = 1,
           .most = 400,
           .standard = 100,
           .scale = Scale::logarithmic,
           .help = "How thick the wall is; of two leaves, with the air between them."},
          {.id = "opening_m2",
           .label = "Opening",
           .unit = "m2",
           .least = 0,
           .most = 4,
           .standard = 0,
           .help = "How much of its ten square metres is open: a crack, a door. A curve swings it.",
           .off_at = 0},
          {.id = "room_s",
           .label = "Room",
           .unit = "s",
           .least = 0.15,
           .most = 2,
           .standard = 0.4,
           .scale = Scale::logarithmic,
           .help = "How long sound lasts in the room one hears it in."},
          {.id = "room_pct",
           .label = "Of the room",
           .unit = "%",
           .least = 0,
           .most = 100,
           .standard = 30,
           .help = "How much of what is heard comes from that room's walls."},
          mix_parameter(100),
          keeps};
}

}  // namespace

const StepType& wall_step() {
  static const StepType type{
      .id = "wall",
      .label = "Wall",
      .summary = "what stands between the sound and the listener",
      .family = Family::space,
      .parameters = parameters(),
      .starting_points =
          {{"Next room", "through a stud wall", {}},
           {"Thin door",
            "words can just be made out",
            {{"material", 3}, {"thickness_mm", 38}, {"opening_m2", 0.02}}},
           {"Door ajar",
            "give the opening a curve and it swings",
            {{"material", 3}, {"thickness_mm", 38}, {"opening_m2", 0.6}}},
           {"Bulkhead",
            "the cabin beside, in a ship",
            {{"material", 4}, {"thickness_mm", 6}, {"room_s", 0.25}, {"room_pct", 40}}},
           {"Window", "from the street", {{"material", 5}, {"thickness_mm", 5}, {"room_pct", 20}}},
           {"Upstairs",
            "through a floor of concrete",
            {{"material", 2}, {"thickness_mm", 140}, {"level", 0}}},
           {"Curtain", "dull, hardly quieter", {{"material", 8}, {"thickness_mm", 3}}}},
      .make = make_work<BehindWall>,
      .traits = {.role = Role::wall,
                 .bends_tone = true,
                 .spreads_in_time = true,
                 .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return std::string(wall_of(s).material->label); },
      .picture = WallSpec{.response_db = response,
                          .layers = layers,
                          .thickness = thickness_mm,
                          .opening = opening_m2},
      .revision = 3,
  };
  return type;
}

}  // namespace drevan
