#include "path_reports.h"

#include "model/resolved_plan.h"

namespace greymet::timing {

using model::ResolvedPlan;

namespace {

std::vector<std::optional<PathCarrier>> path_carriers(const ResolvedPlan& resolved,
                                                      const TimingReport& report) {
  std::vector<std::optional<PathCarrier>> carriers(resolved.transactions.size());
  for (const LineReport& line : report.lines) {
    for (std::size_t j = 0; line.queue && j < line.transactions.size(); ++j) {
      const TransactionReport& t = line.transactions[j];
      carriers[t.transaction] = PathCarrier{{*line.queue, j}, t.response_bound, t.interval_bound};
    }
  }
  return carriers;
}

}  // namespace

std::vector<PathReport> bounds_of_paths(const ResolvedPlan& resolved, const TimingReport& report,
                                        const std::vector<WantedPath>& wanted) {
  return path_routes(resolved, report.model, path_carriers(resolved, report), wanted);
}

namespace internal {

void add_path_reports(const ResolvedPlan& resolved, TimingReport& report) {
  std::vector<WantedPath> wanted = declared_paths(resolved);
  const std::size_t paths = wanted.size();
  for (std::size_t i = 0; i < resolved.tags.size(); ++i) {
    const model::ResolvedTag& tag = resolved.tags[i];
    const auto& max_age = resolved.declared(tag).max_age;
    if (!max_age || !tag.from || !tag.memory) continue;
    report.tag_ages.push_back({i, {}});
    wanted.push_back({resolved.full_name(tag), tag.from->place,
                      model::memory_place(tag.controller, tag.memory->bits), max_age->value});
  }
  std::vector<PathReport> bounds = bounds_of_paths(resolved, report, wanted);
  for (std::size_t i = paths; i < bounds.size(); ++i) {
    report.tag_ages[i - paths].path = std::move(bounds[i]);
  }
  bounds.resize(paths);
  report.paths = std::move(bounds);
}

}  // namespace internal
}  // namespace greymet::timing
