// SPDX-License-Identifier: GPL-3.0-or-later
// How loud a sound is from moment to moment: what the Scene's rows are drawn from.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "audio/buffer.h"
#include "dsp/k_weighting.h"

namespace drevan {

/// Peak and loudness in cells of 20 ms. A value.
struct SoundCourse {
  static constexpr double cell_s = 0.02;
  static constexpr float nothing_db = -120;
  std::vector<float> peak_db;  ///< the largest sample of any channel, dBFS; nothing_db or above
  /// Momentary loudness (EBU Tech 3341: the mean of 400 ms) around each cell, LUFS.
  std::vector<float> loudness_lufs;

  double seconds() const { return static_cast<double>(peak_db.size()) * cell_s; }
  /// The largest of each over [begin_s, end_s), cells touched included; nothing_db outside.
  struct Levels {
    float peak_db = nothing_db, loudness_lufs = nothing_db;
    friend bool operator==(const Levels&, const Levels&) = default;
  };
  Levels over(double begin_s, double end_s) const;
  /// To be called when the two rows have changed: over() is then quick for long stretches as well.
  void sum_up();

  static constexpr std::ptrdiff_t many = 32;  ///< cells to one of `coarse`
  std::vector<Levels> coarse{};
  friend bool operator==(const SoundCourse&, const SoundCourse&) = default;
};

/// Makes one. Hears blocks of any size.
class SoundCourseMeter {
 public:
  explicit SoundCourseMeter(StreamFormat format);
  void hear(const AudioBlock& block);
  /// Of all that was heard.
  SoundCourse course() const;

 private:
  void end_cell();

  KPower power_;
  std::vector<KPower::State> states_;
  std::vector<double> weights_;
  int cell_frames_, filled_ = 0;
  double sum_ = 0;
  float peak_ = 0;
  std::vector<float> peaks_;
  std::vector<double> powers_;
};

/// As bytes, for a cache: steps of 0.01 dB. from_bytes() gives nullptr for what is none.
std::string to_bytes(const SoundCourse& course);
std::shared_ptr<const SoundCourse> course_from_bytes(const std::string& bytes);

}  // namespace drevan
