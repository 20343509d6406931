// SPDX-License-Identifier: GPL-3.0-or-later
// The report as a page.
#include <fmt/format.h>

#include <algorithm>

#include "batch/report.h"

namespace drevan {

namespace {

std::string escaped(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '&')
      out += "&amp;";
    else if (c == '"')
      out += "&quot;";
    else
      out += c;
  }
  return out;
}

constexpr const char* before_color = "#7fa8b8";
constexpr const char* after_color = "#9dbb74";
constexpr double width = 240, lowest = -78;
double x_of(double db) { return width * std::clamp((db - lowest) / -lowest, 0.0, 1.0); }

// From noise floor to peak, the loudness marked, and where the target wants it.
std::string bar(const Levels& l, const char* color, const std::optional<Target>& target) {
  if (!l.sample_peak_dbfs) return "<div class=q>silence</div>";
  const double peak = *l.sample_peak_dbfs, floor = l.noise_floor_dbfs.value_or(lowest);
  std::string svg = fmt::format(
      "<svg width=\"{0:.0f}\" height=\"18\" role=\"img\" aria-label=\"peak {1:.1f} dBFS\"><rect "
      "y=\"4\" width=\"{0:.0f}\" height=\"10\" rx=\"2\" fill=\"#1d1916\"/>"
      "<rect x=\"{2:.1f}\" y=\"4\" width=\"{3:.1f}\" height=\"10\" fill=\"{4}\" "
      "fill-opacity=\".5\"/>",
      width, peak, x_of(floor), std::max(1.0, x_of(peak) - x_of(floor)), color);
  if (target)
    for (const auto& limit : {target->loudness_lufs.least, target->loudness_lufs.most})
      if (limit)
        svg += fmt::format(
            "<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"0\" y2=\"18\" stroke=\"#efe7da\"/>",
            x_of(*limit));
  if (l.loudness_lufs)
    svg += fmt::format("<rect x=\"{:.1f}\" y=\"2\" width=\"4\" height=\"14\" fill=\"{}\"/>",
                       x_of(*l.loudness_lufs) - 2, color);
  const auto number = [](const std::optional<double>& v) {
    return v ? fmt::format("{:.1f}", *v) : std::string("none");
  };
  return fmt::format("{}</svg><div class=q>peak {} dBFS, {} LUFS, floor {} dBFS</div>", svg,
                     number(l.sample_peak_dbfs), number(l.loudness_lufs),
                     number(l.noise_floor_dbfs));
}

// The waveform, as high as full scale; what passes it is cut off.
std::string wave(const std::vector<PeakPair>& cells, const char* color) {
  if (cells.empty()) return {};
  constexpr double half = 18;
  const auto y = [](float v) {
    return half - half * std::clamp(static_cast<double>(v), -1.0, 1.0);
  };
  std::string path;
  for (size_t i = 0; i < cells.size(); ++i) {
    const double x = width * (static_cast<double>(i) + 0.5) / static_cast<double>(cells.size());
    path += fmt::format("M{:.1f} {:.1f}V{:.1f}", x, y(cells[i].high) - 0.4, y(cells[i].low) + 0.4);
  }
  return fmt::format(
      "<svg width=\"{0:.0f}\" height=\"{1:.0f}\" role=\"img\" aria-label=\"waveform\"><path "
      "d=\"{2}\" stroke=\"{3}\" stroke-width=\"1.2\"/></svg>",
      width, 2 * half, path, color);
}

std::string cell(const std::vector<PeakPair>& outline, const Levels& levels, const char* color,
                 const std::optional<Target>& target) {
  return "<td>" + wave(outline, color) + bar(levels, color, target) + "</td>";
}

std::string verdict_text(const std::vector<std::string>& missed,
                         const std::optional<Target>& target) {
  return fmt::format("<span class={}>{}</span>", missed.empty() ? "ok" : "bad",
                     !target          ? "done"
                     : missed.empty() ? "&#10003; on target"
                                      : "&#10007; off target");
}

std::string list(const std::vector<std::string>& items) {
  std::string out;
  for (const auto& i : items) out += "<div>" + escaped(i) + "</div>";
  return out;
}

