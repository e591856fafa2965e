// A heartbeat in time: toggled, carried, seen.
#pragma once

#include <string>

#include "figures/gnuplot.h"

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::figures {

// The first toggles of a heartbeat: the producer's bit, the transfers that carry it, the bit as the
// consumer sees it, and how far its watch has run. `index` into the report's heartbeats, whose run
// must have a trace.
[[nodiscard]] std::string heartbeat_script(const timing::TimingReport& report, std::size_t index,
                                           PictureFormat format);

}  // namespace greymet::figures
