// SPDX-License-Identifier: GPL-3.0-or-later
// Recording: the inputs, what they are recorded into, and what becomes of it in the reel.
#pragma once

#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "engine/recording/recorder.h"
#include "engine/making/test_sounds.h"
#include "reel/scene/recording.h"
#include "work/task_lane.h"

namespace drevan::desktop {

class Document;
class Listening;
class Notices;
class Selection;

/// What is kept between sessions.
struct RecordingHabits {
  QString input{};         ///< device; empty: the driver's standard
  QStringList more{};      ///< further devices
  double pre_roll_s = 3;   ///< what is played before the place where it is recorded
  bool count_in = false;   ///< three beeps, one a second, before it
  bool own_voice = false;  ///< is heard as it comes in
};
RecordingHabits recording_habits();
void keep_recording_habits(const RecordingHabits& habits);

/// What is to be recorded.
struct RecordingWish {
  RecordedLine line;
  bool plays = false;                ///< the reel as a whole plays meanwhile
  ReelTime place{};                  ///< where the recording stands
  std::optional<ReelRange> round{};  ///< round and round, a take for each time
};

class RecordingDesk : public QObject {
  Q_OBJECT

 public:
  RecordingDesk(Notices& notices, Document& document, Selection& selection, Listening& listening,
                QObject* parent = nullptr);

  /// The inputs are open, and their levels are told; nothing is recorded yet.
  void arm(bool on);
  bool armed() const { return recorder_ != nullptr; }
  /// Takes up other habits.
  void set_habits(const RecordingHabits& habits);

  /// What each clip is recorded from: an input, or two for stereo. Empty: the inputs are not there
  /// yet, or not at all.
  std::vector<std::vector<int>> lanes() const;
  /// The device an input belongs to; empty where only one gives inputs.
  QString device_of(int input) const;
  bool lane_on(int lane) const { return (lanes_on_ >> lane & 1) != 0; }
  void set_lane_on(int lane, bool on);
  Recorder::Level take_level(int input);
  void clear_clipped();

  /// Throws nothing: what hinders it is told, and false returned.
  bool record(const RecordingWish& wish);
  void stop();
  bool recording() const { return recorder_ && !notes_.empty(); }
  const RecordingWish& wish() const { return wish_; }
  double seconds() const;
  /// A recording becomes clips in the background.
  bool busy() const { return lane_.busy(); }

  /// Plays chirps and hears them: the output must come back into the first input. Tells.
  void measure_latency();
  bool measures_latency() const { return chirps_ != nullptr; }
  /// Frames from playing to hearing, and whether that was measured.
  struct Latency {
    Samples frames = 0;
    bool measured = false;
  };
  Latency latency() const;

 Q_SIGNALS:
  /// Armed, recording, inputs, latency.
  void changed();
  /// Clips have come.
  void recorded(const QList<ClipId>& clips);

 private:
  RecordedLine line_of(const RecordedLine& wished, int input, bool another) const;
  QString latency_key() const;
  void watch();
  void end(const Problem& why);
  void take(const Recording& recording);
  RecordedWhere where_of(Samples lag) const;
  void keep_marks();
  void bring_back_broken();
  void end_latency();
  void apply_own_voice();
  InputWish input_wish() const;
  void tell_input_problems(const std::vector<InputSource>& sources);
  void tell_silence();

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Listening& listening_;
  RecordingHabits habits_;
  std::shared_ptr<Recorder> recorder_;
  double recorder_rate_ = 0;
  std::shared_ptr<ChirpsHeard> chirps_;
  std::vector<RecordingNote> notes_;  // of the files that are being recorded
  std::uint64_t lanes_on_ = 1;        // bits
  RecordingWish wish_;
  std::vector<RecordedLine> lines_;  // of each file
  std::vector<Samples> lags_;        // of each file
  Samples latency_ = 0;              // as it was when recording began
  std::optional<ReelRange> loop_before_;
  size_t marks_kept_ = 0;  // in the notes
  bool told_silence_ = false;
  QStringList problems_told_;
  int inputs_seen_ = 0;
  QTimer watch_;
  TaskLane lane_;
};

}  // namespace drevan::desktop
