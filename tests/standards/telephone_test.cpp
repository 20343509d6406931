// SPDX-License-Identifier: GPL-3.0-or-later
// The telephone step against the codecs' libraries and the recommendations of the ITU-T.
#include <gsm.h>
#include <gtest/gtest.h>
#include <opencore-amrnb/interf_dec.h>
#include <opencore-amrnb/interf_enc.h>
#include <opus/opus.h>
#include <sndfile.h>

#include <array>
#include <cmath>
#include <fstream>
#include <numbers>

#include "dsp/loss_concealment.h"
#include "dsp/speech_codec.h"
#include "dsp/telephone_line.h"
#include "support/speech_metrics.h"
#include "support/steps.h"

namespace drevan {
namespace {

using Packet = std::vector<std::int16_t>;
constexpr int codecs = 9;

// A real voice as 16 bits at a codec's rate: of 48 kHz, by every third or sixth sample of what a
// codec's band holds.
Packet voice_at(int rate, const char* name = "en_US_f_Allison", double seconds = 4) {
  AudioBuffer x = test::continuous_speech(name, seconds);
  test::run_step(test::with("cut", {{"low_hz", 20}, {"high_hz", 0.4 * rate}, {"high_slope_db", 3}}),
                 x);
  Packet out;
  const auto step = static_cast<size_t>(48000 / rate);
  for (size_t i = 0; i < x.channel(0).size(); i += step)
    out.push_back(static_cast<std::int16_t>(std::lround(20000 * x.channel(0)[i])));
  return out;
}
Packet passed(Codec codec, Packet x) {
  const auto c = make_codec(codec);
  const auto n = static_cast<size_t>(c->packet_samples());
  for (size_t at = 0; at + n <= x.size(); at += n) c->pass(std::span(x).subspan(at, n), false);
  x.resize(x.size() / n * n);
  return x;
}
// What libsndfile makes of the samples, written in a format and read again.
Packet by_libsndfile(const Packet& x, int format) {
  const test::TempFolder folder;
  const auto file = (folder / "x.au").string();
  SF_INFO info{};
  info.samplerate = 8000, info.channels = 1, info.format = SF_FORMAT_AU | format;
  SNDFILE* f = sf_open(file.c_str(), SFM_WRITE, &info);
  sf_write_short(f, x.data(), static_cast<sf_count_t>(x.size()));
  sf_close(f);
  f = sf_open(file.c_str(), SFM_READ, &info);
  Packet out(x.size());
  sf_read_short(f, out.data(), static_cast<sf_count_t>(out.size()));
  sf_close(f);
  return out;
}

// ITU-T G.711 by another library, libsndfile.
TEST(TelephoneStandard, G711IsThatOfAnotherLibrary) {
  Packet x = voice_at(8000);
  x.resize(x.size() / 160 * 160);
  // Both laws are of 14 bits or fewer; at the edges of their steps libraries round in ways of their
  // own.
  for (auto& v : x) v = static_cast<std::int16_t>(v / 16 * 16 + 6);
  for (const auto& [codec, format] :
       {std::pair{Codec::a_law, SF_FORMAT_ALAW}, {Codec::mu_law, SF_FORMAT_ULAW}}) {
    const Packet own = passed(codec, x), other = by_libsndfile(x, format);
    for (size_t i = 0; i < own.size(); ++i)
      ASSERT_EQ(own[i], other[i]) << x[i] << (codec == Codec::a_law ? ", A-law" : ", mu-law");
  }
}

// GSM 06.10 is exact to the bit by its standard: libgsm gives the same.
TEST(TelephoneStandard, GsmIsThatOfLibgsm) {
  Packet x = voice_at(8000);
  const Packet own = passed(Codec::gsm, x);
  gsm encoder = gsm_create(), decoder = gsm_create();
  for (size_t at = 0; at < own.size(); at += 160) {
    gsm_frame code;
    std::array<std::int16_t, 160> out;
    gsm_encode(encoder, x.data() + at, code);
    gsm_decode(decoder, code, out.data());
    for (size_t i = 0; i < 160; ++i) ASSERT_EQ(own[at + i], out[i]) << at + i;
  }
  gsm_destroy(encoder);
  gsm_destroy(decoder);
}

TEST(TelephoneStandard, AmrAndOpusAreThoseOfTheirLibraries) {
  Packet x = voice_at(8000);
  for (const auto& [codec, mode] :
       {std::pair{Codec::amr_12, MR122}, {Codec::amr_7, MR74}, {Codec::amr_5, MR475}}) {
    const Packet own = passed(codec, x);
    void* encoder = Encoder_Interface_init(0);
    void* decoder = Decoder_Interface_init();
    for (size_t at = 0; at < own.size(); at += 160) {
      std::array<unsigned char, 32> code;
      std::array<std::int16_t, 160> out;
      Encoder_Interface_Encode(encoder, mode, x.data() + at, code.data(), 1);
      Decoder_Interface_Decode(decoder, code.data(), out.data(), 0);
      for (size_t i = 0; i < 160; ++i)
        ASSERT_EQ(own[at + i], out[i]) << static_cast<int>(mode) << " at " << at + i;
    }
    Encoder_Interface_exit(encoder);
    Decoder_Interface_exit(decoder);
  }
  x = voice_at(16000);
  const Packet own = passed(Codec::opus_16, x);
  OpusEncoder* encoder = opus_encoder_create(16000, 1, OPUS_APPLICATION_VOIP, nullptr);
  OpusDecoder* decoder = opus_decoder_create(16000, 1, nullptr);
  opus_encoder_ctl(encoder, OPUS_SET_BITRATE(16000));
  opus_encoder_ctl(encoder, OPUS_SET_COMPLEXITY(5));
  opus_encoder_ctl(encoder, OPUS_SET_SIGNAL(OPUS_SIGNAL_VOICE));
  for (size_t at = 0; at < own.size(); at += 320) {
    std::array<unsigned char, 400> code;
    std::array<std::int16_t, 320> out;
    const int n = opus_encode(encoder, x.data() + at, 320, code.data(), 400);
    ASSERT_EQ(opus_decode(decoder, code.data(), n, out.data(), 320, 0), 320);
    for (size_t i = 0; i < 320; ++i) ASSERT_EQ(own[at + i], out[i]) << at + i;
  }
  opus_encoder_destroy(encoder);
  opus_decoder_destroy(decoder);
}

// ITU-T G.722 against libav's encoder and decoder, which were written apart from the one used here.
TEST(TelephoneStandard, G722IsAsGoodAsThatOfAnotherLibrary) {
  const Packet x = voice_at(16000);
  const Packet own = passed(Codec::g722, x);
  const test::TempFolder folder;
  std::ofstream((folder / "x.s16").string(), std::ios::binary)
      .write(reinterpret_cast<const char*>(x.data()), static_cast<std::streamsize>(2 * x.size()));
  const auto file = [&](const char* name) { return (folder / name).string(); };
  const auto ran = test::run("ffmpeg -v error -f s16le -ar 16000 -ac 1 -i " + file("x.s16") +
                             " -f g722 " + file("x.g722") + " && ffmpeg -v error -f g722 -i " +
                             file("x.g722") + " -f s16le " + file("y.s16"));
  ASSERT_EQ(ran.code, 0) << ran.out;
  const auto raw = test::bytes(folder / "y.s16");
  Packet other(raw.size() / 2);
  std::memcpy(other.data(), raw.data(), 2 * other.size());
  // Against what came in, 22 samples before.
  const auto snr = [&](const Packet& y) {
    double signal = 0, error = 1;
    for (size_t i = 8000; i < std::min(y.size(), own.size()); ++i) {
      const double a = x[i - 22], b = y[i];
      signal += a * a, error += (a - b) * (a - b);
    }
    return 10 * std::log10(signal / error);
  };
  EXPECT_GT(snr(own), 18);
  EXPECT_NEAR(snr(own), snr(other), 0.5);
}

// After reset() a codec gives the same as a new one.
TEST(TelephoneStandard, CodecsBeginAnew) {
  for (int k = 0; k < codecs; ++k) {
    const auto codec = static_cast<Codec>(k);
    const auto c = make_codec(codec);
    const auto n = static_cast<size_t>(c->packet_samples());
    const Packet x = voice_at(c->rate(), "en_US_f_Allison", 1.5), fresh = passed(codec, x);
    Packet warm = x;
    for (size_t at = 0; at + n <= 20 * n; at += n)
      c->pass(std::span(warm).subspan(at, n), at % 3 == 0);
    c->reset();
    Packet again = x;
    for (size_t at = 0; at + n <= again.size(); at += n)
      c->pass(std::span(again).subspan(at, n), false);
    // AMR's homing frame sets back all but the last bit, after which the codec takes other ways as
    // good.
    const bool exact = codec < Codec::amr_12 || codec > Codec::amr_5;
    double power = 1, off = 0;
    for (size_t i = 0; i < fresh.size(); ++i) {
      if (exact) ASSERT_EQ(fresh[i], again[i]) << "codec " << k << " at " << i;
      power += std::pow(fresh[i], 2), off += std::pow(fresh[i] - again[i], 2);
    }
    EXPECT_LT(10 * std::log10(off / power), -10) << "codec " << k;
  }
}

// Total distortion with a sine of 1020 Hz: ITU-T G.712, chapter 11 (values from memory): 33 dB from
// 0 to -30 dBm0, 27 at -40, 22 at -45. 0 dBm0 lies 3.14 dB below the overload of A-law, 3.17 of
// mu-law.
TEST(TelephoneStandard, G711KeepsToTheDistortionMaskOfG712) {
  for (const auto& [codec, overload] : {std::pair{Codec::a_law, 3.14}, {Codec::mu_law, 3.17}})
    for (const auto& [level, least] : {std::pair{0.0, 33.0},
                                       {-10.0, 33.0},
                                       {-20.0, 33.0},
                                       {-30.0, 33.0},
                                       {-40.0, 27.0},
                                       {-45.0, 22.0}}) {
      Packet x;
      const double amplitude = 32768 * std::pow(10, (level - overload) / 20);
      for (int i = 0; i < 16000; ++i)
        x.push_back(static_cast<std::int16_t>(
            std::clamp(std::lround(amplitude * std::sin(2 * std::numbers::pi * 1020 * i / 8000)),
                       -32768L, 32767L)));
      const Packet y = passed(codec, x);
      double re = 0, im = 0, all = 0, mean = 0;
      for (size_t i = 0; i < y.size(); ++i)
        mean += static_cast<double>(y[i]) / static_cast<double>(y.size());
      for (size_t i = 0; i < y.size(); ++i) {
        const double t = 2 * std::numbers::pi * 1020 * static_cast<double>(i) / 8000,
                     v = y[i] - mean;
        re += v * std::sin(t), im += v * std::cos(t), all += v * v;
      }
      const double tone = 2 * (re * re + im * im) / static_cast<double>(y.size());
      EXPECT_GE(10 * std::log10(tone / (all - tone)), least) << level << " dBm0";
    }
}

double line_gain_db(const ChainStep& step, double hz) {
  AudioBuffer x = test::sine(hz, 0.2, 1.2);
  test::run_step(step, x);
  return test::rms_db(x.channel(0).subspan(24000, 24000)) -
         test::rms_db(test::sine(hz, 0.2, 0.5).channel(0));
}

// ITU-T G.712, chapter 7 (values from memory), against the gain at 1020 Hz: within half a decibel
// from 300 to 3000 Hz, not more than 1.8 dB down at 3400 Hz, and of what lies above 4.6 kHz 25 dB
// less.
TEST(TelephoneStandard, ALandlineHasTheBandOfG712) {
  const auto line = test::with("telephone", {{"network", 1}});
  const double middle = line_gain_db(line, 1020);
  for (const double hz : {310.0, 500.0, 1500.0, 2310.0, 2990.0})
    EXPECT_NEAR(line_gain_db(line, hz) - middle, 0, 0.5) << hz;
  EXPECT_NEAR(line_gain_db(line, 3390) - middle, -0.6, 1.2);
  EXPECT_LT(line_gain_db(line, 50) - middle, -20);
  for (const double hz : {4610.0, 6000.0, 12000.0})
    EXPECT_LT(line_gain_db(line, hz) - middle, -40) << hz;
}

// The lag at which `out` is most like `in`, in frames.
long lag_of(std::span<const float> in, std::span<const float> out) {
  double best = -1;
  long lag = 0;
  for (long l = -400; l <= 400; ++l) {
    double sum = 0;
    for (size_t i = 48000; i < 96000; ++i)
      sum += static_cast<double>(in[i]) *
             static_cast<double>(out[static_cast<size_t>(static_cast<long>(i) + l)]);
    if (sum > best) best = sum, lag = l;
  }
  return lag;
}

TEST(TelephoneStandard, WordsStayInPlaceAndAreUnderstood) {
  const AudioBuffer in = test::continuous_speech("fr_CA_f_June", 4);
  // What the line's low edge turns in phase is left out.
  const auto middle = [](AudioBuffer x) {
    test::run_step(test::with("cut", {{"low_hz", 1000}, {"high_hz", 3000}}), x);
    return x;
  };
  const AudioBuffer own = middle(in);
  for (int network = 0; network < 10; ++network) {
    AudioBuffer x = in;
    test::run_step(test::with("telephone", {{"network", network}}), x);
    const AudioBuffer heard = middle(x);
    EXPECT_LE(std::abs(lag_of(own.channel(0), heard.channel(0))), 12)
        << "network " << network << ' ' << lag_of(own.channel(0), heard.channel(0));
    EXPECT_GT(test::stoi(in.channel(0), x.channel(0)), 0.8) << "network " << network;
  }
}

TEST(TelephoneStandard, AsMuchIsLostAsAskedForAndItIsPutInPlaceOf) {
  const AudioBuffer in = test::continuous_speech("it_IT_m_Carlo", 40);
  AudioBuffer whole = in;
  test::run_step(test::with("telephone", {{"network", 1}}), whole);
  for (const double loss : {5.0, 20.0}) {
    AudioBuffer x = in;
    test::run_step(test::with("telephone", {{"network", 1}, {"loss_pct", loss}}), x);
    AudioBuffer holes = whole;
    double lost = 0, packets = 0, bursts = 0;
    bool before = false;
    for (size_t at = 0; at + 960 <= static_cast<size_t>(x.frames()); at += 960) {
      double off = 0;
      // Late in the packet: its beginning still comes from the one before; what is read near its
      // end is of the next.
      for (size_t i = at + 690; i < at + 760; ++i)
        off += std::abs(static_cast<double>(x.channel(0)[i] - whole.channel(0)[i]));
      const bool gone = off > 1e-3;
      packets += 1, lost += gone, bursts += gone && !before;
      before = gone;
      if (gone) std::fill_n(holes.channel(0).begin() + static_cast<std::ptrdiff_t>(at), 960, 0.0F);
    }
    EXPECT_NEAR(100 * lost / packets, loss, 0.25 * loss);
    EXPECT_NEAR(lost / bursts, 2.1, 0.5);
    EXPECT_GT(test::stoi(whole.channel(0), x.channel(0)),
              test::stoi(whole.channel(0), holes.channel(0)))
        << loss;
  }
}

// ITU-T G.711, Appendix I: a steady tone goes on through a loss of one packet, and fades to nothing
// in 60 ms.
TEST(TelephoneStandard, ALostPacketGoesOnAsBefore) {
  for (const int rate : {8000, 16000}) {
    LossConcealment c(rate);
    const auto n = static_cast<size_t>(rate / 50);
    const auto tone = [&](size_t i) {
      const double t = 2 * std::numbers::pi * 125 * static_cast<double>(i) / rate;
      return 8000 * std::sin(t) + 4000 * std::sin(3 * t);
    };
    size_t at = 0;
    const auto packet = [&] {
      Packet p;
      for (size_t i = 0; i < n; ++i)
        p.push_back(static_cast<std::int16_t>(std::lround(tone(at + i))));
      return p;
    };
    for (int k = 0; k < 10; ++k, at += n) {
      Packet p = packet();
      c.hear(p);
    }
    Packet gone(n);
    c.conceal(gone);
    double error = 0, power = 0;
    for (size_t i = 0; i < n / 2; ++i)
      error += std::pow(gone[i] - tone(at + i), 2), power += std::pow(tone(at + i), 2);
    EXPECT_LT(10 * std::log10(error / power), -20) << rate;
    for (int k = 0; k < 3; ++k) c.conceal(gone);
    for (const auto v : gone) EXPECT_EQ(v, 0);
  }
}

// Where playing begins makes no difference: packets and losses go by the frame.
TEST(TelephoneStandard, FromTheMiddleItIsTheSame) {
  const AudioBuffer in = test::continuous_speech("ru_RU_f_IvrvoiceRU", 4);
  const auto step = test::with(
      "telephone", {{"network", 0}, {"loss_pct", 20}, {"noise_db", -40}, {"clicks_pct", 50}});
  const auto run_from = [&](Samples first) {
    const auto p = make_processor(*step.type, step.settings, {}, {48000, 1, 4096});
    p->reset();
    p->place(first);
    AudioBuffer x(1, in.frames() - first);
    std::ranges::copy(in.channel(0).subspan(static_cast<size_t>(first)), x.channel(0).begin());
    for (Samples at = 0; at < x.frames(); at += 4096)
      p->process(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
    return x;
  };
  const AudioBuffer whole = run_from(0), part = run_from(61234);
  double off = 0, power = 0;
  for (size_t i = 48000; i < static_cast<size_t>(part.frames()); ++i) {
    off += std::pow(static_cast<double>(part.channel(0)[i] - whole.channel(0)[i + 61234]), 2);
    power += std::pow(static_cast<double>(part.channel(0)[i]), 2);
  }
  EXPECT_LT(10 * std::log10(off / power + 1e-20), -50);
}

}  // namespace
}  // namespace drevan
