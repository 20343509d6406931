// SPDX-License-Identifier: GPL-3.0-or-later
// Plays a clip before, after, or what its chain removes.
#pragma once

#include <chrono>
#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>

#include "audio/error.h"
#include "dsp/smoothed.h"
#include "engine/playing/listening_device.h"
#include "engine/playing/play_ring.h"
#include "engine/playing/play_run.h"
#include "engine/playing/player_inputs.h"
#include "media/device.h"

namespace drevan {

enum class Listen { before, after, removed };

/// Runs the chain ahead of the sound card on its own thread into a lock-free ring; the device's
/// thread only copies. A new setting is heard within 100 ms. Public functions are for one thread
/// (the interface's) and return at once; the device is started, and looked for, on the run-ahead thread.
class Player final : public SoundSource {
 public:
  using FindDevice = std::function<std::unique_ptr<AudioDevice>()>;
  /// `find` is asked for another device, on the run-ahead thread, when the one there is was lost; it may find
  /// none. Without it there is no other.
  Player(std::unique_ptr<AudioDevice> device, double rate, FindDevice find = {});
  ~Player() override;
  Player(const Player&) = delete;
  Player& operator=(const Player&) = delete;

  /// What is played from now on. While playing, changed settings glide, a changed chain is
  /// crossfaded; another sound stops playing first.
  void load(PlayPlan plan);
  // A device that is lost (it says so, or asks for no sound while there is some) is told by take_error(); playing
  // is paused where it was. Another one is looked for every second, and again at play().

  /// Plays through another device from now on, on from where it is. `find` as in the constructor.
  void use_device(FindDevice find);
  /// Whether playing goes on by itself, when a lost device has been replaced.
  void set_plays_on(bool on) { plays_on_ = on; }
  /// Plays this (interleaved stereo) once, over what plays or over silence.
  void play_over(std::vector<float> stereo);
  /// The device runs, and its inputs are heard, although nothing plays.
  void keep_open(bool on);
  PlayerInputs& inputs() { return inputs_; }

  /// Stops and forgets the clip.
  void unload();

  /// How playing begins when it is recorded to.
  struct CountIn {
    Samples lead = 0;             ///< frames of silence before it
    std::optional<Samples> to{};  ///< three beeps, one a second, count to this frame
  };
  void play() { play({}); }
  void play(const CountIn& count_in);
  void pause();
  /// Frame of the clip; while playing it goes on from there.
  void seek(Samples position);
  /// The playhead is dragged: while nothing plays, a short piece is heard from here and the
  /// playhead stays; pieces follow each other at least 40 ms apart. While playing: seek().
  void scrub(Samples position);
  /// Plays this range round and round; empty: to the end.
  void set_loop(std::optional<FrameRange> loop);
  void set_listen(Listen listen);
  Listen listen() const;
  /// Whether before is brought to the loudness of after (and removed leaves out plain gain).
  void set_matched(bool matched);
  bool matched() const;
  /// Everything is heard through this from now on, meters and readings are not; nullptr: as it is.
  void listen_on(std::shared_ptr<const ListeningDevice::Choice> choice);
  /// Left and right are heard as their mean; meters and readings are not.
  void set_mono(bool on) { mono_ = on; }
  bool mono() const { return mono_; }
  /// The step (among those on) whose readings and spectra are shown; -1: none.
  void set_focus(int step);

  bool playing() const { return playing_.load(); }
  Samples position() const { return position_.load(); }
  /// Largest samples left and right since the last call.
  std::array<float, 2> take_peaks();
  /// Whether a sample passed full scale since clear_over().
  bool over() const { return over_.load(); }
  void clear_over() { over_.store(false); }
  /// The focused step's latest readings; returns how many.
  int readings(std::span<float> out) const;
  ScopeRing& focus_in() { return focus_in_; }
  ScopeRing& focus_out() { return focus_out_; }
  /// What is played, interleaved stereo, before the device one listens on.
  ScopeRing& heard() { return heard_; }
  /// Of the time that sound lasts, how much making it took of late: above 1 it cannot go on.
  /// `dearest`: see Programme::dearest().
  struct Load {
    double share = 0;
    ClipId dearest = 0;
    StepId step = 0;
  };
  Load load() const { return {load_.load(), dearest_.load(), dearest_step_.load()}; }
  /// Times the device found nothing to play while playing.
  long underruns() const { return underruns_.load(); }
  /// The device by name, how far behind it is, and how often it had to wait for sound.
  struct DeviceFacts {
    std::string name;
    double latency_s = 0;
    long dropouts = 0;
    bool simulated = false, lost = false;
    int buffer_frames = 0;
    std::string input{};  ///< the first one's device; empty: it has none
    int inputs = 0;
    std::vector<InputSource> sources{};  ///< of the inputs, in their order
    bool changing = false;               ///< another device was asked for and is not there yet
  };
  DeviceFacts device_facts() const;
  /// The last failure while playing, once; empty: none.
  Problem take_error();

