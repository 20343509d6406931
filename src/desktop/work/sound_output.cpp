// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/sound_output.h"

#include <QSettings>
#include <algorithm>

namespace drevan::desktop {

SoundOutput kept_output() {
  const QSettings kept;
  SoundOutput out;
  out.wish.driver = kept.value("sound/driver").toString().toStdString();
  out.wish.name = kept.value("sound/device").toString().toStdString();
  out.wish.first_channel = std::clamp(kept.value("sound/first_channel", 0).toInt(), 0, 62);
  out.wish.buffer_frames = std::clamp(kept.value("sound/buffer", 256).toInt(), 16, 8192);
  out.when_gone = static_cast<SoundOutput::WhenGone>(
      std::clamp(kept.value("sound/when_gone", 0).toInt(), 0, 2));
  return out;
}

void keep_output(const SoundOutput& output) {
  QSettings kept;
  kept.setValue("sound/driver", QString::fromStdString(output.wish.driver));
  kept.setValue("sound/device", QString::fromStdString(output.wish.name));
  kept.setValue("sound/first_channel", output.wish.first_channel);
  kept.setValue("sound/buffer", output.wish.buffer_frames);
  kept.setValue("sound/when_gone", static_cast<int>(output.when_gone));
}

}  // namespace drevan::desktop
