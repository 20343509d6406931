// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/voice_print.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace drevan {

namespace {

using std::numbers::pi;
constexpr double lowest_hz = 120, highest_hz = 7000;
constexpr double lowest_pitch_hz = 70, highest_pitch_hz = 380;
constexpr double least_speech_s = 0.4;
constexpr float voiced = 0.5F;  // of the autocorrelation

double mel_of(double hz) { return 2595 * std::log10(1 + hz / 700); }
double hz_of(double mel) { return 700 * (std::pow(10, mel / 2595) - 1); }

}  // namespace

VoicePrintMeter::VoicePrintMeter(int channels)
    : channels_(channels),
      fft_(size),
      pitch_fft_(4 * size),
      window_(hann_window(size)),
      time_(size),
      long_(2 * size),
      bins_(static_cast<size_t>(size / 2 + 1)),
      filters_(bands) {
  const double from = mel_of(lowest_hz), step = (mel_of(highest_hz) - from) / (bands + 1);
  for (size_t b = 0; b < bands; ++b) {
    const double low = hz_of(from + static_cast<double>(b) * step);
    const double middle = hz_of(from + static_cast<double>(b + 1) * step);
    const double high = hz_of(from + static_cast<double>(b + 2) * step);
    for (size_t k = 0; k <= size / 2; ++k) {
      const double hz = static_cast<double>(k) * voice_print_rate / size;
      const double up = (hz - low) / (middle - low), down = (high - hz) / (high - middle);
      filters_[b][k] = static_cast<float>(std::max(0.0, std::min(up, down)));
    }
  }
}

void VoicePrintMeter::hear(const AudioBlock& block) {
  for (int i = 0; i < block.frames(); ++i) {
    float x = 0;
    for (int c = 0; c < block.channels(); ++c) x += block.channel(c)[static_cast<size_t>(i)];
    long_[2 * size - hop + filled_] = x / static_cast<float>(channels_);
    if (++filled_ < hop) continue;
    take_frame();
    std::copy(long_.begin() + hop, long_.end(), long_.begin());
    filled_ = 0;
  }
}

void VoicePrintMeter::take_frame() {
  Frame frame;
  // Towards flat, as cepstra are taken: 6 dB an octave up.
  const float* newest = long_.data() + size;
  for (size_t i = 0; i < size; ++i) {
    const float flat = newest[i] - 0.97F * newest[static_cast<std::ptrdiff_t>(i) - 1];
    time_[i] = flat * window_[i];
    frame.power += newest[i] * newest[i] / size;
  }
  fft_.forward(time_, bins_);
  for (size_t b = 0; b < bands; ++b)
    for (size_t k = 0; k < bins_.size(); ++k) frame.mel[b] += filters_[b][k] * std::norm(bins_[k]);
  frame.pitch_hz = pitch();
  frames_.push_back(frame);
}

// The highest peak of the autocorrelation of the last 64 ms; 0: none stands out.
float VoicePrintMeter::pitch() const {
  FloatVector x(4 * size);
  std::copy(long_.begin(), long_.end(), x.begin());
  ComplexVector spectrum(static_cast<size_t>(2 * size + 1));
  pitch_fft_.forward(x, spectrum);
  for (auto& bin : spectrum) bin = std::norm(bin);
  pitch_fft_.inverse(spectrum, x);
  if (x[0] <= 0) return 0;
  const auto shortest = static_cast<size_t>(voice_print_rate / highest_pitch_hz);
  const auto longest = static_cast<size_t>(voice_print_rate / lowest_pitch_hz);
  size_t best = 0;
  float most = 0;
  for (size_t lag = shortest; lag <= longest; ++lag) {
    // The window's own fall is taken off.
    const float value = x[lag] / x[0] * (2.0F * size) / (2.0F * size - static_cast<float>(lag));
    // A little for the shorter one, against octaves too low.
    const float weighed = value * (1 - 0.0004F * static_cast<float>(lag));
    if (weighed <= most || x[lag] < x[lag - 1] || x[lag] < x[lag + 1]) continue;
    most = weighed;
    best = lag;
  }
  return most > voiced ? static_cast<float>(voice_print_rate / static_cast<double>(best)) : 0;
}

