// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/voices.h"

namespace drevan {

namespace {
constexpr double most_heard_s = 60;
}

VoicePrint hear_voice(ClipSound sound, const CancelToken& cancel) {
  sound.rate = voice_print_rate;
  ClipReader reader(sound);
  VoicePrintMeter meter(reader.channels());
  AudioBuffer buffer(reader.channels(), 8192);
  auto left = static_cast<Samples>(most_heard_s * voice_print_rate);
  for (int n = 0; left > 0 && (n = reader.read(buffer.block())) > 0; left -= n) {
    cancel.check();
    meter.hear(buffer.block(0, n));
  }
  return meter.print();
}

}  // namespace drevan
