// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/speech_codec.h"

#include <opencore-amrnb/interf_dec.h>
#include <opencore-amrnb/interf_enc.h>
#include <opus/opus.h>
#include <spandsp/telephony.h>
// These need the ones above.
#include <spandsp/bit_operations.h>
#include <spandsp/g711.h>
#include <spandsp/g722.h>
#include <spandsp/gsm0610.h>

#include <algorithm>
#include <array>
#include <new>

#include "dsp/loss_concealment.h"

namespace drevan {

namespace {

template <class State, auto end>
struct Ends {
  void operator()(State* s) const noexcept { end(s); }
};
template <class State, auto end>
using Held = std::unique_ptr<State, Ends<State, end>>;
template <class Pointer>
Pointer* there(Pointer* made) {
  if (!made) throw std::bad_alloc();
  return made;
}

class G711 final : public SpeechCodec {
 public:
  explicit G711(bool a_law) : a_law_(a_law) {}
  int rate() const noexcept override { return 8000; }
  int late() const noexcept override { return 0; }
  void pass(std::span<std::int16_t> packet, bool lost) noexcept override {
    if (lost) return concealment_.conceal(packet);
    for (auto& x : packet)
      x = a_law_ ? alaw_to_linear(linear_to_alaw(x)) : ulaw_to_linear(linear_to_ulaw(x));
    concealment_.hear(packet);
  }
  void reset() noexcept override { concealment_.reset(); }

 private:
  bool a_law_;
  LossConcealment concealment_{8000};
};

class G722 final : public SpeechCodec {
 public:
  int rate() const noexcept override { return 16000; }
  int late() const noexcept override { return 22; }  // two filters of 24 taps
  void pass(std::span<std::int16_t> packet, bool lost) noexcept override {
    std::array<std::uint8_t, 160> code;
    const int n =
        g722_encode(encoder_.get(), code.data(), packet.data(), static_cast<int>(packet.size()));
    if (lost) return concealment_.conceal(packet);
    g722_decode(decoder_.get(), packet.data(), code.data(), n);
    concealment_.hear(packet);
  }
  void reset() noexcept override {
    g722_encode_init(encoder_.get(), 64000, 0);
    g722_decode_init(decoder_.get(), 64000, 0);
    concealment_.reset();
  }

 private:
  Held<g722_encode_state_t, g722_encode_free> encoder_{there(g722_encode_init(nullptr, 64000, 0))};
  Held<g722_decode_state_t, g722_decode_free> decoder_{there(g722_decode_init(nullptr, 64000, 0))};
  LossConcealment concealment_{16000};
};

// A lost packet is put in place of by the last one, quieter each time, silent after 320 ms (GSM
// 06.11, chapter 3: the block amplitudes fall by 4 of their 64 steps a packet, the grid is chance).
class Gsm final : public SpeechCodec {
 public:
  int rate() const noexcept override { return 8000; }
  int late() const noexcept override { return 0; }
  void pass(std::span<std::int16_t> packet, bool lost) noexcept override {
    std::array<std::uint8_t, bytes> code;
    gsm0610_encode(encoder_.get(), code.data(), packet.data(), samples);
    if (lost && lost_++ > 0) weaken();
    if (!lost) {
      gsm0610_unpack_voip(&last_, code.data());
      lost_ = 0;
    }
    if (lost) gsm0610_pack_voip(code.data(), &last_);
    gsm0610_decode(decoder_.get(), packet.data(), code.data(), bytes);
  }
  void reset() noexcept override {
    gsm0610_init(encoder_.get(), GSM0610_PACKING_VOIP);
    gsm0610_init(decoder_.get(), GSM0610_PACKING_VOIP);
    last_ = {};
    lost_ = 0;
    chance_ = 1;
  }

