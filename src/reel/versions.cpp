// SPDX-License-Identifier: GPL-3.0-or-later
// Printed versions of a clip: which there are, and which one it stands upon.
#include <algorithm>

#include "reel/reel.h"

namespace drevan {

const Version* find_version(const Clip& clip, int version) {
  const auto at = std::ranges::find(clip.versions, version, &Version::id);
  return at == clip.versions.end() ? nullptr : &*at;
}

namespace {

// What is upon the version that is left must be there when it is come back to.
void leave_version(Clip& clip) {
  const auto at = std::ranges::find(clip.versions, clip.version, &Version::id);
  if (at == clip.versions.end()) return;
  at->top = clip.chain;
  at->fade_in = clip.fade_in;
  at->fade_out = clip.fade_out;
}

}  // namespace

int add_version(Reel& reel, ClipId clip_id, Version printed, const Source& file) {
  Clip* clip = reel.find(clip_id);
  if (!clip) return 0;
  if (clip->versions.empty())
    clip->versions.push_back({.id = 0,
                              .what = "as it came",
                              .source = clip->source,
                              .begin = clip->begin,
                              .frames = clip->frames,
                              .fade_in = clip->fade_in,
                              .fade_out = clip->fade_out});
  leave_version(*clip);
  printed.id = 1 + std::ranges::max(clip->versions, {}, &Version::id).id;
  printed.parent = clip->version;
  printed.source = put_source(reel, file);
  printed.begin = 0;
  printed.frames = file.frames;
  clip->versions.push_back(printed);
  clip->version = printed.id;
  clip->source = printed.source;
  clip->begin = printed.begin;
  clip->frames = printed.frames;
  clip->fade_in = clip->fade_out = {};  // they are in the printed sound
  clip->chain = {};
  return printed.id;
}

void go_to_version(Clip& clip, int version) {
  const Version* to = find_version(clip, version);
  if (!to || version == clip.version) return;
  leave_version(clip);
  clip.version = version;
  clip.source = to->source;
  clip.begin = to->begin;
  clip.frames = to->frames;
  clip.fade_in = to->fade_in;
  clip.fade_out = to->fade_out;
  clip.chain = to->top;
}

void take_out_chain(Clip& clip, int version) {
  const Version* from = find_version(clip, version);
  if (!from || from->parent < 0) return;
  const Chain chain = from->made_with;
  go_to_version(clip, from->parent);
  clip.chain = chain;
}

std::vector<UnusedVersion> unused_versions(const Reel& reel) {
  std::vector<UnusedVersion> out;
  for (const auto& clip : reel.clips) {
    std::vector<int> stood_upon;
    for (const Version* v = find_version(clip, clip.version); v;
         v = find_version(clip, v->parent)) {
      if (std::ranges::find(stood_upon, v->id) != stood_upon.end()) break;
      stood_upon.push_back(v->id);
    }
    for (const auto& v : clip.versions) {
      if (v.id == 0 || std::ranges::find(stood_upon, v.id) != stood_upon.end()) continue;
      std::error_code error;
      const auto bytes = std::filesystem::file_size(reel.at(v.source).path, error);
      out.push_back({clip.id, v.id, error ? 0 : bytes});
    }
  }
  return out;
}

}  // namespace drevan
