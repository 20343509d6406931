// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "engine/rendering/kept_level.h"
#include "engine/rendering/process.h"
#include "engine/planning/step_sides.h"

namespace drevan {

namespace {

constexpr int block_frames = 4096;

// One run over a clip and its steps. It goes in parts: up to a step that must hear the whole sound first, or that
// rewrites it, then from there on. Sound between parts is put aside, so every step works once.
class Pass {
 public:
  Pass(const ClipPlan& plan, const ProcessOptions& options)
      : plan_(plan),
        sound_(plan.sound),
        steps_(plan.steps),
        options_(options),
        reader_(plan.sound),
        keys_(stage_keys(plan)),
        channels_(stage_channels(plan.steps, reader_.shape().channels)),
        next_tap_(options.first_tap) {
    done_.findings.resize(steps_.size());
    done_.stages.resize(steps_.size() + 1);
    done_.stages[0] = {keys_[0], reader_.shape(), {}};
    const auto bytes =
        static_cast<size_t>(reader_.frames()) * static_cast<size_t>(channels_[0]) * sizeof(float);
    caching_ = options.cache && bytes <= options.cache->budget() / 12;
  }

  Processed run(const BlockSink& sink) {
    look_up();
    done_.sides = make_sides(plan_, options_);
    size_t from = start_stage();
    parts_left_ = work_ahead(from);
    for (size_t i = from; i < steps_.size(); ++i) {
      if (rewrites(i)) {
        part_ = work_of(from, i);
        rewrite(from, i);
        from = i + 1;
        parts_done_ += part_;
        continue;
      }
      if (known_[i]) continue;
      part_ = work_of(from, i);
      if (learn(from, i)) from = i;
      known_[i] = true;
      parts_done_ += part_;
    }
    part_ = last_work(from);
    part(from, steps_.size(), sink);
    tell_flaws();
    return std::move(done_);
  }
  /// Begins at a stage whose sound is at hand instead of at the clip; to be called before run().
  void begin_at(size_t stage, SharedSound sound) {
    begin_ = stage;
    begin_at_kept(stage, std::move(sound));
  }
  const std::vector<std::uint64_t>& keys() const { return keys_; }
  const std::vector<int>& channels() const { return channels_; }

 private:
  bool rewrites(size_t i) const { return steps_[i].type->rewrite != nullptr; }
  double rate() const { return reader_.shape().rate; }
  StreamFormat format_at(size_t stage) const { return {rate(), channels_[stage], block_frames}; }

  void tell_flaws() const {
    if (options_.damaged)
      for (const auto& told : reader_.damage()) options_.damaged(told);
    if (options_.warn)
      for (const auto& told : plan_flaws(plan_)) options_.warn(told);
  }

  void look_up() {
    for (size_t i = 0; i < steps_.size(); ++i) {
      known_.push_back(!must_hear(*steps_[i].type, steps_[i].settings));
      if (known_[i]) continue;
      if (auto found = options_.store->get(finding_key(keys_[i], plan_, i))) {
        done_.findings[i] = std::move(*found);
        known_[i] = true;
      }
    }
  }

  // The share of the whole that a part is, in steps: reading is a third of one, what is done with the
  // result (measuring, writing) some three, a room tone is soon heard. So that progress runs evenly.
  double work_of(size_t from, size_t i) const {
    if (steps_[i].type->hears == Hears::room_tone) return 0.05;
    if (steps_[i].common) return static_cast<double>(i + 1);
    return 0.3 + static_cast<double>(i - from) + (rewrites(i) ? 5 : 0);
  }
  double last_work(size_t from) const { return 3 + static_cast<double>(steps_.size() - from); }
  double work_ahead(size_t from) const {
    double sum = 0;
    for (size_t i = from; i < steps_.size(); ++i) {
      if (known_[i] && !rewrites(i)) continue;
      sum += work_of(from, i);
      if (rewrites(i))
        from = i + 1;
      else if (steps_[i].type->hears != Hears::room_tone && !steps_[i].common)
        from = i;
    }
    return sum + last_work(from);
  }

