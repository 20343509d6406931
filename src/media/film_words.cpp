// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_words.h"

#include <algorithm>
#include <array>
#include <new>
#include <string>

namespace drevan::libav {

namespace {

bool is_text(AVCodecID codec) {
  return codec == AV_CODEC_ID_SUBRIP || codec == AV_CODEC_ID_TEXT ||
         codec == AV_CODEC_ID_MOV_TEXT || codec == AV_CODEC_ID_WEBVTT;
}

// A sample description of timed text: below the middle, one white serif font of 18 points.
constexpr std::array<std::uint8_t, 43> plain_description{
    0, 0, 0, 0,  1,    0xFF, 0,    0,    0, 0, 0, 0,  0,   0,   0,   0,   0, 0, 0, 0, 0, 0,
    0, 1, 0, 18, 0xFF, 0xFF, 0xFF, 0xFF, 0, 0, 0, 18, 'f', 't', 'a', 'b', 0, 1, 0, 1, 5};
constexpr std::string_view font = "Serif";

// <i>, <font ...> and the like have no meaning there.
std::string without_marks(std::string_view text) {
  std::string out;
  for (size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '<')
      if (const auto end = text.find('>', i); end != std::string_view::npos) {
        i = end;
        continue;
      }
    out += text[i];
  }
  return out;
}

}  // namespace

std::optional<AVCodecID> subtitle_in(const AVOutputFormat& container, AVCodecID codec) {
  if (!is_text(codec)) return std::nullopt;
  const std::string_view name = container.name;
  if (name == "webm") return AV_CODEC_ID_WEBVTT;
  if (name == "matroska") return codec == AV_CODEC_ID_MOV_TEXT ? AV_CODEC_ID_SUBRIP : codec;
  if (name == "mov" || name == "mp4" || name == "ipod") return AV_CODEC_ID_MOV_TEXT;
  return std::nullopt;
}

void become_subtitle(AVCodecParameters& p, AVCodecID codec) {
  av_freep(&p.extradata);
  p.extradata_size = 0;
  p.codec_id = codec;
  p.codec_tag = 0;
  if (codec != AV_CODEC_ID_MOV_TEXT) return;
  const size_t size = plain_description.size() + font.size();
  p.extradata = static_cast<std::uint8_t*>(av_mallocz(size + AV_INPUT_BUFFER_PADDING_SIZE));
  if (!p.extradata) throw std::bad_alloc();
  const auto end = std::ranges::copy(plain_description, p.extradata).out;
  std::ranges::copy(font, end);
  p.extradata_size = static_cast<int>(size);
}

void rewrite_subtitle(AVPacket& packet, AVCodecID from, AVCodecID to) {
  std::string_view text(reinterpret_cast<const char*>(packet.data),
                        static_cast<size_t>(packet.size));
  // Timed text counts its bytes in two before them; styles may follow.
  if (from == AV_CODEC_ID_MOV_TEXT) {
    const size_t size =
        text.size() < 2 ? 0 : static_cast<size_t>(packet.data[0] << 8 | packet.data[1]);
    text = text.size() < 2 ? std::string_view() : text.substr(2, size);
  }
  std::string words = to == AV_CODEC_ID_MOV_TEXT ? without_marks(text) : std::string(text);
  if (to == AV_CODEC_ID_MOV_TEXT) {
    words.resize(std::min<size_t>(words.size(), 65535));
    const auto size = static_cast<unsigned>(words.size());
    words.insert(0, {static_cast<char>(size >> 8), static_cast<char>(size & 255)});
  }
  AVPacket* made = av_packet_alloc();
  if (!made || av_new_packet(made, static_cast<int>(words.size())) < 0) {
    av_packet_free(&made);
    throw std::bad_alloc();
  }
  std::ranges::copy(words, made->data);
  av_packet_copy_props(made, &packet);
  made->stream_index = packet.stream_index;
  av_packet_unref(&packet);
  av_packet_move_ref(&packet, made);
  av_packet_free(&made);
}

}  // namespace drevan::libav