constexpr const char* html_head =
    "<!doctype html><html lang=en><meta charset=utf-8><title>Drevan: what was "
    "rendered</title><style>"
    "body{background:#1d1916;color:#efe7da;font:15px "
    "Lato,sans-serif;margin:32px;max-width:1100px}h1{font-size:24px;margin:0 0 4px}"
    ".q{color:#b3a593;font-size:13px}table{border-collapse:collapse;margin-top:20px;width:100%}td,"
    "th{text-align:left;padding:8px 14px 8px 0;"
    "border-top:1px solid "
    "#463b2f;vertical-align:top}td:first-child{min-width:150px}th{color:#b3a593;font-weight:400}."
    "ok{color:#9dbb74}.bad{color:#d4573f}</style>";

}  // namespace

std::string report_html(const Report& report) {
  const auto& [jobs, results, target, files] = report;
  const auto count = [&](auto&& which) { return std::ranges::count_if(report.results, which); };
  const auto done = count([](const JobResult& r) { return r.state == JobState::done; });
  const auto missed = count([](const JobResult& r) { return !r.missed.empty(); });
  const auto failed = count([](const JobResult& r) { return r.state == JobState::failed; });
  const auto kept = count([](const JobResult& r) { return r.kept; });
  std::string out = html_head;
  out += results.empty()
             ? fmt::format("<h1>{} mixed</h1><div class=q>",
                           files.size() == 1 ? "The reel" : "Reel and stems")
             : fmt::format("<h1>{} of {} clips rendered</h1><div class=q>", done, results.size());
  if (target && !results.empty())
    out += fmt::format("Target {}: {} meet it, {} do not. ", escaped(target->label), done - missed,
                       missed);
  if (failed > 0) out += fmt::format("{} failed. ", failed);
  if (kept > 0) out += fmt::format("{} were unchanged and left as they were.", kept);
  out += " The bar reaches from noise floor to peak, the mark on it is the loudness";
  if (target && (target->loudness_lufs.least || target->loudness_lufs.most))
    out += ", the lines are what the target wants of it";
  out += ".</div><table><tr><th>Clip<th>Before<th>After<th>Result</tr>\n";
  for (size_t i = 0; i < std::min(jobs.size(), results.size()); ++i) {
    const JobResult& r = results[i];
    out += fmt::format("<tr><td>{}<div class=q>{}</div></td>", escaped(jobs[i].clip),
                       escaped(jobs[i].group));
    if (r.state != JobState::done) {
      out += fmt::format("<td></td><td></td><td class=bad>{}{}</td></tr>\n", state_label(r.state),
                         r.problem.empty() ? "" : "<div>" + escaped(r.problem) + "</div>");
      continue;
    }
    out += cell(r.render.before_outline, r.render.before, before_color, target) +
           cell(r.render.after_outline, r.render.after, after_color, target);
    out +=
        fmt::format("<td>{}{}<div class=q>{}{}</div></td></tr>\n", verdict_text(r.missed, target),
                    list(r.missed), list(r.render.warnings), escaped(r.output.filename().string()));
  }
  for (const auto& f : files) {
    // Stems are parts: only the mix is judged.
    const auto by = f.stem ? std::nullopt : target;
    const std::string what =
        f.stem            ? "stem"
        : f.chain.empty() ? "the whole reel"
                          : fmt::format("the whole reel through {}", fmt::join(f.chain, ", "));
    const std::string clipped =
        f.clipped > 0 ? fmt::format(
                            "<div>{} samples were over 0 dBFS and are clipped; write 32-bit "
                            "float, or lower the reel's level.</div>",
                            f.clipped)
                      : "";
    out += fmt::format(
        "<tr><td>{}<div class=q>{}</div></td>{}{}<td>{}{}<div class=q>{}{}{}</div></td></tr>\n",
        escaped(f.name), escaped(what),
        f.before ? cell({}, *f.before, before_color, by) : "<td></td>",
        cell({}, f.levels, after_color, by), verdict_text(f.missed, by), list(f.missed),
        list(f.warnings), clipped, escaped(f.output.filename().string()));
  }
  return out + "</table></html>\n";
}

}  // namespace drevan
