// SPDX-License-Identifier: GPL-3.0-or-later
// Which output plays, as it is kept between sessions.
#pragma once

#include "media/device.h"

namespace drevan::desktop {

struct SoundOutput {
  /// What to do when the device goes while it plays.
  enum class WhenGone { pause, wait, play_on };
  OutputWish wish;
  WhenGone when_gone = WhenGone::pause;
  /// The wish, by what is to be done when its device goes.
  OutputWish asked() const {
    OutputWish out = wish;
    out.or_another = when_gone != WhenGone::wait;
    return out;
  }
};

SoundOutput kept_output();
void keep_output(const SoundOutput& output);

}  // namespace drevan::desktop
