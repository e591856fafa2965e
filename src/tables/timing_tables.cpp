#include "tables/timing_tables.h"

#include "model/resolved_plan.h"
#include "timing/watchdogs.h"

namespace greymet::tables {

namespace {

Mood mood_of(bool good) {
  return good ? Mood::good : Mood::bad;
}

Cell names(const model::ResolvedPlan& plan, const timing::TimingReport& report,
           const std::vector<timing::JobRef>& jobs) {
  constexpr std::size_t most_names = 1000;
  Words out;
  for (const timing::JobRef ref : jobs) {
    if (out.size() == most_names) break;
    out.push_back(plan.transaction_name(job_at(report.model, ref).transaction));
  }
  return out;
}

}  // namespace

std::optional<double> tightness(const timing::TransactionReport& t) {
  if (!t.response_simulated || !t.response_bound || *t.response_bound <= Duration{}) return {};
  return static_cast<double>(t.response_simulated->count()) /
         static_cast<double>(t.response_bound->count());
}

Table lines_table(const timing::TimingReport& report) {
  Table out{
      "lines",
      "the plan has no lines or connections",
      {{"line", "line", Kind::text, "line or connection", 9},
       {"master", "master", Kind::text, "the controller that is master there", 7},
       {"description", "settings", Kind::text, "how it is set", 6},
       {"utilisation_percent", "use", Kind::number,
        "share of the time that the longest transactions take, with all that may come on request",
        9, "%"},
       {"cyclic_percent", "cyclic use", Kind::number, "what comes whatever happens takes of it", 8,
        "%"},
       {"continuous", "continuous", Kind::flag, "the rest goes to what runs whenever nothing waits",
        6},
       {"burst_ms", "burst", Kind::duration, "all that comes on request, at once", 4},
       {"character_ms", "character", Kind::number, "how long one character takes", 3, "ms"},
       {"gap_ms", "gap", Kind::duration, "silence between frames", 3},
       {"round_ms", "round", Kind::duration, "all cyclic transactions once", 5},
       {"longest_queue", "longest queue", Kind::whole, "requests that were seen to wait", 4},
       {"simulation_complete", "repeats", Kind::flag,
        "the simulation has seen all: the exchange repeats within it", 4}},
      {}};
  for (const timing::LineReport& line : report.lines) {
    const Mood mood = line.overloaded() ? Mood::bad : Mood::plain;
    out.add({text(line.name), text(line.master), text(line.description), line.utilisation_percent,
             line.cyclic_percent, line.continuous, line.on_request > 0 ? Cell(line.burst) : Cell(),
             maybe(line.character_ms), maybe(line.gap), maybe(line.round),
             whole(line.longest_queue), line.simulation_complete},
            mood);
  }
  return out;
}

Table timing_table(const timing::TimingReport& report) {
  Table out{
      "timing",
      "no line or connection has transactions",
      {{"line", "line", Kind::text, "line or connection that it goes over", 9, {}, true},
       {"master", "master", Kind::text, "the controller that is master there", 5, {}, true},
       {"utilisation_percent", "use", Kind::number,
        "share of the time that the longest transactions take", 5, "%", true},
       {"name", "transaction", Kind::text, "name of the transaction", 9},
       {"function", "fc", Kind::whole, "function code", 4},
       {"request_bytes", "request", Kind::whole, "length of the request", 3, "bytes"},
       {"reply_bytes", "reply", Kind::whole, "length of the reply", 3, "bytes"},
       {"typical_ms", "typical", Kind::duration, "from its start to its end, as a rule", 6},
       {"longest_ms", "longest", Kind::duration, "the same, at the longest", 6},
       {"period_ms", "period", Kind::duration,
        "of a cyclic one; of a triggered one its smallest gap", 8},
       {"response_bound_ms", "response bound", Kind::duration,
        "from release to end: never longer while all keep to what the plan states", 8},
       {"response_bound_any_phase_ms", "any phases", Kind::duration,
        "the same bound, whenever periods begin", 4},
       {"response_simulated_ms", "simulated", Kind::duration,
        "longest response that was seen with longest durations", 7},
       {"interval_bound_ms", "at the latest every", Kind::duration,
        "longest time from one to the next", 4},
       {"missed", "missed", Kind::whole, "releases that came before the last was done", 7},
       {"silent_ms", "silent", Kind::duration, "what it costs when nobody answers", 6},
       {"shortest_ms", "shortest", Kind::duration, "from its start to its end, at the shortest", 2},
       {"exception_ms", "refused", Kind::duration, "answered by an exception, at the longest", 2},
       {"failed_attempt_ms", "one try", Kind::duration, "that nobody answers", 2},
       {"default_reply", "reply assumed", Kind::flag,
        "the slave states no reply times: those are the defaults", 5},
       {"assumed", "assumed", Kind::words, "keys of the plan that defaults stand for here", 1},
       {"tightness", "tightness", Kind::number, "simulated over bound: 1 where the bound was seen",
        1}},
      {}};
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      out.add({text(line.name),
               text(line.master),
               line.utilisation_percent,
               text(t.name),
               Cell(static_cast<std::int64_t>(t.function)),
               whole(t.request_bytes),
               whole(t.reply_bytes),
               t.typical,
               t.longest,
               maybe(t.period),
               maybe(t.response_bound),
               maybe(t.response_bound_any_phase),
               maybe(t.response_simulated),
               maybe(t.interval_bound),
               whole(t.missed),
               maybe(t.silent),
               t.shortest,
               t.exception,
               maybe(t.failed_attempt),
               t.assumed.contains(model::FactKind::reply),
               tables::Words(t.assumed.keys()),
               maybe(tightness(t))},
              t.missed > 0 ? Mood::bad : Mood::plain);
    }
  }
  return out;
}

