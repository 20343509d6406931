#include <fmt/format.h>

#include <array>
#include <cmath>
#include <optional>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/convolver.h"
#include "dsp/fractional_delay.h"
#include "steps/acoustics_places.h"
#include "steps/acoustics_scene.h"
#include "steps/common_parameters.h"
#include "steps/step.h"

namespace drevan {

namespace {

using P = AcousticsParameter;

int sources_of(int channels) { return std::min(channels, 2); }
int channels_out(const Settings& s, int) {
  return static_cast<ListenerKind>(static_cast<int>(s[P::listener])) == ListenerKind::mono ? 1 : 2;
}

// The user's ears, where there are some that can be read, or the standard ones.
std::shared_ptr<const Ears> ears_for(const Settings& s, double rate) {
  if (static_cast<int>(s[P::listener]) != static_cast<int>(ListenerKind::headphones))
    return nullptr;
  const std::string own = s.texts.empty() ? "" : s.texts[0];
  for (const auto& file : {own, std::string()}) {
    try {
      return Ears::load(file, rate);
    } catch (const Error&) {  // told by plan_flaws()
    }
  }
  return nullptr;
}

// How long a moving source's sound is under way: what is heard now left it a while ago, where it was
// then. Distances are told once a block.
class SoundWay {
 public:
  SoundWay(double rate, int block)
      : frames_per_m_(rate / sound_m_s),
        block_(block),
        ways_m_(static_cast<size_t>(most_m * frames_per_m_ / block) + 4),
        line_(most_m * frames_per_m_ + 2 * FractionalDelay::least) {}
  /// `way(n)`: where the source was n blocks before the next one begins.
  template <class Way>
  void reset(Way way) noexcept {
    for (size_t k = 0; k < ways_m_.size(); ++k)
      ways_m_[(at_ + ways_m_.size() - k) % ways_m_.size()] = std::min(way(k), most_m);
    line_.reset();
    heard_m_ = goal_m_ = way_that_arrives();
    step_m_ = 0;
  }
  /// Where the source will be at the end of the block that begins.
  void begin(double way_m) noexcept {
    at_ = (at_ + 1) % ways_m_.size();
    ways_m_[at_] = std::min(way_m, most_m);
    heard_m_ = goal_m_;
    goal_m_ = way_that_arrives();
    step_m_ = (goal_m_ - heard_m_) / block_;
  }
  /// Within that block.
  void process(std::span<float> x) noexcept {
    for (size_t done = 0; done < x.size();) {
      const size_t n = std::min(FractionalDelay::most_run, x.size() - done);
      std::array<double, FractionalDelay::most_run> delays;  // NOLINT
      for (size_t i = 0; i < n; ++i) {
        heard_m_ += step_m_;
        delays[i] = FractionalDelay::least + heard_m_ * frames_per_m_;
      }
      line_.write(x.subspan(done, n));
      line_.read(std::span<const double>(delays).first(n), x.subspan(done, n));
      done += n;
    }
  }

 private:
  static constexpr double most_m = 2.4 * farthest_m;
  // The way that took as long as it is: t = s + way(s) / c, where the way is straight between blocks.
  double way_that_arrives() const noexcept {
    const double blocks_per_m = frames_per_m_ / block_;
    double before = ways_m_[at_];
    for (size_t k = 1; k < ways_m_.size(); ++k) {
      const double way = ways_m_[(at_ + ways_m_.size() - k) % ways_m_.size()];
      const auto left_at = static_cast<double>(k);
      if (way * blocks_per_m <= left_at) {
        const double grows = way - before;  // per block further back
        const double blocks = (before - (left_at - 1) * grows) * blocks_per_m /
                              (1 - grows * blocks_per_m);
        return blocks / blocks_per_m;
      }
      before = way;
    }
    return before;
  }

