#include "engine/run_watch.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/resolved_plan.h"

namespace greymet::engine {

RunWatch::RunWatch(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                   std::vector<Expectation> expected, const std::vector<std::size_t>& controllers)
    : plan_(plan),
      report_(report),
      expected_(std::move(expected)),
      points_(plan, controllers),
      measures_(plan.transactions.size()),
      slaves_(plan),
      last_response_(plan.transactions.size()),
      last_words_(plan.transactions.size()),
      bounds_(plan.transactions.size()),
      late_(plan.transactions.size()) {
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      bounds_[t.transaction] = t.response_bound;
    }
  }
}

void RunWatch::add(const RequestRecord& record) {
  points_.add(record);
  measures_.add(record);
  slaves_.add(record);
  if (record.outcome == Outcome::good) {
    last_words_[record.transaction].words = record.words;
    last_words_[record.transaction].at = record.as_of;
  }
  if (record.outcome == Outcome::good || record.outcome == Outcome::exception) {
    const Duration response = record.end - record.release;
    last_response_[record.transaction] = response;
    const auto& bound = bounds_[record.transaction];
    // the bound is for tries that are answered
    const bool at_once = record.outcome == Outcome::good && record.tries <= 1;
    if (at_once && bound && response > *bound) ++late_[record.transaction];
  }
}

void RunWatch::look(Duration now, const std::vector<ControllerMemory*>& memories) {
  expected_.look(now, [&](const Expectation& e) -> std::optional<FoundValue> {
    if (!e.slave) return found_in(*memories[e.controller], e);
    const PointValue* value = points_.find(*e.slave, e.point);
    return value == nullptr ? std::nullopt : points_.found(*value);
  });
}

std::optional<Duration> RunWatch::bound_of(std::size_t transaction) const {
  return bounds_[transaction];
}

namespace {

// What one that was never sent waits for.
std::string waits_for(const model::ResolvedPlan& plan, const model::ExchangeTransaction& t) {
  const model::MemoryLayout& layout = plan.layouts[t.controller];
  std::string text;
  switch (t.trigger.kind) {
    case model::TriggerKind::on_bit:
      text = t.trigger.bit ? fmt::format("waits for {} to be set", layout.name_of(*t.trigger.bit))
                           : std::string("waits for its bit");
      break;
    case model::TriggerKind::on_change: text = "nothing that it sends has changed"; break;
    case model::TriggerKind::on_return: text = "its slave was never lost"; break;
    case model::TriggerKind::on_start:
    case model::TriggerKind::cyclic:
    case model::TriggerKind::continuous: break;
  }
  if (t.gate) {
    text +=
        fmt::format("{}its gate {} was not set", text.empty() ? "" : "; ", layout.name_of(*t.gate));
  }
  return text;
}

}  // namespace

std::vector<MeasuredTransaction> RunWatch::transactions(const std::vector<const Master*>& masters,
                                                        const MasterOptions& options,
                                                        Duration now) const {
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
      run.late = late_[report.transaction];
      const LongestWait& wait = slaves_.longest_wait(report.transaction);
      if (wait.waited > Duration{}) run.longest_wait = wait.waited;
      if (wait.behind) run.waited_for = plan_.transaction_name(*wait.behind);
      if (t.read) run.longest_gap = slaves_.longest_gap(report.transaction, now);
      const TransactionMeasure& m = run.all;
      run.cause = to_string(m.last_cause);
      if (m.sent == 0 && m.left_out > 0) {
        run.verdict = MeasuredVerdict::left_out;
        run.why_left_out = t.write && !options.allow_writes ? "writes are not allowed"
                           : t.endpoint.broadcast && !options.allow_broadcasts
                               ? "broadcasts are not allowed"
                               : "values that nobody stated";
      } else if (m.sent == 0 && m.dropped == 0) {
        run.verdict = MeasuredVerdict::not_run;
        run.why_left_out = waits_for(plan_, t);
      } else if (m.good == 0) {
        run.verdict = MeasuredVerdict::dead;
      } else if (m.good != m.finished() || m.dropped > 0) {
        run.verdict = MeasuredVerdict::failing;
      } else if (run.late > 0) {
        run.verdict = wait.behind_failing ? MeasuredVerdict::held_up : MeasuredVerdict::late;
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
