// Who takes part in a chain, and printing: clips' sound frozen into versions.
#include <QSettings>
#include <chrono>

#include "audio/decibel.h"
#include "audio/error.h"
#include "engine/print.h"
#include "widgets/words.h"
#include "workspace.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

// --- who takes part ---

void Workspace::sit_out(StepPlace place, bool out) {
  if (!end_preview_for(place)) return;
  const ChainStep* s = step(place);
  if (!s || place.owner == ChainOwner::clip) return;
  const auto name = QString::fromStdString(clip()->name);
  edit(changed([&](Reel& r, Clip& c) { sit_out_of_step(chain_of(r, c, place.owner).steps[static_cast<size_t>(place.index)], c.id, out); }),
       (out ? tr("%1 sits out of %2") : tr("%1 takes part in %2")).arg(name, step_label(*s->type)));
}

bool Workspace::sits_out_of_group() const {
  const Clip* c = clip();
  return c && std::ranges::binary_search(reel().groups[static_cast<size_t>(c->group)].sits_out, c->id);
}

void Workspace::sit_out_of_group(bool out) {
  end_preview();
  const Clip* c = clip();
  if (!c || out == sits_out_of_group()) return;
  const auto name = QString::fromStdString(c->name);
  edit(changed([&](Reel& r, Clip& clip) { drevan::sit_out_of_group(r, clip.id, out); }),
       (out ? tr("%1 sits out of its group's chain") : tr("%1 takes part in its group's chain")).arg(name));
}

void Workspace::take_part(const std::vector<int>& ids) {
  end_preview();
  Reel next = history_.now();
  for (const int id : ids) drevan::take_part(next, id);
  edit(std::move(next), tr("Take part in everything"));
}

// --- printing ---

struct Workspace::PrintJob {
  int clip = 0;
  PrintRequest request;
  Chain own;            // the clip's chain when it was started
  bool keep_chain = false;
  Chain group{};        // that of its group, when that is printed
  Version version{};    // as it is to be noted
  Source source{};      // what was printed
  QString problem{};
};

double Workspace::fade_s() const { return QSettings().value("print/fade_s", 0.05).toDouble(); }
void Workspace::set_fade_s(double seconds) { QSettings().setValue("print/fade_s", std::clamp(seconds, 0.0, 2.0)); }

namespace {

// A clip's sound for a chain of its own: what its group learns in common has no part in it.
ClipSound own_sound(const Reel& reel, const Clip& clip) {
  ClipSound sound = clip_sound(reel, clip);
  sound.common.reset();
  return sound;
}

QString range_text(const SecondsRange& r) { return QObject::tr("%1 to %2 s").arg(r.begin, 0, 'f', 2).arg(r.end, 0, 'f', 2); }

}  // namespace

void Workspace::print(std::optional<SecondsRange> range) {
  end_preview();
  const Clip* c = clip();
  if (!c) return;
  const Chain chain = active_steps({&c->chain});
  if (chain.steps.empty()) {
    Q_EMIT message(tr("%1 has no steps of its own to print; the group's and the reel's stay as they are.").arg(QString::fromStdString(c->name)), true);
    return;
  }
  PrintJob job{c->id, {own_sound(reel(), *c), chain, range, fade_s(), {}}, c->chain};
  const QString what = range ? tr("%1 printed").arg(range_text(*range)) : tr("printed");
  job.version.what = what.toStdString();
  start_print({std::move(job)}, range ? tr("Print %1").arg(range_text(*range)) : tr("Print the clip"), false);
}

void Workspace::print_again(SecondsRange range) {
  end_preview();
  const Clip* c = clip();
  const Version* last = c ? find_version(*c, c->version) : nullptr;
  if (!last || last->made_with.steps.empty()) {
    Q_EMIT message(tr("Nothing was printed into this version yet; print a selection first."), true);
    return;
  }
  PrintJob job{c->id, {own_sound(reel(), *c), last->made_with, range, fade_s(), {}}, c->chain, true};
  job.version.what = tr("%1 printed, the same again").arg(range_text(range)).toStdString();
  start_print({std::move(job)}, tr("The same for %1").arg(range_text(range)), false);
}

