#include "engine/rehearsal.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "rehearsal_internal.h"

namespace greymet::engine {

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

// Slaves that fall silent at the same time: each on a wire of its own.
struct SilentTogether {
  std::vector<std::size_t> slaves;
  std::set<std::string> wires;
};

std::string wire_of(const model::ExchangeSlave& slave) {
  if (slave.line) return fmt::format("line {}", slave.line->value);
  return slave.host ? fmt::format("{}:{}", *slave.host, slave.port) : std::string();
}

// One after the other, as far as that lasts no longer than for some fifty; of more, several on
// different wires together: what a rehearsal plays grows with the plan, not with its square.
std::vector<SilentTogether> turns_of(const model::ResolvedPlan& plan,
                                     const std::map<std::size_t, Duration>& needed) {
  const std::size_t at_a_time = internal::at_a_time(needed.size());
  std::vector<SilentTogether> turns;
  std::size_t open = 0;  // turns before it are full
  for (const auto& [slave, time] : needed) {
    const std::string wire = wire_of(plan.exchange.slaves[slave]);
    while (open < turns.size() && turns[open].slaves.size() >= at_a_time) ++open;
    std::size_t at = open;
    while (at < turns.size() &&
           (turns[at].slaves.size() >= at_a_time || turns[at].wires.contains(wire))) {
      ++at;
    }
    if (at == turns.size()) turns.emplace_back();
    turns[at].slaves.push_back(slave);
    turns[at].wires.insert(wire);
  }
  return turns;
}

// Every slave that somebody asks falls silent once.
std::vector<Fault> default_script(const model::ResolvedPlan& plan,
                                  const timing::TimingReport& report) {
  std::map<std::size_t, Duration> needed;  // until one request of it has failed in all its tries
  std::map<std::size_t, Duration> pause;   // until it has been tried again
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const model::ExchangeTransaction* e = plan.exchange.find(t.transaction);
      if (!e || e->target.is_peer || e->endpoint.broadcast || !t.period || !t.silent) continue;
      const Duration time = *t.period + *t.silent + seconds(1);
      const auto [at, is_new] = needed.try_emplace(e->target.index, time);
      if (!is_new) at->second = std::min(at->second, time);
      const Duration retry = e->endpoint.park ? e->endpoint.park->retry : Duration{};
      pause[e->target.index] = std::max(pause[e->target.index], retry + *t.silent + seconds(2));
    }
  }
  std::vector<Fault> script;
  Duration at = seconds(1);
  for (const SilentTogether& turn : turns_of(plan, needed)) {
    Duration next = at;
    for (const std::size_t slave : turn.slaves) {
      Fault fault;
      fault.at = at;
      fault.until = at + needed.at(slave);
      fault.index = slave;
      fault.kind = FaultKind::silent;
      script.push_back(fault);
      next = std::max(next, fault.until + pause[slave]);
    }
    at = next;
  }
  return script;
}

Duration length_of_script(const std::vector<Fault>& script, Duration patience) {
  Duration last{};
  for (const Fault& fault : script) {
    last = std::max(last, fault.until == Duration::max() ? fault.at : fault.until);
  }
  return last + patience;
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
    quiet();
    if (options_.blocks && !stage_.stopped()) {
      result_.blocks = internal::rehearse_blocks(plan_, stage_, patience_of(report_), finished_);
    }
    if (options_.faults && !stage_.stopped()) faults();
    if (options_.heartbeats && !stage_.stopped()) {
      internal::rehearse_heartbeats(plan_, stage_, finished_, result_.heartbeats);
    }
    result_.stopped = stage_.stopped();
    result_.lasted = stage_.now();
    stage_.finish(finished_);
    finish();
    return std::move(result_);
  }

 private:
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
      result_.faults.push_back({fault, {}, {}, false});
    }
    const Duration end = begin + length_of_script(script, Duration{});
    stage_.set_faults(FaultScript(script));
    const auto watch = [&](const RequestRecord& record) {
      finished_(record);
      note_faults(record);
    };
    stage_.run_until(end - begin > Duration{} ? end : begin, watch);
    stage_.run_until(stage_.now() + patience_of(report_), watch);
    stage_.set_faults({});
    for (RehearsedFault& fault : result_.faults) {
      // what lasts to the end cannot be recovered from
      const bool lasts = fault.fault.until == Duration::max();
      fault.good = fault.noticed && (lasts || fault.recovered || harmless(fault.fault.kind));
      if (harmless(fault.fault.kind)) fault.good = lasts || fault.recovered.has_value();
    }
  }

  // Faults that a request may survive without failing.
  static bool harmless(FaultKind kind) {
    return kind == FaultKind::slow || kind == FaultKind::echo || kind == FaultKind::noise ||
           kind == FaultKind::restart || kind == FaultKind::garbled || kind == FaultKind::drop;
  }

  void note_faults(const RequestRecord& record) {
    if (record.tries == 0) return;
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
  }

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& report_;
  Stage& stage_;
  const RehearsalOptions& options_;
  Measures all_;
  Finished finished_;
  RehearsalResult result_;
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
    length +=
        length_of_script(options.script ? *options.script : default_script(plan, report), patience);
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
