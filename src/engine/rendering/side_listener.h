// SPDX-License-Identifier: GPL-3.0-or-later
// Listening on other threads, so that measuring does not hold up the sound that is measured.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Passes copies of blocks to `hear` on one of a few threads. All blocks of one line are heard in
/// order and by the same thread; different lines may be heard at the same time, and told by
/// different threads. What `hear` throws is thrown by the next tell() or finish() of any line, and nothing
/// more is heard. tell() waits while a thread is far behind, so memory stays small. With one
/// thread to help, every third line is heard by the caller itself, so that neither waits long for
/// the other.
class SideListener {
 public:
  /// `line`: which sound the block belongs to, as given to tell().
  using Hear = std::function<void(size_t line, const AudioBlock&)>;

  /// `format`: of the widest line. Uses one thread less than the machine has cores, 1 to 4.
  SideListener(StreamFormat format, Hear hear);
  /// Drops what was not heard yet.
  ~SideListener();
  SideListener(const SideListener&) = delete;
  SideListener& operator=(const SideListener&) = delete;

  void tell(size_t line, const AudioBlock& block);
  /// Returns when everything told was heard.
  void finish();

 private:
  class Ear;
  struct Hearing;
  std::shared_ptr<Hearing> hearing_;
  std::vector<std::unique_ptr<Ear>> ears_;
};

}  // namespace drevan
