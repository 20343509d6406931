// SPDX-License-Identifier: GPL-3.0-or-later
// Inputs of several devices at once.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "media/device.h"

namespace drevan {

/// Of the system's steady clock, seconds.
double system_clock_s();

/// The device with the inputs of others behind its own, as they come by its clock: each of `more`
/// has a clock of its own, which is followed. One that does not start, or goes, gives silence and
/// has a `problem`; what is too much for most_inputs is left out. Where the device itself has no
/// inputs it stays as it is. `frames`: what the devices were asked to give at a time. `now_s`: the
/// system's clock, seconds, or in tests another; it is asked on the devices' threads.
std::unique_ptr<AudioDevice> with_inputs(std::unique_ptr<AudioDevice> device,
                                         std::vector<std::unique_ptr<AudioDevice>> more,
                                         double rate, int frames,
                                         const std::function<double()>& now_s = system_clock_s);

}  // namespace drevan
