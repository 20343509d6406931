// SPDX-License-Identifier: GPL-3.0-or-later
// What shows time from left to right, for what is drawn under it.
#pragma once

namespace drevan::desktop {

/// Moments are seconds of the selected clip.
class TimeView {
 public:
  virtual ~TimeView() = default;
  virtual double x_of(double clip_s) const = 0;
  virtual double seconds_at(double x) const = 0;
  /// How much is in sight, in seconds.
  virtual double view_length() const = 0;
};

}  // namespace drevan::desktop
