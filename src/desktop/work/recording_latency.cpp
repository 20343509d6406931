// SPDX-License-Identifier: GPL-3.0-or-later
// How long sound takes from the output to the input, as the recording desk measures and keeps it.
#include <QSettings>
#include <cmath>

#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/recording_desk.h"

namespace drevan::desktop {

QString RecordingDesk::latency_key() const {
  const auto facts = listening_.player().device_facts();
  return QString("record/latency/%1 %2 %3 %4")
      .arg(QString::fromStdString(facts.name).replace('/', '-'),
           QString::fromStdString(facts.input).replace('/', '-'))
      .arg(facts.buffer_frames)
      .arg(document_.reel().rate);
}

RecordingDesk::Latency RecordingDesk::latency() const {
  const auto measured = QSettings().value(latency_key());
  if (measured.isValid()) return {measured.toLongLong(), true};
  // Out and in: a buffer more than what the device says of its output.
  const auto facts = listening_.player().device_facts();
  return {std::llround(facts.latency_s * document_.reel().rate) + facts.buffer_frames, false};
}

void RecordingDesk::measure_latency() {
  if (recording() || chirps_) return;
  arm(true);
  listening_.player().pause();
  chirps_ = std::make_shared<ChirpsHeard>(document_.reel().rate);
  listening_.player().inputs().set_own_voice(0, 0);
  listening_.player().inputs().hear_with(chirps_);
  listening_.player().play_over(latency_chirps(document_.reel().rate));
  Q_EMIT changed();
}

void RecordingDesk::end_latency() {
  const auto heard = std::exchange(chirps_, nullptr);
  listening_.player().play_over({});
  listening_.player().inputs().hear_with(recorder_);
  apply_own_voice();
  if (const auto frames = heard->latency()) {
    QSettings().setValue(latency_key(), static_cast<qlonglong>(*frames));
    notices_.tell(tr("The way from output to input takes %1 ms (%2 frames); takes are put so much "
                     "earlier.")
                      .arg(1000.0 * static_cast<double>(*frames) / document_.reel().rate, 0, 'f', 1)
                      .arg(*frames));
  } else {
    notices_.warn(
        heard->peak() < 0.001F
            ? tr("The chirps did not come back into the first input: connect it to the "
                 "output by a cable, or hold the microphone to the headphones.")
        : heard->losses() > 0
            ? tr("Sound was lost between output and input again and again, so nothing "
                 "can be told of the way: choose a larger buffer in Listen, Sound settings, or "
                 "close other programs.")
            : tr("The chirps were not heard clearly enough: turn the input up, or "
                 "connect it to the output by a cable."));
  }
  Q_EMIT changed();
}

}  // namespace drevan::desktop
