// SPDX-License-Identifier: GPL-3.0-or-later
// Subtitles that change their container. Private to media.
#pragma once

#include <optional>
#include <string_view>

#include "media/libav_open.h"

namespace drevan::libav {

/// As what text subtitles stand in a container: SubRip in Matroska, timed text (3GPP TS 26.245) in
/// MP4 and MOV, WebVTT in WebM. Nullopt: as they are.
std::optional<AVCodecID> subtitle_in(const AVOutputFormat& container, AVCodecID codec);

/// Makes a stream's parameters those of another text format.
void become_subtitle(AVCodecParameters& parameters, AVCodecID codec);

/// The same words in another text format; places and colours are lost.
void rewrite_subtitle(AVPacket& packet, AVCodecID from, AVCodecID to);

}  // namespace drevan::libav
