#include "figures/use_chart.h"

#include <algorithm>

#include <fmt/format.h>

#include "timing/report.h"

namespace greymet::figures {
namespace {

constexpr std::size_t most_lines = 40;
constexpr double crowded = 80;

}  // namespace

std::string use_script(const timing::TimingReport& report, PictureFormat format) {
  std::vector<const timing::LineReport*> lines;
  for (const timing::LineReport& line : report.lines) lines.push_back(&line);
  if (lines.size() > most_lines) {
    std::stable_sort(lines.begin(), lines.end(), [](const auto* a, const auto* b) {
      return a->utilisation_percent > b->utilisation_percent;
    });
    lines.resize(most_lines);
  }
  const auto rows = static_cast<double>(lines.size());
  double widest = 105;
  std::string tics;
  std::string calm;
  std::string full;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const double use = lines[i]->utilisation_percent;
    const double y = rows - static_cast<double>(i);
    widest = std::max(widest, use * 1.08);
    tics += fmt::format("{}{} {:g}", i > 0 ? ", " : "", quoted_tic(lines[i]->name), y);
    (use > crowded ? full : calm) += fmt::format("{:g} {:g} 0 {:g} {:g} {:g} \"{:.1f} %\"\n", use,
                                                 y, use, y - 0.3, y + 0.3, use);
  }
  std::string s = common_look(format);
  s += heading("Use of lines and connections",
               fmt::format("longest durations over periods, per second; {} of {} shown",
                           lines.size(), report.lines.size()),
               0.185, format);
  s += fmt::format(
      "set xrange [0:{:g}]\nset yrange [0.4:{:g}]\nset ytics ({}) scale 0\n"
      "set xlabel 'use in percent of its time' offset 0,-0.4\n"
      "set grid xtics lc rgb C_GRID lw 1 lt 1\n"
      "set lmargin at screen 0.185\nset rmargin at screen 0.955\nset tmargin at screen 0.86\n"
      "set bmargin at screen 0.185\n"
      "set arrow 1 from 100,0.4 to 100,{:g} nohead lc rgb C_TXT lw 1.6 dt 2 front\n"
      "set arrow 2 from 80,0.4 to 80,{:g} nohead lc rgb C_SUB lw 1 dt 3 front\n"
      "set key at screen 0.565, screen 0.035 center horizontal Left reverse samplen 2.5 width 1 "
      "maxrows 1\n",
      widest, rows + 0.6, tics, rows + 0.6, rows + 0.6);
  std::string plots;
  const auto add = [&](std::string_view name, const std::string& data, std::string_view style,
                       std::string_view title) {
    if (data.empty()) return;
    s += fmt::format("${} << EOD\n{}EOD\n", name, data);
    plots += fmt::format(
        "{0}${1} using 1:2:3:4:5:6 with boxxyerror {2} title '{3}', ${1} using 1:2:7 with labels "
        "left offset 0.6,0 textcolor rgb C_TXT notitle",
        plots.empty() ? "plot " : ", ", name, style, title);
  };
  add("calm", calm, "lc rgb C_RSP fs solid 1.0 border lc rgb C_REQ", "up to 80 %");
  add("full", full, "lc rgb C_BAD fs pattern 5 border lc rgb C_BAD", "above 80 %: no reserve");
  if (plots.empty()) plots = "plot NaN notitle";
  return s + plots + "\n";
}

}  // namespace greymet::figures
