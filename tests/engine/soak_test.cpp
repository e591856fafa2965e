// Faults in quantity, on virtual time: nothing crashes, nothing gets stuck, every request is
// accounted for, and no value is ever taken from a reply that was another's or damaged.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "engine/world.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::milliseconds;
using std::chrono::seconds;

namespace {

// Every register of every slave has a value of its own, so that a reply that is taken for
// another's shows.
std::uint16_t own_value(std::size_t slave, std::uint32_t offset) {
  return static_cast<std::uint16_t>((slave * 7919 + offset * 31 + 17) & 0xFFFF);
}

// Same functions and counts at different addresses, so that replies look alike.
std::string plan_of(const std::string& mode) {
  std::string text = fmt::format(R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = {{ kind = "word", first = 0, count = 4000 }}
[line.north]
master = "kiln"
mode = "{}"
baud = 38400
format = "8E1"
timeout = "60ms"
retries = 1
[gateway.box]
host = "10.20.0.40"
timeout = "2s"
[line.roof]
via = "box"
mode = "rtu"
baud = 38400
format = "8E1"
timeout = "60ms"
[slave.a]
line = "north"
unit = 1
reply = {{ typical = "3ms", max = "9ms" }}
[slave.b]
line = "north"
unit = 2
reply = {{ typical = "3ms", max = "9ms" }}
[slave.w]
line = "roof"
unit = 1
reply = {{ typical = "3ms", max = "9ms" }}
[slave.t]
host = "10.20.0.31"
timeout = "60ms"
retries = 1
reply = {{ typical = "2ms", max = "5ms" }}
[exchange]
transactions = [
)",
                                 mode);
  int row = 0;
  for (const char* slave : {"a", "b", "w", "t"}) {
    for (int i = 0; i < 4; ++i, ++row) {
      text += fmt::format(
          "{{ name = \"{0}{1}\", controller = \"kiln\", slave = \"{0}\", fc = 3, at = {2}, count "
          "= 4, into = \"%MW{3}\", every = \"150ms\", phase = \"{4}ms\" }},\n",
          slave, i, 10 * i, 10 * row, 9 * row);
    }
    text += fmt::format(
        "{{ name = \"{0}-set\", controller = \"kiln\", slave = \"{0}\", fc = 6, at = 200, from = "
        "\"%MW{1}\", every = \"150ms\", phase = \"70ms\" }},\n",
        slave, 3000 + row);
  }
  return text + "]\n";
}

struct Counts {
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  std::uint64_t exception = 0;
  std::uint64_t timeout = 0;
  std::uint64_t bad = 0;
};

}  // namespace

TEST_CASE("ten thousand faults neither crash nor stick nor lie") {
  std::uint64_t damaged = 0;
  for (const char* mode : {"rtu", "ascii"}) {
    const auto loaded = test::load(plan_of(mode));
    REQUIRE_FALSE(loaded.unreadable);
    const model::ResolvedPlan& plan = loaded.plan;
    const timing::TimingModel timing = timing::build_timing_model(plan);
    WorldOptions options;
    options.durations = timing::Durations::random;
    options.still = true;
    std::mt19937_64 random(7);
    const auto any = [&](int from, int to) {
      return std::uniform_int_distribution<int>(from, to)(random);
    };
    const auto faulty = seconds(400);
    std::vector<Fault> faults;
    for (int i = 0; i < 1500; ++i) {
      Fault fault;
      fault.at = milliseconds(any(0, 395'000));
      fault.until = fault.at + milliseconds(any(50, 4000));
      fault.index = static_cast<std::size_t>(any(0, 3));
      fault.kind = static_cast<FaultKind>(any(0, 12));
      fault.share = 0.6;
      fault.time = milliseconds(any(1, 150));
      faults.push_back(fault);
    }
    options.faults = FaultScript(faults);
    World world(plan, timing, options);
    for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
      for (std::uint32_t at = 0; at < 50; ++at) {
        world.field().slave(s).force_word(model::Area::holding_register, at, own_value(s, at));
      }
    }
    std::map<std::size_t, Counts> counts;
    std::map<std::size_t, bool> last_good;
    std::uint64_t lies = 0;
    const auto finished = [&](const RequestRecord& record) {
      Counts& of = counts[record.transaction];
      if (record.tries > 0) ++of.sent;
      switch (record.outcome) {
        case Outcome::good: ++of.good; break;
        case Outcome::exception: ++of.exception; break;
        case Outcome::timeout: ++of.timeout; break;
        case Outcome::bad: ++of.bad; break;
        case Outcome::unfinished: ++lies; break;  // nobody has ended the world
        case Outcome::left_out:
        case Outcome::dropped:
          if (record.tries > 0) ++lies;
          break;
      }
      last_good[record.transaction] = record.outcome == Outcome::good;
      const model::ExchangeTransaction& t = *plan.exchange.find(record.transaction);
      if (record.outcome != Outcome::good || !t.read) return;
      bool own = true;
      bool zero = true;  // after a restart all is 0
      for (std::uint32_t i = 0; i < t.read->quantity; ++i) {
        own = own && record.words.at(i) == own_value(t.target.index, t.read->offset + i);
        zero = zero && record.words.at(i) == 0;
      }
      if (!own && !zero) ++lies;
    };
    world.run_until(faulty + seconds(30), finished);
    CHECK(lies == 0);
    for (const auto& [transaction, of] : counts) {
      INFO(plan.exchange.find(transaction)->name);
      CHECK(of.sent == of.good + of.exception + of.timeout + of.bad);
      CHECK(of.good > 100);
      CHECK(last_good[transaction]);  // it recovered without help
      damaged += of.exception + of.timeout + of.bad;
    }
    std::map<Oddity, std::uint64_t> met;
    for (const OddWire& wire : odd_wires(world.masters())) {
      for (const Oddity oddity : all_oddities()) met[oddity] += wire.counts.of(oddity);
      damaged += wire.counts.total();
    }
    for (const Oddity oddity :
         {Oddity::noise, Oddity::bad_checksum, Oddity::echo, Oddity::wrong_unit,
          Oddity::wrong_function, Oddity::wrong_transaction, Oddity::unasked}) {
      if (mode == std::string("ascii") && oddity == Oddity::noise) continue;
      INFO(to_string(oddity));
      CHECK(met[oddity] > 0);
    }
    for (const Master& master : world.masters()) CHECK(master.under_way() <= 3);
  }
  INFO(damaged);
  CHECK(damaged > 10'000);
}
