// The law of the engine: told the same durations and faults, requests complete in the virtual world
// when the simulation of the timing model says they do, to the nanosecond. The two share no code
// that decides who goes next: one computes with durations, the other moves bytes.
#include <algorithm>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "engine/world.h"
#include "plans.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::engine;
using model::TriggerKind;

namespace {

using std::chrono::milliseconds;
using std::chrono::seconds;

// What happened to one request, from either side.
struct Happened {
  std::int64_t release;
  std::int64_t start;
  std::int64_t end;
  bool good;
  friend bool operator==(const Happened&, const Happened&) = default;
  friend auto operator<=>(const Happened&, const Happened&) = default;
};
std::ostream& operator<<(std::ostream& out, const Happened& h) {
  return out << h.release << ".." << h.start << ".." << h.end << (h.good ? "" : " failed");
}
using PerJob = std::map<std::pair<std::size_t, std::size_t>, std::vector<Happened>>;

constexpr std::chrono::nanoseconds horizon = seconds(7);

PerJob simulated(const timing::TimingModel& timing, timing::SimulationOptions options) {
  options.horizon = horizon;
  options.at_least = horizon;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      options.watched.push_back({q, j});
    }
  }
  PerJob out;
  const auto statistics = timing::simulate(timing, options);
  for (std::size_t q = 0; q < statistics.size(); ++q) {
    for (const timing::Service& service : statistics[q].watched) {
      if (service.end >= horizon) continue;
      out[{q, service.job}].push_back(
          {service.release.count(), service.start.count(), service.end.count(), service.good});
    }
  }
  return out;
}

PerJob rehearsed(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
                 const WorldOptions& options) {
  PerJob out;
  World world(plan, timing, options);
  world.run_until(horizon, [&](const RequestRecord& record) {
    if (record.end >= horizon || record.outcome == Outcome::dropped) return;
    out[{record.link, record.job}].push_back({record.release.count(), record.start.count(),
                                              record.end.count(), record.outcome == Outcome::good});
  });
  return out;
}

std::string one_of(std::initializer_list<const char*> texts) {
  return *rc::gen::elementOf(std::vector<std::string>(texts.begin(), texts.end()));
}

// The plan without some of the facts that may be left out: whatever is then taken instead, all
// parts take the same. A master that gives up before its gateway does (N06) is another matter, so
// the longest timeout stays.
std::string without_some_facts(const std::string& text) {
  const std::set<std::string> optional{
      "sends", "in_flight", "timeout", "connect_timeout", "retries", "order",   "pause",
      "park",  "reply",     "rtt",     "delay",           "connect", "framing", "jitter"};
  const int one_of = *rc::gen::element(2, 6, 1000);
  std::istringstream lines(text);
  std::string out;
  for (std::string line; std::getline(lines, line);) {
    const bool is_optional = optional.contains(line.substr(0, line.find(' '))) &&
                             line.find("\"30s\"") == std::string::npos;
    if (!is_optional || *rc::gen::inRange(0, one_of) != 0) out += line + "\n";
  }
  return out;
}

std::string random_when(bool on_line, bool continuous) {
  const int kind = *rc::gen::inRange(0, continuous ? 8 : 7);
  const std::string phase =
      fmt::format(", phase = \"{}ms\"", *rc::gen::inRange(0, 40) * *rc::gen::inRange(1, 9));
  switch (kind) {
    case 7: return "every = \"continuous\"";
    case 6: return "on = \"start\"";
    case 5: return on_line ? "on = \"return\"" : "on = \"start\"";
    case 4: return "on = \"%MX1\", min_gap = \"330ms\"";
    default: break;
  }
  return fmt::format("every = \"{}\"{}", one_of({"40ms", "50ms", "100ms", "150ms", "400ms", "1s"}),
                     phase);
}

