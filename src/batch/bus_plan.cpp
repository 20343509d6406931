// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/bus_plan.h"

#include <algorithm>

#include "audio/hash.h"
#include "batch/mix.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace {

bool anything_enters(const Reel& reel, ClipId bus) {
  return std::ranges::any_of(rendered_clips(reel), [&](ClipId id) {
    const Clip& clip = *reel.find(id);
    const auto sends = sends_of(reel, clip);
    if (bus == mix_clip_id) return heard_direct(reel, clip) || !sends.empty();
    return std::ranges::find(sends, space_of(bus), &Send::space) != sends.end();
  });
}

}  // namespace

Chain live_chain(const Reel& reel, ClipId bus) {
  Chain chain = reel.find(bus)->chain;
  std::erase_if(chain.steps, [](const ChainStep& s) { return s.type->rewrite != nullptr; });
  return chain;
}

bool bus_must_hear(const Reel& reel, ClipId bus) {
  return std::ranges::any_of(live_chain(reel, bus).steps, [](const ChainStep& s) {
    return s.on && (must_hear(*s.type, s.settings) || hears_sides(s));
  });
}

BusPlan bus_plan(const Reel& reel, ClipId bus, const std::filesystem::path& folder,
                 FindingStore& store, const CancelToken& cancel) {
  BusPlan out;
  if (!bus_must_hear(reel, bus) || !anything_enters(reel, bus)) {
    out.steps = planned(live_chain(reel, bus), reel.rate);
    out.findings.resize(out.steps.size());
    return out;
  }
  const std::string own = "bus" + std::to_string(bus.number()) + "-";
  const auto file = folder / (own + to_hex(sum_key(reel, bus)) + ".wav");
  std::error_code error;
  // Of each bus the newest sum is kept: they are as long as the reel.
  for (const auto& entry : std::filesystem::directory_iterator(folder, error))
    if (entry.path().filename().string().starts_with(own) && entry.path() != file) {
      std::error_code ignored;
      std::filesystem::remove(entry.path(), ignored);
    }
  if (!std::filesystem::exists(file, error)) render_sum(reel, file, store, cancel, {}, bus);
  const ClipPlan plan = plan_of(ClipSound{file, 0, -1, reel.rate, {}}, live_chain(reel, bus));
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  const Processed processed = process_clip(plan, options, {});
  out.steps = plan.steps;
  out.findings = processed.findings;
  out.sides = processed.sides;
  return out;
}

}  // namespace drevan
