// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/listening.h"

#include <QSettings>
#include <cmath>

#include "audio/decibel.h"
#include "audio/error.h"
#include "reel/edits/takes.h"
#include "steps/catalogue.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"
#include "work/sound_output.h"

namespace drevan::desktop {

namespace {

Player::FindDevice finder_of(double rate, const OutputWish& wish) {
  return [rate, wish] { return find_device(rate, wish); };
}

std::unique_ptr<Player> make_player(double rate) {
  const SoundOutput output = kept_output();
  auto player = std::make_unique<Player>(open_device(rate, output.asked()), rate,
                                         finder_of(rate, output.asked()));
  player->set_plays_on(output.when_gone == SoundOutput::WhenGone::play_on);
  return player;
}

}  // namespace

Listening::Listening(Notices& notices, const Document& document, const Selection& selection,
                     const Measurements& measurements, const ShelfMeasurements& shelf,
                     const SceneSounds& scene, QObject* parent)
    : QObject(parent),
      document_(document),
      selection_(selection),
      measurements_(measurements),
      shelf_(shelf),
      scene_(scene),
      player_(make_player(rate_)),
      hears_dragging_(QSettings().value("listen/dragging", true).toBool()) {
  connect(&lane_, &TaskLane::failed, &notices,
          [&notices](const Problem& why) { notices.warn(why); });
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &Listening::load);
  connect(&document_, &Document::leaving, this, [this] {
    lane_.cancel();
    against_.reset();
  });
  connect(&document_, &Document::opened, this, [this] {
    file_.clear();
    unload();
    follow_rate();
  });
  connect(&document_, &Document::reel_changed, this, [this] {
    follow_rate();
    soon_.start();
  });
  connect(&scene_, &SceneSounds::plan_changed, this, [this] {
    if (scene_on_) soon_.start();
  });
  connect(&selection_, &Selection::clip_changed, this, [this] {
    against_.reset();
    file_.clear();
    if (!measurements_.levels() && !scene_on_) plan_.reset();
    soon_.start();
  });
  connect(&selection_, &Selection::step_changed, this, [this] {
    if (!scene_on_) player_->set_focus(selection_.running_index(selection_.step_id()));
    soon_.start();
  });
  connect(&measurements_, &Measurements::levels_changed, this,
          [this] { measurements_.levels() || scene_on_ ? load() : unload(); });
  connect(&shelf_, &ShelfMeasurements::loudness_changed, this, [this] {
    if (plan_ && take_db() != plan_->take_db) soon_.start();
  });
  connect(&measurements_, &Measurements::course_changed, this, [this] {
    if (solo_step_ && measurements_.course_whole()) load();
  });
}

// Another rate is another device, from the same moment on.
void Listening::follow_rate() {
  if (document_.reel().rate == rate_) return;
  const double at_s = static_cast<double>(player_->position()) / rate_;
  const bool mono = player_->mono(), matched = player_->matched();
  const Listen listen = player_->listen();
  rate_ = document_.reel().rate;
  player_ = make_player(rate_);
  player_->set_listen(listen);
  player_->set_matched(matched);
  player_->set_mono(mono);
  input_.reset();
  plan_.reset();
  give_listening_device();
  player_->seek(std::llround(at_s * rate_));
  give_loop();
}

void Listening::use_output(const SoundOutput& output) {
  player_->set_plays_on(output.when_gone == SoundOutput::WhenGone::play_on);
  player_->use_device(finder(output));
}

Player::FindDevice Listening::finder(const SoundOutput& output) const {
  OutputWish wish = output.asked();
  wish.input = input_;
  return finder_of(rate_, wish);
}

void Listening::use_input(std::optional<InputWish> input) {
  if (input == input_) return;
  input_ = std::move(input);
  player_->keep_open(input_.has_value());
  player_->use_device(finder(kept_output()));
}

void Listening::listen_on(int device) {
  listens_on_ = device;
  give_listening_device();
}

void Listening::give_listening_device() {
  if (listens_on_ < 0) return player_->listen_on(nullptr);
  const StepType& type = *find_step("loudspeaker");
  auto choice = std::make_shared<ListeningDevice::Choice>(
      ListeningDevice::Choice{&type, standard_settings(type)});
  choice->settings.values[0] = listens_on_;
  player_->listen_on(std::move(choice));
}

