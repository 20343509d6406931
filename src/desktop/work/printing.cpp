// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/printing.h"

#include <QSettings>
#include <chrono>

#include "audio/error.h"
#include "reel/library/version_files.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

struct Printing::Job {
  ClipId clip = 0;
  PrintRequest request;
  Chain own;  // the clip's chain when it was started
  bool keep_chain = false;
  Chain group{};      // that of its group, when that is printed
  Version version{};  // as it is to be noted
  Source source{};    // what was printed
  Problem problem{};
};

Printing::Printing(Notices& notices, Document& document, Selection& selection,
                   Measurements& measurements, QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) {
    notices_.warn(why);
    if (!busy()) Q_EMIT progress(-1);
  });
  connect(&document_, &Document::leaving, this, &Printing::cancel);
}

double Printing::fade_s() const { return QSettings().value("print/fade_s", 0.05).toDouble(); }
void Printing::set_fade_s(double seconds) {
  QSettings().setValue("print/fade_s", std::clamp(seconds, 0.0, 2.0));
}

namespace {

QString range_text(const ClipRange& r) {
  return QObject::tr("%1 to %2 s").arg(r.begin.s, 0, 'f', 2).arg(r.end.s, 0, 'f', 2);
}

}  // namespace

// The clip that is looked at; nullptr, told, for the mix.
const Clip* Printing::printed_clip() {
  document_.end_preview();
  const Clip* c = selection_.clip();
  if (!c || !is_bus(*c)) return c;
  notices_.warn(tr("The mix and spaces are not printed; they are rendered in the Batch."));
  return nullptr;
}

void Printing::print(std::optional<ClipRange> range) {
  const Clip* c = printed_clip();
  if (!c) return;
  Job job{c->id, {own_plan_of(document_.reel(), *c), range, fade_s(), {}}, c->chain};
  // Where it goes over into another clip is told by where it lies, afterwards as well.
  job.request.plan.sound = uncrossed(job.request.plan.sound);
  if (job.request.plan.steps.empty())
    return notices_.warn(
        tr("%1 has no steps of its own to print; the group's and the reel's stay as they are.")
            .arg(QString::fromStdString(c->name)));
  for (const auto& step : c->chain.steps)
    if (step.on) job.version.made_with.steps.push_back(step);
  job.version.what =
      (range ? tr("%1 printed").arg(range_text(*range)) : tr("printed")).toStdString();
  start({std::move(job)}, range ? tr("Print %1").arg(range_text(*range)) : tr("Print the clip"),
        false);
}

void Printing::print_again(ClipRange range) {
  const Clip* c = printed_clip();
  if (!c) return;
  const Version* last = find_version(*c, c->version);
  if (!last || last->made_with.steps.empty())
    return notices_.warn(tr("Nothing was printed into this version yet; print a selection first."));
  Job job{
      c->id,
      {plan_of(uncrossed(clip_sound(document_.reel(), *c)), last->made_with), range, fade_s(), {}},
      c->chain,
      true};
  job.version.made_with = last->made_with;
  job.version.what = tr("%1 printed, the same again").arg(range_text(range)).toStdString();
  start({std::move(job)}, tr("The same for %1").arg(range_text(range)), false);
}

void Printing::print_group() {
  const Clip* chosen = printed_clip();
  if (!chosen) return;
  Reel bare = document_.reel();
  bare.chain = {};
  Planner planner(bare);
  std::vector<Job> jobs;
  for (const auto& c : bare.clips) {
    if (c.group != chosen->group) continue;
    ClipPlan plan = planner.plan(c);
    if (plan.steps.empty()) continue;
    // The group's chain goes into the sound of all or of none.
    if (document_.missing(c))
      return notices_.warn(tr("The source of %1 is missing, so its group cannot be printed whole; "
                              "find it with Clip, Find the source.")
                               .arg(QString::fromStdString(c.name)));
    Job& job = jobs.emplace_back(c.id, PrintRequest{std::move(plan), std::nullopt, fade_s(), {}},
                                 c.chain, false, bare.group_of(c).chain);
    for (const auto& running : running_steps(bare, c))
      job.version.made_with.steps.push_back(*running.step);
    job.version.made_with = for_everyone(std::move(job.version.made_with));
    job.version.what = tr("printed with its group").toStdString();
  }
  if (jobs.empty()) return notices_.warn(tr("The group's clips have no steps to print."));
  start(std::move(jobs),
        tr("Print the group %1").arg(QString::fromStdString(bare.group_of(*chosen).name)), true);
}

