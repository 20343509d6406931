#include "reel/reel.h"

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "media/reader.h"

namespace drevan {

namespace fs = std::filesystem;

const Clip* Reel::find(int clip_id) const {
  const auto at = std::ranges::find(clips, clip_id, &Clip::id);
  return at == clips.end() ? nullptr : &*at;
}
Clip* Reel::find(int clip_id) {
  return const_cast<Clip*>(static_cast<const Reel*>(this)->find(clip_id));
}

const Chain& chain_of(const Reel& reel, const Clip& clip, ChainOwner owner) {
  switch (owner) {
    case ChainOwner::clip: return clip.chain;
    case ChainOwner::group: return reel.groups.at(static_cast<size_t>(clip.group)).chain;
    case ChainOwner::reel: break;
  }
  return reel.chain;
}
Chain& chain_of(Reel& reel, Clip& clip, ChainOwner owner) {
  return const_cast<Chain&>(chain_of(std::as_const(reel), std::as_const(clip), owner));
}

Chain full_chain(const Reel& reel, const Clip& clip) {
  return active_steps({&clip.chain, &chain_of(reel, clip, ChainOwner::group), &reel.chain});
}

Source examine_source(const fs::path& file) {
  const auto absolute = fs::absolute(file).lexically_normal();
  const auto reader = open_audio(absolute);
  const MediaInfo& info = reader->info();
  return {absolute, info.frames, info.rate, info.channels, hash_file(absolute)};
}

SourceState check_source(const Source& source, bool thorough) {
  std::error_code error;
  if (!fs::is_regular_file(source.path, error)) return SourceState::missing;
  if (!thorough || source.hash == 0) return SourceState::fine;
  try {
    return hash_file(source.path) == source.hash ? SourceState::fine : SourceState::changed;
  } catch (const Error&) {
    return SourceState::missing;
  }
}

int add_clip(Reel& reel, const Source& source, const std::string& group) {
  auto s = std::ranges::find(reel.sources, source.path, &Source::path);
  if (s == reel.sources.end()) s = reel.sources.insert(reel.sources.end(), source);
  auto g = std::ranges::find(reel.groups, group, &Group::name);
  if (g == reel.groups.end()) g = reel.groups.insert(reel.groups.end(), Group{group, {}});
  Clip clip;
  for (const auto& other : reel.clips) {
    clip.id = std::max(clip.id, other.id);
    const auto& from = reel.sources[static_cast<size_t>(other.source)];
    clip.place_s = std::max(clip.place_s,
                            other.place_s + static_cast<double>(other.frames) / from.rate);
  }
  ++clip.id;
  clip.place_s = std::ceil(clip.place_s);
  clip.name = source.path.stem().string();
  clip.source = static_cast<int>(s - reel.sources.begin());
  clip.frames = source.frames;
  clip.group = static_cast<int>(g - reel.groups.begin());
  reel.clips.push_back(clip);
  return clip.id;
}

namespace {

// Drops the entries of `list` that no clip uses through `index`, and moves the indexes up.
template <class T>
void drop_unused(Reel& reel, std::vector<T>& list, int Clip::*index) {
  for (int i = static_cast<int>(list.size()) - 1; i >= 0; --i) {
    if (std::ranges::find(reel.clips, i, index) != reel.clips.end()) continue;
    list.erase(list.begin() + i);
    for (auto& clip : reel.clips)
      if (clip.*index > i) --(clip.*index);
  }
}

}  // namespace

void remove_clips(Reel& reel, std::span<const int> ids) {
  std::erase_if(reel.clips,
                [&](const Clip& c) { return std::ranges::find(ids, c.id) != ids.end(); });
  drop_unused(reel, reel.groups, &Clip::group);
  drop_unused(reel, reel.sources, &Clip::source);
}

void copy_chain(Reel& reel, int from, std::span<const int> to) {
  const Clip* source = reel.find(from);
  if (!source) return;
  const Chain chain = source->chain;
  for (const int id : to)
    if (Clip* clip = reel.find(id)) clip->chain = chain;
}

int relink(Reel& reel, int source, const fs::path& file) {
  Source& found = reel.sources.at(static_cast<size_t>(source));
  const Source now = examine_source(file);
  found = now;
  // A shorter file keeps what still lies within it.
  for (auto& clip : reel.clips) {
    if (clip.source != source) continue;
    clip.begin = std::min(clip.begin, now.frames);
    clip.frames = std::min(clip.frames, now.frames - clip.begin);
  }
  int count = 1;
  for (auto& other : reel.sources) {
    if (check_source(other, false) != SourceState::missing) continue;
    Source beside = other;
    beside.path = now.path.parent_path() / other.path.filename();
    if (check_source(beside, true) != SourceState::fine) continue;
    other = beside;
    ++count;
  }
  return count;
}

}  // namespace drevan
