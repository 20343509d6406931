// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

class Reverse final : public Rewriter {
 public:
  explicit Reverse(StreamFormat format) : format_(format) {}
  Samples length(Samples frames) const override { return frames; }
  TimeMap map(Samples frames) const override {
    return TimeMap::reversed(static_cast<double>(frames) / format_.rate);
  }
  void rewrite(SoundReader& in, const Sink& out, const Tell& tell) override {
    AudioBuffer buffer(format_.channels, format_.max_block);
    const Samples all = in.shape().frames;
    for (Samples left = all; left > 0;) {
      const auto n = static_cast<int>(std::min<Samples>(left, format_.max_block));
      left -= n;
      in.seek(left);
      const auto block = buffer.block(0, n);
      in.read(block);
      for (int c = 0; c < block.channels(); ++c) std::ranges::reverse(block.channel(c));
      out(block);
      tell(1 - static_cast<double>(left) / static_cast<double>(all));
    }
  }

 private:
  StreamFormat format_;
};

std::unique_ptr<Rewriter> rewrite(const Settings&, const RewriteContext& context) {
  return std::make_unique<Reverse>(context.format);
}

}  // namespace

const StepType& reverse_step() {
  static const StepType type{
      .id = "reverse",
      .label = "Reverse",
      .summary = "plays a sound backwards",
      .family = Family::motion,
      .parameters = {},
      .rewrite = rewrite,
      .brief = [](const Settings&) { return std::string("backwards"); },
      .picture = ClockSpec{},
  };
  return type;
}

}  // namespace drevan
