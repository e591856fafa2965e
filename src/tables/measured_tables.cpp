#include "tables/measured_tables.h"

#include <fmt/format.h>

#include "modbus/pdu.h"
#include "model/resolved_plan.h"

namespace greymet::tables {

using model::ResolvedPlan;

std::vector<Column> measured_columns() {
  return {
      {"name", "transaction", Kind::text, "name of the transaction", 9},
      {"sent", "sent", Kind::whole, "requests that went out", 8},
      {"good", "good", Kind::whole, "of them were answered well", 8},
      {"quiet_sent", "sent, quiet", Kind::whole, "while nothing was wrong; of a rehearsal", 7},
      {"quiet_good", "good, quiet", Kind::whole, "of them were answered well", 7},
      {"exceptions", "exceptions", Kind::whole, "were refused", 4},
      {"timeouts", "timeouts", Kind::whole, "were not answered in time", 4},
      {"bad", "bad", Kind::whole, "were answered by what is no answer", 4},
      {"unfinished", "unfinished", Kind::whole, "were under way at the end", 3},
      {"dropped", "dropped", Kind::whole, "released, and never sent: parked, or no connection", 4},
      {"missed", "missed", Kind::whole, "releases that came before the last was done", 4},
      {"response_min_ms", "shortest response", Kind::duration, "from release to end", 2},
      {"response_mean_ms", "mean", Kind::number, "of all responses", 1, "ms"},
      {"response_median_ms", "median response", Kind::duration, "half of them are not longer", 4},
      {"response_p99_ms", "99 %", Kind::duration, "99 of 100 are not longer", 2},
      {"response_max_ms", "longest response", Kind::duration,
       "from release to end; of a rehearsal while nothing was wrong", 7},
      {"bound_ms", "bound", Kind::duration, "no response should be longer", 7},
      {"predicted_ms", "predicted", Kind::duration,
       "typical duration in a run, median response in a rehearsal", 3},
      {"duration_median_ms", "duration", Kind::duration, "median from its turn to its end", 6},
      {"duration_max_ms", "longest", Kind::duration, "the longest from its turn to its end", 2},
      {"expected_ms", "expected", Kind::duration, "duration by the timing model", 6},
      {"typical_ms", "typical", Kind::duration, "duration with typical reply times", 2},
      {"last_exception", "last exception", Kind::whole, "code of the last refusal", 5},
      {"left_out", "left out", Kind::text, "why it was not sent", 5},
      {"cause", "cause", Kind::text, "why the last one that failed did; of a run", 6},
      {"longest_wait_ms", "longest wait", Kind::duration, "from its release to its turn; of a run",
       2},
      {"waited_for", "waited for", Kind::text, "the transaction it then waited for longest", 3},
      {"longest_gap_ms", "longest gap", Kind::duration,
       "the longest time without an answer; of a read in a run", 4},
      {"verdict", "verdict", Kind::state, "how it did", 9},
  };
}

Table measured_table(const std::vector<engine::MeasuredTransaction>& transactions) {
  Table out{"measured", "it has no transactions", measured_columns(), {}};
  for (const engine::MeasuredTransaction& t : transactions) {
    const engine::TransactionMeasure& quiet = t.timed();
    // who waited for another is no culprit
    const Mood mood = t.well                                          ? Mood::plain
                      : t.verdict == engine::MeasuredVerdict::held_up ? Mood::warn
                                                                      : Mood::bad;
    out.add({text(t.name),
             whole(t.all.sent),
             whole(t.all.good),
             t.quiet ? whole(quiet.sent) : Cell(),
             t.quiet ? whole(quiet.good) : Cell(),
             whole(t.all.exceptions),
             whole(t.all.timeouts),
             whole(t.all.bad),
             whole(t.all.unfinished),
             whole(t.all.dropped),
             whole(t.missed),
             maybe(quiet.responses.least()),
             maybe(quiet.responses.mean_ms()),
             maybe(quiet.responses.median()),
             maybe(quiet.responses.quantile(0.99)),
             maybe(quiet.responses.greatest()),
             maybe(t.bound),
             maybe(t.predicted),
             maybe(quiet.services.median()),
             maybe(quiet.services.greatest()),
             maybe(t.expected),
             maybe(t.typical),
             t.all.last_exception ? whole(*t.all.last_exception) : Cell(),
             text(t.why_left_out),
             text(t.cause),
             maybe(t.longest_wait),
             text(t.waited_for),
             maybe(t.longest_gap),
             State{std::string(to_string(t.verdict)), mood}},
            mood);
  }
  return out;
}

std::vector<Column> faults_columns() {
  return {{"slave", "slave", Kind::text, "whose fault it was", 9},
          {"fault", "fault", Kind::text, "what it did", 9},
          {"at_ms", "at", Kind::duration, "from the start", 6},
          {"for_ms", "for", Kind::duration, "how long; empty: to the end", 6},
          {"noticed_ms", "noticed after", Kind::duration, "by the first request that failed", 8},
          {"recovered_ms", "recovered after", Kind::duration, "by the first good answer", 8},
          {"verdict", "verdict", Kind::state, "noticed, and recovered from without help", 9}};
}

Table faults_table(const ResolvedPlan& plan, const std::vector<engine::RehearsedFault>& faults) {
  Table out{"faults", "nothing went wrong", faults_columns(), {}};
  for (const engine::RehearsedFault& each : faults) {
    const engine::Fault& fault = each.fault;
    const bool lasts = fault.until == Duration::max();
    out.add({text(plan.target_name({fault.is_peer, fault.index, 0})), text(to_string(fault.kind)),
             fault.at, lasts ? Cell() : Cell(fault.until - fault.at), maybe(each.noticed),
             maybe(each.recovered),
             State{each.good ? "good" : "bad", each.good ? Mood::good : Mood::bad}});
  }
  return out;
}

Table blocks_table(const ResolvedPlan& plan, const std::vector<engine::RehearsedBlock>& blocks) {
  Table out{"blocks",
            "no blocks were changed",
            {{"transaction", "transaction", Kind::text, "that carries the block", 9},
             {"direction", "direction", Kind::text, "read or write", 8},
             {"first_word", "first word", Kind::state, "what became of a known value there", 9},
             {"last_word", "last word", Kind::state, "what became of a known value there", 9},
             {"after_ms", "after", Kind::duration, "from the change to its arrival", 6}},
            {}};
  const auto state = [](engine::BlockVerdict v) {
    const bool bad = v == engine::BlockVerdict::wrong || v == engine::BlockVerdict::not_carried;
    return State{std::string(to_string(v)), bad ? Mood::bad : Mood::plain};
  };
  for (const engine::RehearsedBlock& block : blocks) {
    out.add({text(plan.transaction_name(block.transaction)), text(block.is_read ? "read" : "write"),
             state(block.first), state(block.last), maybe(block.after)});
  }
  return out;
}

Table rehearsed_heartbeats_table(const ResolvedPlan& plan,
                                 const std::vector<engine::RehearsedHeartbeat>& heartbeats) {
  Table out{
      "heartbeats-rehearsed",
      "the plan has no heartbeats",
      {{"name", "heartbeat", Kind::text, "name of the heartbeat", 9},
       {"watched", "watched", Kind::flag, "the plan says where its consumer looks", 4},
       {"changes_seen", "changes", Kind::whole, "that its consumer saw while nothing was wrong", 6},
       {"longest_apart_ms", "apart", Kind::duration, "longest time between two of them", 7},
       {"false_alarms", "false alarms", Kind::whole, "while nothing was wrong", 6},
       {"alarm_ms", "alarm after", Kind::duration, "its producer stopped", 8},
       {"latest_alarm_ms", "latest", Kind::duration, "when it should have come at the latest", 8},
       {"cleared_ms", "cleared after", Kind::duration, "its producer went on", 7},
       {"verdict", "verdict", Kind::state, "good, bad or not watched", 9},
       {"because", "because", Kind::text, "what is wrong", 8}},
      {}};
  for (const engine::RehearsedHeartbeat& beat : heartbeats) {
    const std::string_view why = !beat.watched           ? "not carried to who watches it"
                                 : beat.good             ? ""
                                 : beat.false_alarms > 0 ? "false alarms"
                                 : !beat.alarm           ? "no alarm"
                                 : !beat.cleared         ? "stays in alarm"
                                                         : "late";
    const std::string word = beat.good ? "good" : beat.watched ? "bad" : "not watched";
    const Mood mood = beat.good ? Mood::good : beat.watched ? Mood::bad : Mood::plain;
    out.add({text(plan.exchange.heartbeats[beat.heartbeat].name), beat.watched,
             whole(beat.changes_seen), Cell(beat.longest_gap), whole(beat.false_alarms),
             maybe(beat.alarm), maybe(beat.latest_alarm), maybe(beat.cleared), State{word, mood},
             text(why)});
  }
  return out;
}

Table watchdogs_table(const ResolvedPlan& plan,
                      const std::vector<engine::Field::Tripped>& watchdogs) {
  Table out{"watchdogs",
            "no watchdog tripped",
            {{"slave", "slave", Kind::text, "whose watchdog tripped while nothing was wrong", 9},
             {"at_ms", "at", Kind::duration, "the first time, from the start", 8},
             {"times", "times", Kind::whole, "how often", 8}},
            {}};
  for (const engine::Field::Tripped& each : watchdogs) {
    out.add({text(plan.plan.slaves[each.slave].name), each.at, whole(each.times)}, Mood::bad);
  }
  return out;
}

Table slaves_table(const ResolvedPlan& plan, const timing::TimingReport& report,
                   const std::vector<engine::SlaveState>& slaves) {
  Table out{"slaves-met",
            "no slave was asked",
            {{"slave", "slave", Kind::text, "who was asked", 9},
             {"state", "state", Kind::state, "answers, or does not, as of the end", 9},
             {"cause", "cause", Kind::text, "why the last request that failed did", 8},
             {"since_ms", "since", Kind::duration, "when it began to be so, from the start", 6},
             {"sent", "sent", Kind::whole, "requests that went out", 7},
             {"unanswered", "no answer", Kind::whole, "in none of their tries", 7},
             {"refused", "refused", Kind::whole, "answered by an exception", 6},
             {"again", "later try", Kind::whole, "not answered in the first try", 5},
             {"not_asked", "not asked", Kind::whole, "parked, or without a connection", 5},
             {"line", "line", Kind::text, "or connection where its tries took time", 3},
             {"held_ms", "held", Kind::duration, "time that its unanswered tries took there", 4},
             {"waited", "waited", Kind::whole, "requests to others that waited for that", 4}},
            {}};
  for (const engine::SlaveState& slave : slaves) {
    const bool well = slave.answers && slave.unanswered + slave.refused + slave.not_asked == 0;
    const Mood mood = !slave.answers ? Mood::bad : well ? Mood::plain : Mood::warn;
    std::string cause(to_string(slave.cause));
    if (cause.empty() && slave.refused > 0) {
      cause = fmt::format("exception {:02X}: {}", slave.exception,
                          modbus::exception_name(slave.exception));
    }
    out.add({text(plan.target_name(slave.target)),
             State{slave.answers ? "answers" : "does not answer", mood}, text(cause),
             maybe(slave.since), whole(slave.sent), whole(slave.unanswered), whole(slave.refused),
             whole(slave.again), whole(slave.not_asked),
             slave.link ? text(report.model.queues[*slave.link].name) : Cell(),
             slave.held > model::Duration{} ? Cell(slave.held) : Cell(), whole(slave.waited)},
            mood == Mood::bad ? Mood::bad : Mood::plain);
  }
  return out;
}

Table wires_table(const timing::TimingReport& report, const std::vector<engine::WireState>& wires) {
  Table out{"wires-used",
            "no line or connection was used",
            {{"wire", "wire", Kind::text, "line or connection", 9},
             {"state", "state", Kind::state, "works, or does not, as of the end", 9},
             {"cause", "cause", Kind::text, "why the last request that failed did", 8},
             {"since_ms", "since", Kind::duration, "when it began to be so, from the start", 6},
             {"sent", "sent", Kind::whole, "requests that went out", 7},
             {"answered", "answered", Kind::whole, "of them, by exceptions too", 7},
             {"not_sent", "not sent", Kind::whole,
              "released while it was down, or whoever was asked was parked", 5}},
            {}};
  for (const engine::WireState& wire : wires) {
    const bool well = wire.works && wire.answered == wire.sent && wire.not_sent == 0;
    const Mood mood = !wire.works ? Mood::bad : well ? Mood::plain : Mood::warn;
    out.add({text(report.model.queues[wire.link].name),
             State{wire.works ? "works" : "does not work", mood}, text(to_string(wire.cause)),
             maybe(wire.since), whole(wire.sent), whole(wire.answered), whole(wire.not_sent)},
            mood == Mood::bad ? Mood::bad : Mood::plain);
  }
  return out;
}

Table run_heartbeats_table(const ResolvedPlan& plan,
                           const std::vector<engine::RunHeartbeat>& heartbeats) {
  Table out{
      "heartbeats-run",
      "the plan has no heartbeats",
      {{"name", "heartbeat", Kind::text, "name of the heartbeat", 9},
       {"produced", "produced", Kind::whole, "changes of its bit by a program of this run", 6},
       {"watched", "watched", Kind::flag, "its consumer is run, and this run can bring it", 4},
       {"changes_seen", "seen", Kind::whole, "changes that its consumer saw", 6},
       {"longest_apart_ms", "apart", Kind::duration, "longest time between two of them", 7},
       {"longest_way_ms", "way", Kind::duration,
        "longest from a change here to where it is seen here: the whole way round", 7},
       {"alarms", "alarms", Kind::whole, "times that it was in alarm", 6},
       {"first_alarm_ms", "first", Kind::duration, "the first of them, since the start", 8},
       {"latest_alarm_ms", "latest", Kind::duration,
        "after its producer stopped an alarm comes by then", 8},
       {"verdict", "verdict", Kind::state, "good, alarm or not watched", 9},
       {"because", "because", Kind::text, "why it is not watched", 8}},
      {}};
  for (const engine::RunHeartbeat& beat : heartbeats) {
    const bool watched = beat.not_watched.empty();
    const std::string word = !watched ? "not watched" : beat.alarms > 0 ? "alarm" : "good";
    const Mood mood = !watched ? Mood::plain : beat.alarms > 0 ? Mood::bad : Mood::good;
    out.add({text(plan.exchange.heartbeats[beat.heartbeat].name), whole(beat.produced), watched,
             whole(beat.changes_seen), maybe(beat.longest_gap), maybe(beat.longest_way),
             whole(beat.alarms), maybe(beat.first_alarm), maybe(beat.latest_alarm),
             State{word, mood}, text(beat.not_watched)});
  }
  return out;
}

Table expected_table(const std::vector<engine::Expectation>& expected,
                     const std::vector<engine::ExpectationResult>& results) {
  Table out{
      "expected",
      "nothing was expected",
      {{"where", "where", Kind::text, "the point, or the memory of a controller", 9},
       {"expected", "expected", Kind::text, "what had to be there", 9},
       {"tolerance", "tolerance", Kind::number, "how far off is near enough", 4},
       {"within_ms", "within", Kind::duration, "it had to be there once by then", 5},
       {"found", "found", Kind::text, "last seen", 9},
       {"met_after_ms", "met after", Kind::duration, "seen as expected for the first time", 7},
       {"verdict", "verdict", Kind::state, "met or not met", 9}},
      {}};
  for (std::size_t i = 0; i < expected.size(); ++i) {
    const engine::Expectation& e = expected[i];
    const engine::ExpectationResult& result = results[i];
    out.add({text(e.where), e.text ? text(*e.text) : maybe(e.value), e.tolerance, maybe(e.within),
             text(result.found), maybe(result.met),
             State{result.good ? "met" : "not met", result.good ? Mood::plain : Mood::bad}});
  }
  return out;
}

}  // namespace greymet::tables
