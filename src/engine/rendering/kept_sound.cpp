// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/rendering/kept_sound.h"

#include <fmt/format.h>
#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>

#include "audio/error.h"
#include "media/interleave.h"

namespace drevan {

Error temporary_disk_full() {
  return {Error::Kind::output, "The disk for temporary files is full; free some space there."};
}

namespace {

constexpr size_t all_limit = size_t{384} << 20;
std::atomic<size_t> in_memory{0};  // bytes, of all kept sounds

}  // namespace

KeptSound::KeptSound(double rate, int channels, size_t memory_limit)
    : shape_{rate, channels, 0}, limit_(memory_limit) {}

KeptSound::~KeptSound() { drop_memory(); }

void KeptSound::drop_memory() {
  in_memory -= memory_.size() * piece * sizeof(float);
  memory_.clear();
}

bool KeptSound::add_piece() {
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

bool KeptSound::to_file() {
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

bool KeptSound::write(const AudioBlock& block) {
  const auto count = static_cast<size_t>(block.frames()) * static_cast<size_t>(shape_.channels);
  shape_.frames += block.frames();
  while (!file_ && kept_ + count > memory_.size() * piece)
    if ((kept_ + count) * sizeof(float) > limit_ || !add_piece())
      if (!to_file()) return false;
  scratch_.resize(count);
  interleave(block.first(shape_.channels), scratch_);
  if (file_) return std::fwrite(scratch_.data(), sizeof(float), count, file_.get()) == count;
  for (size_t done = 0; done < count;) {
    const size_t n = std::min(count - done, piece - kept_ % piece);
    std::copy_n(scratch_.data() + done, n, memory_[kept_ / piece].get() + kept_ % piece);
    kept_ += n;
    done += n;
  }
  return true;
}

bool KeptSound::finish() {
  scratch_ = {};
  return !file_ || std::fflush(file_.get()) == 0;
}

void KeptSound::read(Samples at, int frames, float* interleaved) const {
  const auto channels = static_cast<size_t>(shape_.channels);
  const size_t count = static_cast<size_t>(frames) * channels;
  size_t from = static_cast<size_t>(at) * channels;
  if (file_) {
    // By place, so that readers do not disturb each other.
    const size_t bytes = count * sizeof(float);
    for (size_t done = 0; done < bytes;) {
      const auto n = ::pread(::fileno(file_.get()), reinterpret_cast<char*>(interleaved) + done,
                             bytes - done, static_cast<off_t>(from * sizeof(float) + done));
      if (n <= 0)
        throw Error(Error::Kind::input, Cause::damaged,
                    "A temporary file could not be read back; look whether its disk is in order.");
      done += static_cast<size_t>(n);
    }
    return;
  }
  for (size_t done = 0; done < count;) {
    const size_t n = std::min(count - done, piece - from % piece);
    std::copy_n(memory_[from / piece].get() + from % piece, n, interleaved + done);
    from += n;
    done += n;
  }
}

namespace {

class KeptReader final : public SoundReader {
 public:
  explicit KeptReader(SharedSound sound) : sound_(std::move(sound)) {}
  const SoundShape& shape() const override { return sound_->shape(); }
  void seek(Samples frame) override { at_ = std::clamp<Samples>(frame, 0, shape().frames); }
  int read(const AudioBlock& block) override {
    const auto n = static_cast<int>(std::min<Samples>(block.frames(), shape().frames - at_));
    if (n <= 0) return 0;
    interleaved_.resize(static_cast<size_t>(n) * static_cast<size_t>(shape().channels));
    sound_->read(at_, n, interleaved_.data());
    deinterleave_finite(interleaved_, block.first(shape().channels).part(0, n));
    at_ += n;
    return n;
  }

 private:
  SharedSound sound_;
  std::vector<float> interleaved_;
  Samples at_ = 0;
};

}  // namespace

std::unique_ptr<SoundReader> reader_of(SharedSound sound) {
  return std::make_unique<KeptReader>(std::move(sound));
}

SharedSound StageStore::get(std::uint64_t key) {
  const std::lock_guard lock(mutex_);
  const auto at = entries_.find(key);
  if (at == entries_.end()) return nullptr;
  at->second.used = ++clock_;
  return at->second.sound;
}

void StageStore::put(std::uint64_t key, SharedSound sound) {
  const std::lock_guard lock(mutex_);
  if (entries_.contains(key)) return;
  bytes_ += sound->bytes();
  entries_[key] = {std::move(sound), ++clock_};
  while (bytes_ > budget_ && entries_.size() > 1) {
    const auto oldest =
        std::ranges::min_element(entries_, {}, [](const auto& e) { return e.second.used; });
    bytes_ -= oldest->second.sound->bytes();
    entries_.erase(oldest);
  }
}

std::optional<Stage> StageStore::facts(std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  const auto at = facts_.find(key);
  return at == facts_.end() ? std::nullopt : std::optional(at->second);
}

void StageStore::put_facts(const Stage& stage) {
  const std::lock_guard lock(mutex_);
  if (facts_.size() > 20000) facts_.clear();
  facts_[stage.key] = stage;
}

}  // namespace drevan
