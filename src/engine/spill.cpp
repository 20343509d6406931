#include "engine/spill.h"

#include "media/interleave.h"

namespace drevan {

Spill::Spill(int channels, size_t memory_limit) : channels_(channels), limit_(memory_limit) {}

bool Spill::to_file() {
  file_.reset(std::tmpfile());
  if (!file_) return false;
  const bool all = std::fwrite(memory_.data(), sizeof(float), memory_.size(), file_.get()) == memory_.size();
  memory_ = {};
  return all;
}

bool Spill::write(const AudioBlock& block) {
  const auto count = static_cast<size_t>(block.frames()) * static_cast<size_t>(channels_);
  frames_ += block.frames();
  if (!file_ && (memory_.size() + count) * sizeof(float) > limit_ && !to_file()) return false;
  if (!file_) {
    memory_.resize(memory_.size() + count);
    interleave(block, std::span(memory_).last(count));
    return true;
  }
  scratch_.resize(count);
  interleave(block, scratch_);
  return std::fwrite(scratch_.data(), sizeof(float), count, file_.get()) == count;
}

void Spill::rewind() {
  at_ = 0;
  if (file_) std::rewind(file_.get());
}

int Spill::read(const AudioBlock& block) {
  const auto n = static_cast<int>(std::min<Samples>(block.frames(), frames_ - at_));
  if (n <= 0) return 0;
  const auto count = static_cast<size_t>(n) * static_cast<size_t>(channels_);
  std::span<const float> in;
  if (file_) {
    scratch_.resize(count);
    if (std::fread(scratch_.data(), sizeof(float), count, file_.get()) != count) return 0;
    in = scratch_;
  } else {
    in = std::span(memory_).subspan(static_cast<size_t>(at_) * static_cast<size_t>(channels_), count);
  }
  deinterleave_finite(in, block.part(0, n));
  at_ += n;
  return n;
}

}  // namespace drevan
