// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/many_inputs.h"

#include <algorithm>
#include <chrono>

#include "audio/error.h"
#include "media/clock_bridge.h"

namespace drevan {

namespace {

constexpr int most_frames = 8192;  // of a block

// A device that gives inputs alone, with the way to the first one's clock.
class FarInput final : public SoundSource {
 public:
  FarInput(std::unique_ptr<AudioDevice> device, int channels, double rate,
           std::function<double()> now_s)
      : device_(std::move(device)), channels_(channels), rate_(rate), now_s_(std::move(now_s)) {}
  ~FarInput() override { stop(); }

  void start(int frames) {
    std::string problem;
    {
      const std::lock_guard lock(mutex_);
      bridge_.emplace(channels_, rate_, frames, frames);
    }
    try {
      device_->start(*this);
    } catch (const Error& e) {
      problem = e.what();
    }
    const std::lock_guard lock(mutex_);
    problem_ = problem;
  }
  void stop() { device_->stop(); }

  InputSource told() const {
    const std::lock_guard lock(mutex_);
    InputSource source{device_->input_name(), channels_, bridge_ ? bridge_->lag() : 0, problem_};
    if (problem_.empty() && device_->lost())
      source.problem = "The input " + source.name +
                       " is gone. What it gave is kept; connect it again, and choose it anew "
                       "in the recording settings.";
    return source;
  }
  int channels() const { return channels_; }

  // The far device's thread.
  void take(const float* interleaved, int channels, int frames) noexcept override {
    bridge_->write(interleaved, channels, frames, now_s_());
  }
  void pull(float* interleaved, int frames) noexcept override {
    std::fill_n(interleaved, 2 * frames, 0.0F);
  }
  // The first device's: to the channels from `first` of `width`.
  void give(float* all, int first, int width, int frames, double at_s) noexcept {
    bridge_->read(all + first, width, frames, at_s);
  }

 private:
  mutable std::mutex mutex_;  // told() comes from another thread than start()
  std::unique_ptr<AudioDevice> device_;
  int channels_;  // that are given; it may have more
  double rate_;
  std::function<double()> now_s_;
  std::optional<ClockBridge> bridge_;
  std::string problem_;
};

class ManyInputs final : public AudioDevice, private SoundSource {
 public:
  ManyInputs(std::unique_ptr<AudioDevice> device, std::vector<std::unique_ptr<AudioDevice>> more,
             double rate, int frames, const std::function<double()>& now_s)
      : device_(std::move(device)), frames_(frames), inputs_(device_->inputs()), now_s_(now_s) {
    for (auto& one : more) {
      const int channels = std::min(one->inputs(), most_inputs - inputs_);
      if (channels <= 0) continue;
      far_.push_back(std::make_unique<FarInput>(std::move(one), channels, rate, now_s));
      inputs_ += channels;
    }
    all_.resize(static_cast<size_t>(most_frames) * static_cast<size_t>(inputs_));
  }
  ~ManyInputs() override { ManyInputs::stop(); }

  std::string name() const override { return device_->name(); }
  bool simulated() const override { return device_->simulated(); }
  bool lost() const override { return device_->lost(); }
  int buffer_frames() const override { return device_->buffer_frames(); }
  double latency_s() const override { return device_->latency_s(); }
  std::string input_name() const override { return device_->input_name(); }
  long dropouts() const override { return device_->dropouts(); }
  int inputs() const override { return inputs_; }
  std::vector<InputSource> input_sources() const override {
    auto all = device_->input_sources();
    for (const auto& far : far_) all.push_back(far->told());
    return all;
  }

  void start(SoundSource& source) override {
    stop();
    source_ = &source;
    for (auto& far : far_) far->start(frames_);
    device_->start(*this);
  }
  void stop() override {
    device_->stop();
    for (auto& far : far_) far->stop();
  }

 private:
  void take(const float* interleaved, int channels, int frames) noexcept override {
    frames = std::min(frames, most_frames);
    const double at_s = now_s_();
    for (int i = 0; i < frames; ++i)
      std::copy_n(interleaved + i * channels, channels, all_.data() + i * inputs_);
    int first = channels;
    for (auto& far : far_) {
      far->give(all_.data(), first, inputs_, frames, at_s);
      first += far->channels();
    }
    source_->take(all_.data(), inputs_, frames);
  }
  void pull(float* interleaved, int frames) noexcept override {
    source_->pull(interleaved, frames);
  }

  std::unique_ptr<AudioDevice> device_;
  std::vector<std::unique_ptr<FarInput>> far_;
  int frames_, inputs_;
  std::function<double()> now_s_;
  SoundSource* source_ = nullptr;
  std::vector<float> all_;
};

}  // namespace

double system_clock_s() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

std::unique_ptr<AudioDevice> with_inputs(std::unique_ptr<AudioDevice> device,
                                         std::vector<std::unique_ptr<AudioDevice>> more,
                                         double rate, int frames,
                                         const std::function<double()>& now_s) {
  if (more.empty() || device->inputs() == 0) return device;
  return std::make_unique<ManyInputs>(std::move(device), std::move(more), rate, frames, now_s);
}

}  // namespace drevan
