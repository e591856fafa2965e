// Response per transaction: simulated and bound against the period.
#pragma once

#include <string>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::timing {
struct LineReport;
}

namespace greymet::figures {

// Transactions of one line that have a response, in list order; of more than 60 those with the
// largest bound for their period.
struct ResponseChart {
  struct Row {
    std::string name;
    double simulated_ms = 0;  // 0: none
    double bound_ms = 0;      // 0: none
    double period_ms = 0;     // 0: none
  };
  std::string title;
  std::string subtitle;
  std::vector<Row> rows;
};
[[nodiscard]] ResponseChart response_chart_of(const timing::LineReport& line);

// On a logarithmic axis: a bar from the least to the simulated response, on to the bound, and the
// period as a mark.
[[nodiscard]] std::string response_script(const ResponseChart& chart, PictureFormat format);

}  // namespace greymet::figures
