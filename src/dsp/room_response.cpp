// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/room_response.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"

namespace drevan {

namespace {

constexpr double pi = std::numbers::pi;

// Turned to the right by an angle, seen from above.
Place turned(const Place& p, double deg) {
  const double a = deg * pi / 180, s = std::sin(a), c = std::cos(a);
  return {c * p.x + s * p.y, c * p.y - s * p.x, p.z};
}
double cosine_between(const Place& a, const Place& b) {
  return product(a, b) / std::max(a.length() * b.length(), 1e-12);
}
Place mirrored_by(const Place& p, const Place& signs) {
  return {p.x * signs.x, p.y * signs.y, p.z * signs.z};
}

// A phase that depends on the place in the response alone, so that a room always sounds alike.
std::complex<float> phase_of(std::uint32_t frame, std::uint32_t bin, std::uint32_t which) {
  std::uint32_t h = frame * 0x9E3779B1U ^ (bin + 1) * 0x85EBCA6BU ^ (which + 1) * 0xC2B2AE35U;
  h ^= h >> 15;
  h *= 0x2C1B3C6DU;
  h ^= h >> 12;
  h *= 0x297A2D39U;
  h ^= h >> 15;
  static const auto circle = [] {
    std::array<std::complex<float>, 1024> out;  // NOLINT
    for (size_t i = 0; i < out.size(); ++i)
      out[i] = std::polar(1.0F, static_cast<float>(2 * pi * static_cast<double>(i) / 1024));
    return out;
  }();
  return circle[h % 1024];
}

constexpr double ear_distance_m = 0.175, spaced_m = 0.4, crossed_deg = 55;

}  // namespace

Octaves mean_power(const Octaves& back_db) {
  Octaves out{};
  constexpr int steps = 64;
  for (size_t b = 0; b < octave_count; ++b)
    for (int i = 0; i < steps; ++i) {
      const double cosine = -1 + (2 * i + 1.0) / steps;
      out[b] += std::pow(10, directivity_db(back_db[b], cosine) / 10) / steps;
    }
  return out;
}

RoomResponse::RoomResponse(double rate, std::shared_ptr<const Ears> ears, double longest_s)
    : rate_(rate),
      ears_(std::move(ears)),
      lead_(static_cast<int>(std::ceil(0.0015 * rate))),
      fft_(ear_points(rate)),
      late_fft_(late_size),
      spectrum_(static_cast<size_t>(fft_.bins())),
      late_x_(static_cast<size_t>(late_fft_.bins())),
      late_y_(late_x_.size()),
      time_(static_cast<size_t>(fft_.size())),
      late_time_(late_size),
      window_(late_size),
      diffuse_(late_x_.size(), 1.0F),
      envelope_(static_cast<size_t>(longest_s * rate / late_hop) + 2),
      sent_back_(envelope_.size()),
      shares_(late_x_.size()) {
  images_.reserve(image_count(8) + std::tuple_size_v<decltype(RoomScene::echoes)>);
  for (auto& h : heard_) h.resize(spectrum_.size());
  const auto between = [this](size_t count, int size) {
    std::vector<Between> out;
    for (size_t i = 0; i < count; ++i) {
      const double at =
          std::clamp(std::log2(std::max(static_cast<double>(i) * rate_ / size, 1.0) / octave_hz[0]),
                     0.0, octave_count - 1.001);
      out.push_back({static_cast<size_t>(at), static_cast<float>(at - std::floor(at))});
    }
    return out;
  };
  bins_ = between(spectrum_.size(), fft_.size());
  late_bins_ = between(late_x_.size(), late_size);
  for (size_t i = 0; i < window_.size(); ++i)
    window_[i] = static_cast<float>(std::sin(pi * (static_cast<double>(i) + 0.5) / late_size));
  for (size_t b = 0; b < octave_count; ++b) air_db_m_[b] = air_loss_db_m(octave_hz[b]);
  if (ears_)
    for (size_t i = 0; i < diffuse_.size(); ++i)
      diffuse_[i] = ears_->diffuse_gain(static_cast<double>(i) / late_size);
}

void RoomResponse::set(const RoomScene& scene) noexcept {
  if (scene.back_db != scene_.back_db || front_power_[0] == 0)
    front_power_ = mean_power(scene.back_db);
  const bool same_listener = scene.kind == scene_.kind && shares_[0].common > 0;
  scene_ = scene;
  mixed_s_ = open_share(scene.room) > 0.6 ? 0 : std::sqrt(scene.room.volume()) / 1000;
  for (size_t i = 0; !same_listener && i < shares_.size(); ++i) {
    const double alike = coherence(static_cast<double>(i) * rate_ / late_size);
    shares_[i] = {static_cast<float>(std::sqrt((1 + alike) / 2)),
                  static_cast<float>(std::sqrt((1 - alike) / 2))};
  }
}

double way_m(const RoomScene& scene, int source) noexcept {
  const Place way = scene.sources[static_cast<size_t>(source)] - scene.listener;
  if (scene.kind != ListenerKind::spaced) return std::max(0.1, way.length());
  // To the middle between the two moments at which the microphones hear it.
  const Place seen = turned(way, -scene.turn_deg);
  const double left = (seen + Place{spaced_m / 2, 0, 0}).length();
  const double right = (seen - Place{spaced_m / 2, 0, 0}).length();
  return std::max(0.1, (left + right) / 2);
}

// Fills heard_ for a sound that comes that way, seen by the listener's head.
void RoomResponse::hear(const Place& way, std::array<double, 2>& late,
                        std::array<double, 2>& gain) noexcept {
  gain = {1, 1};
  late = {0, 0};
  const Place seen = turned(way, -scene_.turn_deg);
  if (scene_.kind == ListenerKind::headphones && ears_) {
    ears_->hear(seen, {std::span(heard_[0]), std::span(heard_[1])}, late);
    return;
  }
  for (auto& h : heard_) std::ranges::fill(h, std::complex<float>(1.0F));
  const double r = std::max(way.length(), 1e-6);
  for (size_t ear = 0; ear < 2; ++ear) {
    const double side = ear == 0 ? -1 : 1;
    if (scene_.kind == ListenerKind::spaced) {
      const double own = std::max(0.05, (seen - Place{side * spaced_m / 2, 0, 0}).length());
      late[ear] = (own - r) / sound_m_s * rate_;
      gain[ear] = r / own;
    }
    if (scene_.kind == ListenerKind::crossed) {
      const double a = crossed_deg * pi / 180;
      const Place axis{side * std::sin(a), std::cos(a), 0};
      gain[ear] = 0.5 + 0.5 * cosine_between(seen, axis);
    }
  }
}

Octaves RoomResponse::gains_of(const RoomImage& image, const Place& facing) const noexcept {
  const Place way = image.at - scene_.listener;
  const double r = std::max(0.1, way.length());
  // Towards the listener, in the axes of the source behind the walls.
  const double cosine = cosine_between(mirrored_by(way * -1, image.turned), facing);
  double gain = (image.order > 0 ? scene_.room_gain : 1.0) / r;
  // After the root of the volume in milliseconds a room that scatters is mixed (J.-D. Polack,
  // "Modifying chambers to play billiards", Acustica 77, 1992): its echoes are no longer single.
  if (image.order > 0 && mixed_s_ > 0) {
    const double late = std::clamp(2 * r / sound_m_s / mixed_s_ - 1, 0.0, 1.0);
    gain *= std::sqrt(1 - std::min(1.0, scene_.room.scatter / 0.3) * late);
    if (gain == 0) return {};
  }
  Octaves out;  // NOLINT
  for (size_t b = 0; b < octave_count; ++b) {
    const double db = -air_db_m_[b] * r + directivity_db(scene_.back_db[b], cosine);
    out[b] = gain * image.gain[b] * from_db(db) * (image.order > 0 ? scene_.room_bright[b] : 1.0);
  }
  return out;
}

void RoomResponse::add_image(const RoomImage& image, double first_m, const Place& facing,
                             std::span<float> left, std::span<float> right) noexcept {
  const Place way = image.at - scene_.listener;
  const double r = std::max(0.1, way.length());
  const double at = lead_ + (r - first_m) / sound_m_s * rate_;
  if (at >= static_cast<double>(left.size())) return;
  const Octaves gains = gains_of(image, facing);
  if (*std::ranges::max_element(gains) < 1e-4 / std::max(first_m, 1.0)) return;  // 80 dB down
  std::array<double, 2> late, own;                                               // NOLINT
  hear(way, late, own);
  const int before = fft_.size() / 8;
  std::array<float, octave_count> g;  // NOLINT
  for (size_t b = 0; b < octave_count; ++b) g[b] = static_cast<float>(gains[b]);
  for (size_t ear = 0; ear < 2; ++ear) {
    const double place = at + late[ear];
    const double whole = std::floor(place);
    // Its place between the samples, and room for what an even gain has before its middle.
    const double angle = -2 * pi * (place - whole + before) / fft_.size();
    const std::complex<float> step = std::polar(1.0F, static_cast<float>(angle));
    std::complex<float> phase = static_cast<float>(own[ear] / fft_.size());
    for (size_t i = 0; i < spectrum_.size(); ++i) {
      const auto& [octave, share] = bins_[i];
      const float gain = g[octave] + share * (g[octave + 1] - g[octave]);
      const std::complex<float> h = heard_[ear][i];
      const float re = h.real() * phase.real() - h.imag() * phase.imag();
      const float im = h.real() * phase.imag() + h.imag() * phase.real();
      spectrum_[i] = {gain * re, gain * im};
      phase = {phase.real() * step.real() - phase.imag() * step.imag(),
               phase.real() * step.imag() + phase.imag() * step.real()};
    }
    // Between two samples the last bin has no phase of its own.
    spectrum_.back() = {spectrum_.back().real(), 0};
    fft_.inverse(spectrum_, time_);
    auto& out = ear == 0 ? left : right;
    const auto from = static_cast<std::ptrdiff_t>(whole) - before;
    const auto begin = std::max<std::ptrdiff_t>(0, -from);
    const auto end = std::min(static_cast<std::ptrdiff_t>(time_.size()),
                              static_cast<std::ptrdiff_t>(out.size()) - from);
    for (std::ptrdiff_t i = begin; i < end; ++i)
      out[static_cast<size_t>(from + i)] += time_[static_cast<size_t>(i)];
  }
}

void RoomResponse::add_early(int source, std::span<float> left, std::span<float> right) noexcept {
  const Place& at = scene_.sources[static_cast<size_t>(source)];
  const Place facing = turned(scene_.listener - at, scene_.faces_deg);
  const double first = way_m(scene_, source);
  room_images(scene_.room, at, std::min(scene_.order, 8), images_);
  for (const auto& image : images_) add_image(image, first, facing, left, right);
  for (size_t i = 0; i < scene_.echo_count; ++i) {
    const RoomEcho& echo = scene_.echoes[i];
    // As long a way as by the thing that throws it, from its direction; weaker on both ways.
    const double there = std::max(1.0, (echo.at - at).length());
    const Place back = echo.at - scene_.listener;
    const double here = std::max(1.0, back.length()), all = here + there;
    RoomImage image{.at = scene_.listener + back * (all / here), .order = 1};
    image.turned = {1, 1, 1};
    image.gain.fill(echo.strength * all / (here * there));
    add_image(image, first, facing, left, right);
  }
}

double RoomResponse::coherence(double hz) const noexcept {
  const auto sinc = [hz](double metres) {
    const double x = 2 * pi * hz * metres / sound_m_s;
    return x < 1e-6 ? 1.0 : std::sin(x) / x;
  };
  switch (scene_.kind) {
    case ListenerKind::headphones:
      return sinc(ear_distance_m);
    case ListenerKind::spaced:
      return sinc(spaced_m);
    case ListenerKind::crossed:
      // Of two cardioids that far apart, in sound from everywhere.
      return 0.75 * (1 + std::cos(2 * crossed_deg * pi / 180) / 3);
    case ListenerKind::mono:
      break;
  }
  return 1;
}

// Power per sample and octave that the walls' own reflections leave to the diffuse field.
void RoomResponse::make_envelope(double first_m, std::span<float> length) noexcept {
  const size_t frames = length.size() / late_hop + 1;
  for (auto& f : sent_back_) f.fill(0);
  double begins = first_m + 2 * scene_.room.volume();
  const int count = scene_.source_count;
  for (int s = 0; s < count; ++s) {
    const Place& at = scene_.sources[static_cast<size_t>(s)];
    const Place facing = turned(scene_.listener - at, scene_.faces_deg);
    room_images(scene_.room, at, std::min(scene_.order, 8), images_);
    for (const auto& image : images_) {
      if (image.order == 0) continue;
      const double r = std::max(0.1, (image.at - scene_.listener).length());
      if (image.order == 1) begins = std::min(begins, r);
      const auto frame =
          static_cast<size_t>(std::max(0.0, (r - first_m) / sound_m_s * rate_ / late_hop + 0.5));
      if (frame >= std::min(frames, sent_back_.size())) continue;
      const Octaves gains = gains_of(image, facing);
      for (size_t b = 0; b < octave_count; ++b)
        sent_back_[frame][b] += static_cast<float>(gains[b] * gains[b] / count);
    }
  }
  const double room_power = scene_.room_gain * scene_.room_gain, hop_s = late_hop / rate_;
  for (size_t b = 0; b < octave_count; ++b) {
    const double power =
        room_power * front_power_[b] * scene_.room_bright[b] * scene_.room_bright[b];
    const double rate = 6 * std::numbers::ln10 / eyring_s(scene_.room, b);
    const double at_once = diffuse_energy(scene_.room, b, 0) * power / rate;
    double owed = 0;
    for (size_t f = 0; f < std::min(frames, envelope_.size()); ++f) {
      const double middle = first_m + static_cast<double>(f) * hop_s * sound_m_s;
      const double half = hop_s * sound_m_s / 2;
      const double from = std::max(first_m, middle - half), to = middle + half;
      const double wanted =
          at_once * (std::exp(-rate * from / sound_m_s) - std::exp(-rate * to / sound_m_s));
      owed += wanted - static_cast<double>(sent_back_[f][b]);
      // From the first reflection on; what the theory has before it comes little by little.
      const double due = std::clamp(2 * (to - begins) / (to - from), 0.0, 1.0);
      const double given = std::max(0.0, std::min(owed, due * (wanted + 0.25 * owed)));
      envelope_[f][b] = static_cast<float>(std::sqrt(given / late_hop));
      owed -= given;
    }
  }
}

size_t RoomResponse::make_late(std::span<float> left, std::span<float> right) noexcept {
  std::ranges::fill(left, 0.0F);
  std::ranges::fill(right, 0.0F);
  if (open_share(scene_.room) > 0.6 || scene_.room_gain <= 0) return 0;
  double longest = 0;
  for (size_t b = 0; b < octave_count; ++b) longest = std::max(longest, eyring_s(scene_.room, b));
  const auto used = std::min(left.size(), static_cast<size_t>((1.3 * longest + 0.05) * rate_));
  double first = 0, begins = 1e9;
  for (int s = 0; s < scene_.source_count; ++s) first += way_m(scene_, s) / scene_.source_count;
  make_envelope(first, left.first(used));
  for (const auto& image : images_)
    if (image.order == 1) begins = std::min(begins, (image.at - scene_.listener).length());
  const float scale = 1 / std::sqrt(static_cast<float>(late_size));
  const bool ears = scene_.kind == ListenerKind::headphones && ears_;
  for (size_t f = 0; f * late_hop < used && f < envelope_.size(); ++f) {
    const auto& e = envelope_[f];
    for (size_t i = 1; i + 1 < late_x_.size(); ++i) {
      const auto& [octave, share] = late_bins_[i];
      const float level =
          scale * (ears ? diffuse_[i] : 1.0F) * (e[octave] + share * (e[octave + 1] - e[octave]));
      const auto frame = static_cast<std::uint32_t>(f), bin = static_cast<std::uint32_t>(i);
      const auto x = level * phase_of(frame, bin, 0), y = level * phase_of(frame, bin, 1);
      const auto [common, apart] = shares_[i];
      late_x_[i] = common * x + apart * y;
      late_y_[i] = common * x - apart * y;
    }
    for (auto* ear : {&late_x_, &late_y_}) {
      ear->front() = ear->back() = 0;
      late_fft_.inverse(*ear, late_time_);
      auto& out = ear == &late_x_ ? left : right;
      const auto from = lead_ + static_cast<std::ptrdiff_t>(f * late_hop) - late_hop;
      for (size_t i = 0; i < late_time_.size(); ++i) {
        const std::ptrdiff_t at = from + static_cast<std::ptrdiff_t>(i);
        if (at >= 0 && at < static_cast<std::ptrdiff_t>(used))
          out[static_cast<size_t>(at)] += window_[i] * late_time_[i];
      }
    }
  }
  // Nothing before the first reflection.
  const auto quiet = static_cast<size_t>(
      std::clamp(lead_ + (begins - first) / sound_m_s * rate_, 0.0, static_cast<double>(used)));
  for (auto* ear : {&left, &right}) std::fill_n(ear->begin(), quiet, 0.0F);
  return used;
}

}  // namespace drevan