Table heartbeats_table(const timing::TimingReport& report) {
  Table out{
      "heartbeats",
      "the plan has no heartbeats",
      {{"name", "heartbeat", Kind::text, "name of the heartbeat", 9},
       {"carried_by", "carried by", Kind::text, "the transaction that brings it", 7},
       {"toggle_ms", "toggles every", Kind::duration, "how often its producer changes it", 5},
       {"longest_gap_ms", "apart", Kind::duration,
        "longest time between two samples at its consumer", 6},
       {"watch_ms", "watch", Kind::duration, "without a change for so long there is an alarm", 8},
       {"watch_min_ms", "smallest safe", Kind::duration, "smallest watch without false alarms", 7},
       {"watch_max_ms", "largest", Kind::duration, "largest watch that reacts in time", 7},
       {"latest_alarm_ms", "latest alarm", Kind::duration, "never later after its producer stops",
        7},
       {"verdict", "verdict", Kind::state, "whether the watch fits", 9},
       {"detection_least_ms", "soonest alarm", Kind::duration, "that was simulated", 3},
       {"detection_mean_ms", "mean alarm", Kind::number, "that was simulated", 3, "ms"},
       {"detection_latest_ms", "last alarm", Kind::duration, "that was simulated", 3},
       {"tries_to_false_alarm", "tries to a false alarm", Kind::whole,
        "failed tries in a row that may give one", 4},
       {"false_alarms_per_year", "false alarms a year", Kind::number,
        "expected at the stated rate of frame errors", 4},
       {"false_alarms_simulated", "false alarms", Kind::whole, "that were simulated at that rate",
        3},
       {"simulated_s", "simulated", Kind::number, "how long that was simulated", 2, "s"}},
      {}};
  for (std::size_t i = 0; i < report.heartbeats.size(); ++i) {
    const timing::HeartbeatReport& h = report.heartbeats[i];
    const bool good = h.verdict == timing::HeartbeatVerdict::good;
    std::vector<Cell> row{text(h.name),
                          text(h.carried_by),
                          h.times.toggle,
                          maybe(h.longest_gap),
                          h.watch,
                          maybe(h.watch_min),
                          maybe(h.watch_max),
                          maybe(h.latest_alarm),
                          State{std::string(to_string(h.verdict)), mood_of(good)}};
    if (i < report.heartbeat_runs.size()) {
      const timing::HeartbeatRun& run = report.heartbeat_runs[i];
      const auto& seen = run.detection;
      row.push_back(seen ? Cell(seen->least) : Cell());
      row.push_back(seen ? Cell(seen->mean_ms) : Cell());
      row.push_back(seen ? Cell(seen->latest) : Cell());
      row.push_back(maybe(run.tries_to_alarm));
      row.push_back(maybe(run.runs_per_year));
      row.push_back(run.with_errors ? whole(run.with_errors->alarms) : Cell());
      row.push_back(run.with_errors
                        ? Cell(static_cast<double>(run.with_errors->observed.count()) / 1e9)
                        : Cell());
    }
    row.resize(out.columns.size());
    out.add(std::move(row), good ? Mood::plain : Mood::bad);
  }
  return out;
}

