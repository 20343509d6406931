// SPDX-License-Identifier: GPL-3.0-or-later
// Work in the background that ends in an edit: files read, room tone found, clips cut, a target
// met.
#pragma once

#include <QObject>
#include <QStringList>
#include <filesystem>
#include <functional>

#include "batch/mix.h"
#include "engine/making/made_sound.h"
#include "reel/edits/cuts.h"
#include "work/open_reel.h"

namespace drevan::desktop {

class Document;
class Measurements;
class Notices;
class Selection;

class Jobs : public QObject {
  Q_OBJECT

 public:
  Jobs(Notices& notices, Document& document, Selection& selection, Measurements& measurements,
       QObject* parent = nullptr);

  /// Adds files, and all that lie in folders, whose own folders become groups; what cannot be read
  /// is told and left out. Drops queue: each is read when those before it are. `group`: where files
  /// go that lie in no folder; empty: to "New clips".
  void add_files(const QStringList& paths, const QString& group = {});
  /// Cuts the selected clip at a moment, or at both ends of a range; where the sound crosses zero.
  void split(std::vector<ClipTime> at);
  void take_out(ClipRange range, bool close_up);
  /// The selected clip becomes this range alone.
  void trim(ClipRange keep);
  /// A clip becomes pieces of it.
  void cut_into(ClipId clip, std::vector<edits::Piece> pieces);
  void find_room_tone();
  /// What lies between the clips of the selected one's group is filled with its room's tone, in
  /// files beside the reel.
  void fill_with_room_tone();
  /// A clip of tone, noise, silence or room tone in the selected clip's group, or in one of its own.
  void make_sound(const MadeSound& sound, ReelTime place);
  /// These clips become one, rendered at their places into a file beside the reel.
  void make_one(std::vector<ClipId> clips);
  /// The selected clip, which was made of others, is made of them as they are now.
  void make_again();
  /// Some clips as they are heard in the mix, alone, as a file: WAV or FLAC by its name.
  void write_selection(std::vector<ClipId> clips, const std::filesystem::path& file);
  bool making() const { return maker_.busy(); }
  void cancel_making() { maker_.cancel(); }
  /// Sets or adds the step that brings the selected clip to the target, and tells what it did.
  void meet_target();

 Q_SIGNALS:
  /// Of making one clip, or writing some: 0 to 1; 1 when it is done or given up.
  void making_progress(double share);

 private:
  /// Makes a file in the background, then the edit with it.
  using MakeFile = std::function<RenderedPart(const Reel&, const CancelToken&, const Progress&)>;
  using UseFile = std::function<edits::Edit(const Reel&, const RenderedPart&)>;
  void make_file(MakeFile make, UseFile edit);
  Progress making(const CancelToken& cancel);
  /// Moves `ends` of a clip to where its sound crosses zero, then makes the edit.
  void cut(ClipId clip, std::vector<ClipTime> ends,
           std::function<edits::Edit(const Reel&, const std::vector<ClipTime>&)> edit);

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  ReelLane import_{document_};
  ReelLane finder_{document_};
  ReelLane meeter_{document_};
  ReelLane cutter_{document_};
  ReelLane maker_{document_};
};

}  // namespace drevan::desktop
