#include "engine/process.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"

namespace drevan {

std::optional<Findings> FindingStore::get(std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  const auto at = found_.find(key);
  return at == found_.end() ? std::nullopt : std::optional(at->second);
}

void FindingStore::put(std::uint64_t key, Findings findings) {
  const std::lock_guard lock(mutex_);
  // A long evening of knob-turning must not fill the memory; all of it can be found again.
  if (found_.size() > 20000) found_.clear();
  found_[key] = std::move(findings);
}

Findings FindingStore::get_or_learn(std::uint64_t key, const CancelToken& cancel, const std::function<Findings()>& learn) {
  {
    std::unique_lock lock(mutex_);
    while (true) {
      if (const auto at = found_.find(key); at != found_.end()) return at->second;
      if (being_learned_.insert(key).second) break;
      // Whoever learns it may give up; then it is our turn.
      learned_.wait_for(lock, std::chrono::milliseconds(50));
      cancel.check();
    }
  }
  const auto done = [&] {
    const std::lock_guard lock(mutex_);
    being_learned_.erase(key);
    learned_.notify_all();
  };
  try {
    Findings found = learn();
    put(key, found);
    done();
    return found;
  } catch (...) {
    done();
    throw;
  }
}

void FindingStore::keep_stage(std::uint64_t key, std::unique_ptr<Spill> sound) {
  const std::lock_guard lock(mutex_);
  if (stages_.size() > 500) stages_.clear();  // left by work that was cancelled
  stages_[key] = std::move(sound);
}

std::unique_ptr<Spill> FindingStore::take_stage(std::uint64_t key) {
  const std::lock_guard lock(mutex_);
  const auto at = stages_.find(key);
  if (at == stages_.end()) return nullptr;
  auto sound = std::move(at->second);
  stages_.erase(at);
  return sound;
}

std::shared_ptr<const AudioBuffer> StageCache::get(std::uint64_t key) {
  const std::lock_guard lock(mutex_);
  const auto at = entries_.find(key);
  if (at == entries_.end()) return nullptr;
  at->second.used = ++clock_;
  return at->second.sound;
}

void StageCache::put(std::uint64_t key, std::shared_ptr<const AudioBuffer> sound) {
  const auto size = [](const AudioBuffer& b) {
    return static_cast<size_t>(b.frames()) * static_cast<size_t>(b.channels()) * sizeof(float);
  };
  const std::lock_guard lock(mutex_);
  if (entries_.contains(key)) return;
  bytes_ += size(*sound);
  entries_[key] = {std::move(sound), ++clock_};
  while (bytes_ > budget_ && entries_.size() > 1) {
    const auto oldest = std::ranges::min_element(
        entries_, {}, [](const auto& e) { return e.second.used; });
    bytes_ -= size(*oldest->second.sound);
    entries_.erase(oldest);
  }
}

namespace {

// One run over a clip and its chain. It goes in parts: up to a step that must hear the whole clip
// first, then from there on. Sound between parts is put aside, so every step works once.
class Pass {
 public:
  Pass(const ClipPlan& plan, const ProcessOptions& options)
      : plan_(plan), sound_(plan.sound), steps_(plan.steps), options_(options), reader_(plan.sound),
        format_(reader_.format(4096)), keys_(stage_keys(plan)),
        findings_(plan.steps.size()), next_tap_(options.first_tap) {
    const auto bytes = static_cast<size_t>(reader_.frames()) *
                       static_cast<size_t>(format_.channels) * sizeof(float);
    caching_ = options.cache && bytes <= options.cache->budget() / 12;
  }

  std::vector<Findings> run(const BlockSink& sink) {
    look_up();
    size_t from = start_stage();
    parts_left_ = work_ahead(from);
    for (size_t i = from; i < steps_.size(); ++i) {
      if (known_[i]) continue;
      part_ = work_of(from, i);
      const auto key = finding_key(keys_[i], plan_, i);
      if (const CommonClips* common = steps_[i].common.get()) {
        findings_[i] = options_.store->get_or_learn(key, *options_.cancel, [&] { return learn_common(*common, i); });
      } else {
        if (steps_[i].type->hears == Hears::room_tone)
          learn_room(from, i);
        else if (learn_whole(from, i))
          from = i;
        options_.store->put(key, findings_[i]);
      }
      known_[i] = true;
      parts_done_ += part_;
    }
    part_ = last_work(from);
    part(from, steps_.size(), sink);
    tell_flaws();
    return findings_;
  }
  /// Begins at a stage whose sound is at hand instead of at the clip; to be called before run().
  void begin_at(size_t stage, std::unique_ptr<Spill> sound) {
    begin_ = stage;
    spill_ = std::move(sound);
  }

