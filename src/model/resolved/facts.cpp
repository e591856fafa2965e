#include "model/facts.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "model/duration_text.h"

namespace greymet::model {
namespace {

constexpr std::string_view by_run = "`greymet run` measures it";
constexpr std::string_view in_manual = "its manual says it";
constexpr std::string_view in_project = "the controller's configuration shows it";

// In the order of the kinds.
constexpr std::array<FactTraits, fact_kinds> all_traits{{
    {"reply", "the reply time", "most devices answer within 50 ms; no standard limits it",
     R"(reply = { typical = "6ms", max = "25ms" })", by_run, false},
    {"rtt", "the round trip", "a wired local network with a switch or two",
     R"(rtt = { typical = "1ms", max = "5ms" })", by_run, false},
    {"delay", "the gateway's own delay", "what such boxes usually take",
     R"(delay = { typical = "2ms", max = "10ms" })", by_run, false},
    {"retransmission", "the time to a second segment",
     "a lost segment is taken to cost the whole timeout", R"(retransmission = "200ms")", in_manual,
     false},
    {"character_gap", "the silence inside a frame", "characters are taken to follow each other",
     "character_gap = 1.5", in_manual, true},
    {"pause", "the pause behind a request", "none beyond the standard's is taken to be needed",
     R"(pause = "10ms")", in_manual, true},
    {"scans", "the time between two looks at its port", "it is taken to look all the time",
     R"(scans = "20ms")", in_manual, true},
    {"latency", "the latency of the port", "the master's port is taken to send at once",
     R"(latency = { typical = "1ms", max = "4ms" })", by_run, true},
    {"timeout", "the timeout", "what masters are often set to", R"(timeout = "300ms")", in_project,
     false},
    {"retries", "the number of retries", "what masters are often set to", "retries = 1", in_project,
     false},
    {"connect_timeout", "the timeout of connecting", "as long as the timeout of a request",
     R"(connect_timeout = "1s")", in_project, false},
    {"pause", "the pause of the line", "none beyond the standard's is taken to be kept",
     R"(pause = "10ms")", in_project, true},
    {"turnaround", "the pause behind a broadcast", "what the standard proposes",
     R"(turnaround = "100ms")", in_project, false},
    {"timeout_to", "the byte that ends a timeout", "the last byte of the reply is taken to end it",
     R"(timeout_to = "first")", in_project, false},
    {"order", "the order of requests", "the earliest release is taken to go first",
     R"(order = "list")", in_project, false},
    {"framing", "the framing behind the gateway", "it is taken to translate, and to try by itself",
     R"(framing = "rtu")", in_project, false},
    {"on_silence", "what the gateway says of a silent slave",
     "the worst: nothing, as some boxes do", R"(on_silence = "exception")",
     "its manual says it, or `greymet run` with that slave off", false},
    {"in_flight", "the number of requests under way at once", "one, which everybody takes",
     "in_flight = 2", in_manual, false},
    {"connect", "the life of a connection", "it is taken to be kept", R"(connect = "each")",
     in_project, true},
    {"sends", "the start of requests", "they are taken to start at once", R"(sends = "scan")",
     in_project, true},
    {"jitter", "the jitter of the controller", "it is taken to send and to notice replies at once",
     R"(jitter = "2ms")", by_run, true},
}};

std::string enumeration_text(FactKind kind, std::int64_t value) {
  switch (kind) {
    case FactKind::timeout_to: return value == 0 ? "first" : "last";
    case FactKind::order: return value == 0 ? "due" : "list";
    case FactKind::framing: return value == 0 ? "tcp" : "rtu";
    case FactKind::on_silence: return value == 0 ? "nothing" : "exception";
    case FactKind::connect: return value == 0 ? "keep" : "each";
    case FactKind::sends: return value == 0 ? "anytime" : "scan";
    default: return std::to_string(value);
  }
}

}  // namespace

const FactTraits& traits_of(FactKind kind) {
  return all_traits[static_cast<std::size_t>(kind)];
}

Subject owner_subject(const Plan& plan, const FactId& id) {
  switch (id.owner) {
    case FactOwner::line: return subject_of(plan.lines[id.index]);
    case FactOwner::gateway: return subject_of(plan.gateways[id.index]);
    case FactOwner::slave: return subject_of(plan.slaves[id.index]);
    case FactOwner::answer:
    case FactOwner::controller: break;
  }
  return subject_of(plan.controllers[id.index]);
}

std::string_view to_string(Basis basis) {
  switch (basis) {
    case Basis::stated: return "stated";
    case Basis::measured: return "measured";
    case Basis::assumed: return "assumed";
  }
  return {};
}

std::string fact_text(FactKind kind, const FactValue& value) {
  if (const auto* duration = std::get_if<Duration>(&value)) return to_text(*duration);
  if (const auto* delay = std::get_if<Delay>(&value)) {
    if (delay->typical == delay->max) return to_text(delay->max);
    return fmt::format("{} typical, {} at most", to_text(delay->typical), to_text(delay->max));
  }
  if (const auto* number = std::get_if<double>(&value)) return shortest_digits(*number);
  return enumeration_text(kind, std::get<std::int64_t>(value));
}

FactSet FactSet::only(std::initializer_list<FactKind> kinds) const {
  FactSet out;
  for (const FactKind kind : kinds) {
    if (contains(kind)) out.add(kind);
  }
  return out;
}

std::vector<std::string> FactSet::keys() const {
  std::vector<std::string> keys;
  for (std::size_t k = 0; k < fact_kinds; ++k) {
    const std::string_view key = all_traits[k].key;
    const bool known = std::find(keys.begin(), keys.end(), key) != keys.end();
    if (kinds_.test(k) && !known) keys.emplace_back(key);
  }
  return keys;
}

}  // namespace greymet::model