Table paths_table(const timing::TimingReport& report) {
  Table out{"paths",
            "the plan has no paths",
            {{"name", "path", Kind::text, "name of the path", 9},
             {"least_ms", "newest", Kind::duration, "the value at its end is never newer", 5},
             {"simulated_ms", "oldest seen", Kind::duration, "that was simulated", 7},
             {"bound_ms", "bound", Kind::duration, "it is never older", 8},
             {"budget_ms", "budget", Kind::duration, "how old it may be", 8},
             {"verdict", "verdict", Kind::state, "whether it keeps its budget", 9},
             {"typical_ms", "typical", Kind::duration, "half of the time it is not older", 4},
             {"p99_ms", "99 %", Kind::duration, "in 99 of 100 cases it is not older", 3},
             {"mean_ms", "mean", Kind::number, "its mean age", 2, "ms"},
             {"dominating_hop", "slowest step", Kind::whole,
              "the step with the largest bound, counted from 0", 2}},
            {}};
  for (const timing::PathReport& path : report.paths) {
    const bool good = path.verdict == timing::PathVerdict::good;
    const auto age = [&](auto member) { return path.ages ? Cell((*path.ages).*member) : Cell(); };
    using Ages = timing::AgeDistribution;
    out.add({text(path.name), maybe(path.least), maybe(path.simulated), maybe(path.bound),
             maybe(path.budget), State{std::string(to_string(path.verdict)), mood_of(good)},
             age(&Ages::median), age(&Ages::p99), age(&Ages::mean_ms),
             path.dominating ? whole(*path.dominating) : Cell()},
            good ? Mood::plain : Mood::bad);
  }
  return out;
}

Table tag_ages_table(const timing::TimingReport& report) {
  Table out{"tag-ages",
            "no tag states a max_age",
            {{"tag", "tag", Kind::text, "name of the tag", 9},
             {"simulated_ms", "oldest seen", Kind::duration, "that was simulated", 7},
             {"bound_ms", "bound", Kind::duration, "its value is never older", 8},
             {"max_age_ms", "max age", Kind::duration, "how old it may be", 8},
             {"verdict", "verdict", Kind::state, "whether it keeps its max_age", 9}},
            {}};
  for (const timing::TagAge& age : report.tag_ages) {
    const bool good = age.path.verdict == timing::PathVerdict::good;
    out.add(
        {text(age.path.name), maybe(age.path.simulated), maybe(age.path.bound),
         maybe(age.path.budget), State{std::string(to_string(age.path.verdict)), mood_of(good)}},
        good ? Mood::plain : Mood::bad);
  }
  return out;
}

Table shares_table(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                   const std::vector<timing::BoundShare>& shares) {
  using ShareKind = timing::BoundShare::Kind;
  Table out{
      "shares",
      "the bound has no shares",
      {{"kind", "kind", Kind::text, "what it waits for", 9},
       {"transaction", "transaction", Kind::text, "whose requests those are", 9},
       {"controller", "controller", Kind::text, "the other master whose requests those are", 7},
       {"times", "times", Kind::whole, "how often", 9},
       {"each_ms", "each", Kind::duration, "how long each of them takes", 9}},
      {}};
  const auto word = [](ShareKind kind) -> std::string_view {
    switch (kind) {
      case ShareKind::first_wait: return "first wait";
      case ShareKind::begun: return "begun";
      case ShareKind::other: return "other";
      case ShareKind::own: return "own";
      case ShareKind::ways: return "ways";
      case ShareKind::held: return "held";
      case ShareKind::foreign: return "foreign";
      case ShareKind::elapsed: return "elapsed";
    }
    return {};
  };
  for (const timing::BoundShare& share : shares) {
    const auto master = [&] {
      return text(plan.plan.controllers[report.model.queues[*share.queue].controller].name);
    };
    out.add({text(word(share.kind)),
             share.job ? text(plan.transaction_name(job_at(report.model, *share.job).transaction))
                       : Cell(),
             share.queue ? master() : Cell(), Cell(share.times), share.each});
  }
  return out;
}