 private:
  void tell_flaws() const {
    if (options_.damaged)
      for (const auto& told : reader_.damage()) options_.damaged(told);
    for (size_t i = 0; options_.warn && i < steps_.size(); ++i)
      if (const CommonClips* common = steps_[i].common.get(); common && !common->left_out.empty())
        options_.warn(fmt::format("{} was learned without {}, whose {} missing; find {} again and render once more.", steps_[i].type->label,
                                  fmt::join(common->left_out, ", "), common->left_out.size() == 1 ? "source is" : "sources are", common->left_out.size() == 1 ? "it" : "them"));
  }

  void look_up() {
    for (size_t i = 0; i < steps_.size(); ++i) {
      const auto& step = steps_[i];
      known_.push_back(step.type->hears == Hears::nothing);
      if (known_[i]) continue;
      if (auto found = options_.store->get(finding_key(keys_[i], plan_, i))) {
        findings_[i] = std::move(*found);
        known_[i] = true;
      }
    }
  }

  // The share of the whole that a part is, in steps: reading is a third of one, what is done with the
  // result (measuring, writing) some three, a room tone is soon heard. So that progress runs evenly.
  double work_of(size_t from, size_t i) const {
    if (steps_[i].type->hears == Hears::room_tone) return 0.05;
    if (steps_[i].common) return static_cast<double>(i + 1);
    return 0.3 + static_cast<double>(i - from);
  }
  double last_work(size_t from) const { return 3 + static_cast<double>(steps_.size() - from); }
  double work_ahead(size_t from) const {
    double sum = 0;
    for (size_t i = from; i < steps_.size(); ++i) {
      if (known_[i]) continue;
      sum += work_of(from, i);
      if (steps_[i].type->hears == Hears::whole_clip && !steps_[i].common) from = i;
    }
    return sum + last_work(from);
  }

  // The latest stage in the cache that comes before the first tap and the first unknown finding.
  size_t start_stage() {
    if (begin_ > 0) return begin_;
    if (!caching_) return 0;
    size_t limit = std::min(options_.first_tap, steps_.size());
    for (size_t i = 0; i < limit; ++i)
      if (!known_[i]) limit = i;
    for (size_t s = limit; s > 0; --s)
      if ((cached_ = options_.cache->get(keys_[s]))) return s;
    return 0;
  }

  // The sound at the stage where the next part starts.
  BlockSource source() {
    at_ = 0;
    if (cached_) return [this](const AudioBlock& b) { return tell(read_cached(b)); };
    if (spill_) {
      spill_->rewind();
      return [this](const AudioBlock& b) { return tell(spill_->read(b)); };
    }
    reader_.seek(0);
    return [this](const AudioBlock& b) { return tell(reader_.read(b)); };
  }

  int read_cached(const AudioBlock& b) const {
    const auto n = static_cast<int>(std::min<Samples>(b.frames(), cached_->frames() - at_));
    for (int c = 0; c < b.channels(); ++c)
      std::copy_n(cached_->channel(c).data() + at_, n, b.channel(c).data());
    return n;
  }

  int tell(int n) {
    options_.cancel->check();
    at_ += n;
    if (options_.progress) {
      const double length = std::max(1.0, static_cast<double>(reader_.frames()));
      options_.progress(
          std::min(1.0, (parts_done_ + part_ * static_cast<double>(at_) / length) / parts_left_));
    }
    return n;
  }

  ChainRun make_run(size_t from, size_t to) {
    return {std::span(steps_).subspan(from, to - from),
            std::span<const Findings>(findings_).subspan(from, to - from), format_};
  }

