#include "engine/spill.h"

#include "media/interleave.h"

namespace drevan {

Spill::Spill(int channels, size_t memory_limit) : channels_(channels), limit_(memory_limit) {}

bool Spill::to_file() {
  file_.reset(std::tmpfile());
  if (!file_) return false;
  bool all = true;
  for (size_t at = 0; at < kept_; at += piece) {
    const size_t n = std::min(piece, kept_ - at);
    all = all && std::fwrite(memory_[at / piece].get(), sizeof(float), n, file_.get()) == n;
  }
  memory_.clear();
  kept_ = 0;
  return all;
}

bool Spill::write(const AudioBlock& block) {
  const auto count = static_cast<size_t>(block.frames()) * static_cast<size_t>(channels_);
  frames_ += block.frames();
  if (!file_ && (kept_ + count) * sizeof(float) > limit_ && !to_file()) return false;
  scratch_.resize(count);
  interleave(block, scratch_);
  if (file_) return std::fwrite(scratch_.data(), sizeof(float), count, file_.get()) == count;
  for (size_t done = 0; done < count;) {
    if (kept_ % piece == 0) memory_.push_back(std::make_unique_for_overwrite<float[]>(piece));
    const size_t n = std::min(count - done, piece - kept_ % piece);
    std::copy_n(scratch_.data() + done, n, memory_.back().get() + kept_ % piece);
    kept_ += n;
    done += n;
  }
  return true;
}

void Spill::rewind() {
  at_ = 0;
  if (file_) std::rewind(file_.get());
}

int Spill::read(const AudioBlock& block) {
  const auto n = static_cast<int>(std::min<Samples>(block.frames(), frames_ - at_));
  if (n <= 0) return 0;
  const auto count = static_cast<size_t>(n) * static_cast<size_t>(channels_);
  scratch_.resize(count);
  if (file_) {
    if (std::fread(scratch_.data(), sizeof(float), count, file_.get()) != count) return 0;
  } else {
    size_t from = static_cast<size_t>(at_) * static_cast<size_t>(channels_);
    for (size_t done = 0; done < count;) {
      const size_t m = std::min(count - done, piece - from % piece);
      std::copy_n(memory_[from / piece].get() + from % piece, m, scratch_.data() + done);
      from += m;
      done += m;
    }
  }
  deinterleave_finite(scratch_, block.part(0, n));
  at_ += n;
  return n;
}

}  // namespace drevan
