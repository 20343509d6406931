// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/target.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "reel/files/json_file.h"

namespace drevan {

namespace {

struct Field {
  const char* key;
  std::string_view measure, unit;
  Limits Target::*limits;
  std::optional<double> Levels::*value;
};
constexpr Field fields[] = {
    {"loudness_lufs", "loudness", "LUFS", &Target::loudness_lufs, &Levels::loudness_lufs},
    {"true_peak_dbtp", "true peak", "dBTP", &Target::true_peak_dbtp, &Levels::true_peak_dbtp},
    {"sample_peak_dbfs", "peak", "dBFS", &Target::sample_peak_dbfs, &Levels::sample_peak_dbfs},
    {"rms_dbfs", "RMS", "dBFS", &Target::rms_dbfs, &Levels::rms_dbfs},
    {"noise_floor_dbfs", "noise floor", "dBFS", &Target::noise_floor_dbfs,
     &Levels::noise_floor_dbfs}};

Limits about(double goal, double tolerance) { return {goal - tolerance, goal + tolerance}; }
Limits at_most(double most) { return {std::nullopt, most}; }

double tenth(double v) { return std::round(v * 10) / 10; }

std::string range_text(const Limits& l) {
  if (l.least && l.most) return fmt::format("{:.1f} to {:.1f}", *l.least, *l.most);
  return l.most ? fmt::format("at most {:.1f}", *l.most) : fmt::format("at least {:.1f}", *l.least);
}

Limits limits_from(const nlohmann::json& json, const std::string& where) {
  if (!json.is_object()) throw wrong(where, "must look like { \"least\": -17, \"most\": -15 }.");
  Limits out;
  for (const auto& [key, value] : json.items()) {
    if ((key != "least" && key != "most") || !value.is_number() ||
        std::abs(value.get<double>()) > 200)
      throw wrong(
          where,
          fmt::format(
              "\"{}\": {} is not known; allowed are \"least\" and \"most\" with a level in dB.",
              key, value.dump()));
    (key == "least" ? out.least : out.most) = value.get<double>();
  }
  if (out.least && out.most && *out.least > *out.most)
    throw wrong(where, "\"least\" is above \"most\".");
  return out;
}

}  // namespace

std::span<const Target> targets() {
  // Tolerances of the first two and of the cinema are common practice, no source. EBU R 128 (2020)
  // and ATSC A/85 (2013) name theirs.
  static const std::vector<Target> all{
      {.id = "podcast",
       .label = "Podcast",
       .loudness_lufs = about(-16, 1),
       .true_peak_dbtp = at_most(-1)},
      {.id = "podcast-mono",
       .label = "Podcast, mono",
       .loudness_lufs = about(-19, 1),
       .true_peak_dbtp = at_most(-1)},
      {.id = "broadcast-r128",
       .label = "Broadcast, EBU R 128",
       .loudness_lufs = about(-23, 0.5),
       .true_peak_dbtp = at_most(-1)},
      {.id = "broadcast-a85",
       .label = "Broadcast, ATSC A/85",
       .loudness_lufs = about(-24, 2),
       .true_peak_dbtp = at_most(-2)},
      {.id = "audiobook",
       .label = "Audiobook",
       .sample_peak_dbfs = at_most(-3),
       .rms_dbfs = Limits{-23, -18},
       .noise_floor_dbfs = at_most(-60)},
      {.id = "cinema-dialogue",
       .label = "Cinema, dialogue",
       .loudness_lufs = about(-27, 2),
       .true_peak_dbtp = at_most(-2)},
      {.id = "peak-3", .label = "Peaks at -3 dB", .sample_peak_dbfs = about(-3, 0.1)}};
  return all;
}

Target target_from_text(const std::string& text, const std::string& where) {
  const auto json = parse_json(text, where);
  check_version(json, "drevan_target", 1, where);
  Target out;
  out.label = member<std::string>(json, "name", "", where);
  bool any = false;
  for (const auto& item : json.items()) {
    const auto& key = item.key();
    const auto& value = item.value();
    if (key == "drevan_target" || key == "name") continue;
    const auto* field = std::ranges::find_if(fields, [&](const Field& f) { return f.key == key; });
    if (field == std::end(fields)) {
      std::string known;
      for (const Field& f : fields) known += (known.empty() ? "" : ", ") + std::string(f.key);
      throw wrong(where,
                  fmt::format("\"{}\" does not belong in a target; there are {}.", key, known));
    }
    out.*(field->limits) = limits_from(value, fmt::format("{}, {}", where, key));
    any = true;
  }
  if (!any) throw wrong(where, "a target must limit something.");
  return out;
}

Target find_target(const std::string& name) {
  for (const Target& t : targets())
    if (t.id == name) return t;
  const std::filesystem::path file = name;
  std::error_code error;
  if (std::filesystem::is_regular_file(file, error)) {
    Target t = target_from_text(read_text(file), name);
    t.id = file.stem().string();
    if (t.label.empty()) t.label = t.id;
    return t;
  }
  std::string known;
  for (const Target& t : targets()) known += (known.empty() ? "" : ", ") + t.id;
  throw Error(Error::Kind::call,
              fmt::format("There is no target \"{}\"; there are {}, or name a file of your own.",
                          name, known));
}

std::optional<double> peak_limit(const Target& target) {
  const auto &a = target.true_peak_dbtp.most, &b = target.sample_peak_dbfs.most;
  return a && b ? std::min(*a, *b) : a ? a : b;
}

std::vector<Miss> misses(const Target& target, const Levels& levels) {
  std::vector<Miss> out;
  for (const Field& f : fields) {
    const Limits& l = target.*(f.limits);
    if (l.free()) continue;
    const auto& value = levels.*(f.value);
    if (!value) {
      // Silence is under every ceiling, but it reaches no goal.
      if (l.least) out.push_back({f.measure, value, l, f.unit, false});
      continue;
    }
    const bool high = l.most && tenth(*value) > tenth(*l.most);
    if (high || (l.least && tenth(*value) < tenth(*l.least)))
      out.push_back({f.measure, value, l, f.unit, high});
  }
  return out;
}

std::string miss_text(const Miss& m) {
  return fmt::format("{} {}, wanted {}", m.measure,
                     m.value ? fmt::format("{:.1f} {}", *m.value, m.unit) : "none",
                     range_text(m.wanted));
}

Verdict verdict(std::span<const Miss> misses) {
  const auto any = [&](bool noise, bool high) {
    return std::ranges::any_of(misses, [&](const Miss& m) {
      return (m.measure == "noise floor") == noise && m.too_high == high;
    });
  };
  if (any(false, true)) return Verdict::hot;
  if (any(false, false)) return Verdict::low;
  return any(true, true) || any(true, false) ? Verdict::noisy : Verdict::right;
}

std::string_view verdict_text(Verdict v) {
  constexpr std::string_view names[] = {"right", "low", "hot", "noisy"};
  return names[static_cast<int>(v)];
}

}  // namespace drevan
