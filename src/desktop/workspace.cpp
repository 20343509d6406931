#include "workspace.h"

#include <fmt/format.h>

#include <QTimer>

#include "audio/error.h"
#include "measure/room_tone.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

QString step_label(const StepType& type) {
  return QString::fromUtf8(type.label.data(), static_cast<int>(type.label.size()));
}

Workspace::Workspace(QObject* parent) : QObject(parent) {
  player_ = std::make_unique<Player>(open_device(48000), 48000);
}

Workspace::~Workspace() = default;

void Workspace::tell(const std::exception& e) { Q_EMIT message(QString::fromUtf8(e.what()), true); }

// --- the reel ---

void Workspace::reset(Reel reel, const fs::path& file) {
  measure_.cancel();
  finder_.cancel();
  import_.cancel();
  player_->unload();
  if (reel.rate != history_.now().rate) player_ = std::make_unique<Player>(open_device(reel.rate), reel.rate);
  history_ = History(std::move(reel));
  file_ = file;
  levels_.reset();
  levels_clip_ = 0;
  levels_chain_ = {};
  loudness_.clear();
  bad_sources_.clear();
  clip_id_ = history_.now().clips.empty() ? 0 : history_.now().clips.front().id;
  selected_.reset();
  keep_selection();
  Q_EMIT reel_changed();
  Q_EMIT clip_changed();
  after_edit();
}

void Workspace::new_reel() {
  Reel reel;
  reel.name = "Untitled reel";
  reset(std::move(reel), {});
}

bool Workspace::open(const fs::path& file) {
  try {
    Reel reel = load_reel(file);
    QStringList lost;
    for (const auto& s : reel.sources)
      if (check_source(s, false) == SourceState::missing)
        lost << QString::fromStdString(s.path.filename().string());
    reset(std::move(reel), file);
    if (!lost.isEmpty())
      Q_EMIT message(tr("%1 missing: %2. Find it again with Clip, Find the source.")
                         .arg(lost.size() == 1 ? tr("A source is") : tr("%1 sources are").arg(lost.size()),
                              lost.join(", ")),
                     true);
    return true;
  } catch (const Error& e) {
    tell(e);
    return false;
  }
}

bool Workspace::save(const fs::path& file) {
  try {
    Reel reel = this->reel();
    if (file_.empty() && reel.name == "Untitled reel") {
      reel.name = file.stem().string();
      history_.edit(reel, "Name the reel");
    }
    save_reel(reel, file);
    file_ = file;
    history_.mark_saved();
    Q_EMIT reel_changed();
    Q_EMIT message(tr("Saved %1").arg(QString::fromStdString(file.filename().string())), false);
    return true;
  } catch (const Error& e) {
    tell(e);
    return false;
  }
}

