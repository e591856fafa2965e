#include "engine/run_watch.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

namespace greymet::engine {

RunWatch::RunWatch(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                   std::vector<Expectation> expected, const std::vector<std::size_t>& controllers)
    : plan_(plan),
      report_(report),
      expected_(std::move(expected)),
      states_(expected_.size()),
      points_(plan, controllers),
      measures_(plan.transactions.size()),
      last_response_(plan.transactions.size()) {}

void RunWatch::add(const RequestRecord& record) {
  points_.add(record);
  measures_.add(record);
  if (record.outcome == Outcome::good || record.outcome == Outcome::exception) {
    last_response_[record.transaction] = record.end - record.release;
  }
}

bool RunWatch::is_met(const Expectation& e, const std::vector<ControllerMemory*>& memories,
                      std::string& found) const {
  std::optional<double> number;
  if (e.slave) {
    const PointValue* value = points_.find(*e.slave, e.point);
    if (value == nullptr || value->words.empty()) return false;
    found = points_.text(*value);
    if (e.text) return found == *e.text;
    number = points_.number(*value);
  } else if (e.memory) {
    const ControllerMemory& memory = *memories[e.controller];
    if (!memory.known(*e.memory)) return false;
    number = e.memory->count == 1 ? (memory.bit(e.memory->store, e.memory->first) ? 1.0 : 0.0)
                                  : static_cast<double>(memory.registers(*e.memory, 1)[0]);
    // a negative word is meant as a signed one
    constexpr double words = 65536;
    if (e.value && *e.value < 0 && *number >= words / 2) *number -= words;
    found = fmt::format("{:g}", *number);
  }
  return number && e.value &&
         std::abs(*number - *e.value) <= e.tolerance + 1e-9 * std::abs(*e.value);
}

void RunWatch::look(Duration now, const std::vector<ControllerMemory*>& memories) {
  for (std::size_t i = 0; i < expected_.size(); ++i) {
    State& state = states_[i];
    state.now = is_met(expected_[i], memories, state.found);
    if (state.now && !state.met) state.met = now;
  }
}

std::vector<ExpectationResult> RunWatch::results(bool ended) const {
  std::vector<ExpectationResult> out;
  for (std::size_t i = 0; i < expected_.size(); ++i) {
    const State& state = states_[i];
    ExpectationResult result;
    result.found = state.found;
    result.met = state.met;
    const auto& within = expected_[i].within;
    result.good = within ? state.met && *state.met <= *within : ended && state.now;
    out.push_back(std::move(result));
  }
  return out;
}

std::optional<Duration> RunWatch::bound_of(std::size_t transaction) const {
  for (const timing::LineReport& line : report_.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      if (t.transaction == transaction) return t.response_bound;
    }
  }
  return std::nullopt;
}

std::vector<MeasuredTransaction> RunWatch::transactions(const std::vector<const Master*>& masters,
                                                        const MasterOptions& options) const {
  std::vector<std::uint64_t> missed(plan_.transactions.size());
  std::vector<bool> ours(plan_.layouts.size());
  for (const Master* master : masters) {
    ours[master->controller()] = true;
    for (const MasterLink& link : master->links()) {
      const auto& jobs = link.queue().jobs;
      for (std::size_t j = 0; j < jobs.size(); ++j) {
        missed[jobs[j].transaction] = link.agenda().missed()[j];
      }
    }
  }
  std::vector<MeasuredTransaction> out;
  for (const timing::LineReport& line : report_.lines) {
    for (const timing::TransactionReport& report : line.transactions) {
      const model::ExchangeTransaction& t = *plan_.exchange.find(report.transaction);
      if (!ours[t.controller]) continue;
      MeasuredTransaction run;
      run.transaction = report.transaction;
      run.name = report.name;
      run.all = measures_.of(report.transaction);
      run.predicted = report.typical;
      run.bound = report.response_bound;
      run.missed = missed[report.transaction];
      const TransactionMeasure& m = run.all;
      const auto greatest = m.responses.greatest();
      if (m.sent == 0 && m.left_out > 0) {
        run.verdict = MeasuredVerdict::left_out;
        run.why_left_out = t.write && !options.allow_writes ? "writes are not allowed"
                           : t.endpoint.broadcast && !options.allow_broadcasts
                               ? "broadcasts are not allowed"
                               : "values that nobody stated";
      } else if (m.sent == 0 && m.dropped == 0) {
        run.verdict = MeasuredVerdict::not_run;
      } else if (m.good == 0) {
        run.verdict = MeasuredVerdict::dead;
      } else if (m.good != m.finished() || m.dropped > 0) {
        run.verdict = MeasuredVerdict::failing;
      } else if (run.bound && greatest && *greatest > *run.bound) {
        run.verdict = MeasuredVerdict::late;
      } else {
        run.verdict = MeasuredVerdict::good;
      }
      run.well = run.verdict == MeasuredVerdict::good || run.verdict == MeasuredVerdict::left_out ||
                 run.verdict == MeasuredVerdict::not_run;
      out.push_back(std::move(run));
    }
  }
  std::sort(out.begin(), out.end(), [](const MeasuredTransaction& a, const MeasuredTransaction& b) {
    return a.transaction < b.transaction;
  });
  return out;
}

}  // namespace greymet::engine
