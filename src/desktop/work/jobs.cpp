// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/jobs.h"

#include "audio/error.h"
#include "audio/utf8.h"
#include "batch/meet.h"
#include "engine/recording/take.h"
#include "media/sound_files.h"
#include "widgets/words.h"
#include "engine/making/room_tone_fill.h"
#include "reel/scene/scene_edits.h"
#include "batch/selection.h"
#include "reel/scene/made.h"
#include "reel/scene/recording.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

Jobs::Jobs(Notices& notices, Document& document, Selection& selection, Measurements& measurements,
           QObject* parent)
    : QObject(parent),
      notices_(notices),
      document_(document),
      selection_(selection),
      measurements_(measurements) {
  for (TaskLane* lane : {&import_, &finder_, &meeter_, &cutter_})
    connect(lane, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
  const auto made_no_more = [this] { Q_EMIT making_progress(1); };
  connect(&maker_, &TaskLane::failed, this, [this, made_no_more](const Problem& why) {
    made_no_more();
    notices_.warn(why);
  });
  connect(&document_, &Document::leaving, this, made_no_more);
}

namespace {

struct Wanted {
  std::filesystem::path path;
  std::string group;
};

// Files as they are, folders as what lies in them; a folder's name, or its inner folder's, is the
// group.
std::vector<Wanted> wanted_files(const QStringList& paths, const std::string& group,
                                 const CancelToken& cancel, QStringList& problems) {
  std::vector<Wanted> out;
  for (const auto& text : paths) {
    const std::filesystem::path path = text.toStdString();
    std::error_code error;
    if (!std::filesystem::is_directory(path, error)) {
      out.push_back({path, group});
      continue;
    }
    const auto found = find_sound_files(path, cancel);
    const auto name =
        to_utf8(std::filesystem::absolute(path).lexically_normal().filename().string());
    for (const auto& f : found.files)
      out.push_back({f.path, f.folder.empty() ? name : to_utf8(f.folder)});
    for (const auto& why : found.problems) problems << QString::fromStdString(why);
    if (found.files.empty()) problems << Jobs::tr("%1 holds no sound or video files.").arg(text);
  }
  return out;
}

// The first few, and how many more there are.
QString told(const QStringList& problems) {
  constexpr qsizetype most = 5;
  const QString first = problems.mid(0, most).join("  ");
  return problems.size() <= most
             ? first
             : Jobs::tr("%1  And %2 more.").arg(first).arg(problems.size() - most);
}

}  // namespace

void Jobs::add_files(const QStringList& paths, const QString& group) {
  const auto before = import_.busy() ? import_.waiting() + 1 : 0;
  const auto count = counted(paths.size(), tr("file"));
  notices_.tell(
      before > 0
          ? tr("%1 will be read after %2 that came before").arg(count, counted(before, tr("lot")))
          : tr("Reading %1 ...").arg(count));
  const std::string to = group.isEmpty() ? std::string("New clips") : group.toStdString();
  import_.enqueue([this, paths, to](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<edits::NewClip> good;
    QStringList problems;
    const auto wanted = wanted_files(paths, to, cancel, problems);
    for (const auto& [path, name] : wanted) {
      cancel.check();
      if (wanted.size() > 20 && good.size() % 10 == 9)
        import_.post(cancel, [this, done = good.size(), all = wanted.size()] {
          notices_.tell(tr("Reading files: %1 of %2 ...").arg(done).arg(all));
        });
      try {
        good.push_back({examine_source(path, &cancel), name});
      } catch (const Error& e) {
        problems << QString::fromUtf8(e.what());
      }
    }
    return [this, good, problems] {
      ClipId first = 0;
      if (!good.empty())
        document_.change([&](const Reel& reel) {
          auto edit = edits::add_clips(reel, good);
          first = edit.next.clips[edit.next.clips.size() - good.size()].id;
          return edit;
        });
      if (first != 0) selection_.select_clip(first);
      const auto added = counted(std::ssize(good), tr("clip"));
      if (!problems.isEmpty())
        notices_.warn(told(problems));
      else
        notices_.tell(
            import_.busy()
                ? tr("Added %1, %2 to come").arg(added, counted(import_.waiting() + 1, tr("lot")))
                : tr("Added %1").arg(added));
    };
  });
}

void Jobs::cut(ClipId clip, std::vector<ClipTime> ends,
               std::function<edits::Edit(const Reel&, const std::vector<ClipTime>&)> edit) {
  const Clip* c = document_.reel().find(clip);
  if (!c) return;
  if (is_bus(*c) || document_.missing(*c)) {
    document_.change([&](const Reel& reel) { return edit(reel, ends); });
    return;
  }
  cutter_.enqueue([this, ends, edit, clip = *c, sound = clip_sound(document_.reel(), *c)](
                      const CancelToken&) -> TaskLane::Finish {
    std::vector<ClipTime> at = ends;
    try {
      std::vector<double> seconds;
      for (const ClipTime end : ends) seconds.push_back(end.s);
      seconds = at_zero_crossings(sound, seconds);
      for (size_t i = 0; i < at.size(); ++i) at[i] = {seconds[i]};
    } catch (const Error&) {
      // Cut as it was asked for; what is wrong with the file is told where it is heard.
    }
    return [this, at, edit, clip] {
      const Clip* now = document_.reel().find(clip.id);
      if (!now || now->begin != clip.begin || now->frames != clip.frames)
        return notices_.warn(tr("%1 was changed meanwhile; nothing was cut.")
                                 .arg(QString::fromStdString(clip.name)));
      document_.change([&](const Reel& reel) { return edit(reel, at); });
    };
  });
}

void Jobs::split(std::vector<ClipTime> at) {
  const ClipId clip = selection_.clip_id();
  cut(clip, std::move(at), [clip](const Reel& reel, const std::vector<ClipTime>& moved) {
    return edits::split(reel, clip, moved);
  });
}

void Jobs::take_out(ClipRange range, bool close_up) {
  const ClipId clip = selection_.clip_id();
  cut(clip, {range.begin, range.end},
      [clip, close_up](const Reel& reel, const std::vector<ClipTime>& at) {
        return edits::take_out(reel, clip, {at[0], at[1]}, close_up);
      });
}

void Jobs::trim(ClipRange keep) {
  const ClipId clip = selection_.clip_id();
  cut(clip, {keep.begin, keep.end}, [clip](const Reel& reel, const std::vector<ClipTime>& at) {
    return edits::trim(reel, clip, {at[0], at[1]});
  });
}

void Jobs::cut_into(ClipId clip, std::vector<edits::Piece> pieces) {
  std::vector<ClipTime> ends;
  for (const auto& p : pieces) ends.insert(ends.end(), {p.range.begin, p.range.end});
  cut(clip, ends, [clip, pieces](const Reel& reel, const std::vector<ClipTime>& at) {
    auto moved = pieces;
    for (size_t i = 0; i < moved.size(); ++i)
      if (at[2 * i + 1] > at[2 * i]) moved[i].range = {at[2 * i], at[2 * i + 1]};
    return edits::cut_into(reel, clip, moved);
  });
}

void Jobs::find_room_tone() {
  const Clip* c = selection_.clip();
  if (!c || document_.missing(*c)) return;
  notices_.tell(tr("Looking for room tone ..."));
  finder_.start([this, sound = clip_sound(document_.reel(), *c),
                 id = c->id](const CancelToken& cancel) -> TaskLane::Finish {
    std::optional<ClipRange> found;
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
                        .arg(found->begin.s, 0, 'f', 2)
                        .arg(found->end.s, 0, 'f', 2));
    };
  });
}

