// Measured durations of transactions on predicted ones.
#pragma once

#include <string>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::engine {
struct RehearsalResult;
}

namespace greymet::figures {

// The figure as values: one row a transaction.
struct MeasuredChart {
  struct Row {
    std::string name;
    double predicted_ms = 0;  // typical
    double median_ms = 0;     // measured
    double least_ms = 0;
    double most_ms = 0;
    bool good = true;  // median as predicted, none over its bound
  };
  std::string title;
  std::string subtitle;
  std::vector<Row> rows;  // those that farthest from what was predicted first
};
[[nodiscard]] MeasuredChart measured_chart_of(const engine::RehearsalResult& result,
                                              bool virtual_time);

// Left the medians on a diagonal, both axes logarithmic, with what was measured from least to most;
// right how far the medians of the farthest ones are from what was predicted.
[[nodiscard]] std::string measured_script(const MeasuredChart& chart, PictureFormat format);

}  // namespace greymet::figures
