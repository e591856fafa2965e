// Ages of a value at the end of its path, as a histogram.
#pragma once

#include <string>

#include "figures/gnuplot.h"

namespace greymet::timing {
struct PathReport;
}

namespace greymet::figures {

// `path.ages` must be there. Marks: half of the time, 99 %, longest, bound and budget.
[[nodiscard]] std::string path_histogram_script(const timing::PathReport& path,
                                                PictureFormat format);

}  // namespace greymet::figures
