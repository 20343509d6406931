// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/remedies.h"

#include <QCoreApplication>

namespace drevan::desktop {

namespace {

struct Texts {
  const char* what_to_do;
  const char* chapter;
};

Texts texts_for(Cause cause) {
  switch (cause) {
    case Cause::disk_full:
      return {
          "The disk has no room left. Nothing half-written stays and what was there before is "
          "kept. Free some space, or choose a folder on another disk, and do it again.",
          "When something goes wrong"};
    case Cause::device:
      return {
          "Look under Listen, Sound settings: which output is taken, whether it is there, and "
          "what happens when it goes. The test tone tells whether anything comes out. "
          "Pictures, levels and rendering do without a device.",
          "Sound settings"};
    case Cause::not_allowed:
      return {
          "The folder or file may not be written or read by you. Choose another folder, save "
          "under another name, or ask whoever owns it for the right.",
          "When something goes wrong"};
    case Cause::open_elsewhere:
      return {
          "The reel can be looked at, heard and rendered. To go on with it here, save it under "
          "another name; or close it where else it is open, and open it here again.",
          "When something goes wrong"};
    case Cause::no_room_tone:
      return {
          "Mark half a second or more where only the room is heard: drag over it in the scope, "
          "then R. Shift+R looks for one by itself. Without it noise reduction does nothing.",
          "The Bench: one clip"};
    case Cause::missing:
      return {
          "The file was moved, renamed or its disk is not connected. Bring it back, or tell "
          "Drevan where it is now: Clip, Find the source. A whole folder that moved is found "
          "together.",
          "When something goes wrong"};
    case Cause::damaged:
      return {
          "The file is damaged or was cut off. What can be read is used, the rest is silent. "
          "Copy it again from where it came from; a copy that ended too soon is the usual "
          "cause.",
          "When something goes wrong"};
    case Cause::unreadable:
      return {
          "Drevan reads what the system's media libraries read: WAV, FLAC, MP3, AAC, Opus and "
          "the sound of most films. Check that the file plays elsewhere and that you may read "
          "it.",
          "From a folder to a finished reel"};
    case Cause::unwritable:
      return {
          "Check that the folder is there, that you may write into it and that its disk has "
          "room. What was there before is kept. Then do it again, or choose another folder.",
          "The Batch: all clips"};
    case Cause::off_target:
      return {
          "A target says what a delivery asks for. Ctrl+T sets or adds the step that meets it; "
          "the row's tooltip in the Batch names each value that misses.",
          "The Batch: all clips"};
    case Cause::wrong_text:
      return {
          "The file is not what Drevan expects; the message names the place in it. Nothing of "
          "it was taken. Correct the place, or ask for the file again.",
          "Recipes"};
    case Cause::memory:
      return {
          "Close other programs, or work on shorter clips. Every edit is on disk within a "
          "second, so Drevan can be ended and started again without loss.",
          "When something goes wrong"};
    case Cause::request:
      return {
          "Do what the message says, then the same again. Nothing is lost: every edit can be "
          "undone (Ctrl+Z).",
          "The Bench: one clip"};
    case Cause::other:
      break;
  }
  return {
      "Nothing is lost: every edit can be undone (Ctrl+Z) and is on disk within a second. Do "
      "it again; if it fails again, save the reel under another name and try it there.",
      "When something goes wrong"};
}

}  // namespace

Remedy remedy_for(Cause cause) {
  const Texts texts = texts_for(cause);
  return {QCoreApplication::translate("remedies", texts.what_to_do),
          QCoreApplication::translate("remedies", texts.chapter)};
}

}  // namespace drevan::desktop