// Two controllers, a serial line, a gateway that both use, a slave on TCP.
std::string random_plan(
    const std::string& gateway = "timeout = \"30s\"\non_silence = \"exception\"\n",
    const std::string& controller = "") {
  const bool scan = *rc::gen::arbitrary<bool>();
  std::string text = fmt::format(R"([controller.kiln]
scan = "10ms"
sends = "{}"
{}
{}
[controller.kiln.memory]
"%MW" = {{ kind = "word", first = 0, count = 2000 }}
"%MX" = {{ kind = "bit", first = 0, count = 100 }}
[controller.loadout]
scan = "8ms"
[controller.loadout.memory]
"%MW" = {{ kind = "word", first = 0, count = 500 }}
"%MX" = {{ kind = "bit", first = 0, count = 100 }}
)",
                                 scan ? "scan" : "anytime",
                                 *rc::gen::inRange(0, 3) == 0 ? "in_flight = 1" : "", controller);
  text += fmt::format(
      R"([line.north]
master = "kiln"
mode = "{}"
baud = {}
format = "8E1"
timeout = "{}"
retries = {}
order = "{}"
pause = "{}"
{}
)",
      one_of({"rtu", "ascii"}), one_of({"9600", "19200", "57600"}), one_of({"150ms", "300ms"}),
      one_of({"0", "1", "2"}), one_of({"due", "list"}), one_of({"0ms", "7ms"}),
      *rc::gen::arbitrary<bool>() ? "park = { after = 2, retry = \"1700ms\" }" : "");
  text += fmt::format(R"([gateway.roof-box]
host = "10.20.0.40"
{}framing = "tcp"
in_flight = {}
delay = {{ typical = "2ms", max = "6ms" }}
rtt = {{ typical = "1ms", max = "3ms" }}
[line.roof]
via = "roof-box"
mode = "rtu"
baud = 19200
format = "8N2"
timeout = "90ms"
retries = 1
)",
                      gateway, one_of({"1", "2"}));
  for (const char* slave : {"a", "b", "c"}) {
    text += fmt::format(
        "[slave.{0}]\nline = \"north\"\nunit = {1}\nreply = {{ typical = \"{2}ms\", max = "
        "\"{3}ms\" }}\n{4}",
        slave, slave[0] - 'a' + 1, *rc::gen::inRange(1, 9), *rc::gen::inRange(9, 30),
        *rc::gen::arbitrary<bool>() ? "pause = \"4ms\"\n" : "");
  }
  text += fmt::format(
      "[slave.e]\nhost = \"10.20.0.32\"\ntimeout = \"90ms\"\nconnect_timeout = "
      "\"80ms\"\nretries = 1\nconnect = \"{}\"\nreply = {{ typical = \"2ms\", max = "
      "\"9ms\" }}\nrtt = {{ typical = \"2ms\", max = \"6ms\" }}\n",
      one_of({"each", "keep"}));
  text += R"([slave.w]
line = "roof"
unit = 1
reply = { typical = "5ms", max = "20ms" }
[slave.x]
line = "roof"
unit = 2
reply = { typical = "3ms", max = "9ms" }
[slave.t]
host = "10.20.0.31"
timeout = "120ms"
connect_timeout = "100ms"
retries = 1
reply = { typical = "4ms", max = "11ms" }
rtt = { typical = "1ms", max = "2ms" }
[exchange]
transactions = [
)";
  const auto count = *rc::gen::inRange(2, 10);
  for (int i = 0; i < count; ++i) {
    const std::string slave = one_of({"a", "b", "c", "w", "x", "t", "e"});
    const bool on_line = slave < "d";
    const bool loadout = !on_line && slave != "t" && slave != "e" && *rc::gen::arbitrary<bool>();
    const bool write = *rc::gen::inRange(0, 3) == 0;
    const int size = *rc::gen::inRange(1, 20);
    text += fmt::format(
        "{{ name = \"t{}\", controller = \"{}\", slave = \"{}\", fc = {}, at = {}, count = {}, {} "
        "= \"%MW{}\", {} }},\n",
        i, loadout ? "loadout" : "kiln", slave, write ? 16 : 3, 20 * i, size,
        write ? "from" : "into", 20 * i, random_when(on_line, true));
  }
  return text + "]\n";
}

void compare(const model::ResolvedPlan& plan, timing::Durations durations,
             const std::vector<timing::DeviceFault>& faults) {
  const timing::TimingModel timing = timing::build_timing_model(plan);
  timing::SimulationOptions simulation;
  simulation.durations = durations;
  simulation.faults.devices = faults;
  WorldOptions options;
  options.durations = durations;
  options.programs = false;
  options.faults_by_request = true;
  options.master.triggers_always = true;
  options.master.late_answers = {};  // answers that may be late cost tries the model knows not of
  std::vector<Fault> scripts;
  for (const timing::DeviceFault& fault : faults) {
    const model::Target& target = timing.devices[fault.device];
    Fault script;
    script.at = fault.from;
    script.until = fault.until;
    script.is_peer = target.is_peer;
    script.index = target.index;
    script.kind =
        fault.kind == timing::FaultKind::silent ? FaultKind::silent : FaultKind::exception;
    scripts.push_back(script);
  }
  options.faults = FaultScript(scripts);
  const PerJob expected = simulated(timing, simulation);
  const PerJob found = rehearsed(plan, timing, options);
  std::pair<std::int64_t, std::string> first{horizon.count(), ""};  // difference of all
  for (const auto& [key, list] : expected) {
    const auto at = found.find(key);
    const auto none = std::vector<Happened>{};
    const auto& other = at == found.end() ? none : at->second;
    const auto differ = std::mismatch(list.begin(), list.end(), other.begin(), other.end());
    if (differ.first == list.end() && differ.second == other.end()) continue;
    std::ostringstream what;
    std::int64_t when = horizon.count();
    what << plan.exchange.find(timing.queues[key.first].jobs[key.second].transaction)->name
         << ", number " << differ.first - list.begin() << " of " << list.size() << " and "
         << other.size() << ": ";
    if (differ.first != list.end()) {
      what << *differ.first;
      when = std::min(when, differ.first->start);
    }
    what << " against ";
    if (differ.second != other.end()) {
      what << *differ.second;
      when = std::min(when, differ.second->start);
    }
    first = std::min(first, {when, what.str()});
  }
  if (!first.second.empty()) RC_FAIL(first.second);
  for (const auto& [key, list] : found) RC_ASSERT(expected.contains(key) || list.empty());
}

}  // namespace