void Listening::play_file(const std::filesystem::path& file) {
  PlayPlan plan;
  plan.clip = plan_of({file, 0, -1, rate_, {}}, {});
  file_ = file;
  player_->set_loop(std::nullopt);
  player_->set_listen(Listen::after);
  player_->set_matched(false);
  player_->load(std::move(plan));
  player_->seek(0);
  player_->play();
}

void Listening::end_file() {
  if (file_.empty()) return;
  file_.clear();
  player_->pause();
  give_loop();
  load();
}

void Listening::unload() {
  if (!file_.empty()) return;
  plan_.reset();
  player_->unload();
  Q_EMIT plan_changed();
}

void Listening::play_scene(bool on) {
  if (on == scene_on_) return;
  end_file();
  player_->pause();
  if (on) clip_at_ = clip_position();
  scene_on_ = on;
  loop_.reset();
  scene_loop_.reset();
  player_->set_loop(std::nullopt);
  plan_.reset();
  player_->unload();
  load();
  if (!on) seek(clip_at_);
}

// What plays goes on where it was, in the other sound.
void Listening::play_reference(const std::filesystem::path& file, double gain_db) {
  if (file == reference_) return;
  reference_ = file;
  reference_gain_db_ = std::round(10 * gain_db) / 10;
  if (!scene_on_) return;
  const bool playing = player_->playing();
  const ReelTime at = reel_position();
  player_->set_listen(Listen::after);
  load_scene();
  seek(at);
  if (playing) player_->play();
}

void Listening::load_scene() {
  PlayPlan plan;
  if (reference_.empty()) {
    plan.scene = scene_.plan();
  } else {
    ChainStep louder = make_step(Role::gain);
    setting(louder, "gain_db") = reference_gain_db_;
    plan.clip = plan_of({reference_, 0, -1, rate_, {}}, {{louder}});
    plan.findings.resize(1);
  }
  plan_ = std::make_shared<const PlayPlan>(plan);
  player_->set_focus(-1);
  player_->load(std::move(plan));
  Q_EMIT plan_changed();
}

// Gives the player the newest chain.
void Listening::load() {
  if (!file_.empty()) return;
  if (scene_on_) return load_scene();
  auto plan = measurements_.play_plan();
  player_->set_focus(selection_.running_index(selection_.step_id()));
  if (!plan) return;
  if (against_) {
    const Levels& after = measurements_.levels()->stages.back();
    const auto loudness = loudness_of(after);
    plan->against = against_->sound;
    plan->before_peak_db = against_->peak_db;
    plan->match_db = against_->loudness && loudness ? *loudness - *against_->loudness : 0;
    plan->fitted_gain = from_db(plan->match_db);
  } else if (solo_step_) {
    narrow_to_step(*plan);
  }
  plan->take_db = take_db();
  // Another clock: the same moment of the clip.
  const ClipTime at = clip_position();
  const bool other_clock = plan->from_clip != (plan_ ? plan_->from_clip : TimeMap());
  plan_ = std::make_shared<const PlayPlan>(*plan);
  player_->load(std::move(*plan));
  if (other_clock) {
    seek(at);
    give_loop();
  }
  Q_EMIT plan_changed();
}

// Takes are heard in turn as loud as the quietest of them, so that none clips.
double Listening::take_db() const {
  const Clip* clip = selection_.clip();
  if (!clip || clip->line == 0 || scene_on_) return 0;
  const auto own = shelf_.clip_loudness(clip->id);
  double least = own.value_or(0);
  for (const ClipId id : takes_of(document_.reel(), *clip))
    if (const auto loudness = shelf_.clip_loudness(id)) least = std::min(least, *loudness);
  return own ? least - *own : 0;
}

ClipTimes Listening::times() const {
  const Clip* clip = selection_.clip();
  if (!clip) return {};
  if (scene_on_) return scene_.times(document_.reel(), *clip);
  ClipTimes times = times_of(document_.reel(), *clip);
  return with_clock(std::move(times), plan_ ? plan_->from_clip : TimeMap());
}

ClipTime Listening::clip_position() {
  const double played_s = static_cast<double>(player_->position()) / rate_;
  const ClipTimes now = times();
  if (scene_on_) return in_clip(now, ReelTime{played_s});
  // What plays begins where the clip leads.
  return std::max(ClipTime{0}, in_clip(now, HeardTime{played_s - now.lead_s}));
}

ReelTime Listening::reel_position() {
  const double played_s = static_cast<double>(player_->position()) / rate_;
  if (scene_on_) return {played_s};
  const ClipTimes now = times();
  return in_reel(now, HeardTime{played_s - now.lead_s});
}