  /// The device there is; not to be kept, another may take its place.
  AudioDevice& device() { return *device_; }
  /// Whether there is no real device, so that nothing is heard.
  bool silent() const { return silent_.load(); }
  /// Whether all that was asked for has been taken up and as much sound is ready as there is room for. For tests.
  bool caught_up() const;
  void pull(float* interleaved, int frames) noexcept override;
  void take(const float* interleaved, int channels, int frames) noexcept override {
    inputs_.take(interleaved, channels, frames);
  }

 private:
  struct Request {
    std::shared_ptr<const PlayPlan> plan;
    bool playing = false;
    bool play_unseen = false;  // play() was asked for and the worker has not seen it yet
    std::optional<Samples> seek, scrub;
    std::optional<FrameRange> loop;
    Listen listen = Listen::after;
    bool matched = true;
    std::shared_ptr<const ListeningDevice::Choice> listen_on;
    int focus = -1;
  };
  void work(const std::stop_token& stop);
  bool take_request(const std::stop_token& stop);
  void requested();
  bool device_ready();
  bool device_is_lost();
  void lose_device();
  void look_for_device();
  void take_device(std::unique_ptr<AudioDevice> device);
  bool serve_device_wishes();
  void change_device(FindDevice find);
  void play_silence(float* interleaved, int from, int to, bool playing, Samples position) noexcept;
  Samples add_over(float* interleaved, int frames) noexcept;
  void add_beeps(float* interleaved, int from, int to, Samples position) noexcept;
  void tell(Problem error);
  void stop_for(Problem why);
  bool serve_device();
  void make_next();
  std::uint64_t sounds_of(const PlayPlan& plan);
  void request_stop_here();
  void give_back_seek();
  void apply_plan();
  void start_run(Samples at);
  bool scrub_on(PlayPacket& packet);
  void begin_scrub();
  void make_packet(PlayPacket& packet);
  void note_load(double seconds);
  void mix(Programme& run, std::span<float> stereo);
  void set_gain_goals() noexcept;
  void stop_playing();

  // Interface side.
  mutable std::mutex mutex_;
  std::condition_variable_any wake_;
  Request request_;
  Problem error_;
  unsigned long requests_ = 0, taken_requests_ = 0;
  bool waiting_ = false;  // the run-ahead side, for a request
  std::optional<FindDevice> other_device_;
  bool open_wanted_ = false;
  bool serving_ = false;  // a wish for another device or a tone is being done
  // The files' size and time are asked for at most twice a second.
  ClipSound known_sound_;
  std::optional<ClipSound> known_against_;
  std::uint64_t known_sounds_ = 0;
  std::chrono::steady_clock::time_point known_at_{};

  // Run-ahead side.
  Request now_;
  std::unique_ptr<Programme> run_, old_run_;
  AudioBuffer before_, after_;
  Smoothed before_gain_, after_gain_;
  ListeningDevice listens_on_;
  bool fade_in_ = false, fade_out_ = false, starting_ = false;
  Samples started_at_ = 0, resume_at_ = 0;
  Samples scrub_left_ = 0, scrub_done_ = 0;  // frames of the piece that is heard

  // Shared.
  PlayRing ring_;
  ScopeRing focus_in_, focus_out_, heard_;
  std::atomic<bool> playing_{false}, over_{false}, expecting_{false}, silent_{false};
  std::atomic<Samples> position_{0};
  std::array<std::atomic<float>, 2> peaks_{};
  std::array<std::atomic<float>, max_readings> readings_{};
  std::atomic<int> reading_count_{0};
  std::atomic<double> load_{0};
  std::atomic<ClipId> dearest_{ClipId{0}};
  std::atomic<StepId> dearest_step_{0};
  std::atomic<long> underruns_{0};
  std::atomic<bool> mono_{false};
  std::atomic<bool> plays_on_{false}, lost_now_{false};
  std::atomic<bool> keep_open_{false};
  std::vector<float> over_kept_;  // played once over all
  std::atomic<const std::vector<float>*> over_sound_{nullptr};
  std::atomic<unsigned> over_number_{0};
  std::atomic<bool> pulling_{false};
  std::atomic<Samples> lead_left_{0};
  std::atomic<Samples> count_to_{-1};  // -1: nothing is counted in
  PlayerInputs inputs_;

  // Device side.
  int taken_ = 0;          // frames of the ring's front already played
  bool sounding_ = false;  // between a first packet and a last one
  const std::vector<float>* over_playing_ = nullptr;
  unsigned over_taken_ = 0;
  size_t over_at_ = 0;  // samples of it

  double rate_;
  FindDevice find_;
  std::unique_ptr<AudioDevice> device_;
  bool started_ = false, lost_ = false, play_when_found_ = false;  // run-ahead side
  std::atomic<long> pulls_{0};
  long pulls_seen_ = 0;
  std::chrono::steady_clock::time_point pulled_at_{}, looked_at_{};
  std::jthread thread_;
};

}  // namespace drevan
