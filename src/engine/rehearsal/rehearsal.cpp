#include "engine/rehearsal.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "rehearsal_internal.h"

namespace greymet::engine {

using internal::default_script;
using internal::length_of_script;
using internal::patience_after;
using internal::patience_of;
using std::chrono::seconds;

namespace {

// What the model says of one transaction.
struct Predicted {
  std::optional<Duration> response;  // median
  const timing::TransactionReport* report = nullptr;
};

std::map<std::size_t, Predicted> predict(const timing::TimingReport& report, Duration quiet,
                                         timing::Durations durations) {
  std::map<std::size_t, Predicted> out;
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) out[t.transaction].report = &t;
  }
  if (durations == timing::Durations::random) return out;  // nobody knows which
  timing::SimulationOptions options;
  options.durations = durations;
  options.horizon = options.at_least = quiet;
  for (std::size_t q = 0; q < report.model.queues.size(); ++q) {
    for (std::size_t j = 0; j < report.model.queues[q].jobs.size(); ++j) {
      options.watched.push_back({q, j});
    }
  }
  const auto statistics = timing::simulate(report.model, options);
  for (std::size_t q = 0; q < statistics.size(); ++q) {
    std::vector<DurationSample> responses(report.model.queues[q].jobs.size());
    for (const timing::Service& service : statistics[q].watched) {
      if (service.end <= quiet) responses[service.job].add(service.end - service.release);
    }
    for (std::size_t j = 0; j < responses.size(); ++j) {
      out[report.model.queues[q].jobs[j].transaction].response = responses[j].median();
    }
  }
  return out;
}

MeasuredVerdict judge(const MeasuredTransaction& t, const RehearsalOptions& options) {
  const TransactionMeasure& quiet = t.timed();
  if (quiet.sent == 0) return MeasuredVerdict::not_run;
  if (quiet.good != quiet.finished() || quiet.dropped > 0) return MeasuredVerdict::failing;
  const auto greatest = quiet.responses.greatest();
  if (t.bound && greatest && *greatest > *t.bound) return MeasuredVerdict::late;
  // responses also depend on who happens to wait for whom; a duration does not
  const auto median = quiet.services.median();
  if (!median) return MeasuredVerdict::good;
  const Duration low = t.expected ? *t.expected : t.shortest.value_or(Duration{});
  const Duration high = t.expected ? *t.expected : t.longest.value_or(Duration::max());
  const auto share =
      Duration(static_cast<std::int64_t>(options.tolerance * static_cast<double>(high.count())));
  const Duration room = std::max(share, options.tolerance_at_least);
  return *median + room >= low && *median <= high + room ? MeasuredVerdict::good
                                                         : MeasuredVerdict::off;
}

class Rehearsal {
 public:
  Rehearsal(const model::ResolvedPlan& plan, const timing::TimingReport& report, Stage& stage,
            const RehearsalOptions& options, const Finished& finished)
      : plan_(plan),
        report_(report),
        stage_(stage),
        options_(options),
        all_(plan.transactions.size()),
        finished_([this, &finished](const RequestRecord& record) {
          all_.add(record);
          if (finished) finished(record);
        }) {}

  RehearsalResult run() {
    act("quiet", [this] { quiet(); });
    if (options_.blocks) {
      act("blocks", [this] {
        result_.blocks = internal::rehearse_blocks(plan_, stage_, patience_of(report_), finished_);
      });
    }
    if (options_.faults) act("faults", [this] { faults(); });
    if (options_.heartbeats) {
      act("heartbeats",
          [this] { internal::rehearse_heartbeats(plan_, stage_, finished_, result_.heartbeats); });
    }
    result_.stopped = stage_.stopped();
    result_.lasted = stage_.now();
    stage_.finish(finished_);
    finish();
    return std::move(result_);
  }

 private:
  template <class Play>
  void act(std::string_view name, const Play& play) {
    if (stage_.stopped()) return;
    const Duration begin = stage_.now();
    play();
    result_.acts.push_back({name, begin, stage_.now()});
  }

