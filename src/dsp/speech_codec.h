// SPDX-License-Identifier: GPL-3.0-or-later
// The codecs of telephones: speech as the other end hears it, packet by packet.
#pragma once

#include <cstdint>
#include <memory>
#include <span>

namespace drevan {

/// An encoder and its decoder, one channel. Real-time safe but for making it.
class SpeechCodec {
 public:
  virtual ~SpeechCodec() = default;
  /// Samples a second that it codes.
  virtual int rate() const noexcept = 0;
  /// Samples by which what leaves is later than what came in.
  virtual int late() const noexcept = 0;
  /// The next packet, packet_samples(), in place. A lost one is put in place of by what the
  /// standard says, or by what the codec's own decoder does.
  virtual void pass(std::span<std::int16_t> packet, bool lost) noexcept = 0;
  /// As new.
  virtual void reset() noexcept = 0;
  /// 20 ms.
  int packet_samples() const noexcept { return rate() / 50; }
};

enum class Codec {
  a_law,    ///< ITU-T G.711
  mu_law,   ///< ITU-T G.711
  g722,     ///< ITU-T G.722 at 64 kbit/s
  gsm,      ///< GSM 06.10, full rate
  amr_12,   ///< AMR narrow-band at 12.2 kbit/s
  amr_7,    ///< at 7.4 kbit/s
  amr_5,    ///< at 4.75 kbit/s
  opus_16,  ///< Opus, wide band, at 16 kbit/s
  opus_6,   ///< Opus at 6 kbit/s
};
/// Throws std::bad_alloc where a library has no memory.
std::unique_ptr<SpeechCodec> make_codec(Codec codec);

}  // namespace drevan
