// SPDX-License-Identifier: GPL-3.0-or-later
// The player, and what of the selected clip it plays.
#pragma once

#include <QObject>
#include <QTimer>
#include <filesystem>
#include <memory>
#include <optional>

#include "engine/playing/player.h"
#include "measure/levels.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class SceneSounds;
class Selection;
class ShelfMeasurements;

class Listening : public QObject {
  Q_OBJECT

 public:
  Listening(Notices& notices, const Document& document, const Selection& selection,
            const Measurements& measurements, const ShelfMeasurements& shelf,
            const SceneSounds& scene, QObject* parent = nullptr);

  /// Not to be kept: a reel of another rate has another.
  Player& player() { return *player_; }
  /// Another device, from now on; what plays goes on.
  void use_output(const struct SoundOutput& output);
  /// The device has these inputs from now on, and runs although nothing plays; empty: it has none.
  void use_input(std::optional<InputWish> input);
  /// Plays a file instead of the clip, from its start, until end_file() or another clip is chosen.
  void play_file(const std::filesystem::path& file);
  void end_file();
  /// The file that is played instead; nullptr: none.
  const std::filesystem::path* file_played() const { return file_.empty() ? nullptr : &file_; }
  /// The reel as a whole instead of the selected clip; time is then the reel's.
  void play_scene(bool on);
  bool plays_scene() const { return scene_on_; }
  /// A file in place of the reel as a whole, louder by `gain_db`, at the same moment; empty: the
  /// reel again.
  void play_reference(const std::filesystem::path& file, double gain_db);
  /// What is played; nullptr until it is known.
  std::shared_ptr<const PlayPlan> plan() const { return plan_; }
  /// Where it plays: in the selected clip, whatever clock its chain gives it, also while the reel as
  /// a whole plays; and in the reel, also while the clip plays alone.
  ClipTime clip_position();
  ReelTime reel_position();
  /// Either, by what plays.
  void seek(ClipTime at) { player_->seek(frame_of(at)); }
  void seek(ReelTime at) { player_->seek(frame_of(at)); }
  /// The playhead is dragged or stepped along: as seek(), and what is there is heard.
  void scrub(ClipTime at) { scrub_frame(frame_of(at)); }
  void scrub(ReelTime at) { scrub_frame(frame_of(at)); }
  /// Whether it is heard while nothing plays; kept.
  bool hears_dragging() const { return hears_dragging_; }
  void set_hears_dragging(bool on);
  /// Plays this range of the clip, or of the reel as a whole, round and round; empty: to the end.
  void set_loop(std::optional<ClipRange> range);
  void set_scene_loop(std::optional<ReelRange> range);
  std::optional<ReelRange> scene_loop() const { return scene_loop_; }
  /// Whether a file is played in place of the reel as a whole.
  bool plays_reference() const { return scene_on_ && !reference_.empty(); }
  /// Why there is nothing to be heard of what the chain removes, in a sentence; empty: there is.
  QString no_removed() const;
  /// Listening and comparing around the selected step alone instead of the whole chain.
  void set_solo_step(bool on);
  bool solo_step() const { return solo_step_; }
  /// Which of speaker_devices() all is heard on, for judging; -1: as it is. Never rendered, not
  /// kept.
  void listen_on(int device);
  int listens_on() const { return listens_on_; }
  /// Before becomes another version of the selected clip; empty: what enters the chain.
  void hear_against(std::optional<int> version);
  std::optional<int> against() const {
    return against_ ? std::optional(against_->version) : std::nullopt;
  }

 Q_SIGNALS:
  void plan_changed();

 private:
  void follow_rate();
  struct Against {
    int version = 0;
    ClipSound sound;
    std::optional<double> loudness;
    double peak_db = -200;
  };
  void load();
  void load_scene();
  double take_db() const;
  void give_loop();
  /// The selected clip's, by the clock of what plays.
  ClipTimes times() const;
  Samples frame_of(ClipTime at) const;
  Samples frame_of(ReelTime at) const;
  void scrub_frame(Samples frame);
  Player::FindDevice finder(const struct SoundOutput& output) const;
  void give_listening_device();
  void unload();
  void narrow_to_step(PlayPlan& plan) const;
  void measure_against();

  const Document& document_;
  const Selection& selection_;
  const Measurements& measurements_;
  const ShelfMeasurements& shelf_;
  const SceneSounds& scene_;
  bool scene_on_ = false;
  ClipTime clip_at_{};  // where the clip was left for the Scene
  double rate_ = 48000;
  std::unique_ptr<Player> player_;
  std::shared_ptr<const PlayPlan> plan_;
  std::optional<ClipRange> loop_;
  std::optional<ReelRange> scene_loop_;
  bool solo_step_ = false, hears_dragging_ = true;
  int listens_on_ = -1;
  std::optional<InputWish> input_;
  std::optional<Against> against_;
  std::filesystem::path file_, reference_;
  double reference_gain_db_ = 0;
  QTimer soon_;
  ReelLane lane_{document_, TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