VoicePrint VoicePrintMeter::print() const {
  VoicePrint out;
  if (frames_.size() < 8) return out;
  std::vector<float> powers;
  for (const auto& f : frames_) powers.push_back(f.power);
  std::vector<float> sorted = powers;
  std::ranges::sort(sorted);
  const float quiet = sorted[sorted.size() / 20], loud = sorted[sorted.size() * 9 / 10];
  // Speech: near to the loud frames, and out of the room.
  const float least = std::max({loud * 0.02F, quiet * 3, 1e-9F});
  std::array<double, bands> room{};
  int room_frames = 0;
  for (size_t i = 0; i < frames_.size(); ++i) {
    if (powers[i] > quiet * 1.6F) continue;
    for (size_t b = 0; b < bands; ++b) room[b] += static_cast<double>(frames_[i].mel[b]);
    ++room_frames;
  }
  for (double& r : room) r /= std::max(1, room_frames);
  std::array<double, cepstra> sum{}, squares{};
  std::vector<double> pitches;
  int count = 0;
  for (size_t i = 0; i < frames_.size(); ++i) {
    const Frame& f = frames_[i];
    if (f.power < least) continue;
    ++count;
    if (f.pitch_hz > 0) pitches.push_back(std::log2(static_cast<double>(f.pitch_hz)));
    std::array<double, bands> log_mel{};
    const double peak = static_cast<double>(*std::ranges::max_element(f.mel));
    for (size_t b = 0; b < bands; ++b) {
      const auto power = static_cast<double>(f.mel[b]);
      log_mel[b] = std::log(std::max({power - room[b], 0.1 * power, 1e-4 * peak, 1e-12}));
    }
    for (size_t c = 1; c <= cepstra; ++c) {
      double value = 0;
      for (size_t b = 0; b < bands; ++b)
        value += log_mel[b] *
                 std::cos(pi * static_cast<double>(c) * (static_cast<double>(b) + 0.5) / bands);
      value /= bands;
      sum[c - 1] += value;
      squares[c - 1] += value * value;
    }
  }
  out.speech_s = count * hop / voice_print_rate;
  if (out.speech_s < least_speech_s) return out;
  for (size_t c = 0; c < cepstra; ++c) out.values.push_back(sum[c] / count);
  for (size_t c = 0; c < cepstra; ++c)
    out.values.push_back(
        std::sqrt(std::max(0.0, squares[c] / count - sum[c] * sum[c] / count / count)));
  std::ranges::sort(pitches);
  const bool sung = pitches.size() >= 6;
  out.values.push_back(sung ? pitches[pitches.size() / 2] : std::log2(150.0));
  out.values.push_back(sung ? pitches[pitches.size() * 9 / 10] - pitches[pitches.size() / 10] : 0);
  return out;
}