void Workspace::add_files(const QStringList& files) {
  const auto count = files.size();
  Q_EMIT message(tr("Reading %1 ...").arg(counted(count, tr("file"))), false);
  import_.start([this, files](const CancelToken& cancel) -> Worker::Finish {
    std::vector<Source> good;
    QStringList problems;
    for (const auto& f : files) {
      cancel.check();
      try {
        good.push_back(examine_source(f.toStdString()));
      } catch (const Error& e) {
        problems << QString::fromUtf8(e.what());
      }
    }
    return [this, good, problems] {
      Reel next = reel();
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
        Q_EMIT message(tr("Added %1").arg(counted(std::ssize(good), tr("clip"))), false);
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
    Reel next = reel();
    const int found = drevan::relink(next, clip->source, file);
    bad_sources_.clear();
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
  selected_.reset();
  keep_selection();
  levels_.reset();
  Q_EMIT clip_changed();
  Q_EMIT step_changed();
  after_edit();
}

void Workspace::select_step(std::optional<StepPlace> place) {
  if (place == selected_) return;
  selected_ = place;
  Q_EMIT step_changed();
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
  if (!wanted || !wanted->on) return -1;
  int n = 0;
  for (const auto owner : {ChainOwner::clip, ChainOwner::group, ChainOwner::reel})
    for (const auto& s : chain_of(reel(), *clip(), owner).steps) {
      if (&s == wanted) return n;
      if (s.on) ++n;
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
  return c && levels_ && levels_->keys == stage_keys(clip_sound(reel(), *c), full_chain(reel(), *c));
}

std::shared_ptr<const PeakPyramid> Workspace::source_peaks(const Clip& clip) const {
  const auto at = peaks_.find(reel().sources[static_cast<size_t>(clip.source)].path.string());
  return at == peaks_.end() ? nullptr : at->second;
}

std::optional<double> Workspace::clip_loudness(int clip_id) const {
  const auto at = loudness_.find(clip_id);
  return at == loudness_.end() ? std::nullopt : std::optional(at->second);
}

void Workspace::after_edit() {
  load_player();
  load_peaks();
  measure();
  measure_shelf();
}

// Measures the selected clip; the newest wish wins.
void Workspace::measure() {
  const Clip* c = clip();
  if (!c || missing(*c)) {
    measure_.cancel();
    levels_.reset();
    player_->unload();
    Q_EMIT levels_changed();
    return;
  }
  const auto sound = clip_sound(reel(), *c);
  const auto chain = full_chain(reel(), *c);
  std::optional<size_t> focus;
  if (selected_ && active_index(*selected_) >= 0) focus = static_cast<size_t>(active_index(*selected_));
  player_->set_focus(focus ? static_cast<int>(*focus) : -1);
  const int id = c->id;
  measure_.start([this, sound, chain, focus, id](const CancelToken& cancel) -> Worker::Finish {
    LevelPathOptions options;
    options.store = &findings_;
    options.levels = &level_store_;
    options.cache = &stages_;
    options.cancel = &cancel;
    options.focus = focus;
    QString problem;
    std::shared_ptr<const LevelPath> path;
    try {
      path = std::make_shared<const LevelPath>(measure_level_path(sound, chain, options));
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    return [this, path, problem, id, chain] {
      if (!problem.isEmpty()) Q_EMIT message(problem, true);
      levels_ = path;
      levels_chain_ = chain;
      levels_clip_ = id;
      load_player();
      if (path && path->stages.back().loudness_lufs) {
        loudness_[id] = *path->stages.back().loudness_lufs;
        Q_EMIT loudness_changed();
      }
      Q_EMIT levels_changed();
    };
  });
}

namespace {

// Whether findings made for `b` may serve `a` until its own are there: the same steps, asking for
// the same thing. A peak taken for a loudness would be a blast in the ears.
bool same_findings(const Chain& a, const Chain& b) {
  if (a.steps.size() != b.steps.size()) return false;
  for (size_t i = 0; i < a.steps.size(); ++i) {
    if (a.steps[i].type != b.steps[i].type) return false;
    const auto& parameters = a.steps[i].type->parameters;
    for (size_t p = 0; p < parameters.size(); ++p)
      if (parameters[p].learned_from && a.steps[i].settings[p] != b.steps[i].settings[p]) return false;
  }
  return true;
}

}  // namespace

// Gives the player the newest chain. Settings are heard at once, with the findings known so far;
// when the steps themselves changed it waits for the new findings.
void Workspace::load_player() {
  const Clip* c = clip();
  if (!c || !levels_ || levels_clip_ != c->id) return;
  PlayPlan plan;
  plan.sound = clip_sound(reel(), *c);
  plan.chain = full_chain(reel(), *c);
  plan.findings = levels_->findings;
  if (!same_findings(plan.chain, levels_chain_)) return;
  const Levels& before = levels_->stages.front();
  const Levels& after = levels_->stages.back();
  const auto loudness = [](const Levels& l) { return l.loudness_lufs ? l.loudness_lufs : l.rms_dbfs; };
  if (loudness(before) && loudness(after)) plan.match_db = *loudness(after) - *loudness(before);
  plan.like_gain = levels_->like_gain;
  plan.before_peak_db = before.sample_peak_dbfs.value_or(-200);
  plan.after_peak_db = after.sample_peak_dbfs.value_or(-200);
  player_->load(std::move(plan));
}

// Waveforms of all sources, the selected clip's first.
void Workspace::load_peaks() {
  std::vector<Source> wanted;
  const auto want = [&](const Clip& c) {
    const auto& s = reel().sources[static_cast<size_t>(c.source)];
    if (!peaks_.contains(s.path.string()) && !bad_sources_.contains(s.path.string()) && !missing(c))
      wanted.push_back(s);
  };
  if (clip()) want(*clip());
  for (const auto& c : reel().clips) want(c);
  if (wanted.empty() || peak_worker_.busy()) return;
  const double rate = reel().rate;
  // One source a task, so that the shelf fills as they are ready.
  const Source source = wanted.front();
  peak_worker_.start([this, source, rate](const CancelToken& cancel) -> Worker::Finish {
    std::shared_ptr<const PeakPyramid> peaks;
    try {
      peaks = drevan::source_peaks(source.path, source.hash, rate, cancel);
    } catch (const Error&) {
      // The measuring of the clip tells what is wrong with it.
    }
    return [this, peaks, path = source.path.string()] {
      if (peaks)
        peaks_[path] = peaks;
      else
        bad_sources_.insert(path);
      Q_EMIT peaks_changed();
      QTimer::singleShot(0, this, [this] { load_peaks(); });
    };
  });
}

// Loudness of every clip after its chain, quietly in the background.
void Workspace::measure_shelf() {
  struct Item {
    int id;
    ClipSound sound;
    Chain chain;
  };
  std::vector<Item> items;
  for (const auto& c : reel().clips)
    if (!missing(c)) items.push_back({c.id, clip_sound(reel(), c), full_chain(reel(), c)});
  shelf_worker_.start([this, items](const CancelToken& cancel) -> Worker::Finish {
    std::map<int, double> found;
    for (const auto& item : items) {
      cancel.check();
      const auto key = stage_keys(item.sound, item.chain).back();
      auto levels = level_store_.get(key);
      try {
        if (!levels) {
          LevelPathOptions options;
          options.store = &findings_;
          options.levels = &level_store_;
          options.cancel = &cancel;
          levels = measure_level_path(item.sound, item.chain, options).stages.back();
        }
      } catch (const Error&) {
        continue;
      }
      if (levels->loudness_lufs) found[item.id] = *levels->loudness_lufs;
      // Told one by one: hundreds of clips take their time.
      QMetaObject::invokeMethod(
          this,
          [this, found] {
            for (const auto& [id, value] : found) loudness_[id] = value;
            Q_EMIT loudness_changed();
          },
          Qt::QueuedConnection);
    }
    return {};
  });
}

}  // namespace drevan::desktop
