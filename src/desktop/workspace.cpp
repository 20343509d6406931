#include "workspace.h"

#include <QTimer>

#include "audio/error.h"
#include "audio/hash.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

QString step_label(const StepType& type) {
  return QString::fromUtf8(type.label.data(), static_cast<int>(type.label.size()));
}

Workspace::Workspace(QObject* parent) : QObject(parent) {
  player_ = std::make_unique<Player>(open_device(48000), 48000, [] { return find_device(48000); });
  for (Worker* worker : workers()) connect(worker, &Worker::failed, this, [this](const QString& why) { Q_EMIT message(why, true); });
  connect(&printer_, &Worker::failed, this, [this] {
    if (!printing()) show_printing(-1);
  });
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