void Jobs::fill_with_room_tone() {
  const Clip* c = selection_.clip();
  if (!c || is_bus(*c)) return;
  if (document_.file().empty())
    return notices_.warn(tr("Save the reel first: files of room tone are kept beside it."));
  const GroupId group = c->group;
  if (tone_gaps(document_.reel(), group).empty())
    return notices_.warn(tr("Between the clips of this group there is no gap to fill."));
  notices_.tell(tr("Filling with room tone ..."));
  const auto folder =
      document_.file().parent_path() / (document_.file().stem().string() + " room tone");
  finder_.start([this, reel = document_.shared(), group,
                 folder](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<edits::ToneClip> tones;
    QString problem;
    try {
      for (const FilledGap& filled : fill_gaps(*reel, group, folder, cancel))
        tones.push_back({examine_source(filled.file, &cancel),
                         std::max(ReelTime{0}, filled.gap.range.begin - ReelSpan{tone_fade_s}),
                         filled.gap.before, filled.gap.after});
    } catch (const Error& e) {
      problem = QString::fromUtf8(e.what());
    }
    const Clip* lender = tone_lender(*reel, group);
    return [this, tones, problem, group, like = lender ? lender->id : 0] {
      if (!problem.isEmpty()) return notices_.warn(problem);
      if (!document_.change([&](const Reel& now) {
            return edits::fill_with_tone(now, group, like, tones, tone_fade_s);
          }))
        return;
      notices_.tell(tr("%1 filled with room tone").arg(counted(std::ssize(tones), tr("gap"))));
    };
  });
}