  // Runs just as far as the room tone reaches; puts nothing aside.
  void learn_room(size_t from, size_t i) {
    if (!sound_.has_room_tone()) return;
    if (sound_.room_tone) return learn_room(sound_, reader_, make_run(from, i), source(), i);
    // Another clip's room runs through the same steps, with what they found in this clip.
    ClipReader other(*sound_.shared_tone);
    AudioBuffer heard(other.channels(), format_.max_block);
    auto found = findings_;
    for (size_t k = 0; k < i; ++k)
      if (steps_[k].type->finding_follows_time) found[k] = found_in(*sound_.shared_tone, k);
    ChainRun run(std::span<const PlannedStep>(steps_).first(i), std::span<const Findings>(found).first(i), format_);
    learn_room(*sound_.shared_tone, other, std::move(run), [&](const AudioBlock& b) {
      const auto got = heard.block(0, b.frames());
      const int n = tell(other.read(got));
      for (int c = 0; c < b.channels(); ++c)
        std::copy_n(got.channel(std::min(c, got.channels() - 1)).begin(), n, b.channel(c).begin());
      return n;
    }, i);
  }
  // What step k would find in another clip's sound.
  Findings found_in(const ClipSound& other, size_t k) const {
    ProcessOptions options;
    options.store = options_.store;
    options.cancel = options_.cancel;
    const auto end = steps_.begin() + static_cast<std::ptrdiff_t>(k) + 1;
    return process_clip({other, {steps_.begin(), end}}, options, {}).back();
  }
  void learn_room(const ClipSound& room, const ClipReader& reader, ChainRun run, const BlockSource& input, size_t i) {
    const double clip_s = static_cast<double>(reader.frames()) / room.rate;
    require_room_tone(*room.room_tone, clip_s, room.file.filename().string());
    Samples skip = std::llround(room.room_tone->begin * room.rate);
    Samples left = std::llround(room.room_tone->end * room.rate) - skip;
    const auto learner = steps_[i].type->learn(steps_[i].settings, format_);
    stream([&](const AudioBlock& b) { return left > 0 ? input(b) : 0; }, run, format_,
           [&](const AudioBlock& b) {
             const auto drop = static_cast<int>(std::min<Samples>(skip, b.frames()));
             const auto n = static_cast<int>(std::min<Samples>(left, b.frames() - drop));
             skip -= drop;
             left -= n;
             if (n > 0) learner->hear(b.part(drop, n));
           });
    findings_[i] = learner->findings();
  }

  // Lets step i hear all clips of the group, one after the other. Channels that one has not are silent.
  Findings learn_common(const CommonClips& common, size_t i) {
    StreamFormat widest = format_;
    for (const auto& peer : common.peers) widest.channels = std::max(widest.channels, ClipReader(peer.sound).channels());
    const auto learner = steps_[i].type->learn(steps_[i].settings, widest);
    AudioBuffer wide(widest.channels, widest.max_block);
    // Where another such step follows, what was heard is kept for it: each clip goes through each step once.
    bool kept = false;
    for (size_t later = i + 1; later < steps_.size(); ++later)
      kept = kept || (steps_[later].common && !options_.store->get(finding_key(keys_[later], plan_, later)));
    double done = 0;
    for (const auto& peer : common.peers) {
      auto aside = kept ? std::make_unique<Spill>(ClipReader(peer.sound).channels()) : nullptr;
      hear_peer(peer, [&](const AudioBlock& b) {
        const auto all = wide.block(0, b.frames());
        all.clear();
        all.copy_from(b);
        learner->hear(all);
        if (aside && !aside->write(b)) aside.reset();
      });
      if (aside) options_.store->keep_stage(stage_keys(peer).back(), std::move(aside));
      done += 1;
      if (options_.progress)
        options_.progress(std::min(1.0, (parts_done_ + part_ * done / static_cast<double>(common.peers.size())) / parts_left_));
    }
    return learner->findings();
  }