Samples Listening::frame_of(ClipTime at) const {
  const ClipTimes now = times();
  if (scene_on_) return frame_of(in_reel(now, at));
  return std::max<Samples>(0, std::llround((heard(now, at).s + now.lead_s) * rate_));
}

Samples Listening::frame_of(ReelTime at) const {
  if (scene_on_) return std::max<Samples>(0, drevan::frame_of(at, rate_));
  return frame_of(in_clip(times(), at));
}

void Listening::scrub_frame(Samples frame) {
  hears_dragging_ ? player_->scrub(frame) : player_->seek(frame);
}

void Listening::set_hears_dragging(bool on) {
  hears_dragging_ = on;
  QSettings().setValue("listen/dragging", on);
}

void Listening::set_loop(std::optional<ClipRange> range) {
  loop_ = range;
  give_loop();
}

void Listening::set_scene_loop(std::optional<ReelRange> range) {
  scene_loop_ = range;
  give_loop();
}

void Listening::give_loop() {
  const auto give = [this](auto range) {
    const auto [begin, end] = std::minmax({frame_of(range.begin), frame_of(range.end)});
    player_->set_loop(FrameRange{begin, end});
  };
  if (scene_on_ && scene_loop_) return give(*scene_loop_);
  if (!scene_on_ && loop_) return give(*loop_);
  player_->set_loop(std::nullopt);
}

QString Listening::no_removed() const {
  if (!plan_ || scene_on_) return {};
  if (plan_->solo_step < 0 && !plan_->from_clip.identity())
    return tr(
        "Nothing can be taken away: the chain changes when things happen, so before and after do "
        "not lie on each other.");
  const auto& sounds = measurements_.levels()->sounds;
  const size_t from = plan_->solo_step < 0 ? 0 : static_cast<size_t>(plan_->solo_step),
               to = plan_->solo_step < 0 ? sounds.size() - 1 : from + 1;
  if (sounds[from].shape.channels != sounds[to].shape.channels)
    return tr("Nothing can be taken away: before has %1 and after %2.")
        .arg(counted(sounds[from].shape.channels, tr("channel")),
             counted(sounds[to].shape.channels, tr("channel")));
  return {};
}

// Before and after become what enters and what leaves the selected step.
void Listening::narrow_to_step(PlayPlan& plan) const {
  const LevelPath& levels = *measurements_.levels();
  const int at = selection_.running_index(selection_.step_id());
  if (at < static_cast<int>(plan.rewritten_stage) ||
      at + 1 >= static_cast<int>(levels.stages.size()))
    return;
  const Levels& in = levels.stages[static_cast<size_t>(at)];
  const Levels& out = levels.stages[static_cast<size_t>(at) + 1];
  plan.solo_step = at;
  plan.match_db = louder_by(in, out).value_or(0);
  plan.fitted_gain =
      measurements_.course_whole() ? measurements_.course()->fitted_gain : from_db(plan.match_db);
  plan.before_peak_db = in.sample_peak_dbfs.value_or(-200);
  plan.after_peak_db = out.sample_peak_dbfs.value_or(-200);
}

void Listening::set_solo_step(bool on) {
  if (on == solo_step_) return;
  solo_step_ = on;
  load();
}

void Listening::hear_against(std::optional<int> version) {
  const Clip* c = selection_.clip();
  const Version* other = c && version ? find_version(*c, *version) : nullptr;
  lane_.cancel();
  if (!other || *version == c->version) {
    if (!std::exchange(against_, std::nullopt)) return;
    load();
    return;
  }
  Clip then = *c;
  then.source = other->source;
  then.begin = other->begin;
  then.frames = other->frames;
  against_ = Against{*version, clip_sound(document_.reel(), then), other->loudness_lufs,
                     other->peak_dbfs.value_or(-200)};
  load();
  if (!other->loudness_lufs) measure_against();
}

// Version 0 was never measured when it was made.
void Listening::measure_against() {
  lane_.start([this, sound = against_->sound, version = against_->version,
               stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    LevelPathOptions options;
    options.store = &stores->findings;
    options.levels = &stores->levels;
    options.cancel = &cancel;
    try {
      const Levels levels = measure_result({sound}, 0, options);
      return [this, levels, version] {
        if (!against_ || against_->version != version) return;
        against_->loudness = levels.loudness_lufs;
        against_->peak_db = levels.sample_peak_dbfs.value_or(-200);
        load();
      };
    } catch (const Error&) {
      return {};  // the player tells what is wrong
    }
  });
}

}  // namespace drevan::desktop
