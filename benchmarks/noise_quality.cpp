// SPDX-License-Identifier: GPL-3.0-or-later
// Noise reduction beside a textbook estimator and two general-purpose libraries: real speech in three
// noises at three levels, learned from the second of noise before it. Prints the means over all
// cases. Usage: noise_quality [--quick | --tune]
// (--tune: Drevan and the textbook alone)
#include <fmt/format.h>
#include <speex/speex_preprocess.h>

#include <cmath>
#include <cstring>
#include <map>
#include <mutex>
#include <numbers>
#include <thread>

#include "audio/denormals.h"
#include "dsp/biquad.h"
#include "dsp/stft.h"
#include "libav_graph.h"
#include "support/speech_metrics.h"
#include "steps/catalogue.h"
#include "support/sounds.h"
#include "textbook_gain.h"

namespace {

using namespace drevan;
using namespace drevan::bench;
using namespace drevan::test;
using Sound = std::vector<float>;

constexpr size_t rate = 48000;

struct Case {
  Sound clean, noisy;
  SpeechMap map;
};

void filter(Sound& x, BiquadKind kind, double hz, double q = 0.7071, double gain_db = 0) {
  Biquad b;
  b.set(design_biquad(kind, hz, q, gain_db, rate));
  for (float& v : x) v = static_cast<float>(b.process(static_cast<double>(v)));
}

Sound white(size_t n, unsigned seed) {
  const auto buffer = test::noise(1, static_cast<double>(n) / rate, seed);
  return {buffer.channel(0).begin(), buffer.channel(0).end()};
}

void add_tones(Sound& x, double hz, std::initializer_list<std::pair<int, double>> harmonics) {
  for (const auto& [h, a] : harmonics)
    for (size_t i = 0; i < x.size(); ++i)
      x[i] += static_cast<float>(
          a * std::sin(2 * std::numbers::pi * hz * h * static_cast<double>(i) / rate + h));
}

void to_unit(Sound& x) {
  const double r = test::rms(x);
  for (float& v : x) v = static_cast<float>(static_cast<double>(v) / r);
}

// A cheap recorder's amplifier: nearly white.
Sound hiss(size_t n) {
  Sound x = white(n, 11);
  filter(x, BiquadKind::high_pass, 300);
  filter(x, BiquadKind::low_pass, 14000);
  return x;
}
// Air that falls by 6 dB an octave, waves a little with the blades, and carries their tone.
Sound fan(size_t n) {
  Sound x = white(n, 12);
  filter(x, BiquadKind::low_shelf, 120, 0.5, 9);
  double y = 0;
  for (float& v : x) v = static_cast<float>(y += 0.015 * (static_cast<double>(v) - y));
  to_unit(x);
  for (size_t i = 0; i < n; ++i)
    x[i] *= static_cast<float>(
        1 + 0.15 * std::sin(2 * std::numbers::pi * 7.3 * static_cast<double>(i) / rate));
  add_tones(x, 117, {{1, 0.25}, {2, 0.35}, {3, 0.15}, {5, 0.08}});
  return x;
}
// Hum, a low rumble and a little hiss.
Sound refrigerator(size_t n) {
  Sound x = white(n, 13);
  filter(x, BiquadKind::low_pass, 120);
  filter(x, BiquadKind::low_pass, 200);
  to_unit(x);
  for (float& v : x) v *= 0.5F;
  add_tones(x, 50, {{1, 0.6}, {2, 1.0}, {3, 0.3}, {4, 0.4}, {6, 0.2}, {8, 0.12}});
  const Sound h = white(n, 14);
  for (size_t i = 0; i < n; ++i) x[i] += 0.05F * h[i];
  return x;
}

std::vector<Case> make_cases(bool quick) {
  std::vector<std::string> prompts{"demo-moreinfo",   "vm-instructions",    "demo-echotest",
                                   "demo-congrats",   "basic-pbx-ivr-main", "vm-options",
                                   "demo-abouttotry", "conf-adminmenu-162"};
  if (quick) prompts.resize(2);
  std::vector<Case> out;
  for (const auto& name : prompts) {
    const auto speech = test::speech(name);
    const auto length = std::min<size_t>(speech.channel(0).size(), 9 * rate);
    Sound clean(rate + length + rate / 2);
    std::copy_n(speech.channel(0).begin(), length, clean.begin() + rate);
    const SpeechMap map = map_speech(clean);
    double power = 0;
    size_t count = 0;
    for (size_t f = 0; f < map.speech.size(); ++f)
      for (size_t i = f * SpeechMap::frame; map.speech[f] && i < (f + 1) * SpeechMap::frame;
           ++i, ++count)
        power += static_cast<double>(clean[i] * clean[i]);
    power /= static_cast<double>(count);
    for (auto* make : {hiss, fan, refrigerator}) {
      Sound noise = make(clean.size());
      to_unit(noise);
      for (const double snr_db : {5.0, 15.0, 25.0}) {
        const auto gain = static_cast<float>(std::sqrt(power) * std::pow(10, -snr_db / 20));
        Case c{clean, clean, map};
        for (size_t i = 0; i < clean.size(); ++i) c.noisy[i] += gain * noise[i];
        out.push_back(std::move(c));
      }
    }
  }
  return out;
}

constexpr size_t learn_from = rate / 10, learn_to = rate * 95 / 100;

AudioBlock block_of(float*& data, size_t n) { return {&data, 1, static_cast<int>(n)}; }

Sound with_drevan(const Sound& noisy, double depth) {
  const StepType& type = *find_step("noise-reduction");
  const StreamFormat format{rate, 1, 4096};
  Settings settings = standard_settings(type);
  settings.values[0] = depth;
  const auto learner = type.learn(settings, format);
  Sound room(noisy.begin() + learn_from, noisy.begin() + learn_to);
  for (size_t at = 0; at < room.size(); at += 4096) {
    float* p = room.data() + at;
    learner->hear(block_of(p, std::min<size_t>(4096, room.size() - at)));
  }
  const auto step = make_processor(type, settings, learner->findings(), format);
  const auto late = static_cast<size_t>(step->latency());
  Sound out = noisy;
  out.resize(noisy.size() + late);
  for (size_t at = 0; at < out.size(); at += 4096) {
    float* p = out.data() + at;
    step->process(block_of(p, std::min<size_t>(4096, out.size() - at)));
  }
  out.erase(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(late));
  return out;
}

// 2048-point spectra, 75 % overlap, decision-directed 0.98, presence-weighted floor.
Sound with_textbook(const Sound& noisy, double depth) {
  constexpr int size = 2048, overlap = 4;
  std::vector<double> sum(size / 2 + 1);
  std::vector<float> power(size / 2 + 1), gain(size / 2 + 1);
  Stft ear(size, overlap);
  Sound room(noisy.begin() + learn_from, noisy.begin() + learn_to);
  int heard = 0;
  ear.process(room, [&](std::span<std::complex<float>> bins) {
    if (++heard < overlap) return;
    for (size_t k = 0; k < bins.size(); ++k) sum[k] += static_cast<double>(std::norm(bins[k]));
  });
  for (size_t k = 0; k < power.size(); ++k)
    power[k] = static_cast<float>(sum[k] / (heard - overlap + 1));
  TextbookGain estimator(
      {size / 2 + 1, static_cast<double>(rate) / size, static_cast<double>(size) / overlap / rate});
  estimator.set_noise(power);
  estimator.set_floor_db(-depth);
  Stft stft(size, overlap);
  Sound out = noisy;
  out.resize(noisy.size() + size);
  stft.process(out, [&](std::span<std::complex<float>> bins) {
    for (size_t k = 0; k < bins.size(); ++k) power[k] = std::norm(bins[k]);
    estimator.gains(power, gain);
    for (size_t k = 0; k < bins.size(); ++k) bins[k] *= gain[k];
  });
  out.erase(out.begin(), out.begin() + size);
  return out;
}

// Other programs' delay is found, not believed: the shift by which the output is most like the input.
Sound aligned(Sound out, const Sound& noisy) {
  size_t best = 0;
  double most = -1;
  for (size_t shift = 0; shift < 8192 && shift < out.size(); ++shift) {
    double sum = 0;
    for (size_t i = 2 * rate; i < std::min(out.size() - shift, 3 * rate); ++i)
      sum += static_cast<double>(noisy[i] * out[i + shift]);
    if (sum > most) most = sum, best = shift;
  }
  out.erase(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(best));
  out.resize(noisy.size());
  return out;
}

Sound with_afftdn(const Sound& noisy, double depth) {
  Sound out;
  // It is told the noise's level as well as shown the noise itself.
  const double level = test::rms_db(std::span(noisy).subspan(learn_from, learn_to - learn_from));
  LibavGraph graph(fmt::format("afftdn=nr={}:nf={:.1f}", depth, std::clamp(level, -80.0, -20.0)),
                   rate,
                   [&](std::span<const float> x) { out.insert(out.end(), x.begin(), x.end()); });
  for (size_t at = 0; at < noisy.size(); at += 480) {
    if (at == learn_from) graph.command("afftdn", "sample_noise", "start");
    if (at == learn_to) graph.command("afftdn", "sample_noise", "stop");
    graph.feed(std::span(noisy).subspan(at, std::min<size_t>(480, noisy.size() - at)));
  }
  graph.finish();
  return aligned(std::move(out), noisy);
}

Sound with_speex(const Sound& noisy, double depth) {
  constexpr int frame = 960;
  SpeexPreprocessState* state = speex_preprocess_state_init(frame, rate);
  int on = 1, suppress = -static_cast<int>(depth);
  speex_preprocess_ctl(state, SPEEX_PREPROCESS_SET_DENOISE, &on);
  speex_preprocess_ctl(state, SPEEX_PREPROCESS_SET_NOISE_SUPPRESS, &suppress);
  Sound out;
  std::vector<spx_int16_t> pcm(frame);
  for (size_t at = 0; at + frame <= noisy.size(); at += frame) {
    for (size_t i = 0; i < frame; ++i)
      pcm[i] =
          static_cast<spx_int16_t>(std::lround(std::clamp(noisy[at + i], -1.0F, 1.0F) * 32767));
    speex_preprocess_run(state, pcm.data());
    for (const auto v : pcm) out.push_back(static_cast<float>(v) / 32767);
  }
  speex_preprocess_state_destroy(state);
  return aligned(std::move(out), noisy);
}

struct Scores {
  double si_sdr = 0, stoi = 0, distance = 0, pause = 0, level = 0, warble = 0;
};

Scores score(const Case& c, const Sound& heard) {
  const auto after_learning = [](const Sound& x) { return std::span(x).subspan(rate); };
  const auto clean = after_learning(c.clean), noisy = after_learning(c.noisy),
             out = after_learning(heard);
  return {si_sdr_db(clean, out) - si_sdr_db(clean, noisy), stoi(clean, out) - stoi(clean, noisy),
          log_spectral_distance(c.clean, heard),           pause_cut_db(c.noisy, heard, c.map),
          speech_level_db(c.clean, heard, c.map),          warble(c.noisy, heard, c.map)};
}

Scores mean_of(const std::vector<Case>& cases, Sound (*clean)(const Sound&, double), double depth) {
  Scores sum;
  std::mutex mutex;
  std::atomic<size_t> next{0};
  const auto work = [&] {
    const FlushDenormals flush;
    for (size_t i = 0; (i = next++) < cases.size();) {
      const Scores s = score(cases[i], clean(cases[i].noisy, depth));
      const std::lock_guard lock(mutex);
      const auto n = static_cast<double>(cases.size());
      sum.si_sdr += s.si_sdr / n;
      sum.stoi += s.stoi / n;
      sum.distance += s.distance / n;
      sum.pause += s.pause / n;
      sum.level += s.level / n;
      sum.warble += s.warble / n;
    }
  };
  std::vector<std::jthread> threads;
  for (unsigned t = 0; t < std::max(1U, std::thread::hardware_concurrency()); ++t)
    threads.emplace_back(work);
  threads.clear();
  return sum;
}

}  // namespace

