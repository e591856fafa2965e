// Whom a request waited for, held against every pair of turns looked at one by one.
#include "engine/slave_watch.h"

#include <algorithm>
#include <random>

#include <catch2/catch.hpp>

#include "engine/run_verdict.h"
#include "network_plan.h"
#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::milliseconds;
using std::chrono::seconds;

namespace {

files::LoadedPlan two_slaves() {
  return test::load(test::with_rows({
      R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })",
      R"({ name = "b", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW10", every = "1s", on_loss = "hold" })",
      R"({ name = "c", slave = "gauge", fc = 3, at = 10, count = 1, into = "%MW20", every = "1s", on_loss = "hold" })",
  }));
}

RequestRecord turn(std::size_t transaction, int release, int start, int end,
                   Outcome outcome = Outcome::good) {
  RequestRecord out;
  out.transaction = transaction;
  out.release = milliseconds(release);
  out.start = milliseconds(start);
  out.end = milliseconds(end);
  out.tries = 1;
  out.outcome = outcome;
  if (outcome == Outcome::timeout) {
    out.cause = Cause::no_reply;
    out.tries = 3;
  }
  return out;
}

}  // namespace

TEST_CASE("who was not answered, since when, and who waited for that") {
  const auto loaded = two_slaves();
  SlaveWatch watch(loaded.plan);
  watch.add(turn(0, 0, 0, 10));
  watch.add(turn(1, 0, 10, 600, Outcome::timeout));
  watch.add(turn(2, 100, 600, 610));
  watch.add(turn(0, 1000, 1000, 1010));
  const auto states = watch.states();
  REQUIRE(states.size() == 2);
  const SlaveState& gauge = states[0];
  const SlaveState& pump = states[1];
  CHECK(gauge.answers);
  CHECK_FALSE(gauge.is_odd());
  CHECK(gauge.since == milliseconds(10));
  CHECK_FALSE(pump.answers);
  CHECK(pump.cause == Cause::no_reply);
  CHECK(pump.since == milliseconds(600));
  CHECK(pump.unanswered == 1);
  CHECK(pump.tries == 3);
  CHECK(pump.held == milliseconds(590));
  CHECK(pump.waited == 1);
  CHECK(watch.longest_wait(2).waited == milliseconds(500));
  CHECK(watch.longest_wait(2).behind == 1);
  CHECK(watch.longest_wait(2).behind_failing);
  CHECK(watch.longest_gap(0, milliseconds(1500)) == milliseconds(1000));
  CHECK(watch.longest_gap(0, milliseconds(9000)) == milliseconds(7990));
  CHECK_FALSE(watch.longest_gap(1, milliseconds(1500)));
  const auto report = timing::analyse_longest(loaded.plan);
  CHECK(text_of(loaded.plan, report, pump) ==
        "pump: no reply; 1 request (3 tries) without an answer, since 0.6 s. It held north for 0.6 "
        "s, 1 request waited");
  CHECK(failing_text(loaded.plan, states) == "pump no reply since 0.6 s");
}

TEST_CASE("of random turns on one line, each wait is charged to whoever took most of it") {
  const auto loaded = two_slaves();
  std::mt19937 random(20261130);
  for (int round = 0; round < 50; ++round) {
    SlaveWatch watch(loaded.plan);
    std::vector<RequestRecord> all;
    int now = 0;
    std::vector<Duration> longest(3);
    std::vector<std::optional<std::size_t>> behind(3);
    for (int i = 0; i < 40; ++i) {
      const auto transaction = static_cast<std::size_t>(random() % 3);
      const int release = std::max(0, now - static_cast<int>(random() % 300));
      now += static_cast<int>(random() % 20);
      const int end = now + 1 + static_cast<int>(random() % 200);
      const bool fails = random() % 4 == 0;
      const auto record = turn(transaction, release, std::max(now, release), end,
                               fails ? Outcome::timeout : Outcome::good);
      // slow and obvious: of every millisecond waited, who had the line
      std::array<int, 3> took{};
      for (int ms = release; ms < now; ++ms) {
        for (const RequestRecord& other : all) {
          if (other.start <= milliseconds(ms) && milliseconds(ms) < other.end) {
            ++took[other.transaction];
          }
        }
      }
      took[transaction] = 0;
      if (record.start - record.release > longest[transaction]) {
        longest[transaction] = record.start - record.release;
        const auto most = std::max_element(took.begin(), took.end());
        behind[transaction] =
            *most > 0 ? std::optional(static_cast<std::size_t>(most - took.begin())) : std::nullopt;
      }
      watch.add(record);
      all.push_back(record);
      now = end;
    }
    for (std::size_t t = 0; t < 3; ++t) {
      CHECK(watch.longest_wait(t).waited == longest[t]);
      CHECK(watch.longest_wait(t).behind == behind[t]);
    }
  }
}

