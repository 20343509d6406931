// SPDX-License-Identifier: GPL-3.0-or-later
// No step takes memory, waits for a lock or opens a file once it is made: it works on the thread that must keep up
// with the sound device.
#include <gtest/gtest.h>

#include <mutex>

#include "steps/curve.h"
#include "support/extent.h"
#include "support/real_time.h"
#include "support/step_bench.h"

namespace drevan {
namespace {

using test::RealTimeWatch;
using test::StepBench;

TEST(RealTimeWatch, CountsWhatItIsFor) {
  DREVAN_NOT_SANITIZED("it has an allocator of its own");
  std::mutex mutex;
  RealTimeWatch watch;
  EXPECT_EQ(watch.counts().all(), 0);
  auto* memory = new std::vector<int>(1000);
  EXPECT_EQ(watch.counts().taken, 2);
  delete memory;
  EXPECT_EQ(watch.counts().given_back, 2);
  mutex.lock();
  mutex.unlock();
  EXPECT_EQ(watch.counts().locks, 1);
}

std::vector<const StepType*> steps_that_process() {
  std::vector<const StepType*> out;
  for (const StepType* t : catalogue())
    if (t->make) out.push_back(t);
  return out;
}

class RealTime : public testing::TestWithParam<const StepType*> {
 protected:
  // Calls `what` and says what it did that it must not.
  template <class What>
  void expect_none(const std::string& name, What what) {
    RealTimeWatch::Counts counts;
    {
      const RealTimeWatch watch;
      what();
      counts = watch.counts();
    }
    EXPECT_EQ(counts.all(), 0) << name << ": " << counts.taken << " taken, " << counts.given_back
                               << " given back, " << counts.locks << " locks, " << counts.files
                               << " files";
  }
};

TEST_P(RealTime, NothingIsTakenOrWaitedForOnceItIsMade) {
  DREVAN_NOT_SANITIZED("it has an allocator of its own");
  const StepType& type = *GetParam();
  for (const int channels : {1, 2}) {
    const StepBench bench(type, {48000, channels, 4096}, 0.02);
    for (const bool busy : {false, true}) {
      if (busy && type.starting_points.empty()) continue;
      const Settings s = busy ? bench.busy() : bench.standard();
      const Findings found = bench.learn(s);
      const auto p = make_processor(type, s, found, bench.format());
      AudioBuffer x = bench.wide(bench.programme(1), s), side = bench.beside(1);
      const std::string name = std::string(type.id) + (busy ? ", busy" : "");
      Samples at = 0;
      const auto process = [&](int n) {
        if (!type.sides.empty()) p->hear_side(0, side.block(at, n));
        p->process(x.block(at, n));
        at = (at + n) % 40000;
      };
      expect_none(name + ", process", [&] {
        for (const int n : {4096, 1, 64, 1000}) process(n);
      });
      for (size_t i = 0; i < type.parameters.size(); ++i) {
        const Parameter& parameter = type.parameters[i];
        if (parameter.fixed || parameter.learned_from) continue;
        for (const double value : {parameter.least, parameter.most, s.values[i]})
          expect_none(name + ", set " + std::string(parameter.id), [&] {
            p->set(static_cast<int>(i), value);
            process(512);
          });
      }
      for (size_t i = 0; i < type.parameters.size(); ++i) {
        const Parameter& of = type.parameters[i];
        if (!may_follow_curve(of)) continue;
        const Curve curve{{{0, of.least, CurveShape::line}, {1, of.most, CurveShape::line}}};
        expect_none(name + ", follow " + std::string(of.id), [&] {
          p->follow(static_cast<int>(i), &curve);
          process(700);
          p->follow(static_cast<int>(i), nullptr);
        });
      }
      expect_none(name + ", place", [&] {
        p->place(12345);
        process(700);
      });
      expect_none(name + ", findings", [&] {
        p->set_findings(found);
        process(700);
      });
      expect_none(name + ", reset", [&] {
        p->reset();
        process(700);
      });
      std::array<float, 128> readings{};
      expect_none(name + ", readings", [&] { p->readings(readings); });
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Steps, RealTime, testing::ValuesIn(steps_that_process()),
                         [](const auto& given) {
                           auto name = std::string(given.param->id);
                           std::ranges::replace(name, '-', '_');
                           return name;
                         });

}  // namespace
}  // namespace drevan
