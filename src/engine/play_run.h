// A clip before and after its chain, in step, from any place: what a player mixes from.
#pragma once

#include "dsp/delay.h"
#include "engine/chain_run.h"
#include "engine/clip_sound.h"

namespace drevan {

/// Everything playing needs to know; a value.
struct PlayPlan {
  ClipPlan clip;
  std::vector<Findings> findings;  ///< one per step
  double match_db = 0;   ///< gain that makes before as loud as after
  double fitted_gain = 1;  ///< gain that makes before most like after
  double before_peak_db = 0, after_peak_db = 0;
  /// Not the whole chain but this one step: before is what enters it, after what leaves it. -1: all.
  int solo_step = -1;
  /// Before is not what enters the chain but this sound: another version of the clip.
  std::optional<ClipSound> against{};
  /// What tells its sounds from others', see identity_of_sounds(); 0: Player::load() finds it out.
  std::uint64_t sounds = 0;
};

/// Of what a plan reads. Asks the disk for size and time of the files.
std::uint64_t identity_of_sounds(const PlayPlan& plan);

/// Not for the device's thread (reads files); one thread at a time.
class PlayRun {
 public:
  static constexpr int block = 256;

  /// Throws Error(input).
  explicit PlayRun(std::shared_ptr<const PlayPlan> plan);

  /// The next next() gives frame `position`. The chain is run in from a second before (or
  /// what its steps ask for), so that it sounds as in a render. Throws Error(input).
  void seek(Samples position);
  /// `block` frames of each, channels() x block; silence beyond the end. `focus`: step whose input
  /// and output are wanted in focus_in() and focus_out() (mono).
  void next(AudioBlock before, AudioBlock after, int focus);

  /// Takes on new settings and findings while running when only these differ; false otherwise.
  bool update(std::shared_ptr<const PlayPlan> plan);

  int channels() const { return wet_.channels(); }
  Samples position() const { return position_; }
  /// Frames to the end of the last ringing.
  Samples end() const;
  const Processor* processor(int step) const;
  std::span<const float> focus_in() const { return focus_in_; }
  std::span<const float> focus_out() const { return focus_out_; }

 private:
  void read_wet(const AudioBlock& out);
  void run(const AudioBlock& wet, AudioBlock* entering, int focus);

  std::shared_ptr<const PlayPlan> plan_;
  ClipReader dry_, wet_;
  ChainRun run_;
  Delay entering_;  // holds back what enters the step that is looked at
  AudioBuffer scratch_, aside_, dry_block_;
  std::array<float, block> focus_in_{}, focus_out_{};
  Samples position_ = 0;
};

}  // namespace drevan
