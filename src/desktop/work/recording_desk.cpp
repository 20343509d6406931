// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/recording_desk.h"

#include <QSettings>
#include <cmath>
#include <map>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "engine/listening/measure_file.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {

constexpr int watch_every_ms = 40;
constexpr double beeps_s = 3;
// The reel plays on while it is recorded to, also behind its last sound.
constexpr double plays_on_s = 86400;

const InputSource* source_of(const std::vector<InputSource>& sources, int input) {
  for (const auto& source : sources) {
    if (input < source.channels) return &source;
    input -= source.channels;
  }
  return nullptr;
}

// What a finished file is, and how its sound came out.
struct Finished {
  Source source;
  Levels levels;
};

QString told_of(const QString& name, const Levels& levels) {
  const auto db = [](std::optional<double> value) {
    return value ? QObject::tr("%1 dB").arg(*value, 0, 'f', 1) : QObject::tr("none");
  };
  return QObject::tr("%1: peak %2, noise %3, %4")
      .arg(name, db(levels.sample_peak_dbfs), db(levels.noise_floor_dbfs),
           levels.clipped_samples > 0
               ? counted(static_cast<long>(levels.clipped_samples), QObject::tr("clipped sample"))
               : QObject::tr("nothing clipped"));
}

}  // namespace

RecordingHabits recording_habits() {
  const QSettings kept;
  return {kept.value("record/input").toString(), kept.value("record/more").toStringList(),
          std::clamp(kept.value("record/pre_roll_s", 3.0).toDouble(), 0.0, 30.0),
          kept.value("record/count_in", false).toBool(),
          kept.value("record/own_voice", false).toBool()};
}

void keep_recording_habits(const RecordingHabits& habits) {
  QSettings kept;
  kept.setValue("record/input", habits.input);
  kept.setValue("record/more", habits.more);
  kept.setValue("record/pre_roll_s", habits.pre_roll_s);
  kept.setValue("record/count_in", habits.count_in);
  kept.setValue("record/own_voice", habits.own_voice);
}

