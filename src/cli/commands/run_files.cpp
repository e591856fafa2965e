#include "run_files.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "value_feed.h"

namespace greymet::cli::internal {

namespace {

bool is_run(const std::vector<std::size_t>& controllers, std::size_t controller) {
  return controllers.empty() ||
         std::find(controllers.begin(), controllers.end(), controller) != controllers.end();
}

// Why a point that no transaction reads cannot be read at the end; empty where it can.
std::string not_read_back(const model::ResolvedPlan& plan, const files::ExpectedValue& row,
                          const std::vector<std::size_t>& controllers) {
  const auto& all = plan.exchange.transactions;
  const bool is_asked =
      std::any_of(all.begin(), all.end(), [&](const model::ExchangeTransaction& t) {
        return t.target == model::Target{false, *row.at.slave, 0} &&
               is_run(controllers, t.controller);
      });
  if (!is_asked) return "no transaction of this run reads this point";
  const model::Point& point = plan.map_of({false, *row.at.slave, 0})->points()[row.at.point];
  if (point.access == model::Access::write) {
    return "no transaction of this run reads this point, and it cannot be read";
  }
  if (row.within) {
    return "no transaction of this run reads this point: it is read once, at the end, and `within` "
           "cannot be told";
  }
  return {};
}

}  // namespace

engine::Expectation expectation_of(const model::ResolvedPlan& plan,
                                   const files::ExpectedValue& row) {
  engine::Expectation e;
  e.where = row.at.where;
  e.slave = row.at.slave;
  e.point = row.at.point;
  e.controller = row.at.controller;
  if (row.at.memory) e.memory = engine::bits_of(plan.layouts[e.controller], *row.at.memory);
  e.as = row.at.as;
  e.value = row.value;
  e.digits = row.digits;
  e.text = row.text;
  e.tolerance = row.tolerance;
  e.within = row.within;
  return e;
}

ExpectedOfRun read_expected_of_run(const std::string& path, const model::ResolvedPlan& plan,
                                   const std::vector<std::size_t>& controllers,
                                   const Terminal& terminal) {
  ExpectedOfRun out;
  if (path.empty()) return out;
  auto table = read_table<files::ExpectedValue>(path, plan, files::read_expected, terminal);
  out.refused = table.refused;
  if (out.refused) return out;
  const engine::PointValues read(plan, controllers);
  model::Findings findings;
  for (const files::ExpectedValue& row : table.rows) {
    if (row.at.slave && read.find(*row.at.slave, row.at.point) == nullptr) {
      std::string why = not_read_back(plan, row, controllers);
      if (!why.empty()) {
        findings.push_back(
            refused_row(row.at, std::move(why), "leave the row out, or name a point that is read"));
      }
      out.read_back.push_back(out.expected.size());
    }
    if (row.at.memory && !is_run(controllers, row.at.controller)) {
      findings.push_back(refused_row(row.at, "this controller is not run", "see --controller"));
    }
    out.expected.push_back(expectation_of(plan, row));
  }
  if (!findings.empty()) {
    print_table_findings(path, findings, terminal);
    out.refused = exit_usage;
  }
  return out;
}

model::Findings never_sent(const std::vector<engine::StatedValue>& values,
                           const model::ResolvedPlan& plan,
                           const std::vector<std::size_t>& controllers) {
  model::Findings out;
  for (const engine::StatedValue& value : values) {
    if (value.at.slave && !engine::is_written(plan, *value.at.slave, value.at.point)) {
      out.push_back(refused_row(value.at, "no write of the plan carries this point",
                                "leave the row out, or name a point that is written"));
    }
    if (value.at.memory && !is_run(controllers, value.at.controller)) {
      out.push_back(refused_row(value.at, "this controller is not run", "see --controller"));
    }
  }
  return out;
}

std::vector<std::string> never_sent_values(
    const model::ResolvedPlan& plan, const std::vector<engine::StatedValue>& values,
    const std::vector<engine::MeasuredTransaction>& transactions, engine::Duration lasted) {
  std::vector<std::string> out;
  std::set<std::string> told;
  for (const engine::StatedValue& value : values) {
    const bool was_due = value.from.value_or(engine::Duration{}) <= lasted;
    if (!value.at.slave || !was_due || !told.insert(value.at.where).second) continue;
    const engine::MeasuredTransaction* waiting = nullptr;
    bool sent = false;
    for (const engine::MeasuredTransaction& t : transactions) {
      if (!engine::is_written_by(plan, t.transaction, *value.at.slave, value.at.point)) continue;
      sent = sent || t.all.sent > 0;
      waiting = &t;
    }
    if (sent || waiting == nullptr) continue;
    out.push_back(
        fmt::format("{}: the value was never sent; {}{}", value.at.where, waiting->name,
                    waiting->why_left_out.empty() ? " did not run" : ": " + waiting->why_left_out));
  }
  return out;
}

}  // namespace greymet::cli::internal
