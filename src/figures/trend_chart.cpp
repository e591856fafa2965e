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

// An empty line breaks the line that is drawn.
class Breaks {
 public:
  explicit Breaks(const std::vector<std::pair<double, double>>& gaps) : gaps_(gaps) {}
  // A gap begins at that sample, or since the one before.
  bool after(double time) {
    bool any = false;
    while (next_ < gaps_.size() && gaps_[next_].first <= time) {
      any = true;
      ++next_;
    }
    return any;
  }

 private:
  const std::vector<std::pair<double, double>>& gaps_;
  std::size_t next_ = 0;
};

// time, value; where there are more than a picture has columns, least and greatest of each.
std::string points_of(const TrendLine& line, double from, double to) {
  std::string data;
  Breaks breaks(line.gaps);
  if (line.value.size() <= 2 * columns) {
    for (std::size_t i = 0; i < line.value.size(); ++i) {
      data += fmt::format("{:.7g} {:.9g}\n", line.time_s[i], line.value[i]);
      if (breaks.after(line.time_s[i])) data += "\n";
    }
    return data;
  }
  const double width = std::max(1e-9, (to - from) / static_cast<double>(columns));
  for (std::size_t i = 0; i < line.value.size();) {
    const double end = line.time_s[i] + width;
    double least = line.value[i];
    double greatest = least;
    const double time = line.time_s[i];
    bool broken = false;
    for (; i < line.value.size() && line.time_s[i] < end && !broken; ++i) {
      least = std::min(least, line.value[i]);
      greatest = std::max(greatest, line.value[i]);
      broken = breaks.after(line.time_s[i]);
    }
    data += fmt::format("{0:.7g} {1:.9g}\n{0:.7g} {2:.9g}\n", time, least, greatest);
    if (broken) data += "\n";
  }
  return data;
}

// What a panel shows of values: room above and below, a constant in the middle.
struct Axis {
  double low = 0;
  double high = 1;
  double step = 1;
};
Axis axis_of(const TrendLine& line) {
  if (line.is_bit) return {-0.25, 1.25, 1};
  Axis out;
  bool any = false;
  for (const auto* values : {&line.value, &line.written}) {
    for (const double value : *values) {
      out.low = any ? std::min(out.low, value) : value;
      out.high = any ? std::max(out.high, value) : value;
      any = true;
    }
  }
  const double range = out.high - out.low;
  constexpr double share = 0.08;
  constexpr double constant_share = 0.05;
  const bool constant = range <= std::abs(out.high) * 1e-9;
  const double room = constant ? std::max(std::abs(out.high) * constant_share, 0.5) : range * share;
  out.step = nice_step((range + 2 * room) / 3);
  out.low -= room;
  out.high += room;
  return out;
}

constexpr std::size_t most_marked = 300;  // samples of one panel with a mark each

// Shades, gaps and lines between stretches of one panel.
std::string behind(const TrendLine& line, const std::vector<TrendStretch>& stretches, bool top,
                   double from, double to) {
  std::string s;
  const auto shade = [&](double begin, double end, const char* colour) {
    s += fmt::format(
        "set object rectangle from first {:.7g}, graph 0 to first {:.7g}, graph 1 behind fillcolor "
        "rgb {} fillstyle solid noborder\n",
        begin, end, colour);
  };
  for (std::size_t i = 0; i < stretches.size(); ++i) {
    const TrendStretch& each = stretches[i];
    if (each.marked) shade(each.from_s, each.to_s, "'#FFF4D6'");
    s += fmt::format(
        "set arrow from first {0:.7g}, graph 0 to first {0:.7g}, graph 1 nohead lc rgb C_GRID lw "
        "1.5 back\n",
        each.from_s);
    if (!top) continue;
    // neighbours stand at two heights, and the last one ends where its line is
    const bool at_right = each.from_s - from > 0.85 * (to - from);
    s += fmt::format("set label {} at first {:.7g}, graph 1 {} offset {},{} textcolor rgb C_TXT\n",
                     script_text(each.name), at_right ? to : each.from_s, at_right ? "right" : "",
                     at_right ? "0" : "0.3", i % 2 == 0 ? "0.7" : "1.7");
  }
  constexpr std::size_t most_shaded = 300;
  for (std::size_t i = 0; i < line.gaps.size() && i < most_shaded; ++i) {
    shade(line.gaps[i].first, line.gaps[i].second, "'#F3D9D7'");
  }
  return s;
}