namespace {

using Point = std::vector<double>;

double distance(const Point& a, const Point& b) {
  double sum = 0;
  for (size_t i = 0; i < a.size(); ++i) sum += (a[i] - b[i]) * (a[i] - b[i]);
  return std::sqrt(sum);
}

// Every value in its own spread over the clips; the pitch counts as much as several cepstra,
// spreads count half.
std::vector<Point> scaled(std::span<const VoicePrint> prints, const std::vector<size_t>& heard) {
  const size_t dims = prints[heard.front()].values.size();
  const size_t means = (dims - 2) / 2;
  std::vector<Point> out(heard.size(), Point(dims));
  for (size_t d = 0; d < dims; ++d) {
    double sum = 0, squares = 0;
    for (const size_t i : heard) {
      sum += prints[i].values[d];
      squares += prints[i].values[d] * prints[i].values[d];
    }
    const auto n = static_cast<double>(heard.size());
    const double mean = sum / n, spread = std::sqrt(std::max(1e-12, squares / n - mean * mean));
    const double weight = d < means ? 1 : d < 2 * means ? 0.5 : d + 2 == dims ? 2 : 0.5;
    for (size_t k = 0; k < heard.size(); ++k)
      out[k][d] = weight * (prints[heard[k]].values[d] - mean) / spread;
  }
  return out;
}

using Matrix = std::vector<std::vector<double>>;

Matrix distances(const std::vector<Point>& points) {
  Matrix out(points.size(), std::vector<double>(points.size()));
  for (size_t i = 0; i < points.size(); ++i)
    for (size_t k = 0; k < i; ++k) out[i][k] = out[k][i] = distance(points[i], points[k]);
  return out;
}

// Clusters for every number of them from `most` down to 1, the first of `most`: those are joined
// that widen the whole the least (J. Ward, Journal of the American Statistical Association 58,
// 1963).
std::vector<std::vector<int>> linkage(const Matrix& d, size_t most) {
  std::vector<std::vector<size_t>> clusters;
  for (size_t i = 0; i < d.size(); ++i) clusters.push_back({i});
  std::vector<std::vector<int>> out;
  const auto label = [&] {
    std::vector<int> of(d.size());
    for (size_t c = 0; c < clusters.size(); ++c)
      for (const size_t i : clusters[c]) of[i] = static_cast<int>(c);
    return of;
  };
  Matrix between = d;
  for (auto& row : between)
    for (double& value : row) value *= value;
  while (true) {
    if (clusters.size() <= most) out.push_back(label());
    if (clusters.size() == 1) return out;
    size_t a = 0, b = 1;
    for (size_t i = 0; i < clusters.size(); ++i)
      for (size_t k = i + 1; k < clusters.size(); ++k)
        if (between[i][k] < between[a][b]) a = i, b = k;
    const auto na = static_cast<double>(clusters[a].size());
    const auto nb = static_cast<double>(clusters[b].size());
    const double joined = between[a][b];
    for (size_t i = 0; i < clusters.size(); ++i) {
      const auto ni = static_cast<double>(clusters[i].size());
      between[a][i] = between[i][a] =
          ((na + ni) * between[a][i] + (nb + ni) * between[b][i] - ni * joined) / (na + nb + ni);
    }
    between[a][a] = 0;
    clusters[a].insert(clusters[a].end(), clusters[b].begin(), clusters[b].end());
    clusters.erase(clusters.begin() + static_cast<std::ptrdiff_t>(b));
    between.erase(between.begin() + static_cast<std::ptrdiff_t>(b));
    for (auto& row : between) row.erase(row.begin() + static_cast<std::ptrdiff_t>(b));
  }
}

// Of each: -1, nearer to another cluster, to 1. Alone in one: 0.
std::vector<double> silhouettes(const Matrix& d, const std::vector<int>& of) {
  const int clusters = 1 + *std::ranges::max_element(of);
  std::vector<double> out(of.size());
  for (size_t i = 0; i < of.size(); ++i) {
    std::vector<double> sum(static_cast<size_t>(clusters));
    std::vector<int> count(static_cast<size_t>(clusters));
    for (size_t k = 0; k < of.size(); ++k) {
      if (k == i) continue;
      sum[static_cast<size_t>(of[k])] += d[i][k];
      ++count[static_cast<size_t>(of[k])];
    }
    const auto own = static_cast<size_t>(of[i]);
    if (count[own] == 0) continue;
    const double within = sum[own] / count[own];
    double next = 1e9;
    for (size_t c = 0; c < sum.size(); ++c)
      if (c != own && count[c] > 0) next = std::min(next, sum[c] / count[c]);
    out[i] = (next - within) / std::max({next, within, 1e-12});
  }
  return out;
}

double mean(const std::vector<double>& v) {
  return std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
}

// The two directions in which the points lie furthest apart, by repeated multiplication.
std::vector<std::array<double, 2>> plane_of(const std::vector<Point>& points) {
  const size_t dims = points.front().size();
  std::vector<std::array<double, 2>> out(points.size());
  std::vector<Point> rest = points;
  for (size_t axis = 0; axis < 2; ++axis) {
    Point way(dims, 1);
    for (size_t d = 0; d < dims; ++d) way[d] = 1 + 0.1 * static_cast<double>(d + axis);
    for (int turn = 0; turn < 50; ++turn) {
      Point next(dims);
      for (const auto& p : rest) {
        const double along = std::inner_product(p.begin(), p.end(), way.begin(), 0.0);
        for (size_t d = 0; d < dims; ++d) next[d] += along * p[d];
      }
      const double length =
          std::sqrt(std::inner_product(next.begin(), next.end(), next.begin(), 0.0));
      if (length < 1e-12) break;
      for (size_t d = 0; d < dims; ++d) way[d] = next[d] / length;
    }
    double most = 1e-9;
    for (size_t i = 0; i < rest.size(); ++i) {
      const double along = std::inner_product(rest[i].begin(), rest[i].end(), way.begin(), 0.0);
      out[i][axis] = along;
      most = std::max(most, std::abs(along));
      for (size_t d = 0; d < dims; ++d) rest[i][d] -= along * way[d];
    }
    for (auto& place : out) place[axis] /= most;
  }
  return out;
}

// Numbered as they come, so that the first clip's speaker is the first.
void number_in_order(std::vector<int>& of) {
  std::vector<int> number;
  for (int& c : of) {
    const auto at = std::ranges::find(number, c);
    const auto n = static_cast<int>(at - number.begin());
    if (at == number.end()) number.push_back(c);
    c = n;
  }
}

}  // namespace

SpeakerGuess guess_speakers(std::span<const VoicePrint> prints, int speakers) {
  constexpr size_t most_speakers = 12;
  constexpr double stands_apart = 0.2;  // the least mean silhouette of several speakers
  SpeakerGuess out;
  out.speaker.assign(prints.size(), -1);
  out.confidence.assign(prints.size(), 0);
  out.place.assign(prints.size(), {0, 0});
  std::vector<size_t> heard;
  for (size_t i = 0; i < prints.size(); ++i)
    if (!prints[i].values.empty()) heard.push_back(i);
  if (heard.empty()) return out;
  const auto points = scaled(prints, heard);
  const Matrix d = distances(points);
  const auto levels = linkage(d, std::min(most_speakers, heard.size()));
  std::vector<int> best = levels.back();
  std::vector<double> width(heard.size());
  double widest = stands_apart;
  for (const auto& of : levels) {
    const int count = 1 + *std::ranges::max_element(of);
    if (count < 2 || (speakers > 0 && count != speakers)) continue;
    const auto now = silhouettes(d, of);
    if (speakers == 0 && mean(now) <= widest) continue;
    widest = mean(now);
    best = of;
    width = now;
  }
  number_in_order(best);
  out.speakers = 1 + *std::ranges::max_element(best);
  const auto plane = plane_of(points);
  for (size_t k = 0; k < heard.size(); ++k) {
    out.speaker[heard[k]] = best[k];
    // What is well within its cluster has a silhouette of a half.
    out.confidence[heard[k]] = out.speakers < 2 ? 1 : std::clamp(width[k] * 2, 0.0, 1.0);
    out.place[heard[k]] = plane[k];
  }
  return out;
}

}  // namespace drevan
