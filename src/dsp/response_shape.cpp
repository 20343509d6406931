// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/response_shape.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "audio/decibel.h"
#include "dsp/biquad.h"
#include "dsp/lfo.h"
#include "dsp/sinc_interpolator.h"

namespace drevan {

namespace {

constexpr double pi = std::numbers::pi;

AudioBuffer trimmed(const AudioBuffer& x, double rate, double start_s) {
  const int lead = response_lead(rate);
  const Samples from = first_sound(x) - lead + static_cast<Samples>(std::lround(start_s * rate));
  AudioBuffer out(x.channels(), std::max<Samples>(lead + 1, x.frames() - from));
  for (int c = 0; c < x.channels(); ++c) {
    const auto in = x.channel(c);
    const auto to = out.channel(c);
    for (Samples i = std::max<Samples>(0, -from); i + from < x.frames(); ++i)
      to[static_cast<size_t>(i)] = in[static_cast<size_t>(i + from)];
    for (int i = 0; i < lead; ++i)
      to[static_cast<size_t>(i)] *= static_cast<float>(0.5 - 0.5 * std::cos(pi * i / lead));
  }
  return out;
}

AudioBuffer slowed(const AudioBuffer& x, double rate, double length, Samples longest) {
  const int lead = response_lead(rate), reach = SincInterpolator::reach(1 / length);
  const auto frames = std::min(
      longest, static_cast<Samples>(static_cast<double>(x.frames() - lead) * length) + lead);
  AudioBuffer out(x.channels(), std::max<Samples>(frames, lead + 1));
  std::vector<float> padded(static_cast<size_t>(x.frames() + 2 * reach));
  for (int c = 0; c < x.channels(); ++c) {
    std::ranges::copy(x.channel(c), padded.begin() + reach);
    const auto to = out.channel(c);
    for (size_t i = 0; i < to.size(); ++i) {
      const double place = (static_cast<double>(i) - lead) / length + lead + reach;
      if (place >= reach && place < static_cast<double>(x.frames() + reach))
        to[i] = static_cast<float>(SincInterpolator::at(padded, place, 1 / length));
    }
  }
  return out;
}

// Piece k lies about `at`, rises from the middle of the piece before and falls to that of the next,
// and is heard from `from` frames earlier in the response.
struct Piece {
  Samples at = 0, from = 0;
};
std::vector<Piece> pieces(Samples frames, double rate, double length) {
  std::vector<Piece> out{{0, 0}};
  const auto direct = static_cast<Samples>(0.003 * rate);
  for (int k = 1; out.back().at < frames; ++k) {
    const Samples at = out.back().at;
    const double seconds = static_cast<double>(at) / rate;
    const double hop_s = std::clamp(0.002 + 0.1 * seconds, 0.002, 0.02);
    const Samples next = at + static_cast<Samples>(hop_s * rate);
    const double strays = 0.5 * hop_s * rate * lfo_value(LfoShape::drift, 17.0 * k);
    // Nothing after the direct sound is heard from before it.
    const auto heard = std::max(direct + (next - at),
                                static_cast<Samples>(static_cast<double>(next) / length + strays));
    out.push_back({next, next - heard});
  }
  return out;
}

AudioBuffer longer(const AudioBuffer& x, double rate, double length, Samples longest) {
  const int lead = response_lead(rate);
  const auto frames = std::min(
      longest, static_cast<Samples>(static_cast<double>(x.frames() - lead) * length) + lead);
  AudioBuffer out(x.channels(), std::max<Samples>(frames, lead + 1));
  const auto all = pieces(out.frames() - lead, rate, length);
  for (size_t k = 0; k < all.size(); ++k) {
    // The first one has all of the lead.
    const Samples begin = k > 0 ? all[k - 1].at : -lead;
    const Samples end = k + 1 < all.size() ? all[k + 1].at : out.frames();
    for (Samples t = begin; t < end; ++t) {
      const Samples i = t + lead, from = i - all[k].from;
      if (i < 0 || i >= out.frames() || from < 0 || from >= x.frames()) continue;
      const bool rises = t < all[k].at;
      const double part =
          k == 0 && rises ? 1
          : rises         ? static_cast<double>(t - begin) / static_cast<double>(all[k].at - begin)
                  : 1 - static_cast<double>(t - all[k].at) / static_cast<double>(end - all[k].at);
      const auto gain = static_cast<float>(std::sin(pi / 2 * part));
      for (int c = 0; c < x.channels(); ++c)
        out.channel(c)[static_cast<size_t>(i)] += gain * x.channel(c)[static_cast<size_t>(from)];
    }
  }
  return out;
}

void bend_decay(AudioBuffer& x, double rate, double decay) {
  const ResponseDecay known = response_decay(x, rate);
  if (known.t60_s <= 0) return;
  const double to_nepers = 3 * std::numbers::ln10;
  const double bends = to_nepers / known.t60_s * (1 - 1 / decay);
  const double falls = to_nepers / (known.t60_s * decay);
  const auto first = static_cast<double>(first_sound(x));
  for (Samples i = 0; i < x.frames(); ++i) {
    const double s = std::max(0.0, (static_cast<double>(i) - first) / rate);
    const double at = std::min(s, known.noise_s);
    // Noise does not fall by itself.
    const auto gain = static_cast<float>(std::exp(bends * at - falls * (s - at)));
    for (int c = 0; c < x.channels(); ++c) x.channel(c)[static_cast<size_t>(i)] *= gain;
  }
}

void filter(AudioBuffer& x, BiquadKind kind, double hz, double rate) {
  for (int c = 0; c < x.channels(); ++c) {
    Biquad section;
    section.set(design_biquad(kind, hz, std::numbers::sqrt2 / 2, 0, rate));
    for (float& v : x.channel(c)) v = static_cast<float>(section.process(static_cast<double>(v)));
  }
}

// Where a row of energies that falls is lost in what is at its end: the first slot from which on
// their running mean stays within 3 dB of it.
size_t lost_at(std::span<const double> energy) {
  const size_t n = energy.size(), last = std::max<size_t>(4, n / 10);
  if (n < 4 * last) return n;
  double floor = 0;
  for (size_t i = n - last; i < n; ++i) floor += energy[i] / static_cast<double>(last);
  const double top = *std::ranges::max_element(energy);
  if (floor <= 1e-11 * top) return n;
  // A response that ends before it is lost in noise still falls in its last tenth.
  double half = 0;
  for (size_t i = n - 2 * last; i < n - last; ++i) half += energy[i] / static_cast<double>(last);
  if (half > 1.5 * floor) return n;
  double mean = 0;
  constexpr size_t run = 4;
  for (size_t i = n; i-- > 0;) {
    mean += energy[i];
    if (i + run < n) mean -= energy[i + run];
    if (i + run <= n && mean / run > 2 * floor) return std::min(n, i + run);
  }
  return 0;
}

}  // namespace

int response_lead(double rate) { return static_cast<int>(std::lround(0.0005 * rate)); }

Samples first_sound(const AudioBuffer& x) {
  float peak = 0;
  for (int c = 0; c < x.channels(); ++c)
    for (const float v : x.channel(c)) peak = std::max(peak, std::abs(v));
  Samples first = x.frames();
  for (int c = 0; c < x.channels() && peak > 0; ++c)
    for (Samples i = 0; i < first; ++i)
      if (std::abs(x.channel(c)[static_cast<size_t>(i)]) >= 0.1F * peak) first = i;
  return first == x.frames() ? 0 : first;
}

std::vector<double> response_energy(const AudioBuffer& x, Samples from, double rate) {
  const auto slot = std::max<Samples>(1, static_cast<Samples>(0.005 * rate));
  std::vector<double> out(static_cast<size_t>((x.frames() - from + slot - 1) / slot));
  for (int c = 0; c < x.channels(); ++c) {
    const auto in = x.channel(c).subspan(static_cast<size_t>(from));
    for (size_t i = 0; i < in.size(); ++i)
      out[i / static_cast<size_t>(slot)] += static_cast<double>(in[i]) * static_cast<double>(in[i]);
  }
  return out;
}

ResponseDecay response_decay(const AudioBuffer& x, double rate) {
  const auto energy = response_energy(x, first_sound(x), rate);
  const double slot_s = std::max(1.0, std::floor(0.005 * rate)) / rate;
  const size_t end = lost_at(energy);
  ResponseDecay out{.noise_s = static_cast<double>(end) * slot_s};
  std::vector<double> to_come(end);
  double sum = 0;
  for (size_t i = end; i-- > 0;) to_come[i] = sum += energy[i];
  if (sum <= 0) return out;
  // The line of least squares through what has fallen by 5 to 35 dB, or to 15 dB above the end.
  const double least = end < energy.size() ? to_db(std::sqrt(to_come.back() / sum)) + 10 : -1000;
  double n = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (size_t i = 0; i < end; ++i) {
    const double db = 10 * std::log10(to_come[i] / sum), s = static_cast<double>(i) * slot_s;
    if (db > -5) continue;
    if (db < std::max(-35.0, least)) break;
    n += 1, sx += s, sy += db, sxx += s * s, sxy += s * db;
  }
  const double slope = n >= 3 ? (n * sxy - sx * sy) / (n * sxx - sx * sx) : 0;
  if (slope < 0) out.t60_s = -60 / slope;
  return out;
}

AudioBuffer shape_response(const AudioBuffer& response, double rate, const ResponseShape& shape,
                           Samples longest) {
  AudioBuffer x = trimmed(response, rate, shape.start_s);
  if (shape.length != 1)
    x = shape.keeps_tone ? longer(x, rate, shape.length, longest)
                         : slowed(x, rate, shape.length, longest);
  if (shape.decay != 1) bend_decay(x, rate, shape.decay);
  if (shape.low_hz > 0) filter(x, BiquadKind::high_pass, shape.low_hz, rate);
  if (shape.high_hz > 0) filter(x, BiquadKind::low_pass, shape.high_hz, rate);
  double all = 0;
  for (int c = 0; c < x.channels(); ++c)
    for (const float v : x.channel(c)) all += static_cast<double>(v) * static_cast<double>(v);
  double left = 0;
  Samples end = x.frames();
  for (; end > response_lead(rate) + 1; --end) {
    for (int c = 0; c < x.channels(); ++c) {
      const auto v = static_cast<double>(x.channel(c)[static_cast<size_t>(end - 1)]);
      left += v * v;
    }
    if (left > 1e-10 * all) break;
  }
  x.shorten(std::min(end, longest));
  return x;
}

double even_gain(const AudioBuffer& response, double rate) {
  // Of one channel, and of an impulse.
  const auto energy = [&](std::span<const float> x) {
    Biquad low, high;
    low.set(design_biquad(BiquadKind::high_pass, 100, std::numbers::sqrt2 / 2, 0, rate));
    const double k = 1 - std::exp(-2 * pi * 700 / rate);
    double state = 0, sum = 0;
    for (size_t i = 0; i < x.size() + static_cast<size_t>(0.1 * rate); ++i) {
      state += k * (low.process(i < x.size() ? static_cast<double>(x[i]) : 0) - state);
      sum += state * state;
    }
    return sum;
  };
  const float one = 1;
  double sum = 0;
  for (int c = 0; c < response.channels(); ++c) sum += energy(response.channel(c));
  return sum > 0 ? std::sqrt(energy({&one, 1}) * response.channels() / sum) : 1;
}

}  // namespace drevan
