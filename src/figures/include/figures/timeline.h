// The bus timeline: who is on the line, and when.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "figures/gnuplot.h"
#include "model/strong.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {
struct LineReport;
struct TimingReport;
}  // namespace greymet::timing

namespace greymet::figures {

// What a stretch of time on the line is used for.
enum class Part : std::uint8_t { waiting, request, turnaround, reply, gap, network, unanswered };

// One box of the timeline, in milliseconds.
struct TimelineBox {
  std::size_t row = 0;
  Part part = Part::request;
  double from_ms = 0;
  double to_ms = 0;
};

// The figure as data, ready to be drawn or tested.
struct Timeline {
  std::string title;
  std::string wire;  // of what was seen: as it was named
  std::string subtitle;
  std::vector<std::string> rows;  // slaves, top first
  std::vector<TimelineBox> boxes;
  double from_ms = 0;
  double window_ms = 0;  // where it ends
  std::string axis = "time since the start of the exchange in ms";
};

// A stretch of plant time to look at more closely.
struct TimeWindow {
  model::Duration from{};
  model::Duration until{};
};

// Services of the simulation with typical durations that a figure may need.
inline constexpr std::size_t services_drawn = 60;
inline constexpr std::size_t services_in_window = 5000;

// The timeline of one line of the report, or nothing if nothing was simulated on it (in the
// window). Without a window as much from the start as can be read.
[[nodiscard]] std::optional<Timeline> timeline_of(const model::ResolvedPlan& resolved,
                                                  const timing::TimingReport& report,
                                                  const timing::LineReport& line,
                                                  const std::optional<TimeWindow>& window = {});

// A request that was seen on a wire, with its answer if one came.
struct SeenRequest {
  std::string wire;                                     // "line north", "10.20.0.31:502"
  std::string who;                                      // was asked
  std::pair<model::Duration, model::Duration> request;  // first and last byte
  std::optional<std::pair<model::Duration, model::Duration>> reply;
};
// A timeline for each wire, in the order in which they come.
[[nodiscard]] std::vector<Timeline> timelines_seen(const std::vector<SeenRequest>& seen,
                                                   const TimeWindow& window);

[[nodiscard]] std::string timeline_script(const Timeline& timeline, PictureFormat format);

}  // namespace greymet::figures
