#include "work/jobs.h"

#include "audio/error.h"
#include "batch/meet.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

Jobs::Jobs(Notices& notices, Document& document, Selection& selection, Measurements& measurements,
           QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  for (TaskLane* lane : {&import_, &finder_, &meeter_}) {
    connect(lane, &TaskLane::failed, this, [this](const QString& why) { notices_.warn(why); });
    connect(&document_, &Document::leaving, lane, &TaskLane::cancel);
  }
}

void Jobs::add_files(const QStringList& files) {
  const auto count = counted(files.size(), tr("file"));
  const auto before = import_.busy() ? import_.waiting() + 1 : 0;
  notices_.tell(
      before > 0
          ? tr("%1 will be read after %2 that came before").arg(count, counted(before, tr("lot")))
          : tr("Reading %1 ...").arg(count));
  import_.enqueue([this, files](const CancelToken& cancel) -> TaskLane::Finish {
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
      int first = 0;
      document_.change([&](const Reel& reel) {
        auto edit = edits::add_clips(reel, good, "New clips");
        if (!good.empty()) first = edit.next.clips[edit.next.clips.size() - good.size()].id;
        return edit;
      });
      if (first != 0) selection_.select_clip(first);
      const auto added = counted(std::ssize(good), tr("clip"));
      if (!problems.isEmpty())
        notices_.warn(problems.join("  "));
      else
        notices_.tell(
            import_.busy()
                ? tr("Added %1, %2 to come").arg(added, counted(import_.waiting() + 1, tr("lot")))
                : tr("Added %1").arg(added));
    };
  });
}

void Jobs::find_room_tone() {
  const Clip* c = selection_.clip();
  if (!c || document_.missing(*c)) return;
  notices_.tell(tr("Looking for room tone ..."));
  finder_.start([this, sound = clip_sound(document_.reel(), *c),
                 id = c->id](const CancelToken& cancel) -> TaskLane::Finish {
    std::optional<SecondsRange> found;
    QString problem;
    try {
      found = drevan::find_room_tone(sound, cancel);
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    return [this, found, problem, id] {
      if (!problem.isEmpty()) return notices_.warn(problem);
      if (!found)
        return notices_.warn(
            tr("No half second without speech was found; mark room tone by hand."));
      if (!document_.change(
              [&](const Reel& reel) { return edits::set_room_tone(reel, id, found); }))
        return;
      notices_.tell(tr("Room tone found at %1 to %2 s")
                        .arg(found->begin, 0, 'f', 2)
                        .arg(found->end, 0, 'f', 2));
    };
  });
}

void Jobs::meet_target() {
  document_.end_preview();
  const Clip* c = selection_.clip();
  if (!c || document_.missing(*c)) return;
  if (!document_.target())
    return notices_.warn(tr("The reel has no target yet; choose one above the level path."));
  ClipPlan plan = plan_of(document_.reel(), *c);
  // Those of group and reel follow the clip's own.
  const auto own_count = std::ranges::count(c->chain.steps, true, &ChainStep::on);
  std::vector<PlannedStep> later(plan.steps.begin() + own_count, plan.steps.end());
  notices_.tell(tr("Trying what meets the target ..."));
  meeter_.start([this, sound = plan.sound, later, own = c->chain, id = c->id,
                 target = *document_.target(),
                 stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    LevelPathOptions options;
    options.store = &stores->findings;
    options.levels = &stores->levels;
    options.cache = &stores->stages;
    options.cancel = &cancel;
    Meeting met;
    try {
      met = drevan::meet_target(sound, own, later, target, options);
    } catch (const Error& e) {
      met.told = e.what();
    }
    return [this, met, own, id] {
      // What was changed meanwhile stays.
      const Clip* now = document_.history().now().find(id);
      if (met.changed && now && now->chain == own)
        document_.change([&](const Reel& reel) {
          return edits::set_chain(reel, id, met.chain, "Meet the target");
        });
      met.meets ? notices_.tell(QString::fromStdString(met.told))
                : notices_.warn(QString::fromStdString(met.told));
    };
  });
}

}  // namespace drevan::desktop