  // The latest stage in the cache that comes before the first tap and the first unknown finding.
  size_t start_stage() {
    if (begin_ > 0) return begin_;
    if (!options_.cache) return 0;
    size_t limit = std::min(options_.first_tap, steps_.size());
    for (size_t i = 0; i < limit; ++i)
      if (!known_[i]) limit = i;
    for (size_t s = limit; s > 0; --s) {
      auto sound = options_.cache->get(keys_[s]);
      const auto facts = options_.cache->facts(keys_[s]);
      if (!sound || !facts) continue;
      for (size_t k = 1; k <= s; ++k)
        if (const auto stage = options_.cache->facts(keys_[k])) done_.stages[k] = *stage;
      // What is played begins behind the last rewriter, so its sound is needed as well.
      const auto last = std::ranges::find_if(
          steps_.rend() - static_cast<std::ptrdiff_t>(s), steps_.rend(),
          [](const PlannedStep& step) { return step.type->rewrite != nullptr; });
      if (last != steps_.rend()) {
        done_.rewritten_stage = static_cast<size_t>(steps_.rend() - last);
        done_.rewritten = options_.cache->get(keys_[done_.rewritten_stage]);
        if (!done_.rewritten) continue;
      }
      begin_at_kept(s, std::move(sound));
      return s;
    }
    return 0;
  }
  void begin_at_kept(size_t stage, SharedSound sound) {
    Stage& facts = done_.stages[stage];
    if (facts.shape.frames == 0) facts = {keys_[stage], sound->shape(), {}};
    kept_ = std::move(sound);
  }

  // The sound at the stage where the next part starts.
  BlockSource source() {
    at_ = 0;
    reading_ = kept_ ? reader_of(kept_) : nullptr;
    SoundReader& from = reading_ ? *reading_ : static_cast<SoundReader&>(reader_);
    from.seek(0);
    part_frames_ = from.shape().frames;
    return [this, &from](const AudioBlock& b) { return tell(from.read(b)); };
  }

  int tell(int n) {
    options_.cancel->check();
    at_ += n;
    tell_share(static_cast<double>(at_) / std::max(1.0, static_cast<double>(part_frames_)));
    return n;
  }
  void tell_share(double of_part) const {
    if (options_.progress)
      options_.progress(std::min(1.0, (parts_done_ + part_ * of_part) / parts_left_));
  }

  // What counts from where the clip's beginning is due, now that it is known what leads.
  void place_steps(size_t from, size_t to) {
    const double clip_s = done_.stages[0].shape.seconds();
    for (size_t i = from; i < to; ++i)
      place_tracks(steps_[i], lead_of(done_.stages[from].from_clip, clip_s));
  }
  ChainRun make_run(size_t from, size_t to) {
    place_steps(from, to);
    return {std::span<const PlannedStep>(steps_).subspan(from, to - from),
            std::span<const Findings>(done_.findings).subspan(from, to - from), format_at(from),
            std::span<const StepSides>(done_.sides).subspan(from, to - from)};
  }

  // True: the next part may start at step i, its input is at hand.
  bool learn(size_t from, size_t i) {
    const auto key = finding_key(keys_[i], plan_, i);
    Findings& found = done_.findings[i];
    if (const CommonClips* common = steps_[i].common.get()) {
      found = options_.store->get_or_learn(key, *options_.cancel,
                                           [&] { return learn_common(*common, i); });
      return false;
    }
    bool at_hand = false;
    if (steps_[i].type->hears == Hears::room_tone)
      learn_room(from, i);
    else
      at_hand = learn_whole(from, i);
    options_.store->put(key, found);
    return at_hand;
  }

  // Runs just as far as the room tone reaches; puts nothing aside.
  void learn_room(size_t from, size_t i) {
    if (!sound_.has_room_tone()) return;
    if (sound_.room_tone) {
      require_room_tone(*sound_.room_tone, reader_.shape().seconds(),
                        sound_.file.filename().string());
      auto run = make_run(from, i);
      return hear_room(*sound_.room_tone, done_.stages[from].from_clip, run, source(), i);
    }
    // Another clip's room runs through the same steps, with what they found in this clip; not through rewriters: how
    // a room sounds does not depend on its length.
    const ClipSound& other = *sound_.shared_tone;
    ClipReader reader(other);
    require_room_tone(*other.room_tone, reader.shape().seconds(), other.file.filename().string());
    std::vector<PlannedStep> streamed;
    std::vector<Findings> found;
    for (size_t k = 0; k < i; ++k) {
      if (rewrites(k)) continue;
      streamed.push_back(steps_[k]);
      found.push_back(steps_[k].type->finding_follows_time ? found_in(other, k)
                                                           : done_.findings[k]);
    }
    ChainRun run(streamed, found, format_at(0));
    AudioBuffer heard(reader.shape().channels, block_frames);
    hear_room(
        *other.room_tone, {}, run,
        [&](const AudioBlock& b) {
          const auto got = heard.block(0, b.frames());
          const int n = tell(reader.read(got));
          b.spread_from(got.part(0, n));
          return n;
        },
        i);
  }
  // What step k would find in another clip's sound.
  Findings found_in(const ClipSound& other, size_t k) const {
    ProcessOptions options;
    options.store = options_.store;
    options.cancel = options_.cancel;
    const auto end = steps_.begin() + static_cast<std::ptrdiff_t>(k) + 1;
    return process_clip({other, {steps_.begin(), end}}, options, {}).findings.back();
  }
  // `map`: from the clip's time to that of what enters `run`.
  void hear_room(const ClipRange& range, const TimeMap& map, ChainRun& run,
                 const BlockSource& input, size_t i) {
    const double begin = map.out_of(range.begin.s), end = map.out_of(range.end.s);
    Samples skip = std::max<Samples>(0, std::llround(std::min(begin, end) * rate()));
    Samples left = std::llround(std::max(begin, end) * rate()) - skip;
    const auto learner = steps_[i].type->learn(steps_[i].settings, format_at(i));
    stream([&](const AudioBlock& b) { return left > 0 ? input(b) : 0; }, run, block_frames,
           [&](const AudioBlock& b) {
             const auto drop = static_cast<int>(std::min<Samples>(skip, b.frames()));
             const auto n = static_cast<int>(std::min<Samples>(left, b.frames() - drop));
             skip -= drop;
             left -= n;
             if (n > 0) learner->hear(b.part(drop, n));
           });
    done_.findings[i] = learner->findings();
  }