  // What leaves a clip's chain, taken up at the last step in it that learns over all of the group.
  void hear_peer(const ClipPlan& peer, const BlockSink& sink) const {
    ProcessOptions options;
    options.store = options_.store;
    options.cancel = options_.cancel;
    Pass pass(peer, options);
    size_t from = peer.steps.size();
    while (from > 0 && !peer.steps[from - 1].common) --from;
    if (from > 1) {
      const size_t stage = from - 1;
      auto sound = options_.store->take_stage(pass.keys_[stage]);
      if (!sound) {
        // Nobody kept it: as it would have been kept.
        sound = std::make_unique<Spill>(pass.format_.channels);
        ClipPlan earlier = peer;
        earlier.steps.resize(stage);
        bool all = true;
        hear_peer(earlier, [&](const AudioBlock& b) { all = all && sound->write(b); });
        if (!all) throw Error(Error::Kind::output, "The disk for temporary files is full; free some space there.");
      }
      pass.begin_at(stage, std::move(sound));
    }
    pass.run(sink);
  }

  // Lets step i hear all that reaches it. True: its input is at hand and the next part may start
  // there; false: the temporary disk is full, so the next part starts where this one did.
  bool learn_whole(size_t from, size_t i) {
    const auto learner = steps_[i].type->learn(steps_[i].settings, format_);
    auto aside = i > from ? std::make_unique<Spill>(format_.channels) : nullptr;
    part(from, i, [&](const AudioBlock& b) {
      learner->hear(b);
      if (aside && !aside->write(b)) aside.reset();
    });
    findings_[i] = learner->findings();
    if (!aside) return i == from;
    cached_.reset();
    spill_ = std::move(aside);
    return true;
  }

  // Streams the stages from..to; tells taps and cache of those not yet heard.
  void part(size_t from, size_t to, const BlockSink& sink) {
    ChainRun run = make_run(from, to);
    std::vector<Kept> kept(caching_ ? to - from + 1 : 0);
    StageTap tap;
    if (options_.tap || caching_)
      tap = [&](size_t stage, const AudioBlock& b) {
        if (caching_ && stage > 0 && from + stage == options_.keep_only.value_or(from + stage)) keep(kept[stage], b);
        if (options_.tap && from + stage >= next_tap_) options_.tap(from + stage, b);
      };
    stream(source(), run, format_, sink ? sink : [](const AudioBlock&) {}, tap);
    next_tap_ = std::max(next_tap_, to + 1);
    for (size_t stage = 1; stage < kept.size(); ++stage) store(keys_[from + stage], kept[stage]);
  }

  // A stage's sound as it comes; room for the clip is made at once, for the ringing as needed.
  struct Kept {
    std::shared_ptr<AudioBuffer> sound;
    Samples filled = 0;
  };
  void keep(Kept& to, const AudioBlock& b) const {
    if (!to.sound) to.sound = std::make_shared<AudioBuffer>(format_.channels, reader_.frames());
    if (to.filled + b.frames() > to.sound->frames()) grow(to, to.filled + b.frames());
    to.sound->block(to.filled, b.frames()).copy_from(b);
    to.filled += b.frames();
  }
  void grow(Kept& kept, Samples frames) const {
    auto wider = std::make_shared<AudioBuffer>(format_.channels, frames + frames / 8);
    for (int c = 0; c < format_.channels; ++c)
      std::copy_n(kept.sound->channel(c).begin(), kept.filled, wider->channel(c).begin());
    kept.sound = std::move(wider);
  }
  void store(std::uint64_t key, Kept& kept) const {
    if (!kept.sound) return;
    if (kept.sound->frames() != kept.filled) kept.sound->shorten(kept.filled);
    options_.cache->put(key, std::move(kept.sound));
  }

  const ClipPlan& plan_;
  const ClipSound& sound_;
  const std::vector<PlannedStep>& steps_;
  const ProcessOptions& options_;
  ClipReader reader_;
  StreamFormat format_;
  std::vector<std::uint64_t> keys_;
  std::vector<Findings> findings_;
  std::vector<bool> known_;
  size_t next_tap_, begin_ = 0;
  std::shared_ptr<const AudioBuffer> cached_;  // the sound where the next part starts: from the
  std::unique_ptr<Spill> spill_;               // cache, put aside, or (neither) the source
  bool caching_ = false;
  double parts_done_ = 0, parts_left_ = 1, part_ = 1;  // in steps of work
  Samples at_ = 0;
};

}  // namespace

std::vector<Findings> process_clip(const ClipPlan& plan, const ProcessOptions& options, const BlockSink& sink) {
  return Pass(plan, options).run(sink);
}

}  // namespace drevan
