#include "figures/response_chart.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "model/utf8_text.h"
#include "timing/report.h"

namespace greymet::figures {

using model::to_ms;

namespace {

constexpr std::size_t most_rows = 60;

constexpr std::size_t longest_row_name = 22;

// Share of the period that the bound takes; rows without either come last.
double tightness(const ResponseChart::Row& row) {
  return row.period_ms > 0 ? row.bound_ms / row.period_ms : 0;
}

}  // namespace

ResponseChart response_chart_of(const timing::LineReport& line) {
  ResponseChart chart;
  std::size_t late = 0;
  for (const timing::TransactionReport& t : line.transactions) {
    if (!t.response_simulated && !t.response_bound) continue;
    if (t.kind == model::TriggerKind::continuous) continue;
    const auto ms = [](const std::optional<timing::Duration>& d) { return d ? to_ms(*d) : 0.0; };
    chart.rows.push_back({model::shortened(t.name, longest_row_name), ms(t.response_simulated),
                          ms(t.response_bound), ms(t.period)});
    if (t.period && t.response_bound && *t.response_bound > *t.period) ++late;
  }
  const std::size_t all = chart.rows.size();
  if (all > most_rows) {
    std::stable_sort(chart.rows.begin(), chart.rows.end(),
                     [](const auto& a, const auto& b) { return tightness(a) > tightness(b); });
    chart.rows.resize(most_rows);
  }
  chart.title = fmt::format("Responses on {} against their periods", line.name);
  chart.subtitle = fmt::format(
      "release to completion, longest durations; the bound exceeds the "
      "period for {} of {} transactions",
      late, all);
  return chart;
}

std::string response_script(const ResponseChart& chart, PictureFormat format) {
  const auto rows = static_cast<double>(chart.rows.size());
  double least = 1e9;
  double most = 1;
  for (const auto& row : chart.rows) {
    for (const double value : {row.simulated_ms, row.bound_ms, row.period_ms}) {
      if (value <= 0) continue;
      least = std::min(least, value);
      most = std::max(most, value);
    }
  }
  least = std::min(least, most);
  const double from = std::pow(10.0, std::floor(std::log10(least * 0.8)));
  std::string simulated;
  std::string bound;
  std::string late;
  std::string period;
  std::string tics;
  for (std::size_t i = 0; i < chart.rows.size(); ++i) {
    const auto& row = chart.rows[i];
    const double y = rows - static_cast<double>(i);
    tics += fmt::format("{}{} {:g}", i > 0 ? ", " : "", quoted_tic(row.name), y);
    if (row.simulated_ms > 0) {
      simulated += fmt::format("{0:g} {1:g} {2:g} {0:g} {3:g} {4:g}\n", row.simulated_ms, y, from,
                               y - 0.32, y + 0.32);
    }
    if (row.bound_ms > 0) {
      const bool beyond = row.period_ms > 0 && row.bound_ms > row.period_ms;
      (beyond ? late : bound) +=
          fmt::format("{0:g} {1:g} {2:g} {0:g} {3:g} {4:g}\n", row.bound_ms, y,
                      std::max(row.simulated_ms, from), y - 0.16, y + 0.16);
    }
    if (row.period_ms > 0) {
      period += fmt::format("{:g} {:g} {:g} {:g}\n", row.period_ms, y - 0.42, 0.0, 0.84);
    }
  }
  const double label_size = rows <= 24 ? 14 : std::max(8.0, 340 / rows);
  std::string s = common_look(format);
  s += heading(chart.title, chart.subtitle, 0.185, format);
  s += fmt::format(
      "set logscale x\nset xrange [{:g}:{:g}]\nset yrange [0.4:{:g}]\n"
      "set ytics ({}) scale 0 font {}\nset format x '%.12g'\n"
      "set xlabel 'time in ms (logarithmic)' offset 0,-0.4\n"
      "set grid xtics mxtics lc rgb C_GRID lw 1 lt 1, lc rgb C_GRID lw 0.5 lt 1\nset mxtics 10\n"
      "set lmargin at screen 0.185\nset rmargin at screen 0.955\nset tmargin at screen 0.87\n"
      "set bmargin at screen 0.165\n"
      "set key at screen 0.565, screen 0.03 center horizontal Left reverse samplen 2.2 width 1 "
      "maxrows 1\n",
      from, most * 1.3, rows + 0.6, tics, font(format, label_size));
  std::string plots;
  const auto add = [&](std::string_view name, const std::string& data, const std::string& how) {
    if (data.empty()) return;
    s += fmt::format("${} << EOD\n{}EOD\n", name, data);
    plots += fmt::format("{}${} {}", plots.empty() ? "plot " : ", ", name, how);
  };
  add("bound", bound,
      "using 1:2:3:4:5:6 with boxxyerror lc rgb C_TURN fs solid 1.0 border lc rgb C_MUTE title 'up "
      "to the bound'");
  add("late", late,
      "using 1:2:3:4:5:6 with boxxyerror lc rgb C_BAD fs pattern 5 border lc rgb C_BAD title "
      "'bound "
      "beyond the period'");
  add("simulated", simulated,
      "using 1:2:3:4:5:6 with boxxyerror lc rgb C_REQ fs solid 1.0 noborder title 'longest "
      "simulated'");
  add("period", period,
      "using 1:2:3:4 with vectors nohead lc rgb '#FFFFFF' lw 6 notitle, $period using 1:2:3:4 with "
      "vectors nohead lc rgb C_TXT lw 2.4 title 'period, or smallest gap'");
  if (plots.empty()) plots = "plot NaN notitle";
  return s + plots + "\n";
}

}  // namespace greymet::figures
