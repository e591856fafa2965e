#include "figures/measured_chart.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "engine/rehearsal.h"
#include "model/duration_text.h"
#include "model/utf8_text.h"

namespace greymet::figures {

using model::to_ms;

namespace {

constexpr std::size_t most_bars = 24;
constexpr std::size_t longest_name_of_bar = 20;

double apart(const MeasuredChart::Row& row) {
  return std::abs(row.median_ms - row.predicted_ms) / std::max(row.predicted_ms, 1e-6);
}

}  // namespace

MeasuredChart measured_chart_of(const engine::RehearsalResult& result, bool virtual_time) {
  MeasuredChart chart;
  std::size_t good = 0;
  for (const engine::MeasuredTransaction& t : result.transactions) {
    const auto median = t.timed().services.median();
    const auto expected = t.expected ? t.expected : t.typical;
    if (!median || !expected) continue;
    MeasuredChart::Row row;
    row.name = t.name;
    row.predicted_ms = to_ms(*expected);
    row.median_ms = to_ms(*median);
    row.least_ms = to_ms(*t.timed().services.least());
    row.most_ms = to_ms(*t.timed().services.greatest());
    row.good = t.verdict == engine::MeasuredVerdict::good;
    if (row.good) ++good;
    chart.rows.push_back(std::move(row));
  }
  std::stable_sort(chart.rows.begin(), chart.rows.end(),
                   [](const auto& a, const auto& b) { return apart(a) > apart(b); });
  chart.title = "Measured durations on what the timing model says";
  chart.subtitle =
      fmt::format("one transaction on its line or connection, {}; {} of {} as predicted",
                  virtual_time ? "virtual time" : "real time", good, chart.rows.size());
  return chart;
}

std::string measured_script(const MeasuredChart& chart, PictureFormat format) {
  double least = 1e9;
  double most = 1e-3;
  std::string good;
  std::string bad;
  std::string spans;
  for (const auto& row : chart.rows) {
    const double low = std::max(row.least_ms, 1e-3);
    least = std::min({least, low, std::max(row.predicted_ms, 1e-3)});
    most = std::max({most, row.most_ms, row.predicted_ms});
    spans += fmt::format("{:g} {:g} 0 {:g}\n", row.predicted_ms, low, row.most_ms - low);
    (row.good ? good : bad) += fmt::format("{:g} {:g}\n", row.predicted_ms, row.median_ms);
  }
  const double from = std::pow(10.0, std::log10(least) - 0.15);
  const double to = std::pow(10.0, std::log10(std::max(most, least)) + 0.15);
  std::string s = common_look(format);
  s += heading(chart.title, chart.subtitle, 0.07, format);
  s += fmt::format(
      "set multiplot\nset logscale xy\nset xrange [{0:g}:{1:g}]\nset yrange [{0:g}:{1:g}]\n"
      "set format x '%.12g'\nset format y '%.12g'\n"
      "set xlabel 'duration by the model in ms' offset 0,-0.3\n"
      "set ylabel 'measured in ms' textcolor rgb C_TXT\n"
      "set grid xtics ytics lc rgb C_GRID lw 1 lt 1\n"
      "set lmargin at screen 0.07\nset rmargin at screen 0.56\nset tmargin at screen 0.86\n"
      "set bmargin at screen 0.165\n"
      "set key at screen 0.315, screen 0.03 center horizontal Left reverse samplen 1.6 width 1 "
      "maxrows 1\n",
      from, to);
  std::string plots = "plot x with lines lc rgb C_MUTE lw 1.2 notitle";
  const auto add = [&](std::string_view name, const std::string& data, const std::string& how) {
    if (data.empty()) return;
    s += fmt::format("${} << EOD\n{}EOD\n", name, data);
    plots += fmt::format(", ${} {}", name, how);
  };
  add("spans", spans, "using 1:2:3:4 with vectors nohead lc rgb C_RSP lw 3 title 'least to most'");
  add("good", good, "using 1:2 with points pt 7 ps 0.9 lc rgb C_REQ title 'median'");
  add("bad", bad, "using 1:2 with points pt 7 ps 1.1 lc rgb C_BAD title 'not as predicted'");
  s += plots + "\n";
  // right: the farthest medians
  const std::size_t bars = std::min(chart.rows.size(), most_bars);
  std::string tics;
  std::string right;
  double widest = 1;
  for (std::size_t i = 0; i < bars; ++i) {
    const auto& row = chart.rows[i];
    const auto y = static_cast<double>(bars - i);
    const double percent =
        100 * (row.median_ms - row.predicted_ms) / std::max(row.predicted_ms, 1e-6);
    widest = std::max(widest, std::abs(percent));
    tics += fmt::format("{}{} {:g}", i > 0 ? ", " : "",
                        quoted_tic(model::shortened(row.name, longest_name_of_bar)), y);
    right += fmt::format("{0:g} {1:g} {2:g} {3:g} {4:g} {5:g} {6}\n", percent / 2, y,
                         std::min(0.0, percent), std::max(0.0, percent), y - 0.3, y + 0.3,
                         row.good ? 0x1F4B7A : 0xD9711C);
  }
  if (bars > 0) {
    s += fmt::format(
        "unset label 1\nunset label 2\nunset logscale\nset key off\nunset ylabel\n"
        "set xrange [{0:g}:{1:g}]\nset yrange [0.3:{2:g}]\nset ytics ({3}) scale 0 font {4}\n"
        "set xlabel 'median from the model in %' offset 0,-0.3\nset grid xtics noytics\n"
        "set xzeroaxis\nset arrow 9 from 0,0.3 to 0,{2:g} nohead lc rgb C_MUTE lw 1\n"
        "set lmargin at screen 0.72\nset rmargin at screen 0.965\n"
        "$right << EOD\n{5}EOD\n"
        "plot $right using 1:2:3:4:5:6:7 with boxxyerror lc rgb variable fs solid 1.0 noborder\n",
        -1.15 * widest, 1.15 * widest, static_cast<double>(bars) + 0.7, tics, font(format, 12),
        right);
  }
  return s + "unset multiplot\n";
}

}  // namespace greymet::figures
