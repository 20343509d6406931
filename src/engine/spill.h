// Sound put aside between two passes: in memory while small, in a nameless temporary file beyond.
#pragma once

#include <cstdio>
#include <cstdlib>
#include <memory>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Written once from the front, then read from the front as often as wanted.
class Spill {
 public:
  /// `memory_limit`: bytes kept in memory before a file is used. All spills together keep at most
  /// 256 MB in memory.
  explicit Spill(int channels, size_t memory_limit = size_t{128} << 20);
  ~Spill();
  Spill(const Spill&) = delete;
  Spill& operator=(const Spill&) = delete;

  /// false when the temporary disk is full: the spill is then useless and must be dropped; who
  /// uses it computes again instead.
  bool write(const AudioBlock& block);
  Samples frames() const { return frames_; }
  void rewind();
  /// Frames read, 0 at the end.
  int read(const AudioBlock& block);

 private:
  struct Close {
    void operator()(std::FILE* f) const { std::fclose(f); }
  };
  bool to_file();
  bool add_piece();
  void drop_memory();

  int channels_;
  size_t limit_;
  // Interleaved, in pieces that are never moved or zeroed; of 2 MB, so that the system can give each as
  // one page.
  static constexpr size_t piece = size_t{1} << 19;
  struct Free {
    void operator()(float* p) const { std::free(p); }
  };
  std::vector<std::unique_ptr<float[], Free>> memory_;
  size_t kept_ = 0;  // samples in memory_
  std::vector<float> scratch_;
  std::unique_ptr<std::FILE, Close> file_;
  Samples frames_ = 0, at_ = 0;
};

}  // namespace drevan
