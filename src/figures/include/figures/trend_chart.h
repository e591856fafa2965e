// Values over time.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::figures {

// One value over time: instants and values, equally many, by time.
struct TrendLine {
  std::string name;
  std::string unit;
  std::vector<double> time_s;
  std::vector<double> value;
  std::vector<double> write_time_s;  // marked beside
  std::vector<double> written;
  std::vector<std::pair<double, double>> gaps;  // no line is drawn there
  bool is_bit = false;                          // 0 and 1, in steps
};

// A stretch of time with a name; `marked` ones are shaded.
struct TrendStretch {
  std::string name;
  double from_s = 0;
  double to_s = 0;
  bool marked = false;
};

// One panel a line, at most six, one below the other on the same time. Many values are drawn as
// the least and the greatest of each column of the picture, few with a mark each.
[[nodiscard]] std::string trend_script(const std::string& subtitle,
                                       const std::vector<TrendLine>& lines,
                                       const std::vector<TrendStretch>& stretches,
                                       PictureFormat format);

}  // namespace greymet::figures
