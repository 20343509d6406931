// SPDX-License-Identifier: GPL-3.0-or-later
// What is open and all that hangs on it, as the pages are given it. Names only: who uses a part includes its header.
#pragma once

namespace drevan::desktop {

class Document;
class Heard;
class Jobs;
class Listening;
class Measurements;
class MixSum;
class MixWatch;
class Notices;
class Printing;
class RecordingDesk;
class SceneFilms;
class SceneSounds;
class Selection;
class ShelfMeasurements;

/// The parts of the open work. They outlive every page.
struct Work {
  Notices& notices;            ///< the line that tells
  Document& document;          ///< the reel, its edits and its file
  Selection& selection;        ///< which clip and step are looked at
  Measurements& measurements;  ///< what is known of the selected clip
  ShelfMeasurements& shelf;    ///< what is known of every clip
  SceneFilms& films;           ///< what the reel's films are
  SceneSounds& scene;          ///< every clip made ready for the Scene
  Listening& listening;        ///< the player and what it plays
  Heard& heard;                ///< what was listened to
  Jobs& jobs;                  ///< work in the background that ends in an edit
  MixSum& mix_sum;             ///< what the mix is made of
  MixWatch& mix_watch;         ///< how loud the mix is
  Printing& printing;          ///< sound frozen into versions
  RecordingDesk& recording;    ///< the inputs, and what is recorded
};

}  // namespace drevan::desktop
