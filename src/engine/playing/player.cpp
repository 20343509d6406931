// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/playing/player.h"

#include <chrono>
#include <cmath>

#include "audio/decibel.h"
#include "audio/denormals.h"
#include "audio/guarded_thread.h"

namespace drevan {

namespace {
// What tells a reel as a whole from clips.
constexpr std::uint64_t scene_sounds = 1;
}  // namespace

Player::Player(std::unique_ptr<AudioDevice> device, double rate, FindDevice find)
    : listens_on_(rate, PlayPacket::frames),
      rate_(rate),
      find_(std::move(find)),
      device_(std::move(device)) {
  silent_ = device_->simulated();
  before_gain_.prepare(rate, 5, 0);
  after_gain_.prepare(rate, 5, 0);
  thread_ = guarded_thread([this](const std::stop_token& stop) { work(stop); },
                           [this](Problem why) { tell(std::move(why)); });
}

Player::~Player() {
  thread_.request_stop();
  wake_.notify_all();
  thread_.join();
  device_->stop();
}

// --- interface side: leave a wish, wake the worker ---

void Player::requested() {
  ++requests_;
  wake_.notify_all();
}

std::uint64_t Player::sounds_of(const PlayPlan& plan) {
  if (plan.scene) return scene_sounds;
  const auto same = [](const ClipSound& a, const ClipSound& b) {
    return a.file == b.file && a.begin == b.begin && a.frames == b.frames && a.rate == b.rate;
  };
  const bool known = known_sounds_ != 0 && same(known_sound_, plan.clip.sound) &&
                     known_against_.has_value() == plan.against.has_value() &&
                     (!plan.against || same(*known_against_, *plan.against));
  const auto now = std::chrono::steady_clock::now();
  if (known && now - known_at_ < std::chrono::milliseconds(500)) return known_sounds_;
  known_sound_ = plan.clip.sound;
  known_against_ = plan.against;
  known_at_ = now;
  return known_sounds_ = identity_of_sounds(plan);
}

void Player::load(PlayPlan plan) {
  if (plan.sounds == 0) plan.sounds = sounds_of(plan);
  const std::lock_guard lock(mutex_);
  if (request_.plan && request_.plan->sounds != plan.sounds) {
    request_stop_here();
    request_.seek = 0;
  }
  request_.plan = std::make_shared<const PlayPlan>(std::move(plan));
  requested();
}

void Player::unload() {
  const std::lock_guard lock(mutex_);
  request_.plan.reset();
  request_stop_here();
  request_.seek = 0;
  requested();
}

void Player::play(const CountIn& count_in) {
  const std::lock_guard lock(mutex_);
  if (!request_.plan) return;
  lead_left_ = count_in.lead;
  count_to_ = count_in.to.value_or(-1);
  request_.playing = true;
  request_.play_unseen = true;
  playing_ = true;
  requested();
}

void Player::pause() {
  const std::lock_guard lock(mutex_);
  request_stop_here();
  requested();
}

// A play() that was taken ends with its last packet; one that was not has none to end with.
void Player::request_stop_here() {
  request_.playing = false;
  lead_left_ = 0;
  count_to_ = -1;
  if (std::exchange(request_.play_unseen, false)) playing_ = false;
}

void Player::seek(Samples position) {
  const std::lock_guard lock(mutex_);
  request_.seek = position;
  request_.scrub.reset();
  if (!playing_) position_ = position;
  requested();
}

void Player::set_loop(std::optional<FrameRange> loop) {
  const std::lock_guard lock(mutex_);
  request_.loop = loop;
  requested();
}

void Player::set_listen(Listen listen) {
  const std::lock_guard lock(mutex_);
  request_.listen = listen;
  requested();
}

Listen Player::listen() const {
  const std::lock_guard lock(mutex_);
  return request_.listen;
}

bool Player::matched() const {
  const std::lock_guard lock(mutex_);
  return request_.matched;
}

void Player::set_matched(bool matched) {
  const std::lock_guard lock(mutex_);
  request_.matched = matched;
  requested();
}

void Player::listen_on(std::shared_ptr<const ListeningDevice::Choice> choice) {
  const std::lock_guard lock(mutex_);
  request_.listen_on = std::move(choice);
  requested();
}

void Player::set_focus(int step) {
  const std::lock_guard lock(mutex_);
  request_.focus = step;
  requested();
}

std::array<float, 2> Player::take_peaks() {
  return {peaks_[0].exchange(0.0F), peaks_[1].exchange(0.0F)};
}

int Player::readings(std::span<float> out) const {
  const int n = std::min(reading_count_.load(), static_cast<int>(out.size()));
  for (int i = 0; i < n; ++i)
    out[static_cast<size_t>(i)] = readings_[static_cast<size_t>(i)].load(std::memory_order_relaxed);
  return n;
}

Problem Player::take_error() {
  const std::lock_guard lock(mutex_);
  return std::exchange(error_, {});
}

// --- run-ahead side ---

bool Player::caught_up() const {
  const std::lock_guard lock(mutex_);
  return requests_ == taken_requests_ && !serving_ && (waiting_ || ring_.full());
}

void Player::tell(Problem error) {
  const std::lock_guard lock(mutex_);
  error_ = std::move(error);
}

// Copies the newest wish; false when it is time to end.
bool Player::take_request(const std::stop_token& stop) {
  std::unique_lock lock(mutex_);
  const auto busy = [&] {
    return (request_.playing && request_.plan) || run_ != nullptr || request_.seek.has_value() ||
           request_.scrub.has_value() || other_device_ || open_wanted_;
  };
  while (!busy() && !stop.stop_requested()) {
    taken_requests_ = requests_;
    waiting_ = true;
    // Now and then a device that is lost is looked for, and one that is there is looked at.
    wake_.wait_for(lock, stop, std::chrono::milliseconds(lost_ || started_ ? 250 : 3600000),
                   [&] { return busy() || requests_ != taken_requests_; });
    waiting_ = false;
    if (busy() || stop.stop_requested()) break;
    lock.unlock();
    if (lost_)
      look_for_device();
    else if (started_ && device_->lost())
      lose_device();
    lock.lock();
  }
  if (stop.stop_requested()) return false;
  taken_requests_ = requests_;
  serving_ = other_device_ || open_wanted_;
  request_.play_unseen = false;
  now_ = request_;
  request_.seek.reset();
  request_.scrub.reset();
  if (now_.playing && now_.scrub) now_.seek = std::exchange(now_.scrub, std::nullopt);
  return true;
}

// What could not be done yet, unless something newer has come.
void Player::give_back_seek() {
  if (!now_.seek && !now_.scrub) return;
  const std::lock_guard lock(mutex_);
  if (request_.seek || request_.scrub) return;
  request_.seek = now_.seek;
  request_.scrub = now_.scrub;
}

void Player::start_run(Samples at) {
  run_->seek(at);
  fade_in_ = starting_ = true;
  set_gain_goals();
  before_gain_.jump(before_gain_.goal());
  after_gain_.jump(after_gain_.goal());
}

// Brings the running chain to the requested plan.
void Player::apply_plan() {
  if (!run_) {
    run_ = make_programme(now_.plan);
    started_at_ = now_.seek.value_or(resume_at_);
    now_.seek.reset();
    if (now_.loop && !now_.loop->empty() &&
        (started_at_ < now_.loop->begin || started_at_ >= now_.loop->end))
      started_at_ = now_.loop->begin;
    if (started_at_ >= run_->end()) started_at_ = 0;
    return start_run(started_at_);
  }
  if (run_->update(now_.plan)) return;
  // Another order of steps: the new chain takes over in one crossfaded packet.
  auto fresh = make_programme(now_.plan);
  fresh->seek(run_->position());
  old_run_ = std::exchange(run_, std::move(fresh));
}

void Player::stop_playing() {
  run_.reset();
  old_run_.reset();
  scrub_left_ = 0;
  load_ = 0;
  expecting_ = false;
  const std::lock_guard lock(mutex_);
  if (!request_.play_unseen) request_.playing = false;  // a newer play() stands
}

void Player::work(const std::stop_token& stop) {
  const FlushDenormals flush;
  while (!stop.stop_requested()) {
    try {
      if (!take_request(stop)) return;
      if (!serve_device()) make_next();
    } catch (...) {
      stop_for(caught_problem());
    }
  }
}

// Whatever was thrown: playing stops where it is, and the next wish is served as ever.
void Player::stop_for(Problem why) {
  stop_playing();
  playing_ = false;
  resume_at_ = position_.load();
  tell(std::move(why));
}

// Whether the device, or that the ring is full, was all there was to do.
bool Player::serve_device() {
  if (serve_device_wishes()) {
    give_back_seek();
    return true;
  }
  if (device_is_lost()) {
    give_back_seek();
    lose_device();
    return true;
  }
  if (ring_.back()) return false;
  give_back_seek();
  std::this_thread::sleep_for(std::chrono::milliseconds(2));
  return true;
}

// Makes the next packet, where anything is to be heard.
void Player::make_next() {
  PlayPacket& packet = *ring_.back();
  if (scrub_on(packet)) return;
  if (!now_.playing && !run_) {  // a seek while paused: the next play() starts there
    if (now_.seek) position_ = resume_at_ = *now_.seek;
    return;
  }
  if (now_.playing && !device_ready()) {
    stop_playing();
    playing_ = false;
    const std::lock_guard lock(mutex_);
    return request_stop_here();
  }
  if (now_.plan && now_.playing) apply_plan();
  // A loop that is set behind where it plays begins at once: it would never come round.
  if (run_ && now_.playing && !now_.seek && now_.loop && !now_.loop->empty() &&
      (run_->backwards() ? run_->position() <= now_.loop->begin
                         : run_->position() >= now_.loop->end))
    now_.seek = run_->backwards() ? now_.loop->end : now_.loop->begin;
  // Seeking, pausing and another clip all end the present sound with a short fade.
  fade_out_ = !now_.playing || now_.seek.has_value();
  const auto began = std::chrono::steady_clock::now();
  make_packet(packet);
  note_load(std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count());
  const auto seek = now_.seek;
  const bool ended = !now_.loop && run_->ended();
  packet.last = !now_.playing || ended;
  packet.scrubbed = false;
  // Stopped by hand the playhead stays; at the end it goes back to where playing began.
  packet.resume_at = seek ? *seek : !now_.playing ? run_->position() : started_at_;
  resume_at_ = packet.resume_at;
  const bool last = packet.last;
  // Before the push: the device looks at it when it finds the packet.
  expecting_ = !last;
  ring_.push();
  if (last) return stop_playing();
  if (seek) {
    started_at_ = *seek;
    run_->seek(*seek);
    fade_in_ = true;
  }
}

// A mean over some 50 packets, a quarter of a second: single ones wait for files.
void Player::note_load(double seconds) {
  const double now = seconds * rate_ / PlayPacket::frames;
  load_ = 0.98 * load_ + 0.02 * now;
  const auto dearest = run_->dearest();
  dearest_ = dearest.clip;
  dearest_step_ = dearest.step;
}

// Sets the goals of the two gains by what is listened to.
void Player::set_gain_goals() noexcept {
  const PlayPlan& plan = *now_.plan;
  const double match = now_.matched ? plan.match_db : 0;
  // Matching must not make either side clip: both are lowered together.
  const double loudest = std::max(plan.before_peak_db + match, plan.after_peak_db);
  const double common = now_.matched ? from_db(std::min(0.0, -loudest) + plan.take_db) : 1;
  switch (now_.listen) {
    case Listen::before:
      before_gain_.set(common * from_db(match));
      after_gain_.set(0);
      break;
    case Listen::after:
      before_gain_.set(0);
      after_gain_.set(common);
      break;
    case Listen::removed:
      if (run_ && !run_->comparable()) {
        before_gain_.set(0);
        after_gain_.set(0);
        break;
      }
      before_gain_.set(common * (now_.matched ? plan.fitted_gain : 1));
      after_gain_.set(-common);
      break;
  }
}

// One packet of `run`, mixed down to stereo.
void Player::mix(Programme& run, std::span<float> stereo) {
  constexpr auto n = static_cast<size_t>(PlayPacket::frames);
  if (before_.channels() != run.channels()) {
    before_ = AudioBuffer(run.channels(), PlayPacket::frames);
    after_ = AudioBuffer(run.channels(), PlayPacket::frames);
  }
  run.next(before_.block(), after_.block(), now_.focus);
  std::ranges::fill(stereo, 0.0F);
  const int channels = run.channels();
  for (int c = 0; c < channels; ++c) {
    // ITU-R BS.775 downmix: centre and surrounds 3 dB down, no low-frequency channel.
    float left = c == 0 || channels == 1 ? 1.0F : 0.0F;
    float right = c == 1 || channels == 1 ? 1.0F : 0.0F;
    if (channels > 2 && c == 2) left = right = 0.7071F;
    if (channels > 2 && c >= 4) (c % 2 == 0 ? left : right) = 0.7071F;
    const auto b = before_.channel(c);
    const auto a = after_.channel(c);
    Smoothed gb = before_gain_, ga = after_gain_;
    for (size_t i = 0; i < n; ++i) {
      const float x = static_cast<float>(gb.next()) * b[i] + static_cast<float>(ga.next()) * a[i];
      stereo[2 * i] += left * x;
      stereo[2 * i + 1] += right * x;
    }
  }
}

void Player::make_packet(PlayPacket& packet) {
  constexpr auto n = static_cast<size_t>(PlayPacket::frames);
  if (now_.plan) set_gain_goals();
  run_->let_before_lead(now_.listen == Listen::before);
  packet.position = run_->position();
  packet.first = std::exchange(starting_, false);
  packet.last = false;
  mix(*run_, packet.sound);
  if (old_run_) {
    std::array<float, 2 * n> old{};
    mix(*old_run_, old);
    for (size_t i = 0; i < 2 * n; ++i) {
      const float w = static_cast<float>(i / 2) / static_cast<float>(n);
      packet.sound[i] = w * packet.sound[i] + (1 - w) * old[i];
    }
    old_run_.reset();
  }
  for (size_t i = 0; i < n; ++i) before_gain_.next(), after_gain_.next();
  focus_in_.write(run_->focus_in());
  focus_out_.write(run_->focus_out());

  // A loop ends on the sample: what lies beyond is silenced, faded over its last 3 ms.
  const bool back = run_->backwards();
  const bool loops = now_.loop && !now_.loop->empty();
  const bool wraps =
      loops && (back ? run_->position() <= now_.loop->begin && packet.position > now_.loop->begin
                     : run_->position() >= now_.loop->end && packet.position < now_.loop->end);
  const auto fade = static_cast<size_t>(rate_ * 0.003);
  if (fade_in_)
    for (size_t i = 0; i < std::min(fade, n); ++i)
      for (size_t c = 0; c < 2; ++c)
        packet.sound[2 * i + c] *= static_cast<float>(i) / static_cast<float>(fade);
  fade_in_ = false;
  const Samples kept = !wraps ? PlayPacket::frames
                       : back ? packet.position - now_.loop->begin
                              : now_.loop->end - packet.position;
  const auto keep = static_cast<size_t>(std::min<Samples>(kept, PlayPacket::frames));
  if (fade_out_ || wraps)
    for (size_t i = 0; i < n; ++i)
      for (size_t c = 0; c < 2; ++c)
        packet.sound[2 * i + c] *=
            i >= keep ? 0.0F
                      : std::min(1.0F, static_cast<float>(keep - i) / static_cast<float>(fade));
  if (wraps && !fade_out_) {
    run_->seek(back ? now_.loop->end : now_.loop->begin);
    fade_in_ = true;
  }
  packet.peak = {};
  for (size_t i = 0; i < 2 * n; ++i)
    packet.peak[i % 2] = std::max(packet.peak[i % 2], std::abs(packet.sound[i]));
  listens_on_.choose(now_.listen_on);
  if (packet.first) listens_on_.reset();
  packet.heard = packet.sound;
  listens_on_.process(packet.heard);
  if (mono_)
    for (size_t i = 0; i < 2 * n; i += 2)
      packet.heard[i] = packet.heard[i + 1] = (packet.heard[i] + packet.heard[i + 1]) / 2;
  const Processor* focused = run_->processor(now_.focus);
  packet.reading_count = focused ? focused->readings(packet.readings) : 0;
}

}  // namespace drevan
