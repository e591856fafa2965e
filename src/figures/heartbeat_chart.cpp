#include "figures/heartbeat_chart.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "timing/report.h"

namespace greymet::figures {

using model::to_ms;

namespace {

constexpr double toggles_shown = 5;

// A bit that changes at these instants, as points of a step line around `base`.
std::string square_wave(const std::vector<timing::Duration>& changes, double base, double until) {
  constexpr double height = 0.5;
  std::string data = fmt::format("0 {:g}\n", base);
  bool high = false;
  for (const timing::Duration at : changes) {
    if (to_ms(at) > until) break;
    data += fmt::format("{:g} {:g}\n", to_ms(at), high ? base + height : base);
    high = !high;
    data += fmt::format("{:g} {:g}\n", to_ms(at), high ? base + height : base);
  }
  return data + fmt::format("{:g} {:g}\n", until, high ? base + height : base);
}

// The watch runs up from 0 and is set back by each change that is seen.
std::string saw_tooth(const std::vector<timing::Duration>& seen, double watch_ms, double until) {
  std::string data;
  double last = -1;
  const auto level = [&](double at) { return std::min(1.0, (at - last) / watch_ms); };
  for (const timing::Duration at : seen) {
    const double ms = to_ms(at);
    if (ms > until) break;
    if (last >= 0) data += fmt::format("{:g} {:g}\n", ms, level(ms));
    last = ms;
    data += fmt::format("{:g} 0\n", ms);
  }
  if (last >= 0) data += fmt::format("{:g} {:g}\n", until, level(until));
  return data;
}

}  // namespace

std::string heartbeat_script(const timing::TimingReport& report, std::size_t index,
                             PictureFormat format) {
  const timing::HeartbeatReport& heartbeat = report.heartbeats[index];
  const timing::HeartbeatTrace& trace = report.heartbeat_runs[index].trace;
  const double until = toggles_shown * to_ms(heartbeat.times.toggle);
  const double watch = std::max(1e-3, to_ms(heartbeat.watch));
  std::string transfers;
  for (const timing::Transfer& t : trace.transfers) {
    if (to_ms(t.taken) > until) break;
    transfers += fmt::format("{:g} 2.55 {:g} -0.5\n", to_ms(t.taken), to_ms(t.landed - t.taken));
  }
  std::string s = common_look(format);
  s += heading(
      fmt::format("Heartbeat {}: toggled, carried, seen", heartbeat.name),
      fmt::format("carried by {}, typical durations; watch {:g} ms, alarm at the latest {:.0f} ms "
                  "after a stop",
                  heartbeat.carried_by, watch,
                  heartbeat.latest_alarm ? to_ms(*heartbeat.latest_alarm) : 0.0),
      0.165, format);
  s += fmt::format(
      "set xrange [0:{:g}]\nset yrange [-0.25:3.8]\n"
      "set ytics ('watch run off' 0.5, 'seen by consumer' 1.25, 'carried' 2.3, 'bit of producer' "
      "3.25) scale 0\n"
      "set xlabel 'time since the start of the exchange in ms' offset 0,-0.4\n"
      "set grid xtics lc rgb C_GRID lw 1 lt 1\n"
      "set lmargin at screen 0.165\nset rmargin at screen 0.955\nset tmargin at screen 0.86\n"
      "set bmargin at screen 0.185\n"
      "set key at screen 0.565, screen 0.035 center horizontal Left reverse samplen 2.2 width 1 "
      "maxrows 1\n"
      "set arrow 1 from 0,0.7 to {:g},0.7 nohead lc rgb C_BAD lw 1.6 dt 2 front\n"
      "set label 3 'alarm' at graph 1.008, first 0.7 left font {} textcolor rgb C_BAD\n",
      until, until, font(format, 13));
  s += fmt::format("$bit << EOD\n{}EOD\n$seen << EOD\n{}EOD\n$carried << EOD\n{}EOD\n",
                   square_wave(trace.toggles, 3, until), square_wave(trace.seen, 1, until),
                   transfers.empty() ? "0 NaN 0 0\n" : transfers);
  const std::string watched = saw_tooth(trace.seen, watch, until);
  s += fmt::format("$watch << EOD\n{}EOD\n", watched.empty() ? "0 NaN\n" : watched);
  return s +
         "plot $bit with lines lc rgb C_REQ lw 2.4 title 'producer', "
         "$carried using 1:2:3:4 with vectors nohead lc rgb C_SUB lw 1.2 title 'transfer', "
         "$seen with lines lc rgb C_RSP lw 3.2 title 'consumer', "
         "$watch using 1:($2*0.7) with filledcurves y1=0 lc rgb C_TURN title 'watch, since a "
         "change was seen'\n";
}

}  // namespace greymet::figures
