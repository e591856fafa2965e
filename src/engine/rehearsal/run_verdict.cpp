#include "engine/run_verdict.h"

#include <algorithm>
#include <tuple>

#include <fmt/format.h>

#include "modbus/pdu.h"
#include "model/duration_text.h"

namespace greymet::engine {

namespace {

std::string in_seconds(Duration time) {
  return fmt::format("{:.1f} s", model::to_ms(time) / 1000);
}

std::string counted_text(std::uint64_t count, std::string_view one, std::string_view more = {}) {
  return count == 1 ? fmt::format("1 {}", one)
                    : fmt::format("{} {}", count, more.empty() ? std::string(one) + "s" : more);
}

}  // namespace

std::string_view to_string(RunOutcome outcome) {
  switch (outcome) {
    case RunOutcome::passed: return "passed";
    case RunOutcome::disturbed: return "disturbed";
    case RunOutcome::failed: return "failed";
  }
  return "";
}

std::string text_of(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                    const SlaveState& state) {
  std::string text = plan.target_name(state.target) + ": ";
  const bool whole_life = state.refused + state.again + state.unanswered >= state.sent;
  if (state.unanswered + state.not_asked > 0) {
    text +=
        fmt::format("{}; {}", to_string(state.cause),
                    state.unanswered > 0 ? fmt::format("{} ({}) without an answer",
                                                       counted_text(state.unanswered, "request"),
                                                       counted_text(state.tries, "try", "tries"))
                                         : counted_text(state.not_asked, "request") + " not sent");
    if (state.since) {
      text += state.answers ? fmt::format(", answers again since {}", in_seconds(*state.since))
                            : fmt::format(", since {}", in_seconds(*state.since));
    }
  }
  if (state.refused > 0) {
    text += fmt::format("{}refused {} with exception {:02X}, {}", text.ends_with(": ") ? "" : "; ",
                        whole_life && state.unanswered + state.again == 0
                            ? "all " + counted_text(state.refused, "request")
                            : counted_text(state.refused, "request"),
                        state.exception, modbus::exception_name(state.exception));
  }
  if (state.again > 0) {
    text += fmt::format("{}answered {} in a later try only", text.ends_with(": ") ? "" : "; ",
                        counted_text(state.again, "request"));
  }
  if (state.waited > 0 && state.link) {
    text += fmt::format(". It held {} for {}, {} waited", report.model.queues[*state.link].name,
                        in_seconds(state.held), counted_text(state.waited, "request"));
  }
  return text;
}

std::string failing_text(const model::ResolvedPlan& plan, const std::vector<SlaveState>& states) {
  constexpr std::size_t most_named = 3;
  std::string text;
  std::size_t count = 0;
  for (const SlaveState& state : states) {
    const bool refuses = state.answers && state.refused > 0 && state.refused == state.sent;
    if (state.answers && !refuses) continue;
    if (++count > most_named) continue;
    text += fmt::format("{}{} {}", text.empty() ? "" : ", ", plan.target_name(state.target),
                        refuses ? fmt::format("exception {:02X}", state.exception)
                                : fmt::format("{} since {}", to_string(state.cause),
                                              in_seconds(state.since.value_or(Duration{}))));
  }
  if (count > most_named) text += fmt::format(" and {} more", count - most_named);
  return text;
}

RunVerdict judge_run(const RunFacts& facts) {
  RunVerdict out;
  bool failed = !facts.accounted || !facts.never_sent.empty() || !facts.other_programs.empty();
  out.because = facts.other_programs;
  if (!facts.accounted) {
    out.because.emplace_back("not every request that went out is accounted for");
  }
  const auto& expected = facts.watch.expected();
  for (std::size_t i = 0; i < expected.size(); ++i) {
    if (facts.results[i].good) continue;
    failed = true;
    const Expectation& e = expected[i];
    const std::string wanted = e.text             ? *e.text
                               : e.digits.empty() ? fmt::format("{}", e.value.value_or(0))
                                                  : e.digits;
    out.because.push_back(fmt::format("{}: {} was expected{}, found {}", e.where, wanted,
                                      e.within ? " within " + model::to_text(*e.within) : "",
                                      facts.results[i].found));
  }
  out.because.insert(out.because.end(), facts.never_sent.begin(), facts.never_sent.end());
  for (const RunHeartbeat& beat : facts.heartbeats) {
    if (beat.alarms == 0) continue;
    failed = true;
    out.because.push_back(fmt::format(
        "heartbeat {}: in alarm {}, for the first time after {}{}",
        facts.plan.exchange.heartbeats[beat.heartbeat].name, counted_text(beat.alarms, "time"),
        in_seconds(*beat.first_alarm), beat.alarm ? ", and still" : ""));
  }
  // whoever cost the others most comes first
  std::vector<SlaveState> slaves = facts.watch.slaves().states();
  std::uint64_t all = 0;
  for (const SlaveState& slave : slaves) all += slave.sent + slave.not_asked;
  std::erase_if(slaves, [](const SlaveState& s) { return !s.is_odd(); });
  std::stable_sort(slaves.begin(), slaves.end(), [](const SlaveState& a, const SlaveState& b) {
    const auto weight = [](const SlaveState& s) {
      return std::tuple(s.waited, s.unanswered + s.not_asked, s.refused, s.again);
    };
    return weight(a) > weight(b);
  });
  std::uint64_t wrong = 0;
  for (const SlaveState& slave : slaves) {
    out.because.push_back(text_of(facts.plan, facts.report, slave));
    wrong += slave.unanswered + slave.refused + slave.not_asked + slave.again;
  }
  bool only_again = true;
  for (const SlaveState& slave : slaves) {
    only_again = only_again && slave.unanswered + slave.refused + slave.not_asked == 0;
  }
  for (const MeasuredTransaction& t : facts.transactions) {
    if (t.verdict == MeasuredVerdict::dead) failed = true;
    // who was held up waited for one that has been named
    if (t.verdict != MeasuredVerdict::late) continue;
    wrong += t.late;
    only_again = false;
    out.because.push_back(fmt::format(
        "{}: {} over its bound of {}, the longest {}{}", t.name, counted_text(t.late, "response"),
        model::in_ms(*t.bound), model::in_ms(*t.timed().responses.greatest()),
        t.waited_for.empty() ? std::string() : fmt::format("; it waited for {}", t.waited_for)));
  }
  if (failed) {
    out.outcome = RunOutcome::failed;
    return out;
  }
  if (wrong == 0) return out;
  const double share =
      static_cast<double>(wrong) / static_cast<double>(std::max<std::uint64_t>(1, all));
  out.outcome = only_again || share <= facts.tolerated ? RunOutcome::disturbed : RunOutcome::failed;
  return out;
}

}  // namespace greymet::engine
