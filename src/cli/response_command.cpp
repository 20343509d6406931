// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "engine/making/response_making.h"
#include "reel/library/source_files.h"

namespace drevan::cli {

int sweep(const SweepCall& call) {
  require_output(call.out, {{}, call.overwrite});
  write_sweep(call.out, {.from_hz = call.from_hz, .to_hz = call.to_hz, .seconds = call.seconds},
              call.rate);
  say("{}: play it in the room, record what comes back, then: drevan-cli response --sweep {} "
      "RECORDING\n",
      call.out.string(), call.out.string());
  return ok;
}

int response(const std::filesystem::path& sweep_file, const std::filesystem::path& recording,
             std::filesystem::path out, bool overwrite) {
  if (out.empty()) (out = recording).replace_filename(recording.stem().string() + " response.wav");
  require_output(out, {{sweep_file, recording}, overwrite});
  const MadeResponse made = make_response(sweep_file, recording, out, interrupted());
  say("{}: {} channel{}, {:g} Hz, {:.2f} s", out.string(), made.channels,
      made.channels == 1 ? "" : "s", made.rate, made.seconds);
  if (made.t60_s > 0) say(", falls by 60 dB in {:.2f} s", made.t60_s);
  say("\n");
  return ok;
}

}  // namespace drevan::cli
