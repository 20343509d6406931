// Work in the background that ends in an edit: files read, room tone found, clips cut, a target
// met.
#pragma once

#include <QObject>
#include <QStringList>

#include "reel/cuts.h"
#include "work/task_lane.h"

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
  void split(std::vector<double> at_s);
  void take_out(SecondsRange range, bool close_up);
  /// The selected clip becomes this range alone.
  void trim(SecondsRange keep);
  /// A clip becomes pieces of it.
  void cut_into(int clip, std::vector<edits::Piece> pieces);
  void find_room_tone();
  /// What lies between the clips of the selected one's group is filled with its room's tone, in
  /// files beside the reel.
  void fill_with_room_tone();
  /// Sets or adds the step that brings the selected clip to the target, and tells what it did.
  void meet_target();

 private:
  /// Moves `ends` of a clip to where its sound crosses zero, then makes the edit.
  void cut(int clip, std::vector<double> ends,
           std::function<edits::Edit(const Reel&, const std::vector<double>&)> edit);

  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  TaskLane import_;
  TaskLane finder_;
  TaskLane meeter_;
  TaskLane cutter_;
};

}  // namespace drevan::desktop
