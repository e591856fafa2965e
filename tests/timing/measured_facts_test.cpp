// What is measured of a plant gives its durations back: the slaves' replies of one plan, which
// nobody is told, are found by another that leaves them out.
#include "timing/measured_facts.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"
#include "timing/transaction_times.h"

using namespace greymet;
using std::chrono::milliseconds;

namespace {

struct Device {
  const char* name;
  const char* where;
};
constexpr Device devices[] = {{"a", "line = \"l\"\nunit = 1\n"},
                              {"b", "line = \"l\"\nunit = 2\nscans = \"30ms\"\n"},
                              {"g", "line = \"behind\"\nunit = 1\n"},
                              {"t", "host = \"10.0.0.31\"\npause = \"3ms\"\n"}};

std::string plant(const std::vector<std::string>& replies) {
  std::string text = R"([controller.c]
scan = "10ms"
[controller.c.memory]
"%MW" = { kind = "word", count = 500 }
[line.l]
master = "c"
mode = "rtu"
baud = 9600
format = "8E1"
latency = { typical = "1ms", max = "4ms" }
[gateway.box]
host = "10.0.0.9"
delay = { typical = "2ms", max = "8ms" }
[line.behind]
via = "box"
mode = "ascii"
baud = 19200
format = "7E1"
)";
  std::string rows;
  for (std::size_t d = 0; d < std::size(devices); ++d) {
    text += fmt::format("[slave.{}]\n{}{}\n", devices[d].name, devices[d].where, replies[d]);
    for (int i = 0; i < 2; ++i) {
      rows += fmt::format(
          "{{ name = \"{0}{1}\", slave = \"{0}\", fc = 3, at = 0, count = {2}, into = \"%MW{3}\", "
          "every = \"5s\" }},\n",
          devices[d].name, i, 4 + 9 * i, 20 * (2 * d + static_cast<std::size_t>(i)));
    }
  }
  return text + "[exchange]\ntransactions = [\n" + rows + "]\n";
}

std::vector<timing::MeasuredDuration> measured_at(const model::ResolvedPlan& plan) {
  std::vector<timing::MeasuredDuration> out;
  for (const auto& t : plan.exchange.transactions) {
    const auto times = *timing::transaction_times(plan.exchange, t);
    const model::Duration slower =
        times.serial ? times.serial->turnaround_longest - times.serial->turnaround_typical
                     : times.network->slave_longest - times.network->slave_typical;
    out.push_back({t.name, 7, times.typical, times.typical + slower});
  }
  return out;
}

std::string reply_text(std::int64_t typical, std::int64_t more) {
  return fmt::format("reply = {{ typical = \"{}ms\", max = \"{}ms\" }}", typical, typical + more);
}

}  // namespace

TEST_CASE("durations give back the replies that made them") {
  rc::prop("serial, gateway and network, with latency, scans and pauses", [] {
    std::vector<std::string> truth;
    for (std::size_t d = 0; d < std::size(devices); ++d) {
      truth.push_back(reply_text(*rc::gen::inRange(0, 60), *rc::gen::inRange(0, 300)));
    }
    const auto real = test::load(plant(truth));
    auto ours = test::load(plant({"", "", "", ""}));
    RC_ASSERT(!real.unreadable);
    model::ResolvedPlan& plan = ours.plan;
    const auto measured = measured_at(real.plan);
    plan.plan.measured = timing::measured_facts(plan, "run.json", measured);
    RC_ASSERT(plan.plan.measured.facts.size() == std::size(devices));
    plan.exchange = model::with_facts(plan, {});
    for (const auto& t : plan.exchange.transactions) {
      const auto times = *timing::transaction_times(plan.exchange, t);
      const auto& real_t = *real.plan.exchange.find(t.transaction);
      const auto truly = *timing::transaction_times(real.plan.exchange, real_t);
      RC_LOG() << t.name << '\n';
      RC_ASSERT(times.longest.count() == truly.longest.count());
      RC_ASSERT(times.typical.count() == truly.typical.count());
      RC_ASSERT(!times.assumed.contains(model::FactKind::reply));
    }
    // what is tried goes before what was measured
    const auto& [id, fact] = *plan.plan.measured.facts.begin();
    const model::Delay tried{milliseconds(9), milliseconds(99), {}};
    const model::Exchange other = model::with_facts(plan, {{id, tried}});
    RC_ASSERT(other.slaves[model::SlaveIndex(id.index)].reply.max.count() == tried.max.count());
  });
}

