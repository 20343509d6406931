#include "engine/spill.h"

#include <sys/mman.h>

#include <algorithm>
#include <atomic>

#include "media/interleave.h"

namespace drevan {

namespace {

constexpr size_t all_limit = size_t{256} << 20;
std::atomic<size_t> in_memory{0};  // bytes, of all spills

}  // namespace

Spill::Spill(int channels, size_t memory_limit) : channels_(channels), limit_(memory_limit) {}

Spill::~Spill() { drop_memory(); }

void Spill::drop_memory() {
  in_memory -= memory_.size() * piece * sizeof(float);
  memory_.clear();
}

bool Spill::add_piece() {
  constexpr size_t bytes = piece * sizeof(float);
  if (in_memory.fetch_add(bytes) + bytes > all_limit) {
    in_memory -= bytes;
    return false;
  }
  auto* p = static_cast<float*>(std::aligned_alloc(bytes, bytes));
  if (!p) {
    in_memory -= bytes;
    return false;
  }
#ifdef MADV_HUGEPAGE
  madvise(p, bytes, MADV_HUGEPAGE);  // a wish; without it all the same
#endif
  memory_.emplace_back(p);
  return true;
}

bool Spill::to_file() {
  file_.reset(std::tmpfile());
  if (!file_) return false;
  bool all = true;
  for (size_t at = 0; at < kept_; at += piece) {
    const size_t n = std::min(piece, kept_ - at);
    all = all && std::fwrite(memory_[at / piece].get(), sizeof(float), n, file_.get()) == n;
  }
  drop_memory();
  kept_ = 0;
  return all;
}

bool Spill::write(const AudioBlock& block) {
  const auto count = static_cast<size_t>(block.frames()) * static_cast<size_t>(channels_);
  frames_ += block.frames();
  while (!file_ && kept_ + count > memory_.size() * piece)
    if ((kept_ + count) * sizeof(float) > limit_ || !add_piece())
      if (!to_file()) return false;
  scratch_.resize(count);
  interleave(block, scratch_);
  if (file_) return std::fwrite(scratch_.data(), sizeof(float), count, file_.get()) == count;
  for (size_t done = 0; done < count;) {
    const size_t n = std::min(count - done, piece - kept_ % piece);
    std::copy_n(scratch_.data() + done, n, memory_[kept_ / piece].get() + kept_ % piece);
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