  void quiet() {
    Measures quiet(plan_.transactions.size());
    stage_.run_until(options_.quiet, [&](const RequestRecord& record) {
      finished_(record);
      quiet.add(record);
    });
    for (const Field::Tripped& each : stage_.field().tripped(stage_.now())) {
      result_.watchdogs.push_back(each);
    }
    const auto predicted =
        predict(report_, std::min(options_.quiet, stage_.now()), options_.durations);
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      MeasuredTransaction out;
      out.transaction = t.transaction;
      out.name = t.name;
      out.quiet = quiet.of(t.transaction);
      const auto at = predicted.find(t.transaction);
      if (at != predicted.end()) {
        out.predicted = at->second.response;
        if (at->second.report) {
          out.bound = at->second.report->response_bound;
          const timing::TransactionReport& said = *at->second.report;
          out.typical = said.typical;
          out.shortest = said.shortest;
          out.longest = said.longest;
          if (options_.durations == timing::Durations::typical) out.expected = said.typical;
          if (options_.durations == timing::Durations::longest) out.expected = said.longest;
        }
      }
      out.verdict = judge(out, options_);
      const bool idle = out.verdict == MeasuredVerdict::not_run && !out.predicted;
      out.well = out.verdict == MeasuredVerdict::good || idle;
      result_.transactions.push_back(std::move(out));
    }
    result_.heartbeats = internal::heartbeats_in_quiet(plan_, report_, stage_.programs());
  }

  void faults() {
    std::vector<Fault> script = options_.script ? *options_.script : default_script(plan_, report_);
    const Duration begin = stage_.now();
    for (Fault& fault : script) {
      fault.at += begin;
      if (fault.until != Duration::max()) fault.until += begin;
      faults_of_[{fault.is_peer, fault.index}].push_back(result_.faults.size());
      result_.faults.push_back({fault, {}, {}, false, false});
    }
    const Duration end = begin + length_of_script(script, Duration{});
    stage_.set_faults(FaultScript(script));
    const auto watch = [&](const RequestRecord& record) {
      finished_(record);
      note_faults(record);
    };
    stage_.run_until(end - begin > Duration{} ? end : begin, watch);
    stage_.run_until(stage_.now() + patience_after(plan_, report_, script), watch);
    stage_.set_faults({});
    for (RehearsedFault& fault : result_.faults) {
      // what lasts to the end cannot be recovered from
      const bool lasts = fault.fault.until == Duration::max();
      fault.good = fault.noticed && (lasts || fault.recovered || harmless(fault.fault.kind));
      if (harmless(fault.fault.kind)) fault.good = lasts || fault.recovered.has_value();
    }
    find_stalls();
  }

  // A silent one that keeps all others from their periods: nobody's plant stands that.
  void find_stalls() {
    for (std::size_t i = 0; i < result_.faults.size(); ++i) {
      RehearsedFault& fault = result_.faults[i];
      if (fault.fault.kind != FaultKind::silent) continue;
      for (const Master& master : stage_.masters()) {
        for (const MasterLink& link : master.links()) {
          std::size_t others = 0;
          std::size_t stalled = 0;
          bool concerned = false;
          for (const timing::Job& job : link.queue().jobs) {
            const model::ExchangeTransaction& t = *plan_.exchange.find(job.transaction);
            if (is_concerned(t, fault)) {
              concerned = true;
            } else if (t.trigger.kind == model::TriggerKind::cyclic) {
              ++others;
              stalled += stalled_.contains({i, t.transaction}) ? 1U : 0U;
            }
          }
          fault.stalls_all = fault.stalls_all || (concerned && others > 0 && stalled == others);
        }
      }
      fault.good = fault.good && !fault.stalls_all;
    }
  }

  static bool is_concerned(const model::ExchangeTransaction& t, const RehearsedFault& fault) {
    return t.target.is_peer == fault.fault.is_peer && t.target.index == fault.fault.index;
  }

  // Who waits for its turn for more than its period while something is silent.
  void note_stalls(const RequestRecord& record) {
    const model::ExchangeTransaction& t = *plan_.exchange.find(record.transaction);
    if (t.trigger.kind != model::TriggerKind::cyclic ||
        record.start - record.release <= t.trigger.period) {
      return;
    }
    for (std::size_t i = 0; i < result_.faults.size(); ++i) {
      const RehearsedFault& each = result_.faults[i];
      const bool during = record.start >= each.fault.at && record.release < each.fault.until;
      if (during && !is_concerned(t, each)) stalled_.insert({i, record.transaction});
    }
  }

  // Faults that a request may survive without failing.
  static bool harmless(FaultKind kind) {
    return kind == FaultKind::slow || kind == FaultKind::echo || kind == FaultKind::noise ||
           kind == FaultKind::restart || kind == FaultKind::garbled || kind == FaultKind::drop;
  }

  void note_faults(const RequestRecord& record) {
    if (record.tries == 0) return;
    note_stalls(record);
    const model::ExchangeTransaction& t = *plan_.exchange.find(record.transaction);
    const auto concerned = faults_of_.find({t.target.is_peer, t.target.index});
    if (concerned == faults_of_.end()) return;
    for (const std::size_t index : concerned->second) {
      RehearsedFault& each = result_.faults[index];
      const bool good = record.outcome == Outcome::good;
      const bool during = record.end >= each.fault.at && record.start < each.fault.until;
      if (!good && during && !each.noticed) each.noticed = record.end - each.fault.at;
      if (good && record.start >= each.fault.until && !each.recovered) {
        each.recovered = record.end - each.fault.until;
      }
    }
  }

  void finish() {
    bool good = !result_.stopped;
    std::vector<std::uint64_t> missed(plan_.transactions.size());
    for (const Master& master : stage_.masters()) {
      for (const MasterLink& link : master.links()) {
        const auto& jobs = link.queue().jobs;
        for (std::size_t j = 0; j < jobs.size(); ++j) {
          missed[jobs[j].transaction] += link.agenda().missed()[j];
        }
      }
    }
    for (MeasuredTransaction& t : result_.transactions) {
      t.all = all_.of(t.transaction);
      t.missed = missed[t.transaction];
      good = good && t.well;
    }
    for (const RehearsedBlock& block : result_.blocks) {
      for (const BlockVerdict verdict : {block.first, block.last}) {
        good = good && verdict != BlockVerdict::wrong && verdict != BlockVerdict::not_carried;
      }
    }
    for (const RehearsedFault& fault : result_.faults) good = good && fault.good;
    for (const RehearsedHeartbeat& beat : result_.heartbeats) {
      good = good && (beat.good || !beat.watched || !options_.heartbeats);
    }
    result_.accounted = all_.tries() == stage_.frames_sent();
    result_.odd = odd_wires(stage_.masters());
    result_.passed = good && result_.accounted && result_.watchdogs.empty();
    if (!result_.passed) tell_why();
  }

  void tell_why() {
    std::vector<std::string>& because = result_.because;
    for (const MeasuredTransaction& t : result_.transactions) {
      if (t.well) continue;
      because.push_back(fmt::format("{} was {} while nothing was wrong: {} of {} good{}", t.name,
                                    to_string(t.verdict), t.timed().good, t.timed().sent,
                                    t.cause.empty() ? "" : ", " + t.cause));
    }
    for (const Field::Tripped& each : result_.watchdogs) {
      because.push_back(fmt::format("the watchdog of {} tripped although nothing was wrong",
                                    plan_.plan.slaves[each.slave].name));
    }
    for (const RehearsedBlock& block : result_.blocks) {
      for (const BlockVerdict verdict : {block.first, block.last}) {
        if (verdict != BlockVerdict::wrong && verdict != BlockVerdict::not_carried) continue;
        because.push_back(fmt::format(
            "a value that {} {} {}", plan_.transaction_name(block.transaction),
            block.is_read ? "reads" : "writes",
            verdict == BlockVerdict::wrong ? "came out as another" : "did not arrive in time"));
        break;
      }
    }
    for (const RehearsedFault& fault : result_.faults) {
      if (fault.good) continue;
      const std::string who = plan_.target_name({fault.fault.is_peer, fault.fault.index, 0});
      because.push_back(fmt::format(
          "{}: {}", who,
          fault.stalls_all ? "silent, it keeps everybody on its line from their periods"
          : !fault.noticed && !harmless(fault.fault.kind) ? "nobody noticed its fault"
                                                          : "it was not asked well again"));
    }
    for (const RehearsedHeartbeat& beat : result_.heartbeats) {
      if (beat.good || !beat.watched || !options_.heartbeats) continue;
      because.push_back(fmt::format("heartbeat {}: {}",
                                    plan_.exchange.heartbeats[beat.heartbeat].name,
                                    beat.false_alarms > 0 ? "false alarms"
                                    : !beat.alarm         ? "no alarm when it stopped"
                                    : !beat.cleared       ? "its alarm stays"
                                                          : "its alarm came late"));
    }
    if (!result_.accounted) because.emplace_back("not every request is accounted for");
  }

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& report_;
  Stage& stage_;
  const RehearsalOptions& options_;
  Measures all_;
  Finished finished_;
  RehearsalResult result_;
  std::set<std::pair<std::size_t, std::size_t>> stalled_;  // fault and transaction
  std::map<std::pair<bool, std::size_t>, std::vector<std::size_t>> faults_of_;  // by who is asked
};

}  // namespace

std::string_view to_string(BlockVerdict verdict) {
  switch (verdict) {
    case BlockVerdict::arrived: return "arrived";
    case BlockVerdict::driven: return "driven";
    case BlockVerdict::wrong: return "wrong";
    case BlockVerdict::not_carried: return "not carried";
    case BlockVerdict::left_alone: return "left alone";
  }
  return "";
}

Duration length_of(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                   const RehearsalOptions& options) {
  Duration length = options.quiet;
  const Duration patience = patience_of(report);
  if (options.blocks) length += patience;
  if (options.faults) {
    const std::vector<Fault> script =
        options.script ? *options.script : default_script(plan, report);
    length += length_of_script(script, patience_after(plan, report, script));
  }
  if (options.heartbeats) {
    length += internal::length_of_heartbeats(plan, report);
  }
  return length;
}

RehearsalResult rehearse(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                         Stage& stage, const RehearsalOptions& options, const Finished& finished) {
  return Rehearsal(plan, report, stage, options, finished).run();
}

}  // namespace greymet::engine
