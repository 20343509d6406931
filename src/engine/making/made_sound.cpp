// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/making/made_sound.h"

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <numbers>
#include <random>

#include "audio/decibel.h"
#include "audio/error.h"
#include "engine/making/room_tone_fill.h"
#include "media/writer.h"

namespace drevan {

namespace {

constexpr double fade_s = 0.005;
constexpr int block = 65536;

// A slope of 3 dB an octave: poles and zeros of first order in turn, evenly spread over the octaves
// (the usual approximation; the test holds it against the definition of IEC 60268-1).
class PinkFilter {
 public:
  explicit PinkFilter(double rate) : rate_(rate) {
    const double top = 0.45 * rate;
    for (double hz = 8; hz < top; hz *= 2)
      sections_.push_back(section(hz, hz * std::numbers::sqrt2));
  }
  double process(double x) {
    for (Section& s : sections_) {
      const double y = s.b0 * x + s.b1 * s.x1 - s.a1 * s.y1;
      s.x1 = x;
      s.y1 = y;
      x = y;
    }
    return x;
  }
  // Mean of the squared response over all frequencies.
  double power() const {
    constexpr int points = 16384;
    double sum = 0;
    for (int i = 0; i < points; ++i) {
      const double w = std::numbers::pi * (i + 0.5) / points;
      double all = 1;
      for (const Section& s : sections_) {
        const auto of = [&](double b0, double b1) {
          return b0 * b0 + b1 * b1 + 2 * b0 * b1 * std::cos(w);
        };
        all *= of(s.b0, s.b1) / of(1, s.a1);
      }
      sum += all;
    }
    return sum / points;
  }

 private:
  struct Section {
    double b0, b1, a1, x1 = 0, y1 = 0;
  };
  // Level below the pole, falling to the zero; by the bilinear transform.
  Section section(double pole_hz, double zero_hz) const {
    const double p = std::tan(std::numbers::pi * pole_hz / rate_),
                 z = std::tan(std::numbers::pi * std::min(zero_hz, 0.49 * rate_) / rate_);
    const double gain = p / z / (1 + p);
    return {gain * (1 + z), gain * (z - 1), (p - 1) / (1 + p)};
  }

  double rate_;
  std::vector<Section> sections_;
};

void require(const MadeSound& of, double rate) {
  const auto in = [](double x, double least, double most) { return x >= least && x <= most; };
  if (!in(of.seconds, least_made_s, most_made_s))
    throw Error(Error::Kind::call, fmt::format("A sound can be made {} to {:.0f} s long, not {}.",
                                               least_made_s, most_made_s, of.seconds));
  if (!in(of.level_dbfs, least_made_db, most_made_db))
    throw Error(Error::Kind::call,
                fmt::format("A sound can be made at {:.0f} to {:.0f} dB, not {}.", least_made_db,
                            most_made_db, of.level_dbfs));
  const double most_hz = std::min(most_made_hz, 0.49 * rate);
  if (of.kind == MadeKind::tone && !in(of.hz, least_made_hz, most_hz))
    throw Error(Error::Kind::call, fmt::format("A tone can have {:.0f} to {:.0f} Hz here, not {}.",
                                               least_made_hz, most_hz, of.hz));
}

// Gives samples one after the other.
std::function<double()> source_of(const MadeSound& of, double rate) {
  const double level = from_db(of.level_dbfs);
  switch (of.kind) {
    case MadeKind::tone:
      return [level, i = Samples{0}, turn = 2 * std::numbers::pi * of.hz / rate]() mutable {
        return level * std::sin(turn * static_cast<double>(i++));
      };
    case MadeKind::pink_noise:
    case MadeKind::white_noise: {
      // Evenly from -1 to 1 has a power of 1/3, a tone of this peak one of 1/2.
      auto white = [random = std::mt19937(1)]() mutable {
        return static_cast<double>(random()) / 2147483648.0 - 1;
      };
      const double even = level * std::sqrt(1.5);
      if (of.kind == MadeKind::white_noise)
        return [white, even]() mutable { return even * white(); };
      PinkFilter pink(rate);
      const double gain = even / std::sqrt(pink.power());
      return [white, pink, gain]() mutable { return gain * pink.process(white()); };
    }
    default:
      return [] { return 0.0; };
  }
}

void fade(const AudioBlock& b, Samples at, Samples all, double rate) {
  const double length = fade_s * rate;
  for (int i = 0; i < b.frames(); ++i) {
    const Samples edge = std::min(at + i, all - 1 - at - i);
    if (static_cast<double>(edge) >= length) continue;
    const auto gain = static_cast<float>((static_cast<double>(edge) + 0.5) / length);
    for (int c = 0; c < b.channels(); ++c) b.channel(c)[static_cast<size_t>(i)] *= gain;
  }
}

}  // namespace

std::string name_of(const MadeSound& sound) {
  switch (sound.kind) {
    case MadeKind::tone:
      return sound.hz >= 1000 ? fmt::format("Tone {:g} kHz", sound.hz / 1000)
                              : fmt::format("Tone {:g} Hz", sound.hz);
    case MadeKind::pink_noise:
      return "Pink noise";
    case MadeKind::white_noise:
      return "White noise";
    case MadeKind::silence:
      return "Silence";
    case MadeKind::room_tone:
      return "Room tone";
  }
  return {};
}

void make_sound(const Reel& reel, const MadeSound& sound, GroupId group,
                const std::filesystem::path& file, const CancelToken& cancel,
                const Progress& progress) {
  require(sound, reel.rate);
  const auto frames = static_cast<Samples>(std::llround(sound.seconds * reel.rate));
  const bool room = sound.kind == MadeKind::room_tone;
  AudioBuffer made = room ? room_tone_of(reel, group, frames) : AudioBuffer(1, block);
  make_folder(file.parent_path());
  AudioWriter writer(file, {Container::wav, SampleType::float32, reel.rate, made.channels()},
                     frames, SourceMarks{"", 0}, ReplacementFile::Old::kept);
  const auto next = source_of(sound, reel.rate);
  for (Samples at = 0; at < frames; at += block) {
    cancel.check();
    const int n = static_cast<int>(std::min<Samples>(block, frames - at));
    const AudioBlock b = made.block(room ? at : 0, n);
    if (!room)
      for (float& x : b.channel(0)) x = static_cast<float>(next());
    fade(b, at, frames, reel.rate);
    writer.write(b);
    if (progress) progress(static_cast<double>(at + n) / static_cast<double>(frames));
  }
  writer.commit();
}

}  // namespace drevan
