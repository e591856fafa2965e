#include <algorithm>
#include <memory>
#include <thread>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_text.h"
#include "figures/trend_chart.h"
#include "files/answers_tables.h"
#include "files/log_reader.h"
#include "files/trend_json.h"
#include "line/command_line.h"

namespace greymet::cli {
namespace {

std::string trend_text(const files::LogTrends& trends, const Terminal& terminal) {
  std::string text = table_text("values", files::trends_table(trends), terminal) + "\n";
  for (const files::Trend& trend : trends.trends) {
    if (!trend.value.empty() || !trend.written.empty()) continue;
    text += fmt::format("{}: in no good row of the log\n", shown(trend.of.where));
  }
  for (const files::TrendAct& act : trends.acts) {
    text += fmt::format("act {}: {:.1f} to {:.1f} s{}\n", shown(act.name), act.from_s, act.to_s,
                        act.name == "blocks" ? ", with values of the rehearsal's own" : "");
  }
  text += fmt::format("{} rows read", trends.rows);
  if (trends.unreadable > 0) text += fmt::format(", {} of them unreadable", trends.unreadable);
  return text + "\n";
}

// Tells samples as they come, until it is stopped.
void follow(files::TrendLog& log, const StopSignals& signals, const Terminal& terminal) {
  const std::size_t count = log.trends().trends.size();
  std::vector<std::pair<std::size_t, std::size_t>> told(count);
  const auto tell = [&](const files::Trend& trend, const std::vector<double>& times,
                        const std::vector<double>& values, std::size_t& from, const char* way) {
    const auto& sources = trend.of.sources;
    const bool real = !sources.empty() && sources[0].as.type.kind == model::TypeKind::f32;
    const int digits = real ? 7 : 15;  // that the type carries
    for (; from < values.size(); ++from) {
      terminal.out << fmt::format("{:10.3f} s  {}{} {:.{}g}{}\n", times[from],
                                  shown(trend.of.where), way, values[from], digits,
                                  trend.of.unit.empty() ? "" : " " + shown(trend.of.unit));
    }
  };
  while (!signals.token().stop_requested()) {
    log.read_on();
    for (std::size_t i = 0; i < count; ++i) {
      const files::Trend& trend = log.trends().trends[i];
      tell(trend, trend.time_s, trend.value, told[i].first, "");
      tell(trend, trend.write_time_s, trend.written, told[i].second, " written");
    }
    terminal.out << std::flush;
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
  }
}

// "trend-burner.supply_temp+silo.level_percent"
std::string name_of_picture(const std::vector<figures::TrendLine>& lines) {
  constexpr std::size_t longest = 64;
  std::string name = "trend-" + lines.front().name;
  for (std::size_t i = 1; i < lines.size(); ++i) {
    if (name.size() + lines[i].name.size() > longest) {
      return name + fmt::format("+{}-more", lines.size() - i);
    }
    name += "+" + lines[i].name;
  }
  return name;
}

void draw(const files::LogTrends& trends, ResultWriter& writer) {
  std::vector<figures::TrendStretch> acts;
  for (const files::TrendAct& act : trends.acts) {
    const bool own = act.name == "blocks";
    acts.push_back({own ? "test values" : act.name, act.from_s, act.to_s, own});
  }
  // as many pictures as it takes
  constexpr std::size_t panels = 6;
  for (std::size_t from = 0; from < trends.trends.size(); from += panels) {
    std::vector<figures::TrendLine> lines;
    for (std::size_t i = from; i < std::min(trends.trends.size(), from + panels); ++i) {
      const files::Trend& trend = trends.trends[i];
      lines.push_back({trend.of.where, trend.of.unit, trend.time_s, trend.value, trend.write_time_s,
                       trend.written, files::gaps_of(trend, trends.end_s), trend.of.is_bit});
    }
    writer.draw(name_of_picture(lines), [&](auto format) {
      return figures::trend_script(
          "as logged, each value when its request had ended; red: nothing known; triangles: "
          "written",
          lines, acts, format);
    });
  }
}

}  // namespace

int run_trend(const TrendOptions& options, const Terminal& terminal) {
  if (options.follow && options.output.format != "text") {
    return usage_error(terminal, "--follow tells values as text alone");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  std::vector<files::TrendPoint> points;
  for (const std::string& name : options.points) {
    auto point = files::trend_point(plan, name);
    if (!point) return usage_error(terminal, shown(point.error()));
    points.push_back(std::move(*point));
  }
  auto log = files::TrendLog::open(options.log, plan, std::move(points));
  if (!log) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(options.log),
                                shown(log.error().message));
    return exit_usage;
  }
  if (options.follow) {
    const StopSignals signals;
    follow(*log, signals, terminal);
  }
  log->read_on();
  log->take_rest();
  const files::LogTrends& trends = log->trends();
  const bool none = std::all_of(
      trends.trends.begin(), trends.trends.end(),
      [](const files::Trend& trend) { return trend.value.empty() && trend.written.empty(); });
  auto writer = print_results(options.output,
                              {"trend", [&] { return files::trend_json(trends); },
                               [&](const Terminal& on) { return trend_text(trends, on); },
                               [&] {
                                 return std::vector<tables::Table>{files::samples_table(trends),
                                                                   files::trends_table(trends)};
                               }},
                              terminal);
  if (!writer) return none ? exit_findings : exit_fine;
  draw(trends, *writer);
  const int written = writer->finish();
  return written != exit_fine ? written : none ? exit_findings : exit_fine;
}

Action declare_trend(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<TrendOptions>();
  command.add_option("LOG", options->log, "log.csv of run or rehearse")->required();
  command
      .add_option("POINT", options->points,
                  "slave.point, or controller.address, .bit or .tag; as many as wanted")
      ->required();
  command.add_option("--plan", options->plan, "the plan that was run")
      ->required()
      ->type_name("PLAN");
  command.add_flag("--follow", options->follow,
                   "tell values as they come while the log is growing; Ctrl-C ends with all");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_trend(*options, terminal); };
}

}  // namespace greymet::cli