 private:
  static constexpr int samples = 160, bytes = 33;
  void weaken() noexcept {
    for (size_t k = 0; k < 4; ++k) {
      last_.xmaxc[k] = static_cast<std::int16_t>(std::max(0, last_.xmaxc[k] - 4));
      chance_ = chance_ * 1664525U + 1013904223U;
      last_.Mc[k] = static_cast<std::int16_t>(chance_ >> 30);
    }
  }
  Held<gsm0610_state_t, gsm0610_free> encoder_{there(gsm0610_init(nullptr, GSM0610_PACKING_VOIP))};
  Held<gsm0610_state_t, gsm0610_free> decoder_{there(gsm0610_init(nullptr, GSM0610_PACKING_VOIP))};
  gsm0610_frame_t last_{};
  int lost_ = 0;
  unsigned chance_ = 1;
};

class Amr final : public SpeechCodec {
 public:
  explicit Amr(Mode mode) : mode_(mode) {}
  int rate() const noexcept override { return 8000; }
  int late() const noexcept override { return 40; }  // the encoder looks 5 ms ahead
  void pass(std::span<std::int16_t> packet, bool lost) noexcept override {
    fresh_ = false;
    std::array<std::uint8_t, 32> code;
    Encoder_Interface_Encode(encoder_.get(), mode_, packet.data(), code.data(), 1);
    // A frame without data: its decoder goes on from what it has.
    if (lost) code[0] = 15 << 3;
    Decoder_Interface_Decode(decoder_.get(), code.data(), packet.data(), 0);
  }
  void reset() noexcept override {
    if (fresh_) return;
    // The homing frame of 3GPP TS 26.071 sets both ends to where they began, all but the last bit.
    std::array<std::int16_t, 160> homing;
    for (int i = 0; i < 3; ++i) {
      homing.fill(8);
      pass(homing, false);
    }
    fresh_ = true;
  }

 private:
  Mode mode_;
  bool fresh_ = true;
  Held<void, Encoder_Interface_exit> encoder_{there(Encoder_Interface_init(0))};
  Held<void, Decoder_Interface_exit> decoder_{there(Decoder_Interface_init())};
};

class OpusLine final : public SpeechCodec {
 public:
  explicit OpusLine(int bits_a_second) {
    int fault = OPUS_OK;
    encoder_.reset(opus_encoder_create(rate(), 1, OPUS_APPLICATION_VOIP, &fault));
    decoder_.reset(opus_decoder_create(rate(), 1, &fault));
    there(encoder_.get());
    there(decoder_.get());
    opus_encoder_ctl(encoder_.get(), OPUS_SET_BITRATE(bits_a_second));
    opus_encoder_ctl(encoder_.get(), OPUS_SET_COMPLEXITY(5));
    opus_encoder_ctl(encoder_.get(), OPUS_SET_SIGNAL(OPUS_SIGNAL_VOICE));
    opus_encoder_ctl(encoder_.get(), OPUS_GET_LOOKAHEAD(&late_));
  }
  int rate() const noexcept override { return 16000; }
  int late() const noexcept override { return late_; }
  void pass(std::span<std::int16_t> packet, bool lost) noexcept override {
    std::array<std::uint8_t, 400> code;
    const int samples = static_cast<int>(packet.size());
    const int n = opus_encode(encoder_.get(), packet.data(), samples, code.data(),
                              static_cast<int>(code.size()));
    const int made = opus_decode(decoder_.get(), lost || n <= 0 ? nullptr : code.data(),
                                 lost ? 0 : std::max(0, n), packet.data(), samples, 0);
    if (made < samples)
      std::ranges::fill(packet.last(static_cast<size_t>(samples - std::max(0, made))), 0);
  }
  void reset() noexcept override {
    opus_encoder_ctl(encoder_.get(), OPUS_RESET_STATE);
    opus_decoder_ctl(decoder_.get(), OPUS_RESET_STATE);
  }

 private:
  Held<OpusEncoder, opus_encoder_destroy> encoder_;
  Held<OpusDecoder, opus_decoder_destroy> decoder_;
  int late_ = 0;
};

}  // namespace

std::unique_ptr<SpeechCodec> make_codec(Codec codec) {
  switch (codec) {
    case Codec::a_law:
    case Codec::mu_law:
      return std::make_unique<G711>(codec == Codec::a_law);
    case Codec::g722:
      return std::make_unique<G722>();
    case Codec::gsm:
      return std::make_unique<Gsm>();
    case Codec::amr_12:
      return std::make_unique<Amr>(MR122);
    case Codec::amr_7:
      return std::make_unique<Amr>(MR74);
    case Codec::amr_5:
      return std::make_unique<Amr>(MR475);
    case Codec::opus_16:
      return std::make_unique<OpusLine>(16000);
    case Codec::opus_6:
      return std::make_unique<OpusLine>(6000);
  }
  return nullptr;
}

}  // namespace drevan
