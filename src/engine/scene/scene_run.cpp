// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/scene_run.h"

#include <algorithm>
#include <cmath>

#include "engine/rendering/spent.h"

namespace drevan {

namespace {

constexpr int block = Programme::block;
constexpr double run_in_s = 0.5;

StreamFormat scene_format(const ScenePlan& scene, int channels) {
  return {scene.rate, channels, block};
}

// Ringing longer than this is a drone; nobody waits for it.
Samples bounded_tail(const ChainRun& run) {
  return std::min(run.tail(), static_cast<Samples>(run.rate() * 10));
}

}  // namespace

// What a clip feeds into one space beyond its gain.
struct FeedRun {
  FeedRun(const Feed& feed, StreamFormat format)
      : of(feed),
        amount(feed.amount, std::vector<Findings>(feed.amount.size()), format),
        place(feed.place, std::vector<Findings>(feed.place.size()), format),
        fed(amount.widest(), block),
        placed(place.widest(), block) {}
  void seek(Samples frame) {
    amount.reset(frame);
    place.reset(frame);
  }
  // The same, turned; false: it must be made anew.
  bool turn(const Feed& next) {
    if (!can_turn(of.amount, next.amount) || !can_turn(of.place, next.place)) return false;
    const std::vector<Findings> none(1);
    turn_chain(amount, of.amount, next.amount, none, none);
    turn_chain(place, of.place, next.place, none, none);
    of = next;
    return true;
  }

  Feed of;
  ChainRun amount, place;
  AudioBuffer fed, placed;
  // What the place's share has come to, see Voice::shares.
  float place_share = -1;
};

// A clip that sounds. Its run gives whole blocks; they begin where the clip begins.
struct SceneRun::Voice {
  Voice(const SceneVoice& voice, size_t places, double rate)
      : of(voice),
        run(voice.plan),
        before(run.channels(), block),
        after(run.channels(), block),
        shares(places, -1) {
    for (const Feed& feed : voice.feeds)
      feeds.push_back(std::make_unique<FeedRun>(feed, StreamFormat{rate, run.channels(), block}));
  }
  void seek(Samples frame) {
    run.seek(frame);
    for (auto& feed : feeds) feed->seek(frame);
    left = 0;
  }
  // Whether its feeds can go on as `next`.
  bool turn_feeds(const std::vector<Feed>& next) {
    if (!std::ranges::equal(
            feeds, next, {}, [](const auto& f) { return f->of.space; }, &Feed::space))
      return false;
    for (size_t i = 0; i < next.size(); ++i)
      if (!feeds[i]->turn(next[i])) return false;
    return true;
  }
  // The next frames, before and after.
  void read(const AudioBlock& dry, const AudioBlock& wet) {
    for (int done = 0; done < wet.frames();) {
      if (left == 0) {
        run.next(before.block(), after.block(), -1);
        left = block;
      }
      const int n = std::min(left, wet.frames() - done);
      dry.part(done, n).copy_from(before.block(block - left, n));
      wet.part(done, n).copy_from(after.block(block - left, n));
      done += n;
      left -= n;
    }
  }

