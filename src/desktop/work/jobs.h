// Work in the background that ends in an edit: files read, room tone found, a target met.
#pragma once

#include <QObject>
#include <QStringList>

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

  /// Adds files; what cannot be read is told and left out. Drops queue: each is read when those before it are.
  void add_files(const QStringList& files);
  void find_room_tone();
  /// Sets or adds the step that brings the selected clip to the target, and tells what it did.
  void meet_target();

 private:
  Notices& notices_;
  Document& document_;
  Selection& selection_;
  Measurements& measurements_;
  TaskLane import_;
  TaskLane finder_;
  TaskLane meeter_;
};

}  // namespace drevan::desktop
