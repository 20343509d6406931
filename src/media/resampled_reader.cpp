// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/resampled_reader.h"

#include <fmt/format.h>
#include <soxr.h>

#include <cmath>
#include <numeric>

#include "audio/error.h"
#include "media/interleave.h"

namespace drevan {

namespace {
constexpr int block = 4096;
}

struct ResampledReader::Soxr {
  soxr_t handle = nullptr;
  Soxr(double in, double out, int channels) {
    const auto io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    const auto quality = soxr_quality_spec(SOXR_VHQ, 0);
    const auto runtime = soxr_runtime_spec(1);
    soxr_error_t error = nullptr;
    handle = soxr_create(in, out, static_cast<unsigned>(channels), &error, &io, &quality, &runtime);
    if (error)
      throw Error(Error::Kind::input,
                  fmt::format("Cannot convert from {} Hz to {} Hz: {}.", in, out, error));
  }
  Soxr(const Soxr&) = delete;
  Soxr& operator=(const Soxr&) = delete;
  ~Soxr() { soxr_delete(handle); }
};

ResampledReader::ResampledReader(std::unique_ptr<AudioReader> source, double rate)
    : source_(std::move(source)), info_(source_->info()), in_(info_.channels, block) {
  const auto in = std::llround(info_.rate);
  const auto out = std::llround(rate);
  const auto g = std::gcd(in, out);
  step_in_ = in / g;
  step_out_ = out / g;
  info_.frames = std::llround(static_cast<double>(info_.frames) * rate / info_.rate);
  if (info_.time_reference)
    info_.time_reference =
        std::llround(static_cast<double>(*info_.time_reference) * rate / info_.rate);
  info_.rate = rate;
  interleaved_in_.resize(static_cast<size_t>(block) * static_cast<size_t>(info_.channels));
  restart(0);
}

ResampledReader::~ResampledReader() = default;

void ResampledReader::restart(Samples source_frame) {
  source_->seek(source_frame);
  soxr_ = std::make_unique<Soxr>(source_->info().rate, info_.rate, info_.channels);
  in_left_ = in_at_ = 0;
  ended_ = false;
}

void ResampledReader::seek(Samples frame) {
  goal_ = std::max<Samples>(frame, 0);
  // Start where both clocks tick together, early enough for the filter to be settled.
  const Samples beats = std::max<Samples>(0, goal_ / step_out_ - 8192 / step_in_ - 1);
  restart(beats * step_in_);
  position_ = beats * step_out_;
}

int ResampledReader::read(const AudioBlock& out) {
  const auto channels = static_cast<size_t>(info_.channels);
  int done = 0;
  while (done < out.frames() && goal_ < info_.frames) {
    if (in_left_ == 0 && !ended_) {
      const int got = source_->read(in_.block());
      if (got > 0) interleave(in_.block(0, got), interleaved_in_);
      in_left_ = static_cast<size_t>(got);
      in_at_ = 0;
      ended_ = got == 0;
    }
    const auto want = static_cast<size_t>(out.frames() - done);
    interleaved_out_.resize(want * channels);
    size_t used = 0, made = 0;
    soxr_process(soxr_->handle, ended_ ? nullptr : interleaved_in_.data() + in_at_ * channels,
                 in_left_, &used, interleaved_out_.data(), want, &made);
    in_at_ += used;
    in_left_ -= used;
    if (ended_ && made == 0) break;
    const auto drop = std::clamp<Samples>(goal_ - position_, 0, static_cast<Samples>(made));
    const auto keep = std::min(static_cast<Samples>(made) - drop, info_.frames - goal_);
    deinterleave_finite(std::span(interleaved_out_).subspan(static_cast<size_t>(drop) * channels),
                        out.part(done, static_cast<int>(keep)));
    position_ += static_cast<Samples>(made);
    goal_ += keep;
    done += static_cast<int>(keep);
  }
  return done;
}

}  // namespace drevan
