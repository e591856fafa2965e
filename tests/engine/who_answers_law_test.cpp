// The law: a slave, a peer or a gateway does the same on a virtual wire and on a real one. A plan
// is played twice with one fault after the other: by the virtual world, and by the stations that
// stand behind real sockets and terminals, driven here by hand. Each request has to end the same
// way, with the same words, and what was written has to be there or not be there.
#include <map>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "engine/station.h"
#include "engine/world.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;

namespace {

using std::chrono::milliseconds;
using std::chrono::seconds;

constexpr const char* plan_text = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[controller.loadout]
scan = "10ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 100, serves = "hr:0" }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[gateway.roof]
host = "10.20.0.40"
[line.roof]
via = "roof"
mode = "rtu"
baud = 19200
format = "8E1"
timeout = "100ms"
[gateway.cellar]
host = "10.20.0.41"
framing = "rtu"
[line.cellar]
via = "cellar"
mode = "rtu"
baud = 19200
format = "8E1"
timeout = "100ms"
[slave.a]
line = "north"
unit = 1
[slave.b]
host = "10.20.0.31"
[slave.c]
line = "roof"
unit = 3
[slave.d]
line = "cellar"
unit = 4
[exchange]
transactions = [
  { name = "read-a", controller = "kiln", slave = "a", fc = 3, at = 0, count = 12, into = "%MW20", every = "500ms" },
  { name = "write-a", controller = "kiln", slave = "a", fc = 6, at = 10, from = "%MW0", every = "500ms" },
  { name = "read-b", controller = "kiln", slave = "b", fc = 3, at = 0, count = 12, into = "%MW32", every = "500ms" },
  { name = "write-b", controller = "kiln", slave = "b", fc = 6, at = 10, from = "%MW1", every = "500ms" },
  { name = "read-c", controller = "kiln", slave = "c", fc = 3, at = 0, count = 12, into = "%MW44", every = "500ms" },
  { name = "write-c", controller = "kiln", slave = "c", fc = 6, at = 10, from = "%MW2", every = "500ms" },
  { name = "read-d", controller = "kiln", slave = "d", fc = 3, at = 0, count = 12, into = "%MW56", every = "500ms" },
  { name = "write-d", controller = "kiln", slave = "d", fc = 6, at = 10, from = "%MW3", every = "500ms" },
  { name = "read-loadout", controller = "kiln", slave = "loadout", fc = 3, at = "%MW0", count = 12, into = "%MW68", every = "500ms" },
  { name = "write-loadout", controller = "kiln", slave = "loadout", fc = 6, at = "%MW10", from = "%MW4", every = "500ms" },
]
)";

// How one request ended.
struct Ended {
  Outcome outcome;
  std::uint8_t exception;
  std::vector<std::uint16_t> words;
  friend bool operator==(const Ended&, const Ended&) = default;
};
std::ostream& operator<<(std::ostream& out, const Ended& ended) {
  return out << fmt::format("{} {} [{}]", to_string(ended.outcome), ended.exception,
                            fmt::join(ended.words, " "));
}
using Endings = std::map<std::size_t, std::map<Duration, Ended>>;  // per transaction and release

void note(Endings& endings, const RequestRecord& record) {
  endings[record.transaction][record.release] = {record.outcome, record.exception, record.words};
}

class Played {
 public:
  Played() : loaded_(test::load(plan_text)), timing_(timing::build_timing_model(loaded_.plan)) {}

  [[nodiscard]] const model::ResolvedPlan& plan() const { return loaded_.plan; }

  [[nodiscard]] Endings virtually(const FaultScript& faults, Duration length) const {
    WorldOptions options;
    options.still = true;
    options.faults = faults;
    World world(loaded_.plan, timing_, options);
    state(world.memory(0));
    Endings out;
    world.run_until(length, [&](const RequestRecord& record) { note(out, record); });
    return out;
  }