int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::strcmp(argv[1], "--quick") == 0;
  const auto cases = make_cases(quick);
  std::vector<std::pair<const char*, Sound (*)(const Sound&, double)>> ways{
      {"Drevan", with_drevan},
      {"textbook", with_textbook},
      {"afftdn", with_afftdn},
      {"SpeexDSP", with_speex}};
  if (argc > 1 && std::strcmp(argv[1], "--tune") == 0) ways.resize(2);
  fmt::print("{} cases: hiss, fan, refrigerator at 5, 15 and 25 dB under real speech; means\n",
             cases.size());
  fmt::print("{:<6}{:<10}{:>13}{:>13}{:>13}{:>13}{:>13}{:>10}\n", "depth", "", "SI-SDR gain",
             "STOI change", "log spectral", "pauses", "speech", "warble");
  std::map<std::pair<int, std::string>, Scores> all;
  for (const int depth : {6, 12, 20})
    for (const auto& [name, way] : ways) {
      const Scores s = all[{depth, name}] = mean_of(cases, way, depth);
      fmt::print("{:<6}{:<10}{:>10.2f} dB{:>13.4f}{:>10.3f} dB{:>10.2f} dB{:>10.2f} dB{:>10.3f}\n",
                 depth, name, s.si_sdr, s.stoi, s.distance, s.pause, s.level, s.warble);
    }
  const Scores &ours = all[{20, "Drevan"}], &book = all[{20, "textbook"}],
               &twelve = all[{12, "Drevan"}];
  bool good = true;
  const auto goal = [&](const char* what, double value, bool met) {
    fmt::print("{:<64}{:>8.3f}  {}\n", what, value, met ? "met" : "MISSED");
    good = good && met;
  };
  goal("depth 20: SI-SDR gain over the textbook, dB (at least 1)", ours.si_sdr - book.si_sdr,
       ours.si_sdr - book.si_sdr >= 1);
  goal("depth 20: log-spectral distance against the textbook (at most 0.9)",
       ours.distance / book.distance, ours.distance <= 0.9 * book.distance);
  goal("depth 20: STOI change (above 0)", ours.stoi, ours.stoi > 0);
  goal("depth 20: speech level, dB (at least -0.3)", ours.level, ours.level >= -0.3);
  goal("depth 20: warble (at most 0.2)", ours.warble, ours.warble <= 0.2);
  goal("depth 12: warble (at most 0.05)", twelve.warble, twelve.warble <= 0.05);
  goal("depth 12: pauses, dB (-12 +- 1)", twelve.pause, std::abs(twelve.pause + 12) <= 1);
  return good ? 0 : 1;
}