  double frames_per_m_;
  int block_;
  std::vector<double> ways_m_;
  FractionalDelay line_;
  size_t at_ = 0;
  double heard_m_ = 1, goal_m_ = 1, step_m_ = 0;
};

// A response in two convolvers: its beginning is made anew as the source moves, the rest when the
// room changes.
class Acoustics final : public Processor {
 public:
  Acoustics(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        sources_(sources_of(format.channels)),
        out_(channels_out(s, format.channels)),
        long_block_(long_block(format.rate)),
        head_(static_cast<size_t>(long_block_ - block)),
        response_(rate_, ears_for(s, rate_), longest_late_s),
        late_{FloatVector(longest()), FloatVector(longest())},
        early_{FloatVector(head_), FloatVector(head_)},
        sound_(sources_, block),
        ears_(2, block),
        sum_(block) {
    for (int i = 0; i < sources_; ++i)
      for (int ear = 0; ear < 2; ++ear)
        heads_.emplace_back(block, static_cast<Samples>(head_));
    for (int ear = 0; ear < 2; ++ear)
      tails_.emplace_back(long_block_, static_cast<Samples>(longest() - head_));
    if (travels())
      for (int i = 0; i < sources_; ++i)
        ways_.emplace_back(rate_, block);
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
    return block + response_.lead() +
           (travels() ? static_cast<Samples>(FractionalDelay::least) : 0);
  }
  Samples tail() const noexcept override {
    double longest = 0.1;
    for (size_t b = 0; b < octave_count; ++b)
      longest = std::max(longest, eyring_s(scene_.room, b));
    return static_cast<Samples>((std::min(1.34 * longest, longest_late_s) + 1.2) * rate_) +
           long_block_;
  }
  void reset() noexcept override {
    scene_ = room_scene(settings_);
    frame_ = 0;
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
    put(goal_at(frame_) - scene_.listener);
    response_.set(scene_);
    make_early();
    for (auto& h : heads_) h.reset();
    begin_ways();
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    const bool source = parameter >= P::azimuth_deg && parameter <= P::distance_m;
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
  // Some 85 ms.
  static int long_block(double rate) {
    int size = 1024;
    while (size < 0.08 * rate) size *= 2;
    return size;
  }
  size_t longest() const { return static_cast<size_t>(longest_late_s * rate_); }
  bool travels() const { return settings_[P::travel] > 0; }
  Place goal_at(Samples frame) const {
    const double gone = settings_[P::pace_m_s] * static_cast<double>(frame) / rate_;
    return source_at(settings_, scene_, gone);
  }

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
    const bool on_path = settings_[P::path] > 0 && settings_[P::pace_m_s] != 0;
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
      response_.add_early(i, early_[0], early_[1]);
      for (size_t ear = 0; ear < 2; ++ear)
        heads_[static_cast<size_t>(2 * i) + ear].set(early_[ear]);
    }
  }
  void make_late() noexcept {
    late_stale_ = false;
    early_stale_ = true;
    late_m_ = way_.length();
    response_.set(scene_);
    const size_t used = response_.make_late(late_[0], late_[1]);
    for (size_t ear = 0; ear < 2; ++ear)
      tails_[ear].set(std::span<const float>(late_[ear])
                          .first(std::max(used, head_))
                          .subspan(head_));
  }

