// Values over time.
#pragma once

#include <string>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::figures {

// One value over time: instants and values, equally many, by time.
struct TrendLine {
  std::string name;
  std::string unit;
  std::vector<double> time_s;
  std::vector<double> value;
};

// One panel a line, at most six, one below the other on the same time. Many values are drawn as
// the least and the greatest of each column of the picture.
[[nodiscard]] std::string trend_script(const std::string& subtitle,
                                       const std::vector<TrendLine>& lines, PictureFormat format);

}  // namespace greymet::figures