  // Lets step i hear all clips of the group, one after the other. Channels that one has not are silent.
  Findings learn_common(const CommonClips& common, size_t i) {
    StreamFormat widest = format_at(i);
    for (const auto& peer : common.peers)
      widest.channels =
          std::max(widest.channels,
                   stage_channels(peer.steps, ClipReader(peer.sound).shape().channels).back());
    const auto learner = steps_[i].type->learn(steps_[i].settings, widest);
    AudioBuffer wide(widest.channels, widest.max_block);
    // Where another such step follows, what was heard is kept for it: each clip goes through each step once.
    bool kept = false;
    for (size_t later = i + 1; later < steps_.size(); ++later)
      kept = kept || (steps_[later].common &&
                      !options_.store->get(finding_key(keys_[later], plan_, later)));
    double done = 0;
    for (const auto& peer : common.peers) {
      std::shared_ptr<KeptSound> aside;
      hear_peer(peer, [&](const AudioBlock& b) {
        if (kept && !aside) aside = std::make_shared<KeptSound>(rate(), b.channels());
        for (int at = 0; at < b.frames(); at += block_frames) {
          const auto piece = b.part(at, std::min(block_frames, b.frames() - at));
          const auto all = wide.block(0, piece.frames());
          all.clear();
          all.copy_from(piece);
          learner->hear(all);
        }
        if (aside && !aside->write(b)) {
          aside.reset();
          kept = false;
        }
      });
      if (aside && aside->finish())
        options_.store->keep_stage(stage_keys(peer).back(), std::move(aside));
      done += 1;
      tell_share(done / static_cast<double>(common.peers.size()));
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
      auto sound = options_.store->take_stage(pass.keys()[stage]);
      if (!sound) {
        // Nobody kept it: as it would have been kept.
        auto made = std::make_shared<KeptSound>(rate(), pass.channels()[stage]);
        ClipPlan earlier = peer;
        earlier.steps.resize(stage);
        bool all = true;
        hear_peer(earlier, [&](const AudioBlock& b) { all = all && made->write(b); });
        if (!all || !made->finish()) throw temporary_disk_full();
        sound = std::move(made);
      }
      pass.begin_at(stage, std::move(sound));
    }
    pass.run(sink);
  }

  // Lets step i hear all that reaches it. False: the temporary disk is full, so the next part starts where this one
  // did.
  bool learn_whole(size_t from, size_t i) {
    place_steps(from, i + 1);
    const auto learner = make_learner(steps_[i], format_at(i), done_.sides[i]);
    auto aside = i > from ? std::make_shared<KeptSound>(rate(), channels_[i]) : nullptr;
    part(from, i, [&](const AudioBlock& b) {
      learner->hear(b);
      if (aside && !aside->write(b)) aside.reset();
    });
    done_.findings[i] = learner->findings();
    if (!aside || !aside->finish()) return i == from;
    kept_ = std::move(aside);
    return true;
  }

