#include "workspace.h"

#include <fmt/format.h>

#include <QCoreApplication>
#include <QDateTime>
#include <QStandardPaths>
#include <QTimer>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/utf8.h"
#include "batch/batch.h"
#include "measure/room_tone.h"
#include "reel/history_file.h"
#include "reel/json_file.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

QString step_label(const StepType& type) {
  return QString::fromUtf8(type.label.data(), static_cast<int>(type.label.size()));
}

Workspace::Workspace(QObject* parent) : QObject(parent) {
  player_ = std::make_unique<Player>(open_device(48000), 48000, [] { return find_device(48000); });
  for (Worker* worker : workers()) connect(worker, &Worker::failed, this, [this](const QString& why) { Q_EMIT message(why, true); });
  shelf_soon_.setSingleShot(true);
  shelf_soon_.setInterval(150);
  connect(&shelf_soon_, &QTimer::timeout, this, &Workspace::measure_shelf);
}

Workspace::~Workspace() { leave(); }

void Workspace::tell(const std::exception& e) { Q_EMIT message(QString::fromUtf8(e.what()), true); }

// --- the reel ---

void Workspace::reset(Reel reel, const fs::path& file) {
  // Whatever is under way belongs to the reel that was open; only its list of edits is still written.
  for (Worker* worker : workers())
    if (worker != &history_worker_) worker->cancel();
  player_->unload();
  if (reel.rate != history_.now().rate) player_ = std::make_unique<Player>(open_device(reel.rate), reel.rate, [rate = reel.rate] { return find_device(rate); });
  preview_.reset();
  against_.reset();
  tone_.reset();
  tone_of_ = {};
  course_key_ = 0;
  history_ = History(std::move(reel));
  file_ = file;
  ++reel_number_;
  levels_.reset();
  plan_.reset();
  course_.reset();
  course_worker_.cancel();
  levels_clip_ = 0;
  levels_chain_ = {};
  clip_levels_.clear();
  bad_sources_.clear();
  clip_id_ = history_.now().clips.empty() ? 0 : history_.now().clips.front().id;
  selected_.reset();
  keep_selection();
  Q_EMIT reel_changed();
  Q_EMIT clip_changed();
  after_edit();
}

std::array<Worker*, 12> Workspace::workers() {
  return {&measure_, &peak_worker_, &shelf_worker_, &import_, &finder_, &course_worker_, &tone_worker_, &meeter_, &printer_, &source_worker_, &history_worker_, &against_worker_};
}

