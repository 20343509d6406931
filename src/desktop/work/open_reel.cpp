// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/open_reel.h"

#include <algorithm>

#include "work/document.h"

namespace drevan::desktop {

ReelLane::ReelLane(const Document& document, Urgency urgency) : TaskLane(urgency) {
  connect(&document, &Document::leaving, this, &TaskLane::cancel);
}

ReelSheet::ReelSheet(const Document& document, QWidget* parent, Qt::WindowFlags flags)
    : QDialog(parent, flags) {
  connect(&document, &Document::leaving, this, [this] {
    left_ = true;
    if (!works_on()) reject();
  });
}

void ReelSheet::work_ended() {
  if (left_) reject();
}

namespace {

std::tuple<SourceId, Samples, Samples> cut_of(const Reel& reel, ClipId id) {
  const Clip* clip = reel.find(id);
  return clip ? std::tuple(clip->source, clip->begin, clip->frames)
              : std::tuple(SourceId{}, Samples{}, Samples{});
}

}  // namespace

Grab Grab::of_clips(const Document& document, std::vector<ClipId> clips) {
  Grab out;
  out.reel_ = document.reel_number();
  out.clips_ = std::move(clips);
  out.cut_ = cut_of(document.reel(), out.clip());
  return out;
}

bool Grab::holds(const Document& document, ClipId of) const {
  return of != 0 && clip() == of && alive(document) && cut_of(document.reel(), of) == cut_;
}

Grab Grab::of_event(const Document& document, EventId event) {
  Grab out = of_reel(document);
  out.event_ = event;
  return out;
}

bool Grab::alive(const Document& document) const {
  const Reel& reel = document.reel();
  return reel_ == document.reel_number() &&
         std::ranges::all_of(clips_, [&](ClipId id) { return reel.find(id) != nullptr; }) &&
         (event_ == 0 || find_event(reel, event_));
}

}  // namespace drevan::desktop
