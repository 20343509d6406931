// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/utf8.h"

#include <fmt/format.h>
#include <utf8proc.h>

#include <algorithm>
#include <charconv>
#include <cstdlib>

namespace drevan {

size_t utf8_length(std::string_view text) {
  if (text.empty()) return 0;
  const auto byte = [&](size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned first = byte(0);
  if (first < 0x80) return 1;
  const size_t length = first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : 2;
  if (first < 0xc2 || first > 0xf4 || text.size() < length) return 0;
  for (size_t i = 1; i < length; ++i)
    if ((byte(i) & 0xc0U) != 0x80U) return 0;
  // Longer than needed, surrogates, beyond U+10FFFF (RFC 3629, section 4).
  if ((first == 0xe0 && byte(1) < 0xa0) || (first == 0xed && byte(1) > 0x9f) ||
      (first == 0xf0 && byte(1) < 0x90) || (first == 0xf4 && byte(1) > 0x8f))
    return 0;
  return length;
}

bool is_utf8(std::string_view text) {
  while (!text.empty()) {
    const size_t n = utf8_length(text);
    if (n == 0) return false;
    text.remove_prefix(n);
  }
  return true;
}

std::string folded(std::string_view text) {
  utf8proc_uint8_t* made = nullptr;
  const auto size = utf8proc_map(
      reinterpret_cast<const utf8proc_uint8_t*>(text.data()),
      static_cast<utf8proc_ssize_t>(text.size()), &made,
      static_cast<utf8proc_option_t>(UTF8PROC_STABLE | UTF8PROC_COMPOSE | UTF8PROC_CASEFOLD));
  if (size >= 0) {
    std::string out(reinterpret_cast<const char*>(made), static_cast<size_t>(size));
    std::free(made);
    return out;
  }
  std::string out(text);
  for (char& c : out)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return out;
}

std::string_view utf8_prefix(std::string_view text, size_t most) {
  size_t at = 0;
  while (at < text.size()) {
    const size_t n = std::max<size_t>(1, utf8_length(text.substr(at)));
    if (at + n > most) break;
    at += n;
  }
  return text.substr(0, at);
}

std::string to_utf8(std::string_view text) {
  std::string out;
  while (!text.empty()) {
    const size_t n = utf8_length(text);
    out += n > 0 ? text.substr(0, n) : std::string_view("\xef\xbf\xbd");
    text.remove_prefix(std::max<size_t>(1, n));
  }
  return out;
}

std::string printable(std::string_view text, bool lines) {
  std::string out;
  while (!text.empty()) {
    const size_t n = utf8_length(text);
    const auto first = static_cast<unsigned char>(text[0]);
    // C0 and C1 controls: the latter are two bytes in UTF-8, and some terminals obey them.
    const bool control = first < 32 || first == 127 ||
                         (n == 2 && first == 0xc2 && static_cast<unsigned char>(text[1]) < 0xa0);
    if (lines && (first == '\n' || first == '\t')) {
      out += text[0];
    } else if (n == 0 || control) {
      for (size_t i = 0; i < std::max<size_t>(1, n); ++i)
        out += fmt::format("\\x{:02x}", static_cast<unsigned char>(text[i]));
    } else {
      out += text.substr(0, n);
    }
    text.remove_prefix(std::max<size_t>(1, n));
  }
  return out;
}

std::string file_name_of(std::string_view name, std::string_view otherwise, size_t most) {
  std::string out;
  for (const char c : name)
    out += c == '/' || c == '\\' || c == ':' || static_cast<unsigned char>(c) < 32 || c == 127 ? '-'
                                                                                               : c;
  out.erase(0, std::min(out.find_first_not_of('.'), out.size()));
  out = utf8_prefix(out, most);
  return out.empty() ? std::string(otherwise) : out;
}

std::string to_hex_bytes(std::string_view text) {
  std::string out;
  for (const char c : text) out += fmt::format("{:02x}", static_cast<unsigned char>(c));
  return out;
}
std::string from_hex_bytes(std::string_view hex) {
  std::string out;
  for (size_t i = 0; i + 2 <= hex.size(); i += 2) {
    unsigned value = 0;
    const auto [end, error] = std::from_chars(hex.data() + i, hex.data() + i + 2, value, 16);
    if (error != std::errc{} || end != hex.data() + i + 2) return {};
    out += static_cast<char>(value);
  }
  return hex.size() % 2 == 0 ? out : std::string();
}

}  // namespace drevan
