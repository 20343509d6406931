// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/cut_list.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>
#include <string_view>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"

namespace drevan {

namespace {

using edits::Piece;

constexpr size_t longest_piece_name = 60;  // bytes

std::string_view trimmed(std::string_view s) {
  const auto blank = " \t\r\n\"";
  const auto first = s.find_first_not_of(blank);
  if (first == std::string_view::npos) return {};
  return s.substr(first, s.find_last_not_of(blank) - first + 1);
}

// "83.5", "1:23.5", "0:01:23,5".
std::optional<double> time_from(std::string_view text) {
  std::string s(trimmed(text));
  std::ranges::replace(s, ',', '.');
  if (s.empty()) return std::nullopt;
  double seconds = 0;
  size_t parts = 0;
  for (size_t at = 0; at <= s.size(); ++parts) {
    const size_t colon = std::min(s.find(':', at), s.size());
    double value = 0;
    const auto [end, error] = std::from_chars(s.data() + at, s.data() + colon, value);
    if (error != std::errc{} || end != s.data() + colon || !(value >= 0) || value > 1e7) return {};
    seconds = seconds * 60 + value;
    at = colon + 1;
  }
  return parts <= 3 ? std::optional(seconds) : std::nullopt;
}

// Of text that may have tags and line ends: short, and whole characters.
std::string name_from(std::string_view text) {
  std::string out;
  bool tag = false, blank = false;
  for (const char c : trimmed(text)) {
    if (c == '<') tag = true;
    if (!tag) {
      const bool space = c == ' ' || c == '\t' || c == '\n' || c == '\r';
      if (!space || !blank) out += space ? ' ' : c;
      blank = space;
    }
    if (c == '>') tag = false;
  }
  return to_utf8(trimmed(utf8_prefix(to_utf8(out), longest_piece_name)));
}

struct Lines {
  std::vector<std::string_view> all;
  explicit Lines(std::string_view text) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    for (size_t at = 0; at <= text.size();) {
      const size_t end = std::min(text.find('\n', at), text.size());
      std::string_view line = text.substr(at, end - at);
      if (line.ends_with('\r')) line.remove_suffix(1);
      all.push_back(line);
      at = end + 1;
    }
  }
};

class ListReader {
 public:
  ListReader(std::string_view text, const std::string& where) : lines_(text), where_(where) {}

  std::vector<Piece> read() {
    const bool subtitles = std::ranges::any_of(lines_.all, [](std::string_view line) {
      return line.find("-->") != std::string_view::npos;
    });
    subtitles ? read_subtitles() : read_table();
    if (out_.empty())
      throw Error(Error::Kind::call,
                  fmt::format("{} holds no times; each line must be: begin, end, name.", where_));
    std::ranges::stable_sort(out_, {}, [](const Piece& p) { return p.range.begin.s; });
    return std::move(out_);
  }

 private:
  Error wrong(size_t line, const std::string& why) const {
    return {Error::Kind::call, fmt::format("{}, line {}: {}", where_, line + 1, why)};
  }

  void add(size_t line, std::string_view begin, std::string_view end, std::string_view name) {
    const auto from = time_from(begin), to = time_from(end);
    if (!from || !to)
      throw wrong(line, fmt::format("\"{}\" is no time; write seconds, or 1:23.5.",
                                    to_utf8(utf8_prefix(trimmed(from ? end : begin), 40))));
    if (*to <= *from)
      throw wrong(
          line, fmt::format("the end, {:.2f} s, does not lie behind the beginning, {:.2f} s.", *to,
                            *from));
    out_.push_back({{*from, *to}, name_from(name)});
  }

  void read_table() {
    for (size_t i = 0; i < lines_.all.size(); ++i) {
      const auto line = trimmed(lines_.all[i]);
      if (line.empty() || line.starts_with('#')) continue;
      const char between = line.find('\t') != std::string_view::npos  ? '\t'
                           : line.find(';') != std::string_view::npos ? ';'
                                                                      : ',';
      const size_t first = line.find(between);
      if (first == std::string_view::npos) throw wrong(i, "a line must be: begin, end, name.");
      const size_t second = std::min(line.find(between, first + 1), line.size());
      const auto begin = line.substr(0, first), end = line.substr(first + 1, second - first - 1);
      // A heading.
      if (out_.empty() && !time_from(begin) && !time_from(end)) continue;
      add(i, begin, end, second < line.size() ? line.substr(second + 1) : std::string_view());
    }
  }

  void read_subtitles() {
    for (size_t i = 0; i < lines_.all.size(); ++i) {
      const auto line = lines_.all[i];
      const size_t arrow = line.find("-->");
      if (arrow == std::string_view::npos) continue;
      // Behind the end there may stand where on the screen.
      auto end = trimmed(line.substr(arrow + 3));
      end = end.substr(0, end.find_first_of(" \t"));
      std::string words;
      size_t next = i + 1;
      for (; next < lines_.all.size() && !trimmed(lines_.all[next]).empty(); ++next) {
        words += lines_.all[next];
        words += ' ';
      }
      add(i, line.substr(0, arrow), end, words);
      i = next;
    }
  }

  Lines lines_;
  const std::string& where_;
  std::vector<Piece> out_;
};

}  // namespace

std::vector<Piece> pieces_from_text(const std::string& text, const std::string& where) {
  return ListReader(text, where).read();
}

std::vector<Piece> pieces_from_file(const std::filesystem::path& file) {
  return pieces_from_text(read_text(file), file.string());
}

std::vector<Piece> pieces_between(std::vector<Piece> marks, double length_s) {
  std::ranges::stable_sort(marks, {}, [](const Piece& p) { return p.range.begin.s; });
  std::erase_if(marks, [&](const Piece& p) {
    return p.range.begin.s < 0 || p.range.begin.s > length_s - edits::least_piece_s;
  });
  std::vector<Piece> out;
  for (size_t i = 0; i < marks.size(); ++i) {
    const double end = i + 1 < marks.size() ? marks[i + 1].range.begin.s : length_s;
    if (end - marks[i].range.begin.s >= edits::least_piece_s)
      out.push_back({{marks[i].range.begin.s, end}, marks[i].name});
  }
  return out;
}

std::vector<Piece> pieces_every(double every_s, double length_s) {
  if (!(every_s >= 0.1))
    throw Error(Error::Kind::call, "Pieces must be a tenth of a second or longer.");
  std::vector<Piece> out;
  for (int i = 0; i * every_s < length_s; ++i)
    out.push_back({{i * every_s, std::min(length_s, (i + 1) * every_s)}});
  if (out.size() > 1 && out.back().range.end.s - out.back().range.begin.s < every_s / 3) {
    out.pop_back();
    out.back().range.end.s = length_s;
  }
  return out;
}

}  // namespace drevan