void Workspace::print_group() {
  end_preview();
  const Clip* chosen = clip();
  if (!chosen) return;
  Reel bare = reel();
  bare.chain = {};
  ClipSounds sounds(bare);
  std::vector<PrintJob> jobs;
  for (const auto& c : bare.clips) {
    if (c.group != chosen->group) continue;
    const Chain chain = full_chain(bare, c);
    if (chain.steps.empty()) continue;
    if (missing(c)) {
      // The group's chain goes into the sound of all or of none.
      Q_EMIT message(tr("The source of %1 is missing, so its group cannot be printed whole; find it with Clip, Find the source.").arg(QString::fromStdString(c.name)), true);
      return;
    }
    jobs.push_back({c.id, {sounds.of(c), chain, std::nullopt, fade_s(), {}}, c.chain, false, bare.groups[static_cast<size_t>(c.group)].chain});
    jobs.back().version.what = tr("printed with its group").toStdString();
  }
  if (jobs.empty()) {
    Q_EMIT message(tr("The group's clips have no steps to print."), true);
    return;
  }
  start_print(std::move(jobs), tr("Print the group %1").arg(QString::fromStdString(bare.groups[static_cast<size_t>(chosen->group)].name)), true);
}

void Workspace::cancel_print() {
  printer_.cancel();
  promised_.clear();
  show_printing(-1);
}

void Workspace::show_printing(double share) { Q_EMIT print_progress(share); }

void Workspace::start_print(std::vector<PrintJob> jobs, const QString& label, bool group) {
  if (file_.empty() || !read_only_.isEmpty()) {
    Q_EMIT message(tr("Save the reel first: printed versions lie in a folder beside it."), true);
    return;
  }
  for (auto& job : jobs) {
    job.request.output = version_file(file_, *reel().find(job.clip), promised_);
    promised_.insert(job.request.output);
    job.version.parent = reel().find(job.clip)->version;
    job.version.made_with = job.request.chain;
    job.version.range = job.request.range;
  }
  if (!printer_.busy()) show_printing(0);
  printer_.enqueue([this, jobs = std::move(jobs), label, group](const CancelToken& cancel) mutable -> Worker::Finish {
    for (size_t i = 0; i < jobs.size(); ++i) {
      PrintJob& job = jobs[i];
      try {
        const auto tell_share = [&, last = std::chrono::steady_clock::time_point{}](double p) mutable {
          if (std::chrono::steady_clock::now() - last < std::chrono::milliseconds(60)) return;
          last = std::chrono::steady_clock::now();
          const double share = (static_cast<double>(i) + p) / static_cast<double>(jobs.size());
          printer_.post(cancel, [this, share] { show_printing(share); });
        };
        const auto result = print_clip(job.request, findings_, cancel, tell_share);
        job.version.loudness_lufs = result.levels.loudness_lufs;
        job.version.peak_dbfs = result.levels.sample_peak_dbfs;
        job.version.when = std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
        job.source = examine_source(job.request.output);
      } catch (const Error& e) {
        job.problem = QString::fromUtf8(e.what());
        break;  // a full disk is full for the others too; what was printed stays
      } catch (const Cancelled&) {
        // Files of clips printed before it are no version of anything.
        std::error_code error;
        for (size_t done = 0; done < i; ++done) fs::remove(jobs[done].request.output, error);
        throw;
      }
    }
    return [this, jobs = std::move(jobs), label, group] { finish_print(jobs, label, group); };
  });
}