const timing::SilentCase* simulated_silence(const timing::TimingReport& report, std::size_t stall) {
  for (const timing::SilentCase& silent : report.silence.cases) {
    if (silent.stall == stall) return &silent;
  }
  return nullptr;
}

std::optional<Duration> noticed_at_the_latest(const model::ResolvedPlan& plan,
                                              const timing::TimingReport& report,
                                              const model::Target& target) {
  std::optional<Duration> least;
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const model::ExchangeTransaction* exchange = plan.exchange.find(t.transaction);
      if (exchange == nullptr || exchange->target != target) continue;
      const auto& wait =
          t.response_behind_failures ? t.response_behind_failures : t.response_bound_any_phase;
      if (t.kind != model::TriggerKind::cyclic || !t.period || !wait || !t.silent) continue;
      const Duration latest = *t.period + *wait + *t.silent;
      if (!least || latest < *least) least = latest;
    }
  }
  return least;
}

Table silent_slaves_table(const model::ResolvedPlan& plan, const timing::TimingReport& report) {
  Table out{
      "silent-slaves",
      "no slave keeps another waiting",
      {{"slave", "silent", Kind::text, "who does not answer", 9},
       {"line", "line", Kind::text, "line or connection that waits for it", 7},
       {"transactions", "requests", Kind::whole, "of its own that can stand before another's", 3},
       {"noticed_ms", "noticed after", Kind::duration, "at the latest, by a transaction that fails",
        7},
       {"shared", "shared", Kind::flag, "somebody else waits for the same line or connection", 8},
       {"first_seen_ms", "others wait, seen", Kind::duration, "longest that was simulated", 6},
       {"first_stall_ms", "at most", Kind::duration,
        "bound of what a request behind its tries waits", 8},
       {"steady_seen_ms", "once parked, seen", Kind::duration, "longest that was simulated", 5},
       {"steady_stall_ms", "steady, at most", Kind::duration,
        "the same once it is parked, or again and again where its line does not park", 6},
       {"park_retry_ms", "tried again every", Kind::duration, "once it is parked", 3},
       {"first_hurts", "may miss releases", Kind::words,
        "cyclic transactions whose period is shorter than they may wait", 4},
       {"steady_hurts", "once parked", Kind::words, "the same", 3},
       {"missing", "miss releases", Kind::words, "transactions that were seen to", 5},
       {"heartbeats_tripped", "false alarms", Kind::words, "heartbeats that were seen to trip", 5},
       {"watchdogs", "watchdogs that run out", Kind::whole, "of other devices", 6}},
      {}};
  const auto feedings = timing::watchdog_feedings(plan, report);
  for (std::size_t i = 0; i < report.stalls.stalls.size(); ++i) {
    const timing::Stall& stall = report.stalls.stalls[i];
    const timing::SilentCase* silent = simulated_silence(report, i);
    const auto hurt = [&](timing::StallKind kind) {
      constexpr std::size_t most_names = 1000;
      return names(plan, report,
                   jobs_hurt(plan, report.model, report.stalls, stall, kind, most_names));
    };
    Words tripped;
    if (silent != nullptr) {
      for (const std::size_t h : silent->tripped) tripped.push_back(report.heartbeats[h].name);
    }
    const auto out_of_time = timing::watchdogs_run_out(plan, feedings, stall).size();
    out.add({text(plan.target_name(stall.silent)),
             text(report.model.queues[stall.failing.front().job.queue].name), whole(stall.counted),
             maybe(noticed_at_the_latest(plan, report, stall.silent)),
             has_neighbours(plan, report.model, report.stalls, stall),
             silent != nullptr ? Cell(silent->first) : Cell(), stall.first,
             silent != nullptr ? Cell(silent->steady) : Cell(), stall.steady,
             stall.park ? Cell(stall.park->retry) : Cell(), hurt(timing::StallKind::first),
             hurt(timing::StallKind::steady),
             silent != nullptr ? names(plan, report, silent->missing) : Cell(Words()),
             std::move(tripped), out_of_time > 0 ? whole(out_of_time) : Cell()});
  }
  return out;
}

}  // namespace greymet::tables
