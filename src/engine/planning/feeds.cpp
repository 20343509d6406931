// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/feeds.h"

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "audio/hash.h"
#include "reel/scene/sends.h"
#include "steps/places/acoustics_scene.h"
#include "steps/catalogue.h"
#include "steps/common_parameters.h"

namespace drevan {

namespace {

using P = AcousticsParameter;

PlannedStep step_of(const StepType& type) {
  PlannedStep out;
  out.type = &type;
  out.settings = standard_settings(type);
  return out;
}

Track track_of(int parameter, const Curve& curve, double later_s) {
  return {parameter, std::make_shared<const Curve>(shifted(curve, later_s))};
}

// The step's half of a place, as loud as it is.
void take_part(Settings& settings, AcousticsPart part) {
  settings.values[P::part] = static_cast<double>(part);
  settings.values[P::level] = level_as_it_is;
}

PlannedStep at_place(const ChainStep& placing, const Send& send, double lead_s) {
  PlannedStep out;
  out.type = placing.type;
  out.settings = placing.settings;
  take_part(out.settings, AcousticsPart::early);
  if (!send.place) return out;
  auto& values = out.settings.values;
  // Seen from the listener, standing still but for what is drawn.
  values[P::placed] = placed_by_direction;
  values[P::path] = 0;
  values[P::azimuth_deg] = send.place->azimuth_deg;
  values[P::elevation_deg] = send.place->elevation_deg;
  values[P::distance_m] = send.place->distance_m;
  if (send.place->azimuth)
    out.tracks.push_back(track_of(P::azimuth_deg, *send.place->azimuth, lead_s));
  if (send.place->distance)
    out.tracks.push_back(track_of(P::distance_m, *send.place->distance, lead_s));
  return out;
}

}  // namespace

bool operator==(const Feed& a, const Feed& b) {
  const auto same = [](const std::vector<PlannedStep>& x, const std::vector<PlannedStep>& y) {
    return std::ranges::equal(x, y, [](const PlannedStep& s, const PlannedStep& t) {
      return s.type == t.type && s.settings == t.settings && s.tracks == t.tracks;
    });
  };
  return a.space == b.space && a.gain == b.gain && same(a.amount, b.amount) &&
         same(a.place, b.place);
}

std::vector<Feed> feeds_of(const Reel& reel, const Clip& clip, double lead_s) {
  std::vector<Feed> out;
  for (const Send& s : sends_of(reel, clip)) {
    Feed& feed = out.emplace_back(Feed{s.space, static_cast<float>(from_db(s.level_db))});
    if (s.level) {
      feed.gain = 1;
      feed.amount = {step_of(step_for(Role::gain))};
      feed.amount[0].settings.values[0] = s.level_db;
      feed.amount[0].tracks = {track_of(0, *s.level, lead_s)};
    }
    const Space* space = find_space(reel, s.space);
    if (space && has_own_places(reel, *space))
      feed.place = {at_place(*placing_step(*space), s, lead_s)};
  }
  return out;
}

std::uint64_t key_of(const std::vector<Feed>& feeds) {
  Hasher h;
  for (const Feed& f : feeds) {
    h.add(f.space).add(static_cast<double>(f.gain));
    for (const auto* steps : {&f.amount, &f.place}) h.add(stage_keys(ClipPlan{{}, *steps}).back());
  }
  return h.value();
}

std::vector<PlannedStep> late_of(std::vector<PlannedStep> steps) {
  take_part(steps.at(0).settings, AcousticsPart::late);
  return steps;
}

}  // namespace drevan
