#include "figures/timeline.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"
#include "timing/report.h"

namespace greymet::figures {

using model::to_ms;
using model::to_text;
using timing::Duration;

namespace {

struct TimelineLook {
  Part part;
  std::string_view name;
  double half_height;
  std::string_view style;  // of gnuplot's boxxyerror
};

// Lightness, height and hatch differ as well as colour, so that it reads in grey.
constexpr std::array timeline_looks{
    TimelineLook{Part::waiting, "waiting", 0.03, "lc rgb C_SUB fs solid 1.0 noborder"},
    TimelineLook{Part::request, "request", 0.30, "lc rgb C_REQ fs solid 1.0 noborder"},
    TimelineLook{Part::turnaround, "turnaround", 0.14,
                 "lc rgb C_TURN fs solid 1.0 border lc rgb C_MUTE"},
    TimelineLook{Part::reply, "reply", 0.30, "lc rgb C_RSP fs solid 1.0 border lc rgb C_REQ"},
    TimelineLook{Part::gap, "gap", 0.22, "lc rgb C_MUTE fs pattern 4 border lc rgb C_MUTE"},
    TimelineLook{Part::network, "network", 0.08, "lc rgb C_BAD fs pattern 5 border lc rgb C_BAD"},
    TimelineLook{Part::unanswered, "no answer", 0.20,
                 "lc rgb C_BAD fs pattern 4 border lc rgb C_BAD"},
};

// Row labels: "moisture (12)" on a line, the slave's name alone on TCP.
std::string row_label(const model::ResolvedPlan& resolved, const model::Target& target,
                      bool on_line) {
  constexpr std::size_t longest_name = 20;  // what fits beside the axis
  std::string name = model::shortened(resolved.target_name(target), longest_name);
  if (!on_line || target.is_peer) return name;
  const auto unit = resolved.exchange.slaves[target.index].unit;
  return unit ? fmt::format("{} ({})", name, unit->value) : name;
}

double nice_ceiling(double value) {
  const double scale = std::pow(10.0, std::floor(std::log10(std::max(value, 1e-3))));
  for (double step : {1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0}) {
    if (step * scale >= value) return step * scale;
  }
  return 10 * scale;
}

// Puts the parts of one service one behind the other.
class BoxBuilder {
 public:
  BoxBuilder(std::vector<TimelineBox>& boxes, std::size_t row, Duration start)
      : boxes_(boxes), row_(row), at_(start) {}
  void add(Part part, Duration length) {
    if (length > Duration{}) boxes_.push_back({row_, part, to_ms(at_), to_ms(at_ + length)});
    at_ += length;
  }
  void skip_to(Duration at) { at_ = at; }

