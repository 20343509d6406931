// SPDX-License-Identifier: GPL-3.0-or-later
// The open work, whole: made once, by the window.
#pragma once

#include "work/document.h"
#include "work/heard.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/mix_sum.h"
#include "work/mix_watch.h"
#include "work/notices.h"
#include "work/printing.h"
#include "work/recording_desk.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"
#include "work/work.h"

namespace drevan::desktop {

/// Each part follows those before it.
struct OpenWork {
  Notices notices;
  Document document{notices};
  Selection selection{document};
  Measurements measurements{notices, document, selection};
  ShelfMeasurements shelf{notices, document, selection, measurements};
  SceneFilms films{notices, document};
  SceneSounds scene{notices, document, selection, measurements};
  Listening listening{notices, document, selection, measurements, shelf, scene};
  Heard heard{document, selection, measurements, shelf, scene, listening};
  Jobs jobs{notices, document, selection, measurements};
  MixSum mix_sum{notices, document, selection, measurements};
  MixWatch mix_watch{notices, document, measurements, listening};
  Printing printing{notices, document, selection, measurements};
  RecordingDesk recording{notices, document, selection, listening};

  Work parts{notices,   document, selection, measurements, shelf,     films,    scene,
             listening, heard,    jobs,      mix_sum,      mix_watch, printing, recording};
};

}  // namespace drevan::desktop