  SceneVoice of;
  PlayRun run;
  std::vector<std::unique_ptr<FeedRun>> feeds;  // as of.feeds
  AudioBuffer before, after;
  int left = 0;  // frames of them that were not read yet
  // Where each place's share has come to: mix, spaces; below 0: nowhere yet.
  std::vector<float> shares;
  double cost_s = 0;
  bool leaves = false;  // it is faded out over one block; another run takes its place
};

struct SceneRun::Bus {
  Bus(const BusPlan& plan, const ScenePlan& scene, int in)
      : channels_in(in),
        run(plan.steps, plan.findings, scene_format(scene, in), plan.sides),
        sound(run.widest(), block),
        early(run.size() > 0 ? run.entering_channels(1) : 1, block) {}
  int channels_in;
  ChainRun run;
  AudioBuffer sound;
  bool placed = false;
  AudioBuffer early;              // where feeds have places: their sound behind the first step
  std::unique_ptr<Delay> late{};  // brings it in step with the slowest
  float gain = 1;
  double cost_s = 0;
};

namespace {

// To the end of what its places ring.
Samples end_of(const SceneVoice& voice, double rate) {
  const bool places =
      std::ranges::any_of(voice.feeds, [](const Feed& f) { return !f.place.empty(); });
  return voice.begin + voice.length + (places ? static_cast<Samples>(own_place_rings_s * rate) : 0);
}

}  // namespace

SceneRun::SceneRun(std::shared_ptr<const PlayPlan> plan) : plan_(std::move(plan)) { lay_out(); }
SceneRun::~SceneRun() = default;

const ScenePlan& SceneRun::scene() const { return *plan_->scene; }

void SceneRun::lay_out() {
  const ScenePlan& of = scene();
  width_ = 1;
  for (const auto& v : of.voices) width_ = std::max(width_, v.channels);
  Samples slowest = 0;
  for (const auto& space : of.spaces) {
    int in = 1;
    for (const auto& v : of.voices)
      if (std::ranges::find(v.feeds, space.id, &Feed::space) != v.feeds.end())
        in = std::max(in, v.channels);
    auto bus = std::make_unique<Bus>(space.bus, of, in);
    bus->gain = space.gain;
    bus->placed = space.placed;
    width_ = std::max(width_, bus->run.channels_out());
    slowest = std::max(slowest, bus->run.latency());
    spaces_.push_back(std::move(bus));
  }
  for (auto& bus : spaces_)
    bus->late = std::make_unique<Delay>(bus->run.channels_out(),
                                        static_cast<int>(slowest - bus->run.latency()));
  direct_late_ = std::make_unique<Delay>(width_, static_cast<int>(slowest));
  mix_ = std::make_unique<Bus>(of.mix, of, width_);
  dry_late_ = std::make_unique<Delay>(width_, static_cast<int>(slowest + mix_->run.latency()));
  late_ = slowest + mix_->run.latency();
  sum_ = AudioBuffer(std::max(width_, mix_->run.widest()), block);
  dry_ = AudioBuffer(width_, block);
  voice_before_ = voice_after_ = AudioBuffer(max_channels, block);
  tell_end();
}

void SceneRun::tell_end() {
  end_ = 0;
  for (const auto& v : scene().voices) end_ = std::max(end_, end_of(v, scene().rate));
  Samples rings = 0;
  for (const auto& bus : spaces_) rings = std::max(rings, bounded_tail(bus->run));
  if (end_ > 0) end_ += rings + bounded_tail(mix_->run);
}

int SceneRun::channels() const { return mix_->run.channels_out(); }
bool SceneRun::comparable() const { return channels() == width_; }

void SceneRun::seek(Samples position) {
  position_ = std::max<Samples>(position, 0);
  bool steps = mix_->run.size() > 0;
  for (const auto& bus : spaces_) steps = steps || bus->run.size() > 0;
  const auto before =
      std::min(position_, steps ? static_cast<Samples>(run_in_s * scene().rate) : Samples{0});
  heard_ = position_ - before;
  voices_.clear();
  for (auto& bus : spaces_) {
    bus->run.reset(heard_);
    bus->late->reset();
  }
  mix_->run.reset(heard_);
  direct_late_->reset();
  dry_late_->reset();
  for (Samples left = before + late_; left > 0; left -= block)
    run(static_cast<int>(std::min<Samples>(left, block)));
}

void SceneRun::open_voices(int frames) {
  for (const auto& of : scene().voices) {
    if (of.begin >= heard_ + frames || end_of(of, scene().rate) <= heard_) continue;
    bool open = false, takes_over = false;
    for (const auto& v : voices_)
      if (v->of.clip == of.clip) (v->leaves ? takes_over : open) = true;
    if (open) continue;
    auto voice = std::make_unique<Voice>(of, 1 + spaces_.size(), scene().rate);
    voice->seek(std::max<Samples>(0, heard_ - of.begin));
    if (takes_over) {
      std::ranges::fill(voice->shares, 0.0F);
      for (auto& feed : voice->feeds) feed->place_share = 0;
    }
    voices_.push_back(std::move(voice));
  }
}

void SceneRun::add(float& now, const AudioBlock& sound, int offset, float share,
                   const AudioBlock& sum) {
  if (now < 0) now = share;
  const float from = std::exchange(now, share);
  if (from == 0 && share == 0) return;
  const int own = sound.channels();
  const bool middle = own == 1 && sum.channels() > 1;
  const float level = middle ? middle_gain() : 1;
  const auto n = static_cast<size_t>(sound.frames());
  for (int c = 0; c < (middle ? 2 : std::min(own, sum.channels())); ++c) {
    const auto in = sound.channel(middle ? 0 : c);
    const auto out = sum.channel(c).subspan(static_cast<size_t>(offset));
    if (from == share) {
      for (size_t i = 0; i < n; ++i) out[i] += level * share * in[i];
      continue;
    }
    for (size_t i = 0; i < n; ++i)
      out[i] +=
          level * (from + (share - from) * static_cast<float>(i) / static_cast<float>(n)) * in[i];
  }
}

// The next frames of all that sounds, into sum_ as they leave the mix chain and into dry_.
Programme::Dearest SceneRun::dearest() const {
  Dearest out;
  double most = 0;
  const auto look = [&](double cost_s, ClipId of, StepId step) {
    if (cost_s > most) most = cost_s, out = {of, step};
  };
  for (const auto& voice : voices_) look(voice->cost_s, voice->of.clip, voice->run.dearest().step);
  const auto look_at = [&](const Bus& bus, const BusPlan& plan, ClipId id) {
    const auto step = bus.run.dearest();
    look(bus.cost_s, id, step ? plan.steps[*step].id : 0);
  };
  for (size_t i = 0; i < spaces_.size(); ++i)
    look_at(*spaces_[i], scene().spaces[i].bus, clip_of(scene().spaces[i].id));
  if (mix_) look_at(*mix_, scene().mix, mix_clip_id);
  return out;
}

// What leaves a clip into the spaces that it feeds.
void SceneRun::feed(Voice& voice, const AudioBlock& sound, int offset, float gain) {
  const int n = sound.frames();
  for (size_t s = 0; s < spaces_.size(); ++s) {
    Bus& bus = *spaces_[s];
    const auto at = std::ranges::find(voice.feeds, scene().spaces[s].id,
                                      [](const auto& f) { return f->of.space; });
    const AudioBlock into = bus.sound.block(0, n + offset).first(bus.channels_in);
    if (at == voice.feeds.end()) {
      add(voice.shares[1 + s], sound, offset, 0, into);
      continue;
    }
    FeedRun& feed = **at;
    const float share = feed.of.gain * gain;
    AudioBlock fed = sound;
    if (!feed.of.amount.empty()) {
      fed = feed.fed.block(0, n).first(sound.channels());
      fed.copy_from(sound);
      feed.amount.process(fed);
    }
    add(voice.shares[1 + s], fed, offset, share, into);
    if (feed.of.place.empty()) continue;
    const AudioBlock wide = feed.placed.block(0, n);
    wide.first(sound.channels()).copy_from(fed);
    feed.place.process(wide);
    add(feed.place_share, wide.first(feed.place.channels_out()), offset, share,
        bus.early.block(0, n + offset));
  }
}

void SceneRun::run(int n) {
  open_voices(n);
  const AudioBlock sum = sum_.block(0, n), dry = dry_.block(0, n);
  sum.clear();
  dry.clear();
  for (auto& bus : spaces_) {
    bus->sound.block(0, n).clear();
    bus->early.block(0, n).clear();
  }
  for (auto& voice : voices_) {
    const SceneVoice& v = voice->of;
    const auto offset = static_cast<int>(std::max<Samples>(0, v.begin - heard_));
    const int own = voice->run.channels();
    const AudioBlock before = voice_before_.block(0, n - offset).first(own),
                     after = voice_after_.block(0, n - offset).first(own);
    const Spent spent(voice->cost_s);
    voice->read(before, after);
    const float gain = voice->leaves ? 0 : v.gain;
    add(voice->shares[0], after, offset, v.direct ? gain : 0, sum.first(width_));
    for (int c = 0; c < width_; ++c) {
      const bool middle = own == 1 && width_ > 1;
      if (c >= (middle ? 2 : own)) break;
      const auto in = before.channel(middle ? 0 : c);
      const auto out = dry.channel(c).subspan(static_cast<size_t>(offset));
      const float level = v.gain * (middle ? middle_gain() : 1);
      for (size_t i = 0; i < in.size(); ++i) out[i] += level * in[i];
    }
    feed(*voice, after, offset, gain);
  }
  direct_late_->process(sum.first(width_));
  for (auto& bus : spaces_) {
    const AudioBlock sound = bus->sound.block(0, n);
    const Spent spent(bus->cost_s);
    const auto nothing = [](size_t, const AudioBlock&) {};
    if (bus->placed) {
      bus->run.process(0, 1, sound, nothing);
      const AudioBlock early = bus->early.block(0, n);
      for (int c = 0; c < early.channels(); ++c)
        for (size_t i = 0; i < static_cast<size_t>(n); ++i)
          sound.channel(c)[i] += early.channel(c)[i];
    }
    bus->run.process(bus->placed ? 1 : 0, bus->run.size(), sound, nothing);
    const AudioBlock out = sound.first(bus->run.channels_out());
    bus->late->process(out);
    const bool middle = out.channels() == 1 && width_ > 1;
    const float level = bus->gain * (middle ? middle_gain() : 1);
    for (int c = 0; c < (middle ? 2 : std::min(out.channels(), width_)); ++c)
      for (size_t i = 0; i < static_cast<size_t>(n); ++i)
        sum.channel(c)[i] += level * out.channel(middle ? 0 : c)[i];
  }
  {
    const Spent spent(mix_->cost_s);
    mix_->run.process(sum);
  }
  dry_late_->process(dry);
  heard_ += n;
  std::erase_if(voices_, [this](const std::unique_ptr<Voice>& v) {
    return v->leaves || end_of(v->of, scene().rate) <= heard_;
  });
}

void SceneRun::next(AudioBlock before, AudioBlock after, int) {
  run(block);
  before.spread_from(dry_.block(0, block));
  after.copy_from(sum_.block(0, block).first(channels()));
  position_ += block;
}

bool SceneRun::update(std::shared_ptr<const PlayPlan> plan) {
  if (plan == plan_) return true;
  if (!plan->scene || plan->scene->rate != scene().rate) return false;
  const ScenePlan &now = scene(), &next = *plan->scene;
  // Other buses, or other widths, are another programme.
  const auto same_space = [](const SceneSpace& a, const SceneSpace& b) {
    return a.id == b.id && a.placed == b.placed;
  };
  if (!std::ranges::equal(now.spaces, next.spaces, same_space)) return false;
  const auto widths = [](const ScenePlan& of) {
    std::vector<int> out(of.spaces.size() + 1, 1);
    for (const auto& v : of.voices) {
      out[0] = std::max(out[0], v.channels);
      for (size_t s = 0; s < of.spaces.size(); ++s)
        if (std::ranges::find(v.feeds, of.spaces[s].id, &Feed::space) != v.feeds.end())
          out[s + 1] = std::max(out[s + 1], v.channels);
    }
    return out;
  };
  const auto same_steps = [](const BusPlan& a, const BusPlan& b) {
    return a.sides == b.sides && can_turn(a.steps, b.steps);
  };
  if (widths(now) != widths(next) || !same_steps(now.mix, next.mix)) return false;
  for (size_t s = 0; s < spaces_.size(); ++s)
    if (!same_steps(now.spaces[s].bus, next.spaces[s].bus)) return false;
  const auto turn_bus = [](Bus& bus, const BusPlan& from, const BusPlan& to) {
    turn_chain(bus.run, from.steps, to.steps, from.findings, to.findings);
  };
  turn_bus(*mix_, now.mix, next.mix);
  for (size_t s = 0; s < spaces_.size(); ++s) {
    turn_bus(*spaces_[s], now.spaces[s].bus, next.spaces[s].bus);
    spaces_[s]->gain = next.spaces[s].gain;
  }
  for (auto& v : voices_) {
    const auto at = std::ranges::find(next.voices, v->of.clip, &SceneVoice::clip);
    // What cannot be turned is opened anew where it has come to.
    v->leaves = at == next.voices.end() || at->begin != v->of.begin ||
                (at->plan != v->of.plan && !v->run.update(at->plan)) || !v->turn_feeds(at->feeds);
    if (!v->leaves) v->of = *at;
  }
  plan_ = std::move(plan);
  tell_end();
  return true;
}

std::unique_ptr<Programme> make_programme(std::shared_ptr<const PlayPlan> plan) {
  if (plan->scene) return std::make_unique<SceneRun>(std::move(plan));
  return std::make_unique<PlayRun>(std::move(plan));
}

}  // namespace drevan