RecordingDesk::RecordingDesk(Notices& notices, Document& document, Selection& selection,
                             Listening& listening, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      listening_(listening),
      habits_(recording_habits()) {
  watch_.setInterval(watch_every_ms);
  connect(&watch_, &QTimer::timeout, this, &RecordingDesk::watch);
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  connect(&document_, &Document::leaving, this, [this] { arm(false); });
  // At another rate the inputs are opened anew.
  connect(&document_, &Document::reel_changed, this, [this] {
    if (!armed() || recorder_rate_ == document_.reel().rate) return;
    arm(false);
    arm(true);
  });
  // When the reel is there as it was, with the edits that came back.
  connect(&document_, &Document::opened, this, &RecordingDesk::bring_back_broken,
          Qt::QueuedConnection);
}

void RecordingDesk::arm(bool on) {
  if (on == armed()) return;
  if (!on) {
    stop();
    watch_.stop();
    listening_.player().inputs().set_own_voice(0, 0);
    listening_.player().inputs().hear_with(nullptr);
    recorder_.reset();
    chirps_.reset();
    listening_.use_input(std::nullopt);
    Q_EMIT changed();
    return;
  }
  recorder_rate_ = document_.reel().rate;
  recorder_ = std::make_shared<Recorder>(recorder_rate_);
  inputs_seen_ = 0;
  problems_told_.clear();
  listening_.use_input(input_wish());
  listening_.player().inputs().hear_with(recorder_);
  apply_own_voice();
  watch_.start();
  Q_EMIT changed();
}

void RecordingDesk::set_habits(const RecordingHabits& habits) {
  const bool other_input = habits.input != habits_.input || habits.more != habits_.more;
  habits_ = habits;
  keep_recording_habits(habits);
  if (!armed()) return;
  if (other_input) {
    problems_told_.clear();
    listening_.use_input(input_wish());
  }
  apply_own_voice();
  Q_EMIT changed();
}

InputWish RecordingDesk::input_wish() const {
  InputWish wish{habits_.input.toStdString(), 0};
  for (const auto& name : habits_.more) wish.more.push_back(name.toStdString());
  return wish;
}

// Two inputs of two devices are no stereo.
std::vector<std::vector<int>> RecordingDesk::lanes() const {
  std::vector<std::vector<int>> all;
  if (!armed()) return all;
  const int each = document_.reel().recording.stereo ? 2 : 1;
  int first = 0;
  for (const auto& source : listening_.player().device_facts().sources) {
    for (int i = 0; i < source.channels; i += each) {
      all.emplace_back();
      for (int c = i; c < std::min(i + each, source.channels); ++c) all.back().push_back(first + c);
    }
    first += source.channels;
  }
  return all;
}

QString RecordingDesk::device_of(int input) const {
  const auto facts = listening_.player().device_facts();
  if (facts.sources.size() < 2) return {};
  const InputSource* source = source_of(facts.sources, input);
  return source ? QString::fromStdString(source->name) : QString();
}

void RecordingDesk::set_lane_on(int lane, bool on) {
  const auto bit = std::uint64_t{1} << lane;
  lanes_on_ = on ? lanes_on_ | bit : lanes_on_ & ~bit;
  apply_own_voice();
  Q_EMIT changed();
}

// Mono inputs are heard in the middle.
void RecordingDesk::apply_own_voice() {
  std::uint64_t left = 0, right = 0;
  const auto all = lanes();
  for (size_t i = 0; i < all.size() && habits_.own_voice; ++i) {
    if (!lane_on(static_cast<int>(i))) continue;
    left |= std::uint64_t{1} << all[i].front();
    right |= std::uint64_t{1} << all[i].back();
  }
  if (armed()) listening_.player().inputs().set_own_voice(left, right);
}

Recorder::Level RecordingDesk::take_level(int input) {
  return recorder_ ? recorder_->take_level(input) : Recorder::Level{};
}
void RecordingDesk::clear_clipped() {
  if (recorder_) recorder_->clear_clipped();
}

double RecordingDesk::seconds() const {
  return recording() ? static_cast<double>(recorder_->frames()) / recorder_rate_ : 0;
}

// Inputs that are recorded at the same time are no takes of each other.
RecordedLine RecordingDesk::line_of(const RecordedLine& wished, int input, bool another) const {
  RecordedLine line = wished;
  const Clip* of = document_.reel().find(wished.take_of);
  if (of) line.name = line_name(of->name);
  if (!another) return line;
  if (of) line.group = document_.reel().group_of(*of).name;
  line.take_of = 0;
  line.name += tr(", input %1").arg(input + 1).toStdString();
  return line;
}

// At the rate at which it is recorded, whatever becomes of the reel's meanwhile.
RecordedWhere RecordingDesk::where_of(Samples lag) const {
  RecordedWhere where{
      wish_.place, wish_.plays, std::nullopt, recorder_rate_, wish_.plays ? latency_ : 0, lag};
  if (wish_.plays && wish_.round) where.to = wish_.round->end;
  return where;
}

bool RecordingDesk::record(const RecordingWish& wish) {
  if (recording()) return false;
  arm(true);
  if (chirps_) {
    // Measuring gives way: the inputs are the recorder's from the first frame on.
    chirps_.reset();
    listening_.player().play_over({});
    listening_.player().inputs().hear_with(recorder_);
    notices_.tell(tr("Recording; the way from output to input was not measured."));
  }
  wish_ = wish;
  latency_ = latency().frames;
  lines_.clear();
  lags_.clear();
  const auto sources = listening_.player().device_facts().sources;
  std::vector<RecordedFile> files;
  try {
    const auto where = document_.recordings_folder();
    make_folder(where);
    const auto all = lanes();
    for (size_t i = 0; i < all.size(); ++i) {
      if (!lane_on(static_cast<int>(i))) continue;
      const auto line = lines_.emplace_back(line_of(wish.line, all[i].front(), !files.empty()));
      files.push_back({all[i], recording_file(where, line.name)});
      const InputSource* source = source_of(sources, all[i].front());
      lags_.push_back(source ? source->lag : 0);
      notes_.emplace_back(files.back().file, document_.file(), line, where_of(lags_.back()));
    }
    if (files.empty())
      throw Error(Error::Kind::call,
                  all.empty() ? "There is no input yet. Connect a microphone, or choose one in the "
                                "recording settings."
                              : "No input is on. Switch one on above the picture.");
    recorder_->begin(files, document_.reel().recording.floating);
  } catch (const std::exception& e) {
    for (auto& note : notes_) note.remove();
    notes_.clear();
    notices_.warn(e);
    return false;
  }
  told_silence_ = false;
  marks_kept_ = 0;
  if (wish.plays) {
    const ReelTime from = std::max(ReelTime{0}, wish.place - ReelSpan{habits_.pre_roll_s});
    const double before = (wish.place - from).s;
    const double wanted = habits_.count_in ? std::max(beeps_s, habits_.pre_roll_s) : before;
    loop_before_ = listening_.scene_loop();
    listening_.set_scene_loop(
        ReelRange{from, wish.round ? wish.round->end : from + ReelSpan{plays_on_s}});
    listening_.seek(from);
    Player::CountIn count_in{
        .lead = std::llround(std::max(0.0, wanted - before) * document_.reel().rate)};
    if (habits_.count_in) count_in.to = frame_of(wish.place, document_.reel().rate);
    listening_.player().set_listen(Listen::after);
    listening_.player().play(count_in);
  } else {
    listening_.player().pause();
  }
  Q_EMIT changed();
  return true;
}

void RecordingDesk::stop() {
  if (recording()) end({});
}

// `why`: it was not stopped by hand.
void RecordingDesk::end(const Problem& why) {
  if (wish_.plays) {
    listening_.player().pause();
    listening_.set_scene_loop(loop_before_);
  }
  if (!why.empty()) notices_.warn(why);
  const Samples lag = lags_.empty() ? 0 : std::ranges::max(lags_);
  keep_marks();
  take(recorder_->end((wish_.plays ? latency_ : 0) + lag));
  Q_EMIT changed();
}

// Where what is recorded stands is safe beside it, before the program can end.
void RecordingDesk::keep_marks() {
  for (const PlayedMark& mark : recorder_->marks(marks_kept_)) {
    for (RecordingNote& note : notes_) note.keep(mark);
    ++marks_kept_;
  }
}

namespace {

// Holes of all takes, each place once.
QString told_of_holes(const std::vector<std::vector<RecordedTake>>& takes, double rate) {
  std::map<Samples, Samples> holes;
  for (const auto& of_file : takes)
    for (const RecordedTake& take : of_file)
      for (const RecordedHole& hole : take.holes) holes[hole.position] = hole.frames;
  QStringList told;
  for (const auto& [position, frames] : holes)
    told << QObject::tr("%1 ms at %2 s")
                .arg(1000.0 * static_cast<double>(frames) / rate, 0, 'f', 0)
                .arg(static_cast<double>(position) / rate, 0, 'f', 2);
  if (told.isEmpty()) return {};
  return QObject::tr(
             "Playing stood still while recording went on (%1): what was said behind it stands so "
             "much later.")
      .arg(told.join(", "));
}

}  // namespace

void RecordingDesk::take(const Recording& recording) {
  const double rate = recorder_rate_;
  std::vector<std::vector<RecordedTake>> takes;  // of each file
  for (const Samples lag : lags_) {
    const RecordedWhere where = where_of(lag);
    RecordedInto into;
    if (where.plays) into.from = frame_of(where.place, rate);
    if (where.to) into.to = frame_of(*where.to, rate);
    auto& own = takes.emplace_back(takes_of_recording(recording, latency_, into, rate, lag));
    // Nothing of it may be lost, also where it was stopped before its place came.
    if (own.empty() && recording.frames > 0) own.push_back({0, recording.frames, std::nullopt});
  }
  auto notes = std::make_shared<std::vector<RecordingNote>>(std::move(notes_));
  notes_.clear();
  const int reel_number = document_.reel_number();
  lane_.enqueue([this, recording, takes, notes, rate, reel_number, lines = lines_,
                 place = wish_.place](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<Finished> files;
    for (const auto& f : recording.files)
      files.push_back({examine_source(f.file, &cancel), measure_file(f.file, cancel).levels});
    return [this, takes, notes, files, rate, reel_number, lines, place] {
      if (reel_number != document_.reel_number()) return;  // it is brought back with its own
      QStringList told;
      QList<ClipId> clips;
      for (size_t f = 0; f < files.size(); ++f) {
        const Finished& file = files[f];
        const auto parts = recorded_parts(file.source, takes[f], rate, place);
        const auto before = document_.reel().clips.size();
        const bool made = document_.change(
            [&](const Reel& reel) { return edits::add_recording(reel, lines[f], parts); });
        if (!made) return;
        const auto& all = document_.reel().clips;
        for (size_t i = before; i < all.size(); ++i) clips << all[i].id;
        told << told_of(QString::fromStdString(all.back().name), file.levels);
      }
      // Until the journal has it the note brings it back.
      if (document_.flush())
        for (auto& note : *notes) note.remove();
      const QString holes = told_of_holes(takes, rate);
      for (const ClipId id : clips)
        if (document_.reel().find(id)->chosen) selection_.select_clip(id);
      holes.isEmpty() ? notices_.tell(told.join("; ")) : notices_.warn(holes);
      Q_EMIT recorded(clips);
    };
  });
}

// Of a Drevan that was killed while it recorded.
void RecordingDesk::bring_back_broken() {
  const auto broken = broken_recordings(document_.recordings_folder(), document_.file());
  QStringList told;
  for (const auto& one : broken) {
    std::error_code ignored;
    const auto& sources = document_.reel().sources;
    if (std::ranges::find(sources, one.audio, &Source::path) != sources.end()) {
      fs::remove(one.note, ignored);
      continue;
    }
    try {
      const Source source = examine_source(one.audio);
      const auto takes = takes_of_broken(one, source.frames);
      const auto parts = recorded_parts(source, takes, one.where.rate, one.where.place);
      if (!document_.change(
              [&](const Reel& reel) { return edits::add_recording(reel, one.line, parts); }))
        continue;
      told << QString::fromStdString(document_.reel().clips.back().name);
    } catch (const std::exception& e) {
      notices_.warn(e);
      continue;  // it is tried again when the reel is opened next
    }
    if (document_.flush()) fs::remove(one.note, ignored);
  }
  if (!told.isEmpty())
    notices_.tell(
        tr("Drevan ended while it recorded. What was recorded is back: %1.").arg(told.join(", ")));
}

// Told at once: the device, the disk, a dead input.
void RecordingDesk::watch() {
  const auto facts = listening_.player().device_facts();
  if (facts.inputs != inputs_seen_) {
    inputs_seen_ = facts.inputs;
    apply_own_voice();
    Q_EMIT changed();
  }
  if (chirps_ && chirps_->done()) end_latency();
  if (const auto problem = listening_.player().take_error(); !problem.empty())
    notices_.warn(problem);
  if (!facts.changing) tell_input_problems(facts.sources);
  if (!recording()) return;
  keep_marks();
  if (const auto problem = recorder_->take_problem(); !problem.empty()) return end(problem);
  if (facts.lost)
    return end({fmt::format("The sound device {} is gone, so recording has stopped; what was "
                            "recorded is kept.",
                            facts.name),
                Cause::device,
                {}});
  tell_silence();
}

void RecordingDesk::tell_silence() {
  if (told_silence_) return;
  const auto all = lanes();
  for (size_t i = 0; i < all.size(); ++i)
    for (const int input : all[i])
      if (lane_on(static_cast<int>(i)) && seconds() > 1 && recorder_->silent(input)) {
        told_silence_ = true;
        // Nothing may come between the hand and Stop.
        notices_.tell(tr("Input %1 gives nothing at all (digital silence for a second): is the "
                         "microphone on, and the right input chosen?")
                          .arg(input + 1));
      }
}

// Nothing may come between the hand and Stop, so these are only told.
void RecordingDesk::tell_input_problems(const std::vector<InputSource>& sources) {
  if (sources.empty()) return;
  const auto tell = [this](const QString& about, const QString& why) {
    if (problems_told_.contains(about)) return;
    problems_told_ << about;
    notices_.tell(why);
  };
  for (const auto& source : sources)
    if (!source.problem.empty())
      tell(QString::fromStdString(source.name), QString::fromStdString(source.problem));
  for (const auto& name : habits_.more)
    if (std::ranges::find(sources, name.toStdString(), &InputSource::name) == sources.end())
      tell(name, tr("The input %1 is not there. Connect it, or choose others in the recording "
                    "settings; what is there is recorded.")
                     .arg(name));
}

}  // namespace drevan::desktop
