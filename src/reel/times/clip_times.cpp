// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/times/clip_times.h"

#include <algorithm>
#include <cmath>

#include "reel/chain.h"
#include "steps/curve_edit.h"

namespace drevan {

namespace {

template <class Clock>
Range<Clock> ordered(Moment<Clock> a, Moment<Clock> b) {
  return a <= b ? Range<Clock>{a, b} : Range<Clock>{b, a};
}

// A rewriter's clock asks for nothing of how wide the sound is.
constexpr int any_channels = 1, any_block = 4096;

// The clock of what leaves a step that `frames` enter.
struct Rewritten {
  TimeMap map;
  Samples frames = 0;
};
Rewritten rewritten(const ChainStep& step, std::span<const Track> tracks, Samples frames,
                    double rate) {
  const auto rewriter =
      step.type->rewrite(step.settings, {{rate, any_channels, any_block}, tracks});
  return {rewriter->map(frames), rewriter->length(frames)};
}

ClipTimes own_times(const Reel& reel, const Clip& clip) {
  const Source& source = reel.source_of(clip);
  return {moment_of<SourceClock>(clip.begin, source.rate),
          {static_cast<double>(clip.frames) / source.rate},
          {},
          0,
          clip.place};
}

// Through these steps, the first of the clip's.
ClipTimes times_through(const Reel& reel, const Clip& clip, std::span<const RunningStep> steps) {
  ClipTimes times = own_times(reel, clip);
  // As every sound at the working rate: see ClipReader.
  Samples frames = frames_of(times.length, reel.rate);
  for (const RunningStep& running : steps) {
    if (!running.step->type->rewrite) continue;
    const auto made = rewritten(*running.step, tracks_entering(running, times), frames, reel.rate);
    TimeMap clock = times.clock.then(made.map);
    times = with_clock(std::move(times), std::move(clock));
    frames = made.frames;
  }
  return times;
}

bool rewrites(const RunningStep& s) { return s.step->type->rewrite != nullptr; }

}  // namespace

double lead_of(const TimeMap& clock, double clip_s) {
  return clock.identity() ? 0 : std::max(0.0, std::min(clock.out_of(0), clock.out_of(clip_s)));
}

ClipTimes with_clock(ClipTimes times, TimeMap clock) {
  times.lead_s = lead_of(clock, times.length.s);
  times.clock = std::move(clock);
  return times;
}

ClipTimes times_of(const Reel& reel, const Clip& clip) {
  const auto steps = running_steps(reel, clip);
  // As nearly all are.
  if (std::ranges::none_of(steps, rewrites)) return own_times(reel, clip);
  return times_through(reel, clip, steps);
}

ClipTimes times_before(const Reel& reel, const Clip& clip, size_t running_step) {
  const auto steps = running_steps(reel, clip);
  return times_through(reel, clip, std::span(steps).first(std::min(running_step, steps.size())));
}

// --- from one clock to the next, and back ---

ClipTime in_clip(const ClipTimes& times, SourceTime at) { return {at.s - times.begin.s}; }
SourceTime in_source(const ClipTimes& times, ClipTime at) { return {at.s + times.begin.s}; }

HeardTime heard(const ClipTimes& times, ClipTime at) {
  return {times.clock.out_of(at.s) - times.lead_s};
}
ClipTime in_clip(const ClipTimes& times, HeardTime at) {
  return {times.clock.in_of(at.s + times.lead_s)};
}

ReelTime in_reel(const ClipTimes& times, HeardTime at) { return {times.place.s + at.s}; }
HeardTime heard(const ClipTimes& times, ReelTime at) { return {at.s - times.place.s}; }

ReelTime in_reel(const ClipTimes& times, ClipTime at) { return in_reel(times, heard(times, at)); }
ClipTime in_clip(const ClipTimes& times, ReelTime at) { return in_clip(times, heard(times, at)); }

// --- ranges ---

HeardRange heard(const ClipTimes& times, ClipRange range) {
  return ordered(heard(times, range.begin), heard(times, range.end));
}
ClipRange in_clip(const ClipTimes& times, HeardRange range) {
  return ordered(in_clip(times, range.begin), in_clip(times, range.end));
}
ReelRange in_reel(const ClipTimes& times, HeardRange range) {
  return {in_reel(times, range.begin), in_reel(times, range.end)};
}
HeardRange heard(const ClipTimes& times, ReelRange range) {
  return {heard(times, range.begin), heard(times, range.end)};
}
ClipRange in_clip(const ClipTimes& times, ReelRange range) {
  return in_clip(times, heard(times, range));
}

ClipRange whole_clip(const ClipTimes& times) { return {{0}, {times.length.s}}; }
HeardRange whole_heard(const ClipTimes& times) { return heard(times, whole_clip(times)); }
ReelRange whole_in_reel(const ClipTimes& times) { return in_reel(times, whole_heard(times)); }

// --- curves ---

std::vector<Track> tracks_entering(const RunningStep& step, const ClipTimes& before) {
  std::vector<Track> out = step.step->curves;
  if (step.owner == ChainOwner::clip) return out;
  const double later_s = before.lead_s - before.place.s;
  for (Track& track : out)
    track.curve = std::make_shared<const Curve>(shifted(*track.curve, later_s));
  return out;
}

void cut_curves(const Reel& reel, const Clip& clip, Chain& own_chain, ClipRange range) {
  ClipTimes times = own_times(reel, clip);
  Samples frames = frames_of(times.length, reel.rate);
  for (ChainStep& step : own_chain.steps) {
    const HeardRange part = heard(times, range);
    const double share = part.length() / whole_heard(times).length();
    const auto before = step.curves;
    shift_curves(step, -part.begin.s);
    if (!step.on || !step.type->rewrite) continue;
    const auto made = rewritten(step, before, frames, reel.rate);
    TimeMap clock = times.clock.then(made.map);
    times = with_clock(std::move(times), std::move(clock));
    frames = made.frames;
    for (size_t p = 0; p < step.type->parameters.size(); ++p)
      if (double& value = step.settings.values[p];
          step.type->parameters[p].sets_length && value > 0)
        value *= share;
  }
}

}  // namespace drevan