  // Lets step i make another sound of all that reaches it.
  void rewrite(size_t from, size_t i) {
    auto in = std::make_shared<KeptSound>(rate(), channels_[i]);
    bool all = true;
    RingTrim trim(done_.stages[from].shape.frames,
                  [&](const AudioBlock& b) { all = all && in->write(b); });
    const double whole = std::exchange(part_, 0.3 + static_cast<double>(i - from));
    part(from, i, [&](const AudioBlock& b) { trim.hear(b); });
    if (!all || !in->finish()) throw temporary_disk_full();
    parts_done_ += part_;
    part_ = whole - part_;
    const Samples frames = in->shape().frames;
    place_steps(i, i + 1);
    const auto rewriter =
        steps_[i].type->rewrite(steps_[i].settings, {format_at(i), steps_[i].tracks});
    // It may be there from another time, where only stages before it were asked for.
    SharedSound made = options_.cache ? options_.cache->get(keys_[i + 1]) : nullptr;
    if (!made) made = rewritten(*rewriter, in, i);
    kept_ = made;
    done_.rewritten = made;
    done_.rewritten_stage = i + 1;
    done_.stages[i + 1] = {keys_[i + 1], made->shape(),
                           done_.stages[i].from_clip.then(rewriter->map(frames))};
    if (options_.cache) options_.cache->put(keys_[i + 1], made);
    next_tap_ = std::max(next_tap_, i + 1);
  }
  SharedSound rewritten(Rewriter& rewriter, const SharedSound& in, size_t i) {
    auto out = std::make_shared<KeptSound>(rate(), channels_[i + 1]);
    bool all = true;
    if (in->shape().frames > 0)
      rewriter.rewrite(
          *reader_of(in), [&](const AudioBlock& b) { all = all && out->write(b); },
          [&](double share) {
            options_.cancel->check();
            tell_share(share);
          });
    if (!all || !out->finish()) throw temporary_disk_full();
    return out;
  }

  // Streams the stages from..to; tells taps and cache of those not yet heard.
  void part(size_t from, size_t to, const BlockSink& sink) {
    for (size_t stage = from; stage <= to; ++stage) {
      Stage& facts = done_.stages[stage];
      if (stage > from)
        facts = {keys_[stage],
                 {rate(), channels_[stage], done_.stages[from].shape.frames},
                 done_.stages[from].from_clip};
      if (options_.cache) options_.cache->put_facts(facts);
    }
    // Who only wants to know what is learned need not hear the rest.
    if (!sink && !options_.tap && !caching_ && !options_.damaged) return;
    ChainRun run = make_run(from, to);
    std::vector<std::shared_ptr<KeptSound>> kept(caching_ ? to - from + 1 : 0);
    StageTap tap;
    if (options_.tap || caching_)
      tap = [&](size_t stage, const AudioBlock& b) {
        if (caching_ && stage > 0 && from + stage == options_.keep_only.value_or(from + stage))
          keep(kept[stage], b);
        if (options_.tap && from + stage >= next_tap_) options_.tap(from + stage, b);
      };
    stream(
        source(), run, block_frames, sink ? sink : [](const AudioBlock&) {}, tap,
        options_.side_thread ? beside(from, to) : 0);
    next_tap_ = std::max(next_tap_, to + 1);
    for (size_t stage = 1; stage < kept.size(); ++stage)
      if (kept[stage] && kept[stage]->finish())
        options_.cache->put(keys_[from + stage], std::move(kept[stage]));
  }

  // From where on the steps are another thread's: behind the one that takes longest, else from the
  // middle.
  size_t beside(size_t from, size_t to) const {
    for (size_t i = from; i + 1 < to; ++i)
      if (steps_[i].type->hears == Hears::room_tone) return i + 1 - from;
    return (to - from) / 2;
  }

  // A stage's sound as it comes; one that finds no room is not kept.
  void keep(std::shared_ptr<KeptSound>& to, const AudioBlock& b) {
    if (!caching_) return;
    if (!to) to = std::make_shared<KeptSound>(rate(), b.channels(), size_t{1} << 40);
    if (to->write(b)) return;
    to.reset();
    caching_ = false;
  }

  const ClipPlan& plan_;
  const ClipSound& sound_;
  std::vector<PlannedStep> steps_;  // tracks are put where they belong on the way
  const ProcessOptions& options_;
  ClipReader reader_;
  std::vector<std::uint64_t> keys_;
  std::vector<int> channels_;  // of each stage
  Processed done_;
  std::vector<bool> known_;
  size_t next_tap_, begin_ = 0;
  SharedSound kept_;                      // the sound where the next part starts; nullptr: the clip
  std::unique_ptr<SoundReader> reading_;  // of it
  bool caching_ = false;
  double parts_done_ = 0, parts_left_ = 1, part_ = 1;  // in steps of work
  Samples at_ = 0, part_frames_ = 0;
};

}  // namespace

Processed process_clip(const ClipPlan& plan, const ProcessOptions& options, const BlockSink& sink) {
  return Pass(plan, options).run(sink);
}

}  // namespace drevan
