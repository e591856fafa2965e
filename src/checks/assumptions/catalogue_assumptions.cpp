// The catalogue, family A: what verdicts rest on that nobody stated.
#include <array>

#include "checks/rules.h"
#include "common/catalogue_families.h"

namespace greymet::checks::internal {

namespace {

constexpr std::array assumption_rules{
    RuleEntry{RuleCode::A01, Severity::note, "a verdict rests on an assumed reply time",
              "Where the plan says nothing of how fast slaves answer, 10 ms typical and 50 ms at "
              "most are "
              "taken. The note says from which value on another verdict would be right; all alike "
              "ones of a "
              "line are tried together.",
              R"([line.north]
timeout = "200ms"
[slave.fan]
line = "north"
unit = 14
{ name = "in", slave = "fan", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              R"([line.north]
timeout = "200ms"
[slave.fan]
line = "north"
unit = 14
reply = { typical = "10ms", max = "50ms" }
{ name = "in", slave = "fan", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
              "State `reply` from the manual or from a measurement, or accept it with the reason "
              "why it is "
              "known to be so.",
              "V1.02 2.4.1", check_assumptions, Needs::assumptions},
    RuleEntry{RuleCode::A02, Severity::note, "a verdict rests on an assumed network time",
              "Round trips (1 ms typical, 5 ms at most) and the delay of gateways (2 and 10 ms) "
              "are those of "
              "a wired local network. Radio, routers and remote sites take longer.",
              R"([slave.far]
host = "10.20.0.31"
timeout = "100ms"
{ name = "a", slave = "far", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
              R"([slave.far]
host = "10.20.0.31"
timeout = "100ms"
rtt = { typical = "1ms", max = "5ms" }
{ name = "a", slave = "far", controller = "kiln", fc = 3, at = 0, count = 2, into = "%MW0", every = "5s", on_loss = "hold" })",
              "State `rtt` or `delay`, or accept it with a reason.", "", check_assumptions,
              Needs::assumptions},
    RuleEntry{
        RuleCode::A03, Severity::note, "a verdict rests on the best case",
        "Where nothing is said of the latency of a port, of silences inside frames, of pauses that "
        "devices need or of when requests start, the best case is taken: none. The note says how "
        "much "
        "of it the plan can bear.",
        R"([line.north]
timeout = "50ms"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        R"([line.north]
timeout = "50ms"
latency = { typical = "1ms", max = "4ms" }
character_gap = 1.5
pause = "0ms"
[slave.gauge]
character_gap = 1.5
pause = "0ms"
scans = "20ms"
[controller.kiln]
sends = "anytime"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })",
        "State the value that the note names, or accept it with a reason.", "", check_assumptions,
        Needs::assumptions},
    RuleEntry{RuleCode::A04, Severity::note, "a verdict rests on an assumed setting",
              "Timeouts, retries and the order of requests are settings of the controller or of "
              "the box. Where "
              "the plan leaves them out, usual ones are taken: 500 ms and one retry on a line, 1 s "
              "and none "
              "on TCP.",
              R"([line.north]
park = { after = 3, retry = "10s" }
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", on_loss = "hold" })",
              R"([line.north]
park = { after = 3, retry = "10s" }
timeout = "200ms"
retries = 1
timeout_to = "last"
order = "due"
{ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" }
{ name = "speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", on_loss = "hold" })",
              "Write down what the controller's configuration shows, or accept it with a reason.",
              "", check_assumptions, Needs::assumptions},
    RuleEntry{RuleCode::A05, Severity::note, "a statement that was never confirmed",
              "Keys that a slave's `assumed` names are taken as they are stated, by all rules and "
              "exports; nobody has compared them with the device yet. `greymet new` names there "
              "what a maker's table does not tell.",
              R"([slave.gauge]
numbering = "from-0"
assumed = ["numbering"])",
              R"([slave.gauge]
numbering = "from-0")",
              "Settle it at the device or from its manual, and take the key off the list.", "",
              check_unconfirmed, Needs::plan},
};

}  // namespace

std::span<const RuleEntry> assumption_entries() {
  return assumption_rules;
}

}  // namespace greymet::checks::internal
