#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/table_cells.h"
#include "figures/trend_chart.h"
#include "files/answers_tables.h"
#include "files/log_reader.h"
#include "files/trend_json.h"
#include "line/command_line.h"
#include "model/nearest_name.h"

namespace greymet::cli {
namespace {

// "slave.point", or what is wrong with it.
tl::expected<files::TrendPoint, std::string> point_named(const model::ResolvedPlan& plan,
                                                         const std::string& text) {
  const std::size_t dot = text.find('.');
  const std::string owner = text.substr(0, dot);
  const auto& slaves = plan.plan.slaves;
  std::vector<std::string_view> known;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    known.emplace_back(slaves[s].name);
    if (slaves[s].name != owner || dot == std::string::npos) continue;
    const model::RegisterMap* map = plan.map_of({false, s, 0});
    const std::string name = text.substr(dot + 1);
    const model::Point* point = map != nullptr ? map->find(name) : nullptr;
    if (point != nullptr && point->type.kind == model::TypeKind::text) {
      return tl::unexpected(fmt::format("{} is a text, and no line can be drawn of it", text));
    }
    if (point != nullptr) {
      return files::TrendPoint{s, static_cast<std::size_t>(point - map->points().data()), text};
    }
    std::vector<std::string_view> points;
    if (map != nullptr) {
      for (const model::Point& each : map->points()) points.emplace_back(each.name);
    }
    return tl::unexpected(fmt::format("slave {} has no point '{}'{}", owner, name.substr(0, 60),
                                      model::nearest_or_example(name, points)));
  }
  return tl::unexpected(fmt::format("'{}' names no point; write slave.point{}", text.substr(0, 60),
                                    model::nearest_or_example(owner, known)));
}

std::string trend_text(const files::LogTrends& trends, const Terminal& terminal) {
  std::string text =
      heading(terminal, "values",
              fmt::format("  {} {} {:>8} {:>12} {:>12} {:>12} {:>12}", name_cell("point", 28),
                          name_cell("unit", 6), "samples", "first", "last", "least", "greatest"));
  for (const files::Trend& trend : trends.trends) {
    if (trend.value.empty()) {
      text += fmt::format("  {} {} {:>8}  in no good row of the log\n",
                          name_cell(trend.of.where, 28), name_cell(trend.unit, 6), "-");
      continue;
    }
    const auto [least, greatest] = std::minmax_element(trend.value.begin(), trend.value.end());
    text += fmt::format("  {} {} {:>8} {:>12.6g} {:>12.6g} {:>12.6g} {:>12.6g}\n",
                        name_cell(trend.of.where, 28), name_cell(trend.unit, 6), trend.value.size(),
                        trend.value.front(), trend.value.back(), *least, *greatest);
  }
  text += fmt::format("{} rows read", trends.rows);
  if (trends.unreadable > 0) text += fmt::format(", {} of them unreadable", trends.unreadable);
  return text + "\n";
}

}  // namespace

int run_trend(const TrendOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  std::vector<files::TrendPoint> points;
  for (const std::string& name : options.points) {
    auto point = point_named(plan, name);
    if (!point) return usage_error(terminal, shown(point.error()));
    points.push_back(std::move(*point));
  }
  const auto trends = files::read_trends(options.log, plan, points);
  if (!trends) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(options.log),
                                shown(trends.error().message));
    return exit_usage;
  }
  const bool none = std::all_of(trends->trends.begin(), trends->trends.end(),
                                [](const files::Trend& trend) { return trend.value.empty(); });
  auto writer =
      print_results(options.output,
                    {"trend", [&] { return files::trend_json(*trends); },
                     [&](const Terminal& on) { return trend_text(*trends, on); },
                     [&] { return std::vector<tables::Table>{files::samples_table(*trends)}; }},
                    terminal);
  if (!writer) return none ? exit_findings : exit_fine;
  // as many pictures as it takes
  constexpr std::size_t panels = 6;
  for (std::size_t from = 0; from < trends->trends.size(); from += panels) {
    std::vector<figures::TrendLine> lines;
    for (std::size_t i = from; i < std::min(trends->trends.size(), from + panels); ++i) {
      const files::Trend& trend = trends->trends[i];
      lines.push_back({trend.of.where, trend.unit, trend.time_s, trend.value});
    }
    writer->draw("trend-" + lines.front().name, [&](auto format) {
      return figures::trend_script("as logged, each value when its request had ended", lines,
                                   format);
    });
  }
  const int written = writer->finish();
  return written != exit_fine ? written : none ? exit_findings : exit_fine;
}

Action declare_trend(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<TrendOptions>();
  command.add_option("LOG", options->log, "log.csv of run or rehearse")->required();
  command.add_option("POINT", options->points, "slave.point, as many as wanted")->required();
  command.add_option("--plan", options->plan, "the plan that was run")
      ->required()
      ->type_name("PLAN");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_trend(*options, terminal); };
}

}  // namespace greymet::cli