TEST_CASE("a run is passed, disturbed or failed, and says why") {
  const auto loaded = two_slaves();
  const auto report = timing::analyse_longest(loaded.plan);
  const auto judged = [&](const std::vector<RequestRecord>& records, double tolerated) {
    RunWatch watch(loaded.plan, report, {}, {});
    for (const RequestRecord& record : records) watch.add(record);
    auto transactions = watch.transactions({}, {}, milliseconds(5000));
    return judge_run({loaded.plan, report, watch, transactions, {}, {}, true, tolerated});
  };
  std::vector<RequestRecord> well;
  for (int i = 0; i < 99; ++i) well.push_back(turn(0, i * 10, i * 10, i * 10 + 5));
  CHECK(judged(well, 0).outcome == RunOutcome::passed);
  CHECK(judged(well, 0).because.empty());
  auto again = well;
  again.back().tries = 2;
  CHECK(judged(again, 0).outcome == RunOutcome::disturbed);
  CHECK(judged(again, 0).because ==
        std::vector<std::string>{"gauge: answered 1 request in a later try only"});
  auto one_lost = well;
  one_lost.push_back(turn(0, 990, 990, 1500, Outcome::timeout));
  CHECK(judged(one_lost, 0).outcome == RunOutcome::failed);
  CHECK(judged(one_lost, 0.01).outcome == RunOutcome::disturbed);
  CHECK(judged(one_lost, 0.009).outcome == RunOutcome::failed);
  // what was never sent, and what is not accounted for, no share forgives
  RunWatch watch(loaded.plan, report, {}, {});
  const RunVerdict unsent =
      judge_run({loaded.plan, report, watch, {}, {}, {"x: the value was never sent"}, true, 1});
  CHECK(unsent.outcome == RunOutcome::failed);
  CHECK(judge_run({loaded.plan, report, watch, {}, {}, {}, false, 1}).outcome ==
        RunOutcome::failed);
}

TEST_CASE("an expected number is met to the digit") {
  const auto loaded = test::load(
      test::with_rows(
          {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 12, into = "%MW0", every = "1s", on_loss = "hold" })"}),
      {{"gauge.csv",
        "point,area,address,type,factor,word_order\nbig,hr,0,i64,1,ABCD\nreal,hr,4,f32,1,ABCD\n"
        "tenth,hr,6,i16,0.1,\nhuge,hr,7,u64,1,ABCD\n"}});
  const auto report = timing::analyse_longest(loaded.plan);
  const auto met = [&](std::size_t point, const std::string& digits, double tolerance = 0) {
    Expectation e;
    e.slave = 0;
    e.point = point;
    e.digits = digits;
    e.value = std::stod(digits);
    e.tolerance = tolerance;
    RunWatch watch(loaded.plan, report, {e}, {});
    RequestRecord record;
    // 98765432101; 0.1 as a REAL; 335; 18446744073709551615
    record.words = {0x0000, 0x0016, 0xFEE0, 0x5ED5 /* below */, 0x3DCC, 0xCCCD, 335, 0xFFFF, 0xFFFF,
                    0xFFFF, 0xFFFF, 0};
    const std::uint64_t big = 98765432101ULL;
    for (std::size_t i = 0; i < 4; ++i) {
      record.words[i] = static_cast<std::uint16_t>(big >> (48 - 16 * i));
    }
    watch.add(record);
    watch.look(milliseconds(1), {});
    return watch.results(true)[0].good;
  };
  CHECK(met(0, "98765432101"));
  CHECK_FALSE(met(0, "98765432100"));
  CHECK(met(0, "98765432100", 1));
  CHECK(met(1, "0.1"));
  CHECK_FALSE(met(1, "0.1001"));
  CHECK(met(2, "33.5"));
  CHECK(met(2, "33.50"));
  CHECK_FALSE(met(2, "33.54"));
  CHECK(met(2, "33.54", 0.05));
  CHECK(met(3, "18446744073709551615"));
  CHECK_FALSE(met(3, "18446744073709551614"));
}

TEST_CASE(
    "a wire works as of the last request that tells of it, and a parked slave tells nothing") {
  const auto loaded = two_slaves();
  SlaveWatch watch(loaded.plan);
  const auto add = [&](int second, Outcome outcome, Cause cause) {
    RequestRecord record;
    record.link = 0;
    record.outcome = outcome;
    record.cause = cause;
    record.tries = outcome == Outcome::dropped ? 0 : 1;
    record.end = seconds(second);
    watch.add(record);
    return watch.wires().at(0);
  };
  CHECK(watch.wires().empty());
  CHECK(add(1, Outcome::good, Cause::none).works);
  CHECK(add(2, Outcome::exception, Cause::none).since == seconds(1));
  CHECK(add(3, Outcome::dropped, Cause::parked).works);
  const WireState down = add(4, Outcome::dropped, Cause::refused);
  CHECK_FALSE(down.works);
  CHECK(down.since == seconds(4));
  CHECK(down.cause == Cause::refused);
  CHECK_FALSE(add(5, Outcome::dropped, Cause::parked).works);
  CHECK_FALSE(add(6, Outcome::timeout, Cause::no_reply).works);
  const WireState again = add(7, Outcome::good, Cause::none);
  CHECK(again.works);
  CHECK(again.since == seconds(7));
  CHECK(again.sent == 4);
  CHECK(again.answered == 3);
  CHECK(again.not_sent == 3);
}
