// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/step_sides.h"

#include <fmt/format.h>

namespace drevan {

namespace {

SharedSound made(const PlannedSide& side, double rate, const ProcessOptions& from) {
  if (auto known = from.cache ? from.cache->get(side.key) : nullptr) return known;
  ProcessOptions options;
  options.store = from.store;
  options.cache = from.cache;
  options.cancel = from.cancel;
  std::shared_ptr<KeptSound> out;
  bool all = true;
  process_clip(*side.plan, options, [&](const AudioBlock& b) {
    if (!out) out = std::make_shared<KeptSound>(rate, b.channels());
    all = all && out->write(b);
  });
  if (!out) out = std::make_shared<KeptSound>(rate, 1);
  if (!all || !out->finish()) throw temporary_disk_full();
  if (from.cache) from.cache->put(side.key, out);
  return out;
}

}  // namespace

std::vector<StepSides> make_sides(const ClipPlan& plan, const ProcessOptions& options) {
  std::vector<StepSides> out(plan.steps.size());
  for (size_t i = 0; i < out.size(); ++i)
    for (const auto& side : plan.steps[i].sides)
      out[i].push_back(side.plan ? made(side, plan.sound.rate, options) : nullptr);
  return out;
}

std::vector<std::string> plan_flaws(const ClipPlan& plan) {
  std::vector<std::string> out;
  for (const auto& step : plan.steps) {
    for (const auto& side : step.sides)
      if (!side.missing.empty()) out.push_back(side.missing);
    for (size_t i = 0; i < step.settings.texts.size(); ++i) {
      const auto& file = step.settings.texts[i];
      const TextParameter& t = step.type->texts[i];
      if (!t.is_file() || file.empty()) continue;
      std::error_code error;
      const std::string fault =
          !std::filesystem::exists(file, error) ? "is not there" : fault_of(t, file);
      if (!fault.empty())
        out.push_back(fmt::format("{} works without {}, which {}; choose another file.",
                                  step.type->label, file, fault));
    }
    const CommonClips* common = step.common.get();
    if (!common || common->left_out.empty()) continue;
    const bool one = common->left_out.size() == 1;
    out.push_back(fmt::format(
        "{} was learned without {}, whose {} missing; find {} again and render once more.",
        step.type->label, fmt::join(common->left_out, ", "), one ? "source is" : "sources are",
        one ? "it" : "them"));
  }
  return out;
}

}  // namespace drevan
