// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/mix_run.h"

#include <algorithm>
#include <cmath>

namespace drevan {

float middle_gain() { return std::sqrt(0.5F); }

float Part::share_of(const PlacedSound& sound) const {
  const float heard = sound.direct ? sound.gain : 0.0F;
  switch (of) {
    case Of::everything:
      return heard;
    case Of::group:
      return sound.space == 0 && sound.group == group ? heard : 0.0F;
    case Of::kind:
      return sound.space == 0 && sound.kind == kind ? heard : 0.0F;
    case Of::space:
      return sound.space == space ? heard : 0.0F;
    case Of::feed:
      break;
  }
  const auto feed = std::ranges::find(sound.feeds, space, &Feed::space);
  return feed == sound.feeds.end() ? 0.0F : feed->gain;
}

MixRun::MixRun(std::vector<PlacedSound> sounds) : sounds_(std::move(sounds)) {
  for (const auto& s : sounds_) {
    channels_ = std::max(channels_, s.shape.channels);
    end_ = std::max(end_, s.begin + s.shape.frames);
  }
  std::ranges::stable_sort(sounds_, {}, &PlacedSound::begin);
  scratch_ = AudioBuffer(channels_, block);
}

void MixRun::seek(Samples position) {
  position_ = position;
  next_ = 0;
  sounding_.clear();
}

void MixRun::next(std::span<const AudioBlock> sums, std::span<const Part> parts) {
  const int n = sums.front().frames();
  for (const auto& sum : sums) sum.clear();
  for (; next_ < sounds_.size() && sounds_[next_].begin < position_ + n; ++next_) {
    const PlacedSound& sound = sounds_[next_];
    if (sound.begin + sound.shape.frames <= position_) continue;
    sounding_.push_back({&sound, sound.open()});
    if (position_ > sound.begin) sounding_.back().reader->seek(position_ - sound.begin);
  }
  for (auto& from : sounding_) add(from, sums, parts);
  position_ += n;
  std::erase_if(sounding_, [&](const Sounding& s) {
    return s.sound->begin + s.sound->shape.frames <= position_;
  });
}

void MixRun::add(Sounding& from, std::span<const AudioBlock> sums, std::span<const Part> parts) {
  const PlacedSound& sound = *from.sound;
  const int n = sums.front().frames(), own = sound.shape.channels;
  const auto offset = static_cast<int>(std::max<Samples>(0, sound.begin - position_));
  const Samples left = sound.begin + sound.shape.frames - std::max(position_, sound.begin);
  const auto wanted = static_cast<int>(std::min<Samples>(n - offset, left));
  const auto heard = scratch_.block(0, wanted).first(own);
  const int got = from.reader->read(heard);
  const bool middle = own == 1 && channels_ > 1;
  for (size_t t = 0; t < sums.size(); ++t) {
    const float share = parts[t].share_of(sound);
    if (share == 0) continue;
    const float gain = middle ? share * middle_gain() : share;
    for (int c = 0; c < (middle ? 2 : own); ++c) {
      const auto in = heard.channel(middle ? 0 : c);
      const auto out = sums[t].channel(c).subspan(static_cast<size_t>(offset));
      for (size_t i = 0; i < static_cast<size_t>(got); ++i) out[i] += gain * in[i];
    }
  }
}

}  // namespace drevan