Progress Jobs::making(const CancelToken& cancel) {
  return [this, &cancel, last = -1](double p) mutable {
    const int percent = static_cast<int>(100 * p);
    if (percent == std::exchange(last, percent)) return;
    maker_.post(cancel, [this, p] { Q_EMIT making_progress(std::min(p, 0.99)); });
  };
}

void Jobs::make_sound(const MadeSound& sound, ReelTime place) {
  const Clip* clip = selection_.clip();
  const GroupId group = clip && !is_bus(*clip) ? clip->group : GroupId{};
  if (!group && sound.kind == MadeKind::room_tone)
    return notices_.warn(tr("Choose a clip of the group whose room tone it shall be."));
  const std::string name = group ? document_.reel().at(group).name : "Made sounds";
  const auto file = recording_file(document_.recordings_folder(), name_of(sound));
  make_file(
      [sound, group, file](const Reel& reel, const CancelToken& cancel, const Progress& progress) {
        drevan::make_sound(reel, sound, group, file, cancel, progress);
        return RenderedPart{examine_source(file, &cancel), {}};
      },
      [name, place](const Reel& reel, const RenderedPart& made) {
        return edits::add_clip_at(reel, made.sound, name, place);
      });
}

void Jobs::make_file(MakeFile make, UseFile edit) {
  document_.end_preview();
  Q_EMIT making_progress(0);
  maker_.start([this, make = std::move(make), edit = std::move(edit),
                reel = document_.shared()](const CancelToken& cancel) -> TaskLane::Finish {
    try {
      const RenderedPart made = make(*reel, cancel, making(cancel));
      return [this, made, edit] {
        Q_EMIT making_progress(1);
        document_.change([&](const Reel& now) { return edit(now, made); });
      };
    } catch (const Error& e) {
      return [this, why = QString::fromUtf8(e.what())] {
        Q_EMIT making_progress(1);
        notices_.warn(why);
      };
    }
  });
}

void Jobs::make_one(std::vector<ClipId> clips) {
  if (clips.size() < 2)
    return notices_.warn(tr("Mark the clips that become one, with Ctrl and a click."));
  const auto file = recording_file(document_.recordings_folder(),
                                   document_.reel().find(clips.front())->name + " and more");
  make_file(
      [clips, file, stores = measurements_.stores()](const Reel& reel, const CancelToken& cancel,
                                                     const Progress& progress) {
        return render_one(reel, clips, file, stores->findings, cancel, progress);
      },
      [clips](const Reel& reel, const RenderedPart& made) {
        return edits::make_one(reel, clips, made.sound, made.begin);
      });
}

void Jobs::make_again() {
  const ClipId id = selection_.clip_id();
  const auto parts = made_of(document_.reel(), id);
  if (parts.empty())
    return notices_.warn(
        tr("Select a clip that was made of others; it can be made of them again."));
  const auto file = recording_file(document_.recordings_folder(), document_.reel().find(id)->name);
  make_file(
      [id, parts, file, stores = measurements_.stores()](
          const Reel& reel, const CancelToken& cancel, const Progress& progress) {
        // As they sound where it does not stand in their place.
        const Reel apart = edits::take_apart(reel, id).next;
        return render_one(apart, parts, file, stores->findings, cancel, progress);
      },
      [id](const Reel& reel, const RenderedPart& made) {
        return edits::make_again(reel, id, made.sound);
      });
}

void Jobs::write_selection(std::vector<ClipId> clips, const fs::path& file) {
  document_.end_preview();
  Q_EMIT making_progress(0);
  maker_.start([this, clips = std::move(clips), file, reel = document_.shared(),
                stores = measurements_.stores()](const CancelToken& cancel) -> TaskLane::Finish {
    const bool flac = file.extension() == ".flac";
    QString told;
    bool fine = false;
    try {
      const MixFile done =
          render_selection(*reel, clips, file, flac ? Container::flac : Container::wav,
                           SampleType::int24, stores->findings, cancel, making(cancel));
      fine = done.clipped == 0;
      told = fine ? tr("%1 is written.").arg(QString::fromStdString(file.filename().string()))
                  : tr("%1 is written; %2 past full scale were clipped.")
                        .arg(QString::fromStdString(file.filename().string()),
                             counted(static_cast<long>(done.clipped), tr("sample")));
    } catch (const Error& e) {
      told = QString::fromUtf8(e.what());
    }
    return [this, told, fine] {
      Q_EMIT making_progress(1);
      fine ? notices_.tell(told) : notices_.warn(told);
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
