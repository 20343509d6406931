// SPDX-License-Identifier: GPL-3.0-or-later
// What a listener hears of a pulse in a room: early sound wall by wall, late sound by statistics.
#pragma once

#include <array>
#include <memory>
#include <span>
#include <vector>

#include "dsp/ears.h"
#include "dsp/fft.h"
#include "dsp/room.h"

namespace drevan {

/// Something outdoors that throws an echo: a tree, a house.
struct RoomEcho {
  Place at;
  double strength = 0;  ///< amplitude it would send back over one metre
};

/// Who hears what, where.
struct RoomScene {
  Room room;
  Place listener{2.5, 2, 1.5};
  double turn_deg = 0;  ///< of the listener: to the right from looking along y
  ListenerKind kind = ListenerKind::headphones;
  std::array<Place, 2> sources{};
  int source_count = 1;
  double faces_deg = 0;   ///< of the sources: 0 towards the listener, 180 away
  Octaves back_db{};      ///< how much weaker they are behind than in front
  double room_gain = 1;   ///< on all but the direct sound
  Octaves room_bright{};  ///< gains on the same, by octave; all 1: as it is
  int order = 8;          ///< walls that early sound meets at most
  std::array<RoomEcho, 24> echoes{};
  size_t echo_count = 0;
};

/// Builds responses for one stream's rate. What is heard at once stands lead() samples behind the
/// start. Real-time safe but for construction.
class RoomResponse {
 public:
  /// `longest_s`: what late() makes at most.
  RoomResponse(double rate, std::shared_ptr<const Ears> ears, double longest_s);
  int lead() const { return lead_; }
  void set(const RoomScene& scene) noexcept;
  const RoomScene& scene() const { return scene_; }
  /// Adds a source's direct sound and what comes by the walls to both ears. With the order of the
  /// scene; nothing that comes after the end of the spans.
  void add_early(int source, std::span<float> left, std::span<float> right) noexcept;
  /// Writes what is missing to the room's diffuse field, as from the middle of all sources; returns
  /// how many samples are not silent.
  size_t make_late(std::span<float> left, std::span<float> right) noexcept;

 private:
  void add_image(const RoomImage& image, double first_m, const Place& facing, std::span<float> left,
                 std::span<float> right) noexcept;
  void hear(const Place& way, std::array<double, 2>& late, std::array<double, 2>& gain) noexcept;
  Octaves gains_of(const RoomImage& image, const Place& facing) const noexcept;
  double coherence(double hz) const noexcept;
  void make_envelope(double first_m, std::span<float> length) noexcept;

  static constexpr int late_size = 1024, late_hop = late_size / 2;
  double rate_;
  std::shared_ptr<const Ears> ears_;
  RoomScene scene_;
  int lead_;
  std::vector<RoomImage> images_;
  Octaves air_db_m_{}, front_power_{};
  double mixed_s_ = 0;  // when echoes are no longer single; 0: never
  // Of a bin: the octave below it and how far it is towards the next.
  struct Between {
    size_t octave;
    float share;
  };
  std::vector<Between> bins_, late_bins_;
  RealFft fft_, late_fft_;
  std::array<ComplexVector, 2> heard_;
  ComplexVector spectrum_, late_x_, late_y_;
  FloatVector time_, late_time_, window_;
  std::vector<float> diffuse_;  // gain of the ears for sound from everywhere, per late bin
  std::vector<std::array<float, octave_count>> envelope_, sent_back_;
  // Of a late bin: what both ears have in common, and what each has of its own.
  struct Shares {
    float common, apart;
  };
  std::vector<Shares> shares_;
};

/// Metres that a source's sound goes to the listener.
double way_m(const RoomScene& scene, int source) noexcept;
/// Power of a source of such directivity to all sides against that in front.
Octaves mean_power(const Octaves& back_db);
/// Gain of a source at an angle from where it faces, `cosine` of it, dB.
inline double directivity_db(double back_db, double cosine) { return -back_db * (1 - cosine) / 2; }

}  // namespace drevan