  // As sockets and terminals would do it: every byte is handed on the moment it is said.
  [[nodiscard]] Endings by_stations(const FaultScript& faults, Duration length) const {
    std::vector<ControllerMemory> memories;
    for (const model::MemoryLayout& layout : loaded_.plan.layouts) memories.emplace_back(layout);
    Field field(loaded_.plan, memories, true);
    field.set_restarts(faults);
    state(memories[0]);
    Master master(loaded_.plan, timing_, model::ControllerIndex(0), memories[0], {});
    std::map<std::size_t, std::unique_ptr<LineStation>> lines;
    std::map<std::size_t, std::unique_ptr<HostStation>> hosts;
    for (const MasterLink& link : master.links()) {
      if (link.jobs().empty()) continue;
      const model::Endpoint& to = link.jobs().front().transaction->endpoint;
      if (link.queue().kind == timing::QueueKind::serial) {
        lines[link.index()] = std::make_unique<LineStation>(loaded_.plan, *link.queue().line, field,
                                                            faults, StationOptions{});
      } else {
        hosts[link.index()] = std::make_unique<HostStation>(loaded_.plan, to.host, to.port, field,
                                                            faults, StationOptions{});
      }
    }
    std::map<std::size_t, std::uint64_t> session;  // open ones, by link
    std::uint64_t sessions = 0;
    Endings out;
    Duration now{};
    while (now <= length) {
      bool quiet = false;
      while (!quiet) {
        quiet = true;
        std::vector<MasterAction> actions;
        master.act(now, actions);
        for (const MasterAction& action : actions) {
          quiet = false;
          const std::size_t l = action.link;
          switch (action.kind) {
            case MasterAction::Kind::connect:
              session[l] = ++sessions;
              if (hosts.at(l)->accept(now, sessions)) {
                master.connected(now, l);
              } else {
                session.erase(l);
                master.refused(now, l);
              }
              break;
            case MasterAction::Kind::close:
              if (session.contains(l)) hosts.at(l)->closed(session.at(l));
              session.erase(l);
              break;
            case MasterAction::Kind::send:
              if (lines.contains(l)) lines.at(l)->receive(now, action.bytes);
              if (session.contains(l)) hosts.at(l)->receive(now, session.at(l), action.bytes);
              break;
          }
        }
        std::vector<StationAction> said;
        for (auto& [l, line] : lines) {
          line->act(now, said);
          for (const StationAction& each : said) master.receive(now, l, each.bytes);
          if (!said.empty()) quiet = false;
          said.clear();
        }
        for (auto& [l, host] : hosts) {
          host->act(now, said);
          for (const StationAction& each : said) {
            if (!session.contains(l) || each.session != session.at(l)) continue;
            if (each.kind == StationAction::Kind::send) {
              master.receive(now, l, each.bytes);
              continue;
            }
            host->closed(each.session);
            session.erase(l);
            master.closed(now, l);
          }
          if (!said.empty()) quiet = false;
          said.clear();
        }
      }
      for (const RequestRecord& record : master.take_records()) note(out, record);
      Duration next = master.next_wake();
      for (const auto& [l, line] : lines) next = std::min(next, line->next_wake());
      for (const auto& [l, host] : hosts) next = std::min(next, host->next_wake());
      now = std::max(now + Duration(1), next);
    }
    return out;
  }

 private:
  // What the writes carry: 101 to 105.
  void state(ControllerMemory& memory) const {
    memory.put_registers(memory.sequence(*loaded_.plan.layouts[0].range(0, 0, 5)),
                         {101, 102, 103, 104, 105});
  }

  files::LoadedPlan loaded_;
  timing::TimingModel timing_;
};

}  // namespace

TEST_CASE("a fault does the same behind a virtual wire and behind a real one") {
  const Played played;
  REQUIRE(played.plan().transactions.size() == 10);
  const auto kind = GENERATE(FaultKind::silent, FaultKind::slow, FaultKind::garbled,
                             FaultKind::exception, FaultKind::wrong_unit, FaultKind::wrong_function,
                             FaultKind::cut, FaultKind::echo, FaultKind::noise, FaultKind::late,
                             FaultKind::drop, FaultKind::refuse, FaultKind::restart);
  INFO(to_string(kind));
  // one who answers after the other, each for two seconds and a half with as much peace behind
  std::vector<Fault> script;
  Duration at = milliseconds(2250);
  const auto add = [&](bool is_peer, std::size_t index) {
    Fault fault;
    fault.at = at;
    fault.until = at + milliseconds(2500);
    fault.is_peer = is_peer;
    fault.index = index;
    fault.kind = kind;
    fault.time = kind == FaultKind::slow ? milliseconds(40) : Duration{};
    script.push_back(fault);
    at += seconds(5);
  };
  for (std::size_t slave = 0; slave < played.plan().plan.slaves.size(); ++slave) add(false, slave);
  add(true, 1);
  // which bit is damaged is chance, and whom what comes late meets hangs on a millisecond
  const bool is_chance = kind == FaultKind::garbled || kind == FaultKind::late;
  const auto near_fault = [&](std::size_t t, Duration release) {
    const model::Target& target = played.plan().exchange.find(t)->target;
    return std::any_of(script.begin(), script.end(), [&](const Fault& fault) {
      return fault.is_peer == target.is_peer && fault.index == target.index &&
             release >= fault.at - seconds(1) && release < fault.until + seconds(5);
    });
  };
  const FaultScript faults(script);
  const Endings virtually = played.virtually(faults, at);
  const Endings by_stations = played.by_stations(faults, at);
  for (std::size_t t = 0; t < played.plan().transactions.size(); ++t) {
    INFO(played.plan().exchange.find(t)->name);
    REQUIRE(virtually.contains(t));
    REQUIRE(by_stations.contains(t));
    std::size_t both = 0;
    for (const auto& [release, ended] : virtually.at(t)) {
      const auto other = by_stations.at(t).find(release);
      if (other == by_stations.at(t).end() || (is_chance && near_fault(t, release))) continue;
      ++both;
      INFO(release.count());
      CHECK(ended == other->second);
    }
    CHECK(both > (is_chance ? 30 : 42));
  }
}
