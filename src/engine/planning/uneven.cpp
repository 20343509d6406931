// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/uneven.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "audio/decibel.h"
#include "measure/spectrum.h"

namespace drevan {

double tone_band_hz(size_t band) {
  return 1000 * std::pow(10.0, (static_cast<double>(band) - 10) / 10);
}

namespace {

// Power per third octave: rectangular bands over the bins of a mean spectrum.
std::array<double, tone_bands> bands_db(const SpectrumMeter& meter) {
  const auto power = meter.power();
  std::array<double, tone_bands> out;
  const double edge = std::pow(10.0, 0.05);
  for (size_t b = 0; b < tone_bands; ++b) {
    const auto bin = [&](double hz) {
      return std::min(power.size(), static_cast<size_t>(std::lround(hz / meter.bin_hz())));
    };
    double sum = 0;
    for (size_t k = bin(tone_band_hz(b) / edge); k < bin(tone_band_hz(b) * edge); ++k)
      sum += static_cast<double>(power[k]);
    out[b] = power_to_db(sum);
  }
  return out;
}

double median(std::vector<double> values) {
  if (values.empty()) return 0;
  std::ranges::sort(values);
  const size_t half = values.size() / 2;
  return values.size() % 2 ? values[half] : (values[half - 1] + values[half]) / 2;
}

constexpr double level_lu = 1.5, floor_db = 6, tone_db = 6;

std::vector<std::string_view> ids_of(const Chain& chain) {
  std::vector<std::string_view> out;
  for (const auto& s : chain.steps)
    if (s.on) out.push_back(s.type->id);
  return out;
}

class Comparison {
 public:
  Comparison(const Reel& reel, std::span<const ClipTraits> traits) : reel_(reel) {
    for (const auto& t : traits)
      if (const Clip* c = reel.find(t.clip)) groups_[c->group].push_back(&t);
  }
  std::vector<Uneven> all() {
    for (const auto& [group, members] : groups_) {
      if (members.size() < 2) continue;
      one_value(members, Unevenness::level, level_lu, &Levels::loudness_lufs, "louder", "quieter");
      one_value(members, Unevenness::noise_floor, floor_db, &Levels::noise_floor_dbfs, "noisier",
                "less noisy");
      tone(members);
      chains(members);
    }
    std::ranges::stable_sort(found_, {}, [&](const Uneven& u) {
      const auto at = std::ranges::find(reel_.clips, u.clip, &Clip::id) - reel_.clips.begin();
      const GroupId of = reel_.find(u.clip)->group;
      return std::pair(std::ranges::find(reel_.groups, of, &Group::id) - reel_.groups.begin(), at);
    });
    return std::move(found_);
  }

 private:
  using Members = std::vector<const ClipTraits*>;

  void add(ClipId clip, Unevenness what, double by, std::string&& told) {
    Uneven& u = found_.emplace_back();
    u.clip = clip;
    u.what = what;
    u.by = by;
    u.told = std::move(told);
  }

  void one_value(const Members& members, Unevenness what, double limit,
                 std::optional<double> Levels::*field, const char* more, const char* less) {
    std::vector<double> values;
    for (const auto* m : members)
      if (m->levels.*field) values.push_back(*(m->levels.*field));
    const double middle = median(values);
    for (const auto* m : members) {
      if (!(m->levels.*field)) continue;
      const double by = *(m->levels.*field) - middle;
      if (std::abs(by) > limit)
        add(m->clip, what, by,
            fmt::format("{:.1f} dB {} than its group", std::abs(by), by > 0 ? more : less));
    }
  }

  // The band that stands out most, after each clip's own middle is taken out of its tone.
  void tone(const Members& members) {
    std::vector<std::array<double, tone_bands>> shapes;
    for (const auto* m : members) {
      auto shape = m->tone_db;
      const double own = median({shape.begin(), shape.end()});
      for (double& v : shape) v -= own;
      shapes.push_back(shape);
    }
    std::array<double, tone_bands> middle{};
    for (size_t b = 0; b < tone_bands; ++b) {
      std::vector<double> values;
      for (const auto& s : shapes) values.push_back(s[b]);
      middle[b] = median(values);
    }
    for (size_t i = 0; i < members.size(); ++i) {
      if (std::ranges::max(members[i]->tone_db) < -150) continue;
      size_t most = 0;
      const auto by = [&](size_t b) { return shapes[i][b] - middle[b]; };
      for (size_t b = 1; b < tone_bands; ++b)
        if (std::abs(by(b)) > std::abs(by(most))) most = b;
      if (std::abs(by(most)) > tone_db)
        add(members[i]->clip, Unevenness::tone, by(most),
            fmt::format("{:.1f} dB {} around {:.0f} Hz than its group", std::abs(by(most)),
                        by(most) > 0 ? "more" : "less", tone_band_hz(most)));
    }
  }

  void chains(const Members& members) {
    std::map<std::vector<std::string_view>, int> kinds;
    for (const auto* m : members) ++kinds[ids_of(reel_.find(m->clip)->chain)];
    const auto usual = std::ranges::max_element(kinds, {}, [](const auto& k) { return k.second; });
    for (const auto* m : members) {
      const Clip& clip = *reel_.find(m->clip);
      const auto out = sits_out_of(reel_, clip);
      if (!out.empty()) {
        add(m->clip, Unevenness::chain, 0, fmt::format("sits out of {}", fmt::join(out, ", ")));
      } else if (kinds.size() > 1 && ids_of(clip.chain) != usual->first) {
        add(m->clip, Unevenness::chain, 0, fmt::format("has other steps than most of its group"));
      }
    }
  }

  const Reel& reel_;
  std::map<GroupId, Members> groups_;
  std::vector<Uneven> found_;
};

}  // namespace

ClipTraits measure_traits(const Reel& reel, const Clip& clip, FindingStore& store,
                          const CancelToken& cancel) {
  const ClipPlan plan = plan_of(reel, clip);
  StreamFormat format = ClipReader(plan.sound).format(4096);
  format.channels = stage_channels(plan.steps, format.channels).back();
  LevelMeter levels(format, Detail::quick);
  SpectrumMeter tone(format);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  process_clip(plan, options, [&](const AudioBlock& b) {
    levels.hear(b);
    tone.hear(b);
  });
  return {clip.id, levels.levels(), bands_db(tone)};
}

std::vector<Uneven> uneven_clips(const Reel& reel, std::span<const ClipTraits> traits) {
  return Comparison(reel, traits).all();
}

}  // namespace drevan