 private:
  std::vector<TimelineBox>& boxes_;
  std::size_t row_;
  Duration at_;
};

void add_service(const timing::Job& job, const timing::Service& service, std::size_t row,
                 std::vector<TimelineBox>& boxes) {
  if (service.release < service.start) {
    boxes.push_back({row, Part::waiting, to_ms(service.release), to_ms(service.start)});
  }
  BoxBuilder box(boxes, row, service.start);
  const auto& net = job.times.network;
  if (job.times.serial) {
    if (net) {
      box.add(Part::network, net->out_typical);
      box.skip_to(service.serial_start);
    }
    const timing::SerialParts& parts = *job.times.serial;
    if (parts.latency_typical > Duration{}) box.add(Part::network, parts.latency_typical);
    box.add(Part::request, parts.request);
    box.add(Part::turnaround, parts.turnaround_typical);
    box.add(Part::reply, parts.reply);
    box.add(Part::gap, parts.gap);
    if (net) box.add(Part::network, net->back_typical);
    return;
  }
  box.add(Part::network, net->out_typical);
  box.add(Part::turnaround, net->slave_typical);
  box.add(Part::network, net->back_typical);
}

// The shortest part that should be seen: silence, request or way through the network.
Duration shortest_part(const timing::Queue& queue) {
  Duration shortest = Duration::max();
  const auto offer = [&shortest](Duration d) {
    if (d > Duration{}) shortest = std::min(shortest, d);
  };
  for (const timing::Job& job : queue.jobs) {
    if (job.times.serial) {
      offer(job.times.serial->request);
      offer(job.times.serial->gap);
    } else {
      offer(job.times.network->back_typical);
    }
  }
  return shortest;
}

// From 0 until the shortest part would be too narrow to see (some 4 of 1000 pixels), but far
// enough for three services and not beyond what was recorded.
double window_for(const timing::Queue& queue, const std::vector<timing::Service>& trace) {
  constexpr double widest_in_shortest_parts = 250;
  constexpr std::size_t least_services = 3;
  const Duration shortest = shortest_part(queue);
  double window = shortest == Duration::max() ? 0 : widest_in_shortest_parts * to_ms(shortest);
  window = std::max(window, to_ms(trace[std::min(least_services, trace.size()) - 1].end));
  return nice_ceiling(std::min(window, to_ms(trace.back().end)));
}

}  // namespace

std::optional<Timeline> timeline_of(const model::ResolvedPlan& resolved,
                                    const timing::TimingReport& report,
                                    const timing::LineReport& line,
                                    const std::optional<TimeWindow>& chosen) {
  if (!line.queue || report.typical[*line.queue].trace.empty()) return std::nullopt;
  const timing::Queue& queue = report.model.queues[*line.queue];
  const auto& trace = report.typical[*line.queue].trace;
  Timeline figure;
  // a row a device: shortened names may be alike
  std::map<std::size_t, std::size_t> rows;
  const auto row_of = [&](const timing::Job& job) {
    const auto [at, is_new] = rows.try_emplace(job.device, figure.rows.size());
    if (is_new) {
      figure.rows.push_back(
          row_label(resolved, report.model.devices[job.device], queue.line.has_value()));
    }
    return at->second;
  };
  for (const timing::Job& job : queue.jobs) (void)row_of(job);  // rows in list order
  const double window = chosen ? to_ms(chosen->until) : window_for(queue, trace);
  figure.from_ms = chosen ? to_ms(chosen->from) : 0;
  std::size_t shown = 0;
  for (const timing::Service& service : trace) {
    if (to_ms(service.start) >= window) break;
    const timing::Job& job = queue.jobs[service.job];
    add_service(job, service, row_of(job), figure.boxes);
    ++shown;
  }
  const double from = figure.from_ms;
  std::erase_if(figure.boxes, [window, from](const TimelineBox& b) {
    return b.from_ms >= window || b.to_ms <= from;
  });
  for (TimelineBox& box : figure.boxes) {
    box.from_ms = std::max(box.from_ms, from);
    box.to_ms = std::min(box.to_ms, window);
  }
  figure.window_ms = window;
  figure.title =
      chosen ? fmt::format("Bus timeline of {}: {} to {}", line.name, to_text(chosen->from),
                           to_text(chosen->until))
             : fmt::format("Bus timeline of {}: the first {} transactions", line.name, shown);
  figure.subtitle = fmt::format(
      "{}, master {}, typical durations, use {:.1f} %, all released together at 0 ms "
      "plus their phases",
      line.description, line.master, line.utilisation_percent);
  return figure;
}

std::vector<Timeline> timelines_seen(const std::vector<SeenRequest>& seen,
                                     const TimeWindow& window) {
  std::vector<Timeline> out;
  std::map<std::string, std::vector<const SeenRequest*>> by_wire;
  std::vector<std::string> wires;
  for (const SeenRequest& each : seen) {
    if (by_wire.count(each.wire) == 0) wires.push_back(each.wire);
    by_wire[each.wire].push_back(&each);
  }
  const double from = to_ms(window.from);
  const double until = to_ms(window.until);
  const double least = (until - from) / 400;  // what is instant is seen all the same
  for (const std::string& wire : wires) {
    Timeline figure;
    const auto& requests = by_wire[wire];
    std::map<std::string, std::size_t> rows;
    for (std::size_t i = 0; i < requests.size(); ++i) {
      const SeenRequest& each = *requests[i];
      const auto [at, is_new] = rows.try_emplace(each.who, figure.rows.size());
      constexpr std::size_t longest_name = 20;
      if (is_new) figure.rows.push_back(model::shortened(each.who, longest_name));
      const auto add = [&, row = at->second](Part part, double a, double b) {
        a = std::max(a, from);
        b = std::min(b, until);
        if (b > a) figure.boxes.push_back({row, part, a, b});
      };
      const double asked = to_ms(each.request.second);
      add(Part::request, to_ms(each.request.first),
          std::max(asked, to_ms(each.request.first) + least));
      if (each.reply) {
        add(Part::turnaround, asked, to_ms(each.reply->first));
        add(Part::reply, to_ms(each.reply->first),
            std::max(to_ms(each.reply->second), to_ms(each.reply->first) + least));
        continue;
      }
      const bool is_last = i + 1 == requests.size();
      add(Part::unanswered, asked, is_last ? until : to_ms(requests[i + 1]->request.first));
    }
    figure.from_ms = from;
    figure.window_ms = until;
    figure.wire = wire;
    figure.axis = "time since the first frame of the capture in ms";
    figure.title =
        fmt::format("Seen at {}: {} to {}", wire, to_text(window.from), to_text(window.until));
    figure.subtitle = fmt::format("{} requests of the capture", requests.size());
    out.push_back(std::move(figure));
  }
  return out;
}

std::string timeline_script(const Timeline& figure, PictureFormat format) {
  std::string s = common_look(format);
  const auto rows = static_cast<double>(figure.rows.size());
  const double label_size = rows <= 20 ? 16 : std::max(8.0, 320 / rows);
  s += fmt::format("set label 1 {} at graph 0, graph 1.115 font {} textcolor rgb C_TXT\n",
                   script_text(figure.title), font(format, 22));
  s += fmt::format("set label 2 {} at graph 0, graph 1.045 textcolor rgb C_SUB\n",
                   script_text(figure.subtitle));
  s += "set label 3 'slave (unit)' at graph 0, graph -0.045 right offset -2.5,0 textcolor rgb "
       "C_SUB\n";
  s += fmt::format("set xrange [{:g}:{:g}]\nset yrange [0.5:{:g}]\n", figure.from_ms,
                   figure.window_ms, rows + 0.5);
  s += "set xtics offset TX,0\nset mxtics 4\nset ytics (";
  for (std::size_t i = 0; i < figure.rows.size(); ++i) {
    s += fmt::format("{}{} {:g}", i > 0 ? ", " : "", quoted_tic(figure.rows[i]),
                     rows - static_cast<double>(i));
  }
  s += fmt::format(") scale 0 font {}\n", font(format, label_size));
  s += fmt::format("set xlabel {} offset 0,-0.4\n", script_text(figure.axis)) +
       "set grid xtics lc rgb C_GRID lw 1 lt 1\n"
       "set lmargin at screen 0.185\nset rmargin at screen 0.965\n"
       "set tmargin at screen 0.845\nset bmargin at screen 0.185\n"
       "set key at screen 0.565, screen 0.035 center horizontal Left reverse samplen 2.5 width 1 "
       "maxrows 1\n";
  for (std::size_t i = 1; i <= figure.rows.size(); ++i) {
    s += fmt::format(
        "set object {0} rect from {2:g},{0}-0.40 to {1:g},{0}+0.40 fc rgb C_BAND fs solid noborder "
        "behind\n",
        i, figure.window_ms, figure.from_ms);
  }
  std::string plots;
  for (const TimelineLook& look : timeline_looks) {
    std::string data;
    for (const TimelineBox& box : figure.boxes) {
      if (box.part != look.part) continue;
      const double y = rows - static_cast<double>(box.row);
      data += fmt::format("{:.6f} {:g} {:.6f} {:.6f} {:g} {:g}\n", (box.from_ms + box.to_ms) / 2, y,
                          box.from_ms, std::min(box.to_ms, figure.window_ms), y - look.half_height,
                          y + look.half_height);
    }
    if (data.empty()) continue;
    const auto number = static_cast<int>(look.part);
    s += fmt::format("$part{} << EOD\n{}EOD\n", number, data);
    plots += fmt::format("{}$part{} using 1:2:3:4:5:6 with boxxyerror {} title '{}'",
                         plots.empty() ? "plot " : ", ", number, look.style, look.name);
  }
  return s + plots + "\n";
}

}  // namespace greymet::figures
