#include "work/remedies.h"

#include <QCoreApplication>
#include <QStringList>

namespace drevan::desktop {

namespace {

QString tr(const char* text) { return QCoreApplication::translate("remedies", text); }

struct Rule {
  const char* words;  // with | between; the first rule of which a word is found holds
  const char* what_to_do;
  const char* chapter;
};

constexpr Rule rules[] = {
    {"No space left|is full|free some space",
     "The disk has no room left. Nothing half-written stays and what was there before is kept. "
     "Free some space, or choose a folder on another disk, and do it again.",
     "When something goes wrong"},
    {"sound device|No sound device|Sound settings|sound server",
     "Look under Listen, Sound settings: which output is taken, whether it is there, and what "
     "happens when it goes. The test tone tells whether anything comes out. Pictures, levels and "
     "rendering do without a device.",
     "Sound settings"},
    {"Permission denied|Operation not permitted|Read-only|not allowed",
     "The folder or file may not be written or read by you. Choose another folder, save under "
     "another name, or ask whoever owns it for the right.",
     "When something goes wrong"},
    {"opened for reading|another Drevan|Save it under another name",
     "The reel can be looked at, heard and rendered. To go on with it here, save it under another "
     "name; or close it where else it is open, and open it here again.",
     "When something goes wrong"},
    {"room tone",
     "Mark half a second or more where only the room is heard: drag over it in the scope, then R. "
     "Shift+R looks for one by itself. Without it noise reduction does nothing.",
     "The Bench: one clip"},
    {"is missing|source missing|cannot be found|no such file|No such file|is not there",
     "The file was moved, renamed or its disk is not connected. Bring it back, or tell Drevan "
     "where "
     "it is now: Clip, Find the source. A whole folder that moved is found together.",
     "When something goes wrong"},
    {"not whole|cannot be decoded|damaged|cut off|holds less|could not be read to its end",
     "The file is damaged or was cut off. What can be read is used, the rest is silent. Copy it "
     "again from where it came from; a copy that ended too soon is the usual cause.",
     "When something goes wrong"},
    {"cannot be read|no sound in it",
     "Drevan reads what the system's media libraries read: WAV, FLAC, MP3, AAC, Opus and the sound "
     "of most films. Check that the file plays elsewhere and that you may read it.",
     "From a folder to a finished reel"},
    {"cannot be written|cannot be made",
     "Check that the folder is there, that you may write into it and that its disk has room. What "
     "was there before is kept. Then do it again, or choose another folder.",
     "The Batch: all clips"},
    {"target",
     "A target says what a delivery asks for. Ctrl+T sets or adds the step that meets it; the "
     "row's "
     "tooltip in the Batch names each value that misses.",
     "The Batch: all clips"},
    {"recipe|must have|there is no step|out of range|wrong kind",
     "The file is not what Drevan expects; the message names the place in it. Nothing of it was "
     "taken. Correct the place, or ask for the file again.",
     "Recipes"},
    {"nothing to|Choose|Select|Mark",
     "Nothing was changed. Do what the message says, then the same again.", "The Bench: one clip"}};

}  // namespace

Remedy remedy_for(const QString& message) {
  for (const Rule& rule : rules)
    for (const auto& word : QString(rule.words).split('|'))
      if (message.contains(word, Qt::CaseInsensitive))
        return {tr(rule.what_to_do), tr(rule.chapter)};
  return {
      tr("Nothing is lost: every edit can be undone (Ctrl+Z) and is on disk within a second. Do "
         "it again; if it fails again, save the reel under another name and try it there."),
      tr("When something goes wrong")};
}

}  // namespace drevan::desktop