TEST_CASE("requests complete in the virtual world when the simulation says") {
  rc::prop("typical and longest durations", [] {
    const std::string text = without_some_facts(random_plan());
    RC_LOG() << text;
    const auto loaded = test::load(text);
    RC_ASSERT(!loaded.unreadable);
    compare(loaded.plan, timing::Durations::typical, {});
    compare(loaded.plan, timing::Durations::longest, {});
    const auto late = test::load(without_some_facts(random_plan(
        "timeout = \"30s\"\n", fmt::format("jitter = \"{}ms\"", *rc::gen::inRange(1, 9)))));
    compare(late.plan, timing::Durations::longest, {});
  });
}

TEST_CASE("so they do when slaves fall silent, refuse, and come back") {
  rc::prop("longest durations", [] {
    const std::string text = without_some_facts(random_plan());
    RC_LOG() << text;
    const auto loaded = test::load(text);
    const timing::TimingModel timing = timing::build_timing_model(loaded.plan);
    std::vector<timing::DeviceFault> faults;
    for (std::size_t d = 0; d < timing.devices.size(); ++d) {
      if (*rc::gen::inRange(0, 3) != 0) continue;
      timing::DeviceFault fault;
      fault.device = d;
      fault.kind = *rc::gen::element(timing::FaultKind::silent, timing::FaultKind::exception);
      fault.from = milliseconds(*rc::gen::inRange(0, 2500));
      fault.until = fault.from + milliseconds(*rc::gen::inRange(1, 5000));
      faults.push_back(fault);
    }
    compare(loaded.plan, timing::Durations::longest, faults);
  });
}

TEST_CASE("what a gateway that says nothing of a silent slave costs stays within what is printed") {
  rc::prop("responses of others: their bound and the stall", [] {
    const std::string text = without_some_facts(random_plan(
        fmt::format("timeout = \"{}ms\"\nretries = {}\n{}", *rc::gen::inRange(300, 700),
                    *rc::gen::inRange(0, 3), one_of({"", "on_silence = \"nothing\"\n"}))));
    RC_LOG() << text;
    const auto loaded = test::load(text);
    const timing::TimingReport report = timing::analyse_longest(loaded.plan);
    const timing::TimingModel& timing = report.model;
    std::vector<std::size_t> behind;  // the slaves behind the gateway
    for (const timing::Queue& queue : timing.queues) {
      if (queue.kind != timing::QueueKind::gateway) continue;
      for (const timing::Job& job : queue.jobs) behind.push_back(job.device);
    }
    if (behind.empty()) return;
    const std::size_t silent = *rc::gen::elementOf(behind);
    WorldOptions options;
    options.durations = timing::Durations::longest;
    options.programs = false;
    options.faults_by_request = true;
    options.master.triggers_always = true;
    options.master.late_answers = {};
    Fault fault;
    fault.at = milliseconds(*rc::gen::inRange(0, 2500));
    fault.until = seconds(20);
    fault.is_peer = timing.devices[silent].is_peer;
    fault.index = timing.devices[silent].index;
    fault.kind = FaultKind::silent;
    options.faults = FaultScript({fault});
    std::map<std::size_t, model::Duration> stall_of_queue;
    for (const timing::Stall& stall : report.stalls.stalls) {
      if (stall.silent != timing.devices[silent]) continue;
      for (const timing::StallOn& on : stall.queues) stall_of_queue[on.queue] = on.first;
    }
    World world(loaded.plan, timing, options);
    world.run_until(horizon, [&](const RequestRecord& record) {
      const timing::Queue& queue = timing.queues[record.link];
      const timing::Job& job = queue.jobs[record.job];
      if (job.device == silent || !timing::is_released(job.kind) ||
          record.outcome == Outcome::dropped) {
        return;
      }
      const auto line = std::find_if(report.lines.begin(), report.lines.end(),
                                     [&](const auto& l) { return l.queue == record.link; });
      const auto& bound = line->transactions[record.job].response_bound_any_phase;
      if (!bound) return;
      INFO(text << loaded.plan.exchange.find(job.transaction)->name);
      RC_ASSERT((record.end - record.release).count() <=
                (*bound + stall_of_queue[record.link]).count());
    });
  });
}
