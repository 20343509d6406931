#include "work/recording_desk.h"

#include <QSettings>
#include <cmath>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "engine/measure_file.h"
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
  connect(&lane_, &TaskLane::failed, this, [this](const QString& why) { notices_.warn(why); });
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
  return recording() ? static_cast<double>(recorder_->frames()) / document_.reel().rate : 0;
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

bool RecordingDesk::record(const RecordingWish& wish) {
  if (recording()) return false;
  arm(true);
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
      notes_.emplace_back(files.back().file, document_.file(), line, wish.place_s);
    }
    if (files.empty())
      throw Error(Error::Kind::call,
                  all.empty() ? "There is no input yet. Connect a microphone, or choose one in the "
                                "recording settings."
                              : "No input is on. Switch one on above the picture.");
    recorder_->begin(files, document_.reel().recording.floating);
  } catch (const Error& e) {
    for (auto& note : notes_) note.remove();
    notes_.clear();
    notices_.warn(e);
    return false;
  }
  told_silence_ = false;
  if (wish.plays) {
    const double from = std::max(0.0, wish.place_s - habits_.pre_roll_s);
    const double before = wish.place_s - from;
    const double wanted = habits_.count_in ? std::max(beeps_s, habits_.pre_roll_s) : before;
    listening_.set_loop_s(wish.round ? SecondsRange{from, wish.round->end}
                                     : SecondsRange{from, from + plays_on_s});
    listening_.seek_s(from);
    Player::CountIn count_in{
        .lead = std::llround(std::max(0.0, wanted - before) * document_.reel().rate)};
    if (habits_.count_in) count_in.to = std::llround(wish.place_s * document_.reel().rate);
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
void RecordingDesk::end(const QString& why) {
  if (wish_.plays) {
    listening_.player().pause();
    listening_.set_loop_s(std::nullopt);
  }
  if (!why.isEmpty()) notices_.warn(why);
  const Samples lag = lags_.empty() ? 0 : std::ranges::max(lags_);
  take(recorder_->end((wish_.plays ? latency_ : 0) + lag));
  Q_EMIT changed();
}

void RecordingDesk::take(const Recording& recording) {
  const double rate = document_.reel().rate;
  RecordedInto into;
  if (wish_.plays) into.from = std::llround(wish_.place_s * rate);
  if (wish_.plays && wish_.round) into.to = std::llround(wish_.round->end * rate);
  std::vector<std::vector<RecordedTake>> takes;  // of each file
  for (const Samples lag : lags_) {
    auto& own = takes.emplace_back(takes_of_recording(recording, latency_, into, rate, lag));
    // Nothing of it may be lost, also where it was stopped before its place came.
    if (own.empty() && recording.frames > 0) own.push_back({0, recording.frames, std::nullopt});
  }
  auto notes = std::make_shared<std::vector<RecordingNote>>(std::move(notes_));
  notes_.clear();
  const int reel_number = document_.reel_number();
  lane_.enqueue([this, recording, takes, notes, rate, reel_number, lines = lines_,
                 place_s = wish_.place_s](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<Finished> files;
    for (const auto& f : recording.files)
      files.push_back({examine_source(f.file, &cancel), measure_file(f.file, cancel).levels});
    return [this, takes, notes, files, rate, reel_number, lines, place_s] {
      if (reel_number != document_.reel_number()) return;  // it is brought back with its own
      QStringList told;
      QList<int> clips;
      for (size_t f = 0; f < files.size(); ++f) {
        const Finished& file = files[f];
        std::vector<RecordedPart> parts;
        for (const auto& t : takes[f])
          parts.push_back({file.source, t.begin, t.frames,
                           t.position ? static_cast<double>(*t.position) / rate : place_s});
        const auto before = document_.reel().clips.size();
        const bool made = document_.change(
            [&](const Reel& reel) { return edits::add_recording(reel, lines[f], parts); });
        if (!made) return;
        const auto& all = document_.reel().clips;
        for (size_t i = before; i < all.size(); ++i) clips << all[i].id;
        told << told_of(QString::fromStdString(all.back().name), file.levels);
      }
      document_.flush();
      for (auto& note : *notes) note.remove();
      for (const int id : clips)
        if (document_.reel().find(id)->chosen) selection_.select_clip(id);
      notices_.tell(told.join("; "));
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
      const RecordedPart part{source, 0, source.frames, one.place_s};
      if (!document_.change([&](const Reel& reel) {
            return edits::add_recording(reel, one.line, std::span(&part, 1));
          }))
        continue;
      told << QString::fromStdString(document_.reel().clips.back().name);
    } catch (const Error& e) {
      notices_.warn(e);
    }
    document_.flush();
    fs::remove(one.note, ignored);
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
    notices_.warn(QString::fromStdString(problem));
  if (!facts.changing) tell_input_problems(facts.sources);
  if (!recording()) return;
  if (const auto problem = recorder_->take_problem(); !problem.empty())
    return end(QString::fromStdString(problem));
  if (facts.lost)
    return end(tr("The sound device %1 is gone, so recording has stopped; what was recorded is "
                  "kept.")
                   .arg(QString::fromStdString(facts.name)));
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