void Workspace::finish_print(const std::vector<PrintJob>& jobs, const QString& label, bool group) {
  if (!printer_.busy()) show_printing(-1);
  end_preview();
  Reel next = history_.now();
  QString problem;
  int done = 0;
  for (const auto& job : jobs) {
    promised_.erase(job.request.output);
    if (!job.problem.isEmpty()) problem = job.problem;
    Clip* c = next.find(job.clip);
    if (job.source.frames == 0 || !c) continue;
    if (c->chain != job.own || c->version != job.version.parent || (group && next.groups[static_cast<size_t>(c->group)].chain != job.group)) {
      if (problem.isEmpty()) problem = tr("%1 was changed while it was printed, so it stays as it is; print it again.").arg(QString::fromStdString(c->name));
      std::error_code error;
      fs::remove(job.request.output, error);
      continue;
    }
    const Chain own = c->chain;
    // What is left behind sounds as it did, also when the group's chain is empty one day.
    if (group) take_group_chain(next, *c);
    add_version(next, job.clip, job.version, job.source);
    if (job.keep_chain) next.find(job.clip)->chain = own;
    ++done;
  }
  // The group's chain is part of the sound now, unless some clip could not be printed.
  const bool all = done == static_cast<int>(jobs.size());
  if (group && !all) {
    // Half a group printed would be heard through its chain twice: nothing of it counts.
    std::error_code error;
    for (const auto& job : jobs) fs::remove(job.request.output, error);
    Q_EMIT message(problem.isEmpty() ? tr("The group could not be printed whole, so nothing was changed.") : problem, true);
    return;
  }
  if (group && done > 0) next.groups[static_cast<size_t>(next.find(jobs.front().clip)->group)].chain = {};
  if (done > 0) {
    edit(std::move(next), label);
    show_version();
  }
  if (!problem.isEmpty())
    Q_EMIT message(problem, true);
  else if (done > 0)
    Q_EMIT message(tr("%1 printed; the versions are listed with V").arg(counted(done, tr("clip"))), false);
}

// --- going back ---

void Workspace::show_version() {
  hear_against(std::nullopt);
  Q_EMIT clip_changed();
  Q_EMIT step_changed();
}

void Workspace::go_to_version(int version) {
  end_preview();
  const Clip* c = clip();
  const Version* to = c ? find_version(*c, version) : nullptr;
  if (!to || version == c->version) return;
  edit(changed([&](Reel&, Clip& clip) { drevan::go_to_version(clip, version); }), tr("Go to version %1").arg(version));
  show_version();
}

void Workspace::take_out_chain(int version) {
  end_preview();
  const Clip* c = clip();
  const Version* from = c ? find_version(*c, version) : nullptr;
  if (!from || from->parent < 0) return;
  edit(changed([&](Reel&, Clip& clip) { drevan::take_out_chain(clip, version); }), tr("Take the chain out of version %1").arg(version));
  show_version();
}

void Workspace::clear_unused_versions() {
  end_preview();
  const auto unused = unused_versions(reel());
  if (unused.empty()) return;
  std::uintmax_t bytes = 0;
  for (const auto& u : unused) {
    const Clip* c = reel().find(u.clip);
    cleared_.push_back(reel().sources[static_cast<size_t>(find_version(*c, u.version)->source)].path);
    bytes += u.bytes;
  }
  Reel next = history_.now();
  drop_versions(next, unused);
  edit(std::move(next), tr("Clear %1").arg(counted(std::ssize(unused), tr("unused version"))));
  Q_EMIT message(tr("%1 MB will be free when the reel is closed; until then undo brings them back")
                     .arg(static_cast<double>(bytes) / 1e6, 0, 'f', 1), false);
}

void Workspace::delete_cleared() {
  if (!cleared_.empty() && !file_.empty()) delete_version_files(cleared_, file_);
  cleared_.clear();
}

// --- comparing ---

void Workspace::hear_against(std::optional<int> version) {
  const Clip* c = clip();
  const Version* other = c && version ? find_version(*c, *version) : nullptr;
  against_worker_.cancel();
  if (!other || *version == c->version) {
    if (!std::exchange(against_, std::nullopt)) return;
    load_player();
    Q_EMIT plan_changed();
    return;
  }
  Clip then = *c;
  then.source = other->source;
  then.begin = other->begin;
  then.frames = other->frames;
  against_ = Against{c->id, *version, clip_sound(reel(), then), other->loudness_lufs, other->peak_dbfs.value_or(-200)};
  load_player();
  Q_EMIT plan_changed();
  if (other->loudness_lufs) return;
  // Version 0 was never measured when it was made.
  against_worker_.start([this, sound = against_->sound, version = *version](const CancelToken& cancel) -> Worker::Finish {
    LevelPathOptions options;
    options.store = &findings_;
    options.levels = &level_store_;
    options.cancel = &cancel;
    try {
      const Levels levels = measure_result(sound, {}, 0, options);
      return [this, levels, version] {
        if (!against_ || against_->version != version) return;
        against_->loudness = levels.loudness_lufs;
        against_->peak_db = levels.sample_peak_dbfs.value_or(-200);
        load_player();
      };
    } catch (const Error&) {
      return {};  // the player tells what is wrong
    }
  });
}

}  // namespace drevan::desktop