std::string plot_of(const TrendLine& line, std::size_t index, double from, double to) {
  std::string s;
  std::string plots;
  if (!line.value.empty()) {
    s += fmt::format("$line{} << EOD\n{}EOD\n", index, points_of(line, from, to));
    const bool few = line.value.size() <= most_marked;
    const char* how = line.is_bit ? "steps" : "lines";
    plots = fmt::format("$line{} using 1:2 with {} lc rgb C_REQ lw 1.6", index, how);
    if (few)
      plots += fmt::format(", $line{} using 1:2 with points pt 7 ps 0.5 lc rgb C_REQ", index);
  }
  if (!line.written.empty()) {
    s += fmt::format("$written{} << EOD\n", index);
    for (std::size_t i = 0; i < line.written.size(); ++i) {
      s += fmt::format("{:.7g} {:.9g}\n", line.write_time_s[i], line.written[i]);
    }
    s += "EOD\n";
    plots += fmt::format("{}$written{} using 1:2 with points pt 9 ps 1 lc rgb '#A35A00'",
                         plots.empty() ? "" : ", ", index);
  }
  return s + "plot " + (plots.empty() ? std::string("NaN notitle") : plots) + "\n";
}

}  // namespace

std::string trend_script(const std::string& subtitle, const std::vector<TrendLine>& all,
                         const std::vector<TrendStretch>& stretches, PictureFormat format) {
  const std::size_t panels = std::min(all.size(), most_panels);
  double from = 1e300;
  double to = -1e300;
  for (std::size_t i = 0; i < panels; ++i) {
    for (const auto* times : {&all[i].time_s, &all[i].write_time_s}) {
      for (const double time : *times) {
        from = std::min(from, time);
        to = std::max(to, time);
      }
    }
    for (const auto& gap : all[i].gaps) to = std::max(to, gap.second);
  }
  if (from > to) from = to = 0;
  if (to - from < 1e-3) to = from + 1;
  std::vector<TrendStretch> shown;
  for (TrendStretch each : stretches) {
    each.from_s = std::max(each.from_s, from);
    each.to_s = std::min(each.to_s, to);
    if (each.from_s < each.to_s) shown.push_back(each);
  }
  std::string s = common_look(format);
  s += heading("Values over time", subtitle, 0.09, format);
  s += fmt::format(
      "set multiplot\nset key off\nset lmargin at screen 0.09\nset rmargin at screen 0.965\n"
      "set xrange [{:.9g}:{:.9g}]\nset grid xtics ytics lc rgb C_GRID lw 1 lt 1\n",
      from, to);
  const double top = 0.81;
  const double bottom = 0.12;
  const double height = (top - bottom) / static_cast<double>(std::max<std::size_t>(1, panels));
  for (std::size_t i = 0; i < panels; ++i) {
    const TrendLine& line = all[i];
    const double high = top - static_cast<double>(i) * height;
    const bool last = i + 1 == panels;
    const Axis axis = axis_of(line);
    const std::string name = line.unit.empty() ? line.name : line.name + " in " + line.unit;
    // the names of stretches stand above the first panel, right of its own
    s += fmt::format(
        "set tmargin at screen {:g}\nset bmargin at screen {:g}\nset yrange [{:.9g}:{:.9g}]\n"
        "set ytics {:g}\nset format y '%.6g'\n"
        "set label {} at graph 0, graph 1 offset 0,{} font {} textcolor rgb C_TXT front\n",
        high - 0.03, high - height + 0.03, axis.low, axis.high, axis.step, script_text(name),
        i == 0 && !shown.empty() ? "3" : "0.7", font(format, 14));
    s += last ? "set format x '%g'\nset xlabel 'time of the run in s' offset 0,-0.3\n"
              : "set format x ''\nunset xlabel\n";
    s += behind(line, shown, i == 0, from, to);
    s += plot_of(line, i, from, to);
    s += "unset label\nunset object\nunset arrow\n";
  }
  return s + "unset multiplot\n";
}

}  // namespace greymet::figures
