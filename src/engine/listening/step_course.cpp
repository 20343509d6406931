// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/step_course.h"

#include <chrono>

#include "audio/denormals.h"
#include "dsp/sums.h"

namespace drevan {

bool tells_reduction(const StepType& type) {
  return type.traits.tells == Tells::reduction || type.traits.tells == Tells::reduction_per_band;
}

double reduction_db(const StepType& type, std::span<const float> readings) {
  if (type.traits.tells == Tells::reduction)
    return readings.size() > 1 ? static_cast<double>(readings[1]) : 0;
  float most = 0;
  for (size_t i = 1; i < readings.size(); i += 2) most = std::max(most, readings[i]);
  return static_cast<double>(most);
}

StepCourse measure_step_course(const std::shared_ptr<const PlayPlan>& plan,
                               const CancelToken& cancel,
                               const std::function<void(const StepCourse&)>& told) {
  using Clock = std::chrono::steady_clock;
  const FlushDenormals flush;
  const StepType& type = *plan->clip.steps.at(static_cast<size_t>(plan->solo_step)).type;
  PlayRun run(plan);
  run.seek(0);
  AudioBuffer before(run.channels(), PlayRun::block), after(run.channels(), PlayRun::block);
  StepCourse course;
  double cross = 0, own = 0;
  auto next_telling = Clock::now() + std::chrono::milliseconds(250);
  std::array<float, max_readings> readings{};
  while (!run.ended()) {
    cancel.check();
    run.next(before.block(), after.block(), -1);
    if (tells_reduction(type)) {
      const int n = run.processor(plan->solo_step)->readings(readings);
      course.reduction_db.push_back(static_cast<float>(
          reduction_db(type, std::span(readings).first(static_cast<size_t>(n)))));
    }
    if (type.traits.tells == Tells::pitch) {
      run.processor(plan->solo_step)->readings(readings);
      course.pitch_hz.push_back(readings[0]);
      course.new_pitch_hz.push_back(readings[1]);
    }
    for (int c = 0; c < before.channels(); ++c) {
      const double power =
          sum_of_squares(before.channel(c));  // loud blocks count for more, see LevelPath
      cross += power * sum_of_products(before.channel(c), after.channel(c));
      own += power * power;
    }
    if (told && Clock::now() > next_telling) {
      told(course);
      next_telling = Clock::now() + std::chrono::milliseconds(250);
    }
  }
  if (own > 1e-18) course.fitted_gain = cross / own;
  return course;
}

}  // namespace drevan