void Printing::cancel() {
  lane_.cancel();
  promised_.clear();
  Q_EMIT progress(-1);
}

void Printing::start(std::vector<Job> jobs, const QString& label, bool group) {
  if (document_.file().empty() || !document_.read_only().isEmpty())
    return notices_.warn(tr("Save the reel first: printed versions lie in a folder beside it."));
  for (auto& job : jobs) {
    const Clip& clip = *document_.reel().find(job.clip);
    job.request.output = version_file(document_.file(), clip, promised_);
    promised_.insert(job.request.output);
    job.version.parent = clip.version;
    job.version.range = job.request.range;
  }
  if (!busy()) Q_EMIT progress(0);
  lane_.enqueue([this, jobs = std::move(jobs), label,
                 group](const CancelToken& cancel) mutable -> TaskLane::Finish {
    run(jobs, cancel);
    return [this, jobs = std::move(jobs), label, group] { finish(jobs, label, group); };
  });
}

// On its lane.
void Printing::run(std::vector<Job>& jobs, const CancelToken& cancel) {
  using Clock = std::chrono::system_clock;
  const auto stores = measurements_.stores();
  for (size_t i = 0; i < jobs.size(); ++i) {
    Job& job = jobs[i];
    try {
      const auto tell_share = [&, last = Clock::time_point{}](double p) mutable {
        if (Clock::now() - last < std::chrono::milliseconds(60)) return;
        last = Clock::now();
        const double share = (static_cast<double>(i) + p) / static_cast<double>(jobs.size());
        lane_.post(cancel, [this, share] { Q_EMIT progress(share); });
      };
      const auto result = print_clip(job.request, stores->findings, cancel, tell_share);
      job.version.loudness_lufs = result.levels.loudness_lufs;
      job.version.peak_dbfs = result.levels.sample_peak_dbfs;
      job.version.when =
          std::chrono::duration_cast<std::chrono::seconds>(Clock::now().time_since_epoch()).count();
      job.source = examine_source(job.request.output);
    } catch (const Error& e) {
      job.problem = problem_of(e);
      break;  // a full disk is full for the others too; what was printed stays
    } catch (const Cancelled&) {
      // Files of clips printed before it are no version of anything.
      std::error_code error;
      for (size_t done = 0; done < i; ++done) fs::remove(jobs[done].request.output, error);
      throw;
    }
  }
}

void Printing::finish(const std::vector<Job>& jobs, const QString& label, bool group) {
  if (!busy()) Q_EMIT progress(-1);
  document_.end_preview();
  Reel next = document_.history().now();
  Problem problem;
  int done = 0;
  for (const auto& job : jobs) {
    promised_.erase(job.request.output);
    if (!job.problem.empty()) problem = job.problem;
    Clip* c = next.find(job.clip);
    if (job.source.frames == 0 || !c) continue;
    if (c->chain != job.own || c->version != job.version.parent ||
        (group && next.group_of(*c).chain != job.group)) {
      if (problem.empty())
        problem = {
            fmt::format("{} was changed while it was printed, so it stays as it is; print it "
                        "again.",
                        c->name),
            Cause::request,
            {}};
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
  if (group && done != static_cast<int>(jobs.size())) {
    // Half a group printed would be heard through its chain twice: nothing of it counts.
    std::error_code error;
    for (const auto& job : jobs) fs::remove(job.request.output, error);
    if (problem.empty())
      problem.text = "The group could not be printed whole, so nothing was changed.";
    return notices_.warn(problem);
  }
  if (group && done > 0) next.at(std::as_const(next).find(jobs.front().clip)->group).chain = {};
  if (done > 0)
    document_.change([&](const Reel&) {
      return edits::Edit{std::move(next), label.toStdString()};
    });
  if (!problem.empty())
    notices_.warn(problem);
  else if (done > 0)
    notices_.tell(tr("%1 printed; the versions are listed with V").arg(counted(done, tr("clip"))));
}

}  // namespace drevan::desktop
