// Use per line: how full each line and connection is.
#pragma once

#include <string>

#include "figures/gnuplot.h"

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::figures {

// One bar a line, in the order of the report, with marks at 80 and 100 %. Beyond 40 lines the
// fullest are shown. Nothing to draw: an empty figure.
[[nodiscard]] std::string use_script(const timing::TimingReport& report, PictureFormat format);

}  // namespace greymet::figures