TEST_CASE("no longest duration is below one that was measured") {
  rc::prop("whatever was measured", [] {
    auto ours = test::load(plant({"", "reply = { typical = \"4ms\", max = \"9ms\" }", "", ""}));
    model::ResolvedPlan& plan = ours.plan;
    std::vector<timing::MeasuredDuration> measured;
    for (const auto& t : plan.exchange.transactions) {
      const model::Duration median(*rc::gen::inRange<std::int64_t>(0, 400'000'000));
      const model::Duration more(*rc::gen::inRange<std::int64_t>(0, 900'000'000));
      measured.push_back({t.name, 3, median, median + more});
    }
    plan.plan.measured = timing::measured_facts(plan, "run.json", measured);
    plan.exchange = model::with_facts(plan, {});
    for (std::size_t i = 0; i < measured.size(); ++i) {
      const auto times = *timing::transaction_times(plan.exchange, plan.exchange.transactions[i]);
      RC_ASSERT(times.longest >= measured[i].longest);
      RC_ASSERT(times.typical <= times.longest);
    }
  });
}

TEST_CASE("a measurement refutes a longest reply that is stated, and proves none") {
  const auto facts = [](const std::string& stated, std::int64_t longest) {
    const auto real = test::load(plant({"", "", "", reply_text(5, longest - 5)}));
    const auto ours = test::load(plant({"", "", "", stated}));
    const auto out = timing::measured_facts(ours.plan, "run.json", measured_at(real.plan));
    return std::prev(out.facts.end())->second;
  };
  const auto longest = [](const model::FactValue& value) {
    return std::get<model::Delay>(value).max;
  };
  const auto within = facts("reply = { typical = \"8ms\", max = \"40ms\" }", 25);
  CHECK(longest(within.value) == milliseconds(40));
  CHECK(std::get<model::Delay>(within.value).typical == milliseconds(5));
  CHECK(within.stated);
  CHECK(within.answers == 14);  // of two transactions
  const auto beyond = facts("reply = { typical = \"8ms\", max = \"40ms\" }", 70);
  CHECK(longest(beyond.value) == milliseconds(70));
  CHECK(longest(beyond.before) == milliseconds(40));
  // a default is a guess: what was measured takes its place either way
  const auto guessed = facts("", 25);
  CHECK(longest(guessed.value) == milliseconds(25));
  CHECK_FALSE(guessed.stated);
}

TEST_CASE("what does not belong to the plan, or has no answers, is passed over") {
  const auto ours = test::load(plant({"", "", "", ""}));
  auto measured = measured_at(ours.plan);
  for (auto& each : measured) each.answers = each.transaction == "t1" ? 3 : 0;
  measured.push_back({"nobody's", 5, milliseconds(1), milliseconds(2)});
  const auto out = timing::measured_facts(ours.plan, "run.json", measured);
  REQUIRE(out.facts.size() == 1);
  CHECK(out.facts.begin()->second.answers == 3);
  CHECK(out.source == "run.json");
  // shorter than the frames alone: nothing is left for the slave, and no time is negative
  const auto none = timing::measured_facts(ours.plan, "", {{"a0", 1, milliseconds(1), {}}});
  CHECK(std::get<model::Delay>(none.facts.begin()->second.value).max == model::Duration{});
}
