// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/playing/listening_device.h"

#include <utility>

namespace drevan {

void ListeningDevice::choose(const std::shared_ptr<const Choice>& choice) {
  if (choice == choice_) return;
  choice_ = choice;
  leaving_ = std::exchange(now_, nullptr);
  changes_ = true;
  if (!choice) return;
  now_ = choice->type->make(choice->settings, {}, {rate_, 2, static_cast<int>(block_.frames())});
}

void ListeningDevice::reset() {
  if (now_) now_->reset();
  changes_ = false;
}

void ListeningDevice::process(std::span<float> stereo) {
  if (!now_ && !changes_) return;
  const auto n = static_cast<int>(stereo.size() / 2);
  const AudioBlock fresh = block_.block(0, n), old = old_.block(0, n);
  for (size_t i = 0; i < stereo.size(); ++i)
    fresh.channel(static_cast<int>(i % 2))[i / 2] = stereo[i];
  old.copy_from(fresh);
  if (now_) now_->process(fresh);
  const bool changes = std::exchange(changes_, false);
  if (changes && leaving_) leaving_->process(old);
  leaving_.reset();
  for (size_t i = 0; i < stereo.size(); ++i) {
    const int c = static_cast<int>(i % 2);
    const float share = changes ? static_cast<float>(i / 2) / static_cast<float>(n) : 1.0F;
    stereo[i] = share * fresh.channel(c)[i / 2] + (1 - share) * old.channel(c)[i / 2];
  }
}

}  // namespace drevan
