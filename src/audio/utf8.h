// SPDX-License-Identifier: GPL-3.0-or-later
// Text as people see it: UTF-8 that is whole, and nothing that steers a terminal.
#pragma once

#include <string>
#include <string_view>

namespace drevan {

/// Bytes of the UTF-8 character at the beginning of `text`, 1 to 4; 0: there is none, or it is broken.
size_t utf8_length(std::string_view text);
bool is_utf8(std::string_view text);
/// The longest beginning of at most `most` bytes that ends with a whole character.
std::string_view utf8_prefix(std::string_view text, size_t most);
/// For comparing and looking for text: without the difference between large and small letters, and
/// composed, so that one letter is written one way (Unicode's full case folding, by libutf8proc).
/// Broken text only in its plain letters.
std::string folded(std::string_view text);
/// With every broken byte as U+FFFD.
std::string to_utf8(std::string_view text);
/// For a terminal, one line: control characters, among them those that begin an escape sequence, and broken
/// bytes stand as \xNN. Line ends and tabs stay when `lines` is set.
std::string printable(std::string_view text, bool lines = false);
/// A name as part of a path: without "/", "\", ":", and control characters ("-" stands for each), without
/// dots at its beginning, cut to `most` bytes; never empty.
std::string file_name_of(std::string_view name, std::string_view otherwise, size_t most = 180);

/// The bytes of a text that is no UTF-8, as hexadecimal digits for a file of text, and back; empty
/// for what are no such digits.
std::string to_hex_bytes(std::string_view text);
std::string from_hex_bytes(std::string_view hex);

}  // namespace drevan
