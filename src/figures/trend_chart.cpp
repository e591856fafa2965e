#include "figures/trend_chart.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

namespace greymet::figures {

namespace {

constexpr std::size_t most_panels = 6;
constexpr std::size_t columns = 1100;

// 1, 2 or 5 times a power of ten, at least this.
double nice_step(double least) {
  const double power = std::pow(10.0, std::floor(std::log10(std::max(least, 1e-12))));
  for (const double factor : {1.0, 2.0, 5.0}) {
    if (factor * power >= least) return factor * power;
  }
  return 10 * power;
}

// time, value; where there are more than a picture has columns, least and greatest of each.
std::string points_of(const TrendLine& line, double from, double to) {
  std::string data;
  if (line.value.size() <= 2 * columns) {
    for (std::size_t i = 0; i < line.value.size(); ++i) {
      data += fmt::format("{:.6g} {:.9g}\n", line.time_s[i], line.value[i]);
    }
    return data;
  }
  const double width = std::max(1e-9, (to - from) / static_cast<double>(columns));
  for (std::size_t i = 0; i < line.value.size();) {
    const double end = line.time_s[i] + width;
    double least = line.value[i];
    double greatest = least;
    const double time = line.time_s[i];
    for (; i < line.value.size() && line.time_s[i] < end; ++i) {
      least = std::min(least, line.value[i]);
      greatest = std::max(greatest, line.value[i]);
    }
    data += fmt::format("{0:.6g} {1:.9g}\n{0:.6g} {2:.9g}\n", time, least, greatest);
  }
  return data;
}

}  // namespace

std::string trend_script(const std::string& subtitle, const std::vector<TrendLine>& all,
                         PictureFormat format) {
  const std::size_t panels = std::min(all.size(), most_panels);
  double from = 1e300;
  double to = -1e300;
  for (std::size_t i = 0; i < panels; ++i) {
    for (const double time : all[i].time_s) {
      from = std::min(from, time);
      to = std::max(to, time);
    }
  }
  if (from > to) from = to = 0;
  if (to - from < 1e-3) to = from + 1;
  std::string s = common_look(format);
  s += heading("Values over time", subtitle, 0.09, format);
  s += fmt::format(
      "set multiplot\nset key off\nset lmargin at screen 0.09\nset rmargin at screen 0.965\n"
      "set xrange [{:g}:{:g}]\nset grid xtics ytics lc rgb C_GRID lw 1 lt 1\n",
      from, to);
  const double top = 0.84;
  const double bottom = 0.12;
  const double height = (top - bottom) / static_cast<double>(std::max<std::size_t>(1, panels));
  for (std::size_t i = 0; i < panels; ++i) {
    const TrendLine& line = all[i];
    const double high = top - static_cast<double>(i) * height;
    const bool last = i + 1 == panels;
    const auto [least, greatest] = std::minmax_element(line.value.begin(), line.value.end());
    const bool empty = line.value.empty();
    const double low_value = empty ? 0 : *least;
    const double high_value = empty ? 1 : *greatest;
    const double room =
        std::max((high_value - low_value) * 0.08, std::abs(high_value) * 1e-3 + 1e-9);
    s += fmt::format(
        "set tmargin at screen {:g}\nset bmargin at screen {:g}\nset yrange [{:g}:{:g}]\n"
        "set ytics {:g}\nset format y '%.6g'\n"
        "set label {} {} at graph 0, graph 1.1 font {} textcolor rgb C_TXT front\n",
        high - 0.03, high - height + 0.03, low_value - room, high_value + room,
        nice_step((high_value - low_value + 2 * room) / 3), 10 + i,
        script_text(line.unit.empty() ? line.name : line.name + " in " + line.unit),
        font(format, 14));
    s += last ? "set format x '%g'\nset xlabel 'time of the run in s' offset 0,-0.3\n"
              : "set format x ''\nunset xlabel\n";
    if (empty) {
      s += "plot NaN notitle\n";
    } else {
      s += fmt::format("$line{} << EOD\n{}EOD\n", i, points_of(line, from, to));
      s += fmt::format("plot $line{} using 1:2 with {} lc rgb C_REQ lw 1.6\n", i,
                       line.value.size() < 2 ? "points pt 7" : "lines");
    }
    s += fmt::format("unset label {}\nunset label 1\nunset label 2\n", 10 + i);
  }
  return s + "unset multiplot\n";
}

}  // namespace greymet::figures
