// SPDX-License-Identifier: GPL-3.0-or-later
// Lists of times with names that a take is cut by.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "reel/edits/cuts.h"

namespace drevan {

/// Pieces from a list: CSV (begin, end, name; a heading is passed over; comma, semicolon or tab),
/// SubRip (.srt) or WebVTT (.vtt) subtitles, whose text names the piece. Times are seconds, or
/// [h:]m:s with a fraction behind a point or comma. Pieces may overlap; they are sorted by their
/// beginning. Throws Error(call) that names `where` and the line: a time that is none, an end that
/// does not lie behind its beginning, nothing in it.
std::vector<edits::Piece> pieces_from_text(const std::string& text, const std::string& where);
/// Throws Error(input) when the file cannot be read, too.
std::vector<edits::Piece> pieces_from_file(const std::filesystem::path& file);

/// Pieces between marks, in seconds: from each to the next, and to the end. What lies before the
/// first is left out unless it is the beginning.
std::vector<edits::Piece> pieces_between(std::vector<edits::Piece> marks, double length_s);
/// Pieces of `every_s` seconds; the last is shorter, or goes to the one before it when it is
/// shorter than a third of that. Throws Error(call) for less than a tenth of a second.
std::vector<edits::Piece> pieces_every(double every_s, double length_s);

}  // namespace drevan