  void hear(const AudioBlock& x) noexcept {
    const auto n = static_cast<size_t>(x.frames());
    const AudioBlock in = sound_.block(0, x.frames()), ears = ears_.block(0, x.frames());
    // Of more than two channels: centre and surrounds 3 dB down, as in ITU-R BS.775.
    for (int s = 0; s < sources_; ++s) {
      const auto to = in.channel(s);
      std::copy_n(x.channel(s).begin(), n, to.begin());
      for (int c = 2; c < x.channels(); ++c) {
        if (c == 3 || (c >= 4 && c % 2 != s)) continue;
        for (size_t i = 0; i < n; ++i) to[i] += 0.7071F * x.channel(c)[i];
      }
    }
    for (size_t i = 0; i < ways_.size(); ++i)
      ways_[i].process(in.channel(static_cast<int>(i)));
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
  RoomResponse response_;
  std::array<FloatVector, 2> late_, early_;
  std::vector<Convolver> heads_, tails_;  // heads: source by source, its left and its right ear
  std::vector<SoundWay> ways_;  // none: travel time is left out
  AudioBuffer sound_, ears_;
  std::vector<float> sum_;
  std::array<float, block> part_{};
  RoomScene scene_;
  Place way_;           // from the listener to the source
  double late_m_ = -1;  // how far the source was when the late sound was made
  Samples frame_ = 0, blocks_ = 0;
  int at_ = 0;
  bool room_changed_ = false, early_stale_ = true, late_stale_ = true;
};

PlanView view(const Settings& s, double seconds) {
  RoomScene scene = room_scene(s);
  PlanView v;
  v.size = scene.room.size;
  v.listener = scene.listener;
  v.source = source_at(s, scene, s[P::pace_m_s] * seconds, &v.held_back);
  v.outdoors = open_share(scene.room) > 0.6;
  const auto materials = surface_materials();
  constexpr std::array<int, 6> sides{P::left, P::right, P::back, P::front, P::floor, P::ceiling};
  for (size_t i = 0; i < 6; ++i) {
    const auto& m = materials[static_cast<size_t>(s[static_cast<size_t>(sides[i])])];
    v.sides[i] = m.label;
    v.hardness[i] = 1 - (m.absorption[3] + m.absorption[4]) / 2;
  }
  for (size_t b = 0; b < octave_count; ++b) v.decay_s[b] = v.outdoors ? 0 : eyring_s(scene.room, b);
  v.critical_m = v.outdoors || scene.room_gain <= 0
                     ? 0
                     : critical_m(scene.room, 4) / scene.room_gain;
  if (s[P::path] > 0) {
    const double way = 7 * std::max(s[P::path_m], s[P::distance_m]);
    for (int i = 0; i <= 240; ++i)
      v.path.push_back(source_at(s, scene, way * i / 240 * (s[P::pace_m_s] < 0 ? -1 : 1)));
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

Parameter number(std::string_view id, std::string_view label, std::string_view unit, double least,
                 double most, double standard, int page, std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = unit,
          .least = least,
          .most = most,
          .standard = standard,
          .help = help,
          .page = page};
}
Parameter logarithmic(Parameter p) {
  p.scale = Scale::logarithmic;
  return p;
}
constexpr int the_source = 1, the_listener = 2, the_room = 3;

Parameter surface(std::string_view id, std::string_view label, int standard) {
  std::vector<Choice> of;
  for (const auto& m : surface_materials()) of.push_back({m.id, m.label});
  Parameter p = choice_parameter(id, label, of, standard, "What this side of the room is made of.");
  p.page = the_room;
  p.fixed = true;  // it is turned by making the step anew; no curve
  return p;
}
Parameter on_page(Parameter p, int page, bool fixed = false) {
  p.page = page;
  p.fixed = fixed;
  return p;
}

std::vector<Parameter> parameters() {
  Parameter keeps = level_parameter();
  keeps.standard = level_as_it_is;
  Parameter people =
      logarithmic(number("people", "People", "", 0, 500, 0, the_room, "How many there are in it."));
  people.scale = Scale::linear;
  people.whole = true;
  people.fixed = true;
  Parameter room = number("room_db", "Room", "dB", no_room_db, 20, 0, 0,
                          "The room against the direct sound: lower, and words stay clear.");
  room.off_at = no_room_db;
  Parameter pace = number("pace_m_s", "Pace", "m/s", -100, 100, 1.4, the_source,
                          "How fast it goes along its path; below 0 the other way round.");
  pace.fixed = true;
  return {
      logarithmic(number("width_m", "Width", "m", 0.5, 400, 5, the_room, "From left to right.")),
      logarithmic(number("length_m", "Length", "m", 0.5, 400, 7, the_room, "From back to front.")),
      logarithmic(number("height_m", "Height", "m", 0.5, 100, 2.8, the_room, "Up to the ceiling.")),
      surface("floor", "Floor", 9),
      surface("ceiling", "Ceiling", 4),
      surface("front", "Front wall", 4),
      surface("back", "Back wall", 4),
      surface("left", "Left wall", 4),
      surface("right", "Right wall", 6),
      on_page(number("furniture_pct", "Furniture", "%", 0, 100, 30, the_room,
                     "How much of the floor is taken by things; outdoors: trees and houses."),
              the_room, true),
      people,
      on_page(number("scatter_pct", "Scattering", "%", 0, 95, 30, the_room,
                     "How much the walls send elsewhere instead of back."),
              the_room, true),
      logarithmic(number("decay_pct", "Decay", "%", 25, 400, 100, the_room,
                         "Longer or shorter than such a room would ring.")),
      number("bright_db", "Brightness", "dB", -12, 12, 0, the_room,
             "Lifts what is high of the room and lowers what is deep, or the other way."),
      room,
      number("azimuth_deg", "Direction", "deg", -180, 180, 0, the_source,
             "Where it is: 0 ahead, 90 on the right."),
      number("elevation_deg", "Height angle", "deg", -90, 90, 0, the_source,
             "How far above or below the ears."),
      logarithmic(number("distance_m", "Distance", "m", nearest_m, farthest_m, 2, the_source,
                         "How far away it is; walls keep it inside.")),
      number("spread_deg", "Spread", "deg", 0, 180, 60, the_source,
             "How far the two sides of a stereo sound stand apart."),
      on_page(choice_parameter("radiates", "Radiates",
                               {{"all_round", "to all sides"},
                                {"voice", "as a voice"},
                                {"loudspeaker", "as a loudspeaker"}},
                               1, "To where the source sends its sound."),
              the_source),
      number("faces_deg", "Faces", "deg", -180, 180, 0, the_source,
             "Where it faces: 0 towards the listener, 180 away."),
      on_page(choice_parameter("path", "Path",
                               {{"none", "stands still"},
                                {"ring", "ring round the listener"},
                                {"track", "track"},
                                {"pass_by", "pass-by"},
                                {"to_and_fro", "to and fro"},
                                {"eight", "eight"},
                                {"spiral", "spiral"},
                                {"drift", "drift"},
                                {"approach", "approach"}},
                               0, "How it moves by itself."),
              the_source, true),
      logarithmic(number("path_m", "Path size", "m", 0.2, 400, 6, the_source,
                         "How large its path is.")),
      pace,
      on_page(choice_parameter("travel", "Travel time", {{"off", "left out"}, {"on", "heard"}}, 0,
                               "Heard: sound from afar comes late, and what moves changes its "
                               "pitch. Left out: in step with the picture."),
              the_source, true),
      on_page(choice_parameter("listener", "Listener",
                               {{"headphones", "headphones"},
                                {"spaced", "two microphones, apart"},
                                {"crossed", "two microphones, crossed"},
                                {"mono", "one microphone"}},
                               2, "What hears it."),
              the_listener, true),
      number("turn_deg", "Turn", "deg", -180, 180, 0, the_listener,
             "Where the listener looks: 0 to the front wall, 90 to the right."),
      number("stand_x_pct", "From the left", "%", 0, 100, 50, the_listener,
             "Where the listener is, from the left wall to the right."),
      number("stand_y_pct", "From the back", "%", 0, 100, 35, the_listener,
             "Where the listener is, from the back wall to the front."),
      keeps};
}

}  // namespace

const StepType& acoustics_step() {
  static const StepType type{
      .id = "acoustics",
      .label = "Acoustics",
      .summary = "a source somewhere in a room or outdoors, for a listener",
      .family = Family::space,
      .parameters = parameters(),
      .texts = {{.id = "ears",
                 .label = "Ears",
                 .help = "A SOFA file with somebody's ears, for headphones; none: a standard head.",
                 .files = "*.sofa",
                 .fault = Ears::fault}},
      .starting_points = {acoustic_places().begin(), acoustic_places().end()},
      .make = make_work<Acoustics>,
      .channels_out = channels_out,
      .traits = {.bends_tone = true,
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
                          .stand_x = P::stand_x_pct,
                          .stand_y = P::stand_y_pct,
                          .width = P::width_m,
                          .length = P::length_m,
                          .height = P::height_m,
                          .turn = P::turn_deg,
                          .faces = P::faces_deg,
                          .path_size = P::path_m,
                          .decay = P::decay_pct,
                          .parts = {"the source", "the listener", "the room"}},
      .run_in_s = 4,
  };
  return type;
}

}  // namespace drevan
