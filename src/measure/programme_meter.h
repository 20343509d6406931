// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness while it is heard.
#pragma once

#include <memory>
#include <optional>
#include <span>

namespace drevan {

/// The readings of an EBU Mode meter (EBU Tech 3341, Tech 3342) over what was heard since the last
/// reset: by libebur128, whose gate here works on a histogram (steps of 0.1 LU), so that an hour takes no
/// more room and time than a minute. Not for the real-time thread.
class ProgrammeMeter {
 public:
  /// `channels`: 1 or 2. Throws std::bad_alloc.
  ProgrammeMeter(int channels, double rate);
  ~ProgrammeMeter();
  ProgrammeMeter(ProgrammeMeter&&) noexcept;
  ProgrammeMeter& operator=(ProgrammeMeter&&) noexcept;

  int channels() const { return channels_; }
  void reset();
  /// Interleaved frames.
  void hear(std::span<const float> interleaved);

  /// Each empty until enough was heard. LUFS; LU; dBTP.
  struct Readings {
    std::optional<double> momentary_lufs;   ///< 400 ms
    std::optional<double> short_term_lufs;  ///< 3 s
    std::optional<double> integrated_lufs;  ///< gated
    std::optional<double> range_lu;
    std::optional<double> true_peak_dbtp;  ///< the highest
  };
  Readings readings() const;

 private:
  struct State;
  int channels_;
  double rate_;
  std::unique_ptr<State> state_;
};

}  // namespace drevan
