// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/film_pictures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>

extern "C" {
#include <libavutil/display.h>
#include <libswscale/swscale.h>
}

#include "audio/error.h"
#include "media/film_open.h"

namespace drevan {

namespace {

struct FreeScaler {
  void operator()(SwsContext* p) const { sws_freeContext(p); }
};

}  // namespace

struct FilmPictures::Impl {
  Impl(const std::filesystem::path& file, PixelForm wanted, int w, int h)
      : name(file.string()),
        film(libav::open_film(file)),
        info(libav::info_of(film)),
        form(wanted),
        width(w),
        height(h),
        packet(av_packet_alloc()) {
    const AVStream& s = film.stream();
    const AVCodec* decoder = avcodec_find_decoder(s.codecpar->codec_id);
    codec.reset(avcodec_alloc_context3(decoder));
    if (!packet) throw std::bad_alloc();
    if (!decoder || !codec || avcodec_parameters_to_context(codec.get(), s.codecpar) < 0)
      throw Error(Error::Kind::input, fmt::format("{}: its picture cannot be read.", name));
    codec->pkt_timebase = s.time_base;
    codec->thread_count = 0;  // as many as there are cores
    if (avcodec_open2(codec.get(), decoder, nullptr) < 0)
      throw Error(Error::Kind::input, fmt::format("{}: its picture cannot be read.", name));
    for (unsigned i = 0; i < film.format->nb_streams; ++i)
      if (static_cast<int>(i) != film.picture) film.format->streams[i]->discard = AVDISCARD_ALL;
  }
  // The next decoded frame; nullptr: there is none.
  libav::Owned<AVFrame> decode() {
    libav::Owned<AVFrame> frame(av_frame_alloc());
    if (!frame) throw std::bad_alloc();
    for (int broken = 0; broken < 1000;) {
      const int got = avcodec_receive_frame(codec.get(), frame.get());
      if (got == 0) return frame;
      if (got == AVERROR_EOF) return nullptr;
      if (got != AVERROR(EAGAIN)) {  // a broken picture: the next one
        ++broken;
        continue;
      }
      if (av_read_frame(film.format.get(), packet.get()) < 0) {
        avcodec_send_packet(codec.get(), nullptr);
        continue;
      }
      if (packet->stream_index == film.picture) avcodec_send_packet(codec.get(), packet.get());
      av_packet_unref(packet.get());
    }
    return nullptr;
  }
  // From the first picture on.
  double begins_s(const AVFrame& frame) const {
    return libav::seconds_of(frame.best_effort_timestamp, film.stream().time_base) -
           film.begins_s();
  }
  FilmPicture made(const AVFrame& frame) {
    FilmPicture out;
    out.width = width > 0 ? width : frame.width;
    out.height = height > 0 ? height : frame.height;
    out.at_s = begins_s(frame);
    const AVPixelFormat to = form == PixelForm::rgb ? AV_PIX_FMT_RGB24 : AV_PIX_FMT_GRAY8;
    scaler.reset(sws_getCachedContext(
        scaler.release(), frame.width, frame.height, static_cast<AVPixelFormat>(frame.format),
        out.width, out.height, to, width > 0 ? SWS_AREA : SWS_BILINEAR, nullptr, nullptr, nullptr));
    if (!scaler)
      throw Error(Error::Kind::input, fmt::format("{}: its picture cannot be read.", name));
    const int row = out.width * (form == PixelForm::rgb ? 3 : 1);
    // The scaler may write beyond a row's end.
    std::vector<std::uint8_t> wide(static_cast<size_t>(row + 64) * static_cast<size_t>(out.height));
    std::uint8_t* planes[4] = {wide.data(), nullptr, nullptr, nullptr};
    const int strides[4] = {row + 64, 0, 0, 0};
    sws_scale(scaler.get(), frame.data, frame.linesize, 0, frame.height, planes, strides);
    out.pixels.resize(static_cast<size_t>(row) * static_cast<size_t>(out.height));
    for (int y = 0; y < out.height; ++y)
      std::copy_n(wide.begin() + static_cast<std::ptrdiff_t>(y) * (row + 64), row,
                  out.pixels.begin() + static_cast<std::ptrdiff_t>(y) * row);
    return out;
  }

  std::string name;
  libav::Film film;
  FilmInfo info;
  libav::Owned<AVCodecContext> codec;
  PixelForm form;
  int width, height;
  std::unique_ptr<SwsContext, FreeScaler> scaler;
  libav::Owned<AVPacket> packet;
  std::deque<libav::Owned<AVFrame>> ready;  // decoded by a seek
};

FilmPictures::FilmPictures(const std::filesystem::path& file, PixelForm form, int width, int height)
    : impl_(std::make_unique<Impl>(file, form, width, height)) {}
FilmPictures::~FilmPictures() = default;

const FilmInfo& FilmPictures::info() const { return impl_->info; }

int FilmPictures::rotation_deg() const {
  const AVStream& s = impl_->film.stream();
  const std::uint8_t* matrix = av_stream_get_side_data(&s, AV_PKT_DATA_DISPLAYMATRIX, nullptr);
  if (!matrix) return 0;
  // Counted to the left there.
  const double left = av_display_rotation_get(reinterpret_cast<const std::int32_t*>(matrix));
  if (!std::isfinite(left)) return 0;
  const int right = static_cast<int>(std::lround(-left / 90)) * 90;
  return ((right % 360) + 360) % 360;
}

void FilmPictures::seek(double s) {
  Impl& m = *impl_;
  const auto late = [&](const AVFrame& frame) { return m.begins_s(frame) > s + same_moment_s; };
  const AVStream& stream = m.film.stream();
  double from = std::max(0.0, s);
  for (int tries = 0;; ++tries) {
    m.ready.clear();
    const auto ts =
        static_cast<std::int64_t>((from + m.film.begins_s()) / av_q2d(stream.time_base));
    if (av_seek_frame(m.film.format.get(), m.film.picture, ts, AVSEEK_FLAG_BACKWARD) < 0)
      av_seek_frame(m.film.format.get(), m.film.picture, 0, AVSEEK_FLAG_ANY);
    avcodec_flush_buffers(m.codec.get());
    auto first = m.decode();
    const bool later = !first || late(*first);
    if (first) m.ready.push_back(std::move(first));
    if (!later || from <= 0) break;
    // Containers without an index land where they can: farther back.
    from = std::max(0.0, from - std::exp2(tries));
  }
  // On to the last one that begins no later; the one behind it waits.
  while (!m.ready.empty() && !late(*m.ready.back())) {
    if (m.ready.size() > 1) m.ready.pop_front();
    auto next = m.decode();
    if (!next) break;
    m.ready.push_back(std::move(next));
  }
}

std::optional<FilmPicture> FilmPictures::next() {
  Impl& m = *impl_;
  libav::Owned<AVFrame> frame;
  if (m.ready.empty())
    frame = m.decode();
  else {
    frame = std::move(m.ready.front());
    m.ready.pop_front();
  }
  if (!frame) return std::nullopt;
  return m.made(*frame);
}

}  // namespace drevan
