// SPDX-License-Identifier: GPL-3.0-or-later
// What the head makes of a sound from a direction: measured ears, or a pair of microphones.
#pragma once

#include <algorithm>
#include <array>
#include <complex>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "dsp/fft.h"
#include "dsp/room.h"

namespace drevan {

enum class ListenerKind { headphones, spaced, crossed, mono };

/// What two ears hear from everywhere, as spectra of `size` points at one rate. From a SOFA file of
/// head-related responses (AES69): each measurement is split into its minimum phase and a delay,
/// kept on a grid of directions and read between them, so that a source that is carried round does
/// not click. Immutable; may be used by several threads.
class Ears {
 public:
  /// Throws Error(input): not to be read, no such file, one ear, one direction. Empty: the standard
  /// set of libmysofa (the MIT KEMAR head). Kept while the file stays as it is.
  static std::shared_ptr<const Ears> load(const std::filesystem::path& file, double rate);
  /// What is wrong with a file; empty: nothing.
  static std::string fault(std::string_view file);

  int size() const { return size_; }
  size_t bins() const { return static_cast<size_t>(size_ / 2 + 1); }
  /// For a sound from there, seen by a head that looks along y: adds to nothing, writes bins()
  /// values for both ears, and how much later than the middle of the head each hears it, in
  /// samples. Real-time safe.
  void hear(const Place& from, std::array<std::span<std::complex<float>>, 2> spectra,
            std::array<double, 2>& late) const noexcept;
  /// Gain of an ear for sound from everywhere at a frequency, as a share of the rate.
  float diffuse_gain(double turns) const noexcept {
    const auto bin = static_cast<size_t>(std::clamp(turns, 0.0, 0.5) * size_ + 0.5);
    return diffuse_[std::min(bin, diffuse_.size() - 1)];
  }

 private:
  Ears(const std::filesystem::path& file, double rate);
  static constexpr int azimuths = 72, elevations = 19;  // every 5 degrees, every 10
  struct Entry {
    std::array<std::vector<std::complex<float>>, 2> spectra;
    std::array<float, 2> late{};
  };
  const Entry& entry(int azimuth, int elevation) const {
    return grid_[static_cast<size_t>(elevation * azimuths + azimuth)];
  }

  int size_;
  std::vector<Entry> grid_;
  std::vector<float> diffuse_;  // per bin
};

/// Points of the spectra that fit a rate: some 5 ms.
int ear_points(double rate);

}  // namespace drevan