void Workspace::leave() {
  cancel_print();
  import_.cancel();
  against_.reset();
  if (lock_) delete_cleared();
  // A list of edits that is being written is waited for: it is short work.
  for (int i = 0; i < 1000 && history_worker_.busy(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  if (journal_) journal_->end();
  journal_.reset();
  end_unsaved();
  lock_.reset();
  read_only_.clear();
}

namespace {

fs::path unsaved_folder() {
  return fs::path(QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString()) / "drevan" / "unsaved";
}

}  // namespace

// A reel without a name has its journal in Drevan's own folder, from the first edit on.
void Workspace::begin_unsaved() {
  try {
    std::error_code error;
    fs::create_directories(unsaved_folder(), error);
    const auto file = unsaved_folder() / fmt::format("{}-{}.reel", QDateTime::currentMSecsSinceEpoch(), QCoreApplication::applicationPid());
    save_reel(*history_.entries().front().reel, file);
    std::string why;
    unsaved_lock_ = ReelLock::take(file, why);
    unsaved_ = file;
    journal_ = std::make_unique<Journal>(file, read_text(file));
  } catch (const Error& e) {
    if (std::exchange(told_unsaved_, true)) return;
    Q_EMIT message(tr("Edits of this reel are not kept until it is saved: %1").arg(QString::fromUtf8(e.what())), true);
  }
}

void Workspace::end_unsaved() {
  if (unsaved_.empty()) return;
  unsaved_lock_.reset();
  std::error_code error;
  for (const char* ending : {"", ".lock", ".journal"}) fs::remove(unsaved_.string() + ending, error);
  unsaved_.clear();
}

bool Workspace::bring_back_unsaved() {
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(unsaved_folder(), error)) {
    if (entry.path().extension() != ".reel") continue;
    std::string why;
    const auto lock = ReelLock::take(entry.path(), why);
    if (!lock) continue;  // another Drevan works on it
    try {
      const auto found = recover(entry.path());
      const auto remove = [&] {
        for (const char* ending : {"", ".lock", ".journal"}) fs::remove(entry.path().string() + ending, error);
      };
      if (!found || found->reel.clips.empty()) {
        remove();
        continue;
      }
      new_reel();
      edit(found->reel, tr("Bring edits back"));
      Q_EMIT clip_changed();
      // Kept anew by now; the old ones may go.
      if (journal_) journal_->flush();
      remove();
      Q_EMIT message(tr("Drevan did not end properly last time: a reel that had not been saved came back with %1, up to \"%2\". Save it to keep it.")
                         .arg(counted(found->edits, tr("edit")), QString::fromStdString(found->last_label)),
                     false);
      return true;
    } catch (const Error&) {
      // Nothing to be had from it.
    }
  }
  return false;
}

// The list of edits beside the reel, in the background: it may be long.
void Workspace::keep_history(const std::string& saved) {
  history_worker_.start([states = SavedHistory{history_.entries(), history_.at()}, file = file_, saved](const CancelToken&) -> Worker::Finish {
    try {
      save_history(states, file, saved);
    } catch (const Error&) {
      // The reel itself is safe; where its folder cannot be written any more the next save says so.
    }
    return {};
  });
}

// `after_crash`: the edits that came back are edits of what was saved.
void Workspace::bring_history(bool after_crash) {
  history_worker_.start([this, file = file_, after_crash](const CancelToken&) -> Worker::Finish {
    auto found = load_history(file);
    if (!found) return {};
    if (after_crash) found->states.resize(found->at + 1);
    return [this, file, states = std::move(*found)] {
      if (file != file_) return;
      history_.put_before(states.states, states.at);
      Q_EMIT reel_changed();
    };
  });
}

// Whether files are still what they were, by their content; hours of sound take their time.
void Workspace::check_sources() {
  source_worker_.start([this, sources = reel().sources](const CancelToken& cancel) -> Worker::Finish {
    QStringList changed;
    for (const auto& s : sources)
      if (check_source(s, true, &cancel) == SourceState::changed) changed << QString::fromStdString(s.path.filename().string());
    if (changed.isEmpty()) return {};
    return [this, changed] {
      Q_EMIT message(tr("Changed on the disk since the reel was saved: %1. It is measured anew; if another file was meant, use Clip, Find the source.").arg(changed.join(", ")), true);
    };
  });
}

void Workspace::new_reel() {
  leave();
  Reel reel;
  reel.name = "Untitled reel";
  reset(std::move(reel), {});
}

bool Workspace::same_file(const fs::path& file) const {
  std::error_code error;
  return !file_.empty() && (fs::absolute(file).lexically_normal() == fs::absolute(file_).lexically_normal() || fs::equivalent(file, file_, error));
}

// All or nothing: until the other reel is read, locked and has its journal, the one that is open stays so.
bool Workspace::open(const fs::path& file) {
  try {
    const bool again = same_file(file) && lock_;
    Reel reel = load_reel(file);
    std::string why;
    std::optional<ReelLock> lock;
    std::optional<Recovered> found;
    std::unique_ptr<Journal> journal;
    if (!again) {
      lock = ReelLock::take(file, why);
      found = lock ? recover(file) : std::nullopt;
      if (lock) journal = std::make_unique<Journal>(file, read_text(file));
    } else {
      delete_cleared();
      lock = std::move(lock_);  // its own edits are given up
      lock_.reset();
    }
    leave();
    lock_ = std::move(lock);
    if (!lock_) read_only_ = QString::fromStdString(why);
    journal_ = again ? std::make_unique<Journal>(file, read_text(file)) : std::move(journal);
    QStringList lost;
    for (const auto& s : reel.sources)
      if (check_source(s, false) == SourceState::missing)
        lost << QString::fromStdString(s.path.filename().string());
    reset(std::move(reel), file);
    bring_history(found.has_value());
    check_sources();
    if (found) {
      edit(found->reel, tr("Bring edits back"));
      Q_EMIT message(tr("Drevan did not end properly last time: %1 since the last save came back, up to \"%2\". Undo leads to what was saved.")
                         .arg(counted(found->edits, tr("edit")), QString::fromStdString(found->last_label)),
                     false);
    }
    if (!read_only_.isEmpty())
      Q_EMIT message(tr("%1 It was opened for reading; save it under another name to keep changes.").arg(read_only_), true);
    else if (!lock_->guards())
      Q_EMIT message(tr("The folder of %1 knows no locks, so nothing keeps another Drevan from opening it too; make sure that nobody else works on it.").arg(QString::fromStdString(file.filename().string())), true);
    if (!lost.isEmpty())
      Q_EMIT message(tr("%1 missing: %2. Find it again with Clip, Find the source.")
                         .arg(lost.size() == 1 ? tr("A source is") : tr("%1 sources are").arg(lost.size()),
                              lost.join(", ")),
                     true);
    return true;
  } catch (const std::exception& e) {
    tell(e);
    return false;
  }
}

bool Workspace::save(const fs::path& file) {
  const bool same = same_file(file);
  if (same && !read_only_.isEmpty()) {
    Q_EMIT message(tr("%1 Save it under another name.").arg(read_only_), true);
    return false;
  }
  if (is_source(file, source_files(history_.now()))) {
    Q_EMIT message(tr("%1 is a recording of this reel, so the reel cannot be saved in its place. Choose another name.").arg(QString::fromStdString(file.string())), true);
    return false;
  }
  std::optional<ReelLock> lock;
  if (!same) {
    std::string why;
    lock = ReelLock::take(file, why);
    if (!lock) {
      Q_EMIT message(tr("%1 Save it under another name.").arg(QString::fromStdString(why)), true);
      return false;
    }
  }
  try {
    end_preview();
    History next = history_;
    if (file_.empty() && next.now().name == "Untitled reel") {
      Reel named = next.now();
      named.name = to_utf8(file.stem().string());
      next.edit(std::move(named), "Name the reel");
    }
    // Under another name it is another reel, with printed files of its own; so is one that an older Drevan saved.
    const auto moved = own_version_files(next.now(), file);
    if (!moved.empty()) next.change_all([&](Reel& r) { move_sources(r, moved); });
    save_reel(next.now(), file);
    // The new file is safe on the disk; only now what kept its edits may go.
    const auto saved = read_text(file);
    auto journal = std::make_unique<Journal>(file, saved);
    if (journal_) journal_->end();
    end_unsaved();
    journal_ = std::move(journal);
    if (!same) {
      cleared_.clear();  // they lie with the other reel, which may need them
      lock_ = std::move(lock);
      read_only_.clear();
    }
    history_ = std::move(next);
    file_ = file;
    keep_history(saved);
    history_.mark_saved();
    Q_EMIT reel_changed();
    if (!moved.empty()) after_edit();  // its printed files lie elsewhere
    Q_EMIT message(tr("Saved %1").arg(QString::fromStdString(file.filename().string())), false);
    return true;
  } catch (const std::exception& e) {
    tell(e);
    return false;
  }
}

// Drops queue: each is read when those before it are.
void Workspace::add_files(const QStringList& files) {
  const auto count = files.size();
  const auto before = import_.busy() ? import_.waiting() + 1 : 0;
  Q_EMIT message(before > 0 ? tr("%1 will be read after %2 that came before").arg(counted(count, tr("file")), counted(before, tr("lot"))) : tr("Reading %1 ...").arg(counted(count, tr("file"))), false);
  import_.enqueue([this, files](const CancelToken& cancel) -> Worker::Finish {
    std::vector<Source> good;
    QStringList problems;
    for (const auto& f : files) {
      cancel.check();
      try {
        good.push_back(examine_source(f.toStdString(), &cancel));
      } catch (const Error& e) {
        problems << QString::fromUtf8(e.what());
      }
    }
    return [this, good, problems] {
      Reel next = history_.now();
      int first = 0;
      for (const auto& s : good) {
        const int id = add_clip(next, s, "New clips");
        if (first == 0) first = id;
      }
      edit(std::move(next), tr("Add clips"));
      if (first != 0) select_clip(first);
      if (!problems.isEmpty())
        Q_EMIT message(problems.join("  "), true);
      else
        Q_EMIT message(import_.busy() ? tr("Added %1, %2 to come").arg(counted(std::ssize(good), tr("clip")), counted(import_.waiting() + 1, tr("lot"))) : tr("Added %1").arg(counted(std::ssize(good), tr("clip"))), false);
    };
  });
}

bool Workspace::missing(const Clip& clip) const {
  const auto& source = reel().sources[static_cast<size_t>(clip.source)];
  return check_source(source, false) == SourceState::missing;
}

bool Workspace::relink(int clip_id, const fs::path& file) {
  const Clip* clip = reel().find(clip_id);
  if (!clip) return false;
  try {
    end_preview();
    Reel next = history_.now();
    const int found = drevan::relink(next, clip->source, file);
    bad_sources_.clear();
    file_states_.clear();
    edit(std::move(next), tr("Find source"));
    Q_EMIT clip_changed();
    Q_EMIT message(tr("%1 found again").arg(counted(found, tr("source"))), false);
    return true;
  } catch (const Error& e) {
    tell(e);
    return false;
  }
}

// --- what is shown ---

void Workspace::keep_selection() {
  if (!clip()) {
    clip_id_ = reel().clips.empty() ? 0 : reel().clips.front().id;
    selected_.reset();
  }
  if (selected_ && !step(*selected_)) selected_.reset();
  if (!selected_ && clip())
    for (const auto owner : {ChainOwner::clip, ChainOwner::group, ChainOwner::reel})
      if (!selected_ && !chain_of(reel(), *clip(), owner).steps.empty()) selected_ = StepPlace{owner, 0};
}

void Workspace::select_clip(int id) {
  if (id == clip_id_ || !reel().find(id)) return;
  clip_id_ = id;
  against_.reset();
  selected_.reset();
  keep_selection();
  levels_.reset();
  plan_.reset();
  course_.reset();
  Q_EMIT clip_changed();
  Q_EMIT step_changed();
  after_edit();
}

void Workspace::select_step(std::optional<StepPlace> place) {
  if (place == selected_) return;
  selected_ = place;
  course_.reset();
  Q_EMIT step_changed();
  Q_EMIT course_changed();
  if (around_step_) load_player();
  measure();
}

const ChainStep* Workspace::step(StepPlace place) const {
  const Clip* c = clip();
  if (!c) return nullptr;
  const auto& steps = chain_of(reel(), *c, place.owner).steps;
  if (place.index < 0 || place.index >= static_cast<int>(steps.size())) return nullptr;
  return &steps[static_cast<size_t>(place.index)];
}

int Workspace::active_index(StepPlace place) const {
  const ChainStep* wanted = step(place);
  if (!wanted || !runs(reel(), *clip(), place.owner, *wanted)) return -1;
  int n = 0;
  for (const auto owner : {ChainOwner::clip, ChainOwner::group, ChainOwner::reel})
    for (const auto& s : chain_of(reel(), *clip(), owner).steps) {
      if (&s == wanted) return n;
      if (runs(reel(), *clip(), owner, s)) ++n;
    }
  return -1;
}

double Workspace::clip_seconds() const {
  const Clip* c = clip();
  if (!c) return 0;
  return static_cast<double>(c->frames) / reel().sources[static_cast<size_t>(c->source)].rate;
}

bool Workspace::levels_fresh() const {
  const Clip* c = clip();
  if (!c || !levels_) return false;
  // Asked while painting, so made once for each state of the reel.
  const auto now = preview_ ? preview_ : history_.shared();
  if (now != keys_reel_ || c->id != keys_clip_) {
    keys_ = stage_keys(clip_sound(*now, *c), full_chain(*now, *c));
    keys_reel_ = now;
    keys_clip_ = c->id;
  }
  return levels_->keys == keys_;
}

// Asked while painting, so the disk is asked at most once a second for a file.
Workspace::PeaksKey Workspace::peaks_key(const Source& source) const {
  auto& [state, until] = file_states_.try_emplace(source.path.string(), 0, QDeadlineTimer(0)).first->second;
  if (until.hasExpired()) {
    std::error_code error;
    const auto size = fs::file_size(source.path, error);
    const auto time = fs::last_write_time(source.path, error).time_since_epoch().count();
    state = Hasher().add(size).add(time).value();
    until.setRemainingTime(1000);
  }
  return {source.path.string(), state, reel().rate};
}

std::shared_ptr<const PeakPyramid> Workspace::source_peaks(const Clip& clip) const {
  const auto at = peaks_.find(peaks_key(reel().sources[static_cast<size_t>(clip.source)]));
  return at == peaks_.end() ? nullptr : at->second;
}

const Levels* Workspace::clip_levels(int clip_id) const {
  const auto at = clip_levels_.find(clip_id);
  return at == clip_levels_.end() || !at->second.levels ? nullptr : &*at->second.levels;
}

bool Workspace::clip_levels_fresh(int clip_id) const {
  const auto at = clip_levels_.find(clip_id);
  return at != clip_levels_.end() && at->second.levels && at->second.key == at->second.wanted;
}

void Workspace::take_levels(int clip_id, const Levels& levels, std::uint64_t key) {
  ClipLevels& of = clip_levels_[clip_id];
  of.levels = levels;
  of.key = key;
  Q_EMIT loudness_changed();
}

std::optional<double> Workspace::clip_loudness(int clip_id) const {
  const Levels* l = clip_levels(clip_id);
  return l ? l->loudness_lufs : std::nullopt;
}

}  // namespace drevan::desktop
