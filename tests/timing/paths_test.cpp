#include "timing/paths.h"
#include "model/duration_text.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"
#include "queues.h"
#include "timing/path_ages.h"
#include "timing/report.h"
#include "timing/simulation.h"
#include "timing/transfers.h"

using namespace greymet;
using namespace greymet::timing;
using test::replaced;

namespace {

std::string row(const std::string& name, const std::string& slave, const std::string& rest) {
  return "{ name = \"" + name + "\", slave = \"" + slave + "\", controller = \"kiln\", " + rest +
         " }";
}

// One path over the network plan.
std::string path(const std::string& from, const std::string& to,
                 const std::string& budget = "10s") {
  return "[supervision]\npaths = [ { name = \"way\", from = \"" + from + "\", to = \"" + to +
         "\", budget = \"" + budget + "\" } ]\n";
}

std::vector<std::string> to_the_peer(const std::string& read_every = "500ms",
                                     const std::string& write_every = "200ms") {
  return {
      row("air-in", "air",
          "fc = 3, at = 10, count = 4, into = \"%MW100\", on_loss = \"hold\", every = \"" +
              read_every + "\""),
      row("send", "loadout",
          "fc = 16, at = \"%MW1\", count = 4, from = \"%MW200\", every = \"" + write_every + "\"")};
}

const std::string copy_row =
    "copies = [ { controller = \"kiln\", from = \"%MW101\", to = \"%MW202\", count = 1 } ]\n";

PathReport report_of(const std::string& text, std::uint64_t transactions = 50'000) {
  const auto loaded = test::load(text, test::base_files());
  for (const auto& f : loaded.findings) UNSCOPED_INFO(f.message);
  AnalysisOptions options;
  options.watched_transactions = transactions;
  const auto report = analyse(loaded.plan, options);
  REQUIRE(report.paths.size() == 1);
  return report.paths[0];
}

}  // namespace

TEST_CASE("a value's way through read, copy and write, and its bound") {
  // hr:11 of air lands in %MW101, is copied to %MW202 and lands in %MW3 of the load-out
  const auto found =
      report_of(test::network_plan(to_the_peer(), copy_row + path("air.hr:11", "loadout.%MW3")));
  REQUIRE(found.hops.size() == 3);
  CHECK(found.hops[0].kind == model::MoveKind::read);
  CHECK(found.hops[1].kind == model::MoveKind::copy);
  CHECK(found.hops[2].kind == model::MoveKind::write);
  // air-in: rtt 4 + reply 20 = 24 ms; D = 500 + 24, and a scan of kiln; the copy: a scan; send: rtt
  // 5 (default) + two scans of the peer 16 = 21 ms; D = 200 + 21, and a scan of the load-out
  CHECK(model::to_ms(*found.bound) == Approx(500 + 24 + 10 + 10 + 200 + 21 + 8));
  CHECK(found.dominating == 0);
  CHECK(found.verdict == PathVerdict::good);
  REQUIRE(found.ages);
  CHECK(*found.simulated <= *found.bound);
  CHECK(found.ages->least < found.ages->median);
  CHECK(found.ages->median < found.ages->p99);
  CHECK(found.ages->p99 <= found.ages->longest);
  // the reads alone make ages up to 500 ms, on average half of that
  CHECK(model::to_ms(*found.simulated) > 500);
  CHECK(found.ages->mean_ms > 250);
}

TEST_CASE("the verdict of a path") {
  const auto verdict = [](const std::string& budget) {
    return report_of(test::network_plan(to_the_peer(),
                                        copy_row + path("air.hr:11", "loadout.%MW3", budget)))
        .verdict;
  };
  CHECK(verdict("773ms") == PathVerdict::good);
  CHECK(verdict("772ms") == PathVerdict::not_guaranteed);
  CHECK(verdict("400ms") == PathVerdict::too_old);
  // nothing copies %MW100
  CHECK(report_of(test::network_plan(to_the_peer(), copy_row + path("air.hr:10", "loadout.%MW3")))
            .verdict == PathVerdict::no_way);
}

TEST_CASE("what runs on the program's request has no bound") {
  auto rows = to_the_peer();
  rows[1] = row("send", "loadout",
                "fc = 16, at = \"%MW1\", count = 4, from = \"%MW200\", on = \"%MW300.1\", "
                "min_gap = \"1s\"");
  const auto found =
      report_of(test::network_plan(rows, copy_row + path("air.hr:11", "loadout.%MW3")));
  CHECK(found.hops.size() == 3);
  CHECK(found.verdict == PathVerdict::not_bounded);
  CHECK_FALSE(found.bound);
  rows[1] = row("send", "loadout",
                "fc = 16, at = \"%MW1\", count = 4, from = \"%MW200\", on = \"change\", "
                "min_gap = \"1s\"");
  const auto change =
      report_of(test::network_plan(rows, copy_row + path("air.hr:11", "loadout.%MW3")));
  // max(1000, 21) + 21, and a scan of either side
  CHECK(model::to_ms(*change.bound) == Approx(500 + 24 + 10 + 10 + 1000 + 21 + 10 + 8));
  CHECK(change.dominating == 2);
  CHECK(*change.simulated <= *change.bound);
}

TEST_CASE("the quicker of two ways is taken, and a slave can be the end") {
  auto rows = to_the_peer("2s");
  rows.push_back(row("air-fast", "air",
                     "fc = 3, at = 11, count = 1, into = \"%MW120\", on_loss = \"hold\", every = "
                     "\"100ms\""));
  const auto found = report_of(test::network_plan(
      rows,
      "copies = [ { controller = \"kiln\", from = \"%MW101\", to = \"%MW202\", count = 1 }, "
      "{ controller = \"kiln\", from = \"%MW120\", to = \"%MW202\", count = 1 } ]\n" +
          path("air.hr:11", "loadout.%MW3")));
  REQUIRE(found.hops.size() == 3);
  CHECK(found.hops[0].index == 2);
  rows = {row("air-in", "air",
              "fc = 3, at = 10, count = 4, into = \"%MW100\", on_loss = \"hold\", every = \"1s\""),
          row("to-steam", "steam",
              "fc = 16, at = 5, count = 2, from = \"%MW100\", relays = true, every = \"1s\"")};
  const auto relayed = report_of(test::network_plan(rows, path("air.hr:11", "steam.hr:6")));
  REQUIRE(relayed.hops.size() == 2);
  CHECK_FALSE(relayed.hops[1].into);
  CHECK(relayed.verdict == PathVerdict::good);
}

TEST_CASE("a bit goes round by the peer and comes back") {
  std::vector<std::string> rows{
      row("send", "loadout",
          "fc = 16, at = \"%MW1\", count = 4, from = \"%MW200\", every = \"100ms\""),
      row("fetch", "loadout",
          "fc = 3, at = \"%MW11\", count = 4, into = \"%MW220\", every = \"100ms\", on_loss = "
          "\"stop\"")};
  const auto found = report_of(test::network_plan(
      rows,
      "copies = [ { controller = \"loadout\", from = \"%MW1\", to = \"%MW11\", count = 1 } "
      "]\n" +
          path("kiln.%MW200.3", "kiln.%MW220.3")));
  REQUIRE(found.hops.size() == 3);
  CHECK(found.hops[1].controller == 1);
  // both of 21 ms on one connection: R = 42, in phase 42 too; D = 100 + 42 each way
  CHECK(model::to_ms(*found.bound) == Approx(142 + 8 + 8 + 142 + 10).margin(22));
  CHECK(*found.simulated <= *found.bound);
}

TEST_CASE("ages of one read: from its own duration to a period more") {
  const auto loaded = test::load(test::network_plan(to_the_peer()), test::base_files());
  TimingModel timing = test::one_queue({test::cyclic(100, 0, 10)});
  std::vector<QueueStatistics> run(1);
  for (int k = 0; k < 200; ++k) {
    run[0].watched.push_back(
        {0, Duration(100 * k), Duration(100 * k), Duration(100 * k), Duration(100 * k + 10), true});
  }
  Hop hop;
  hop.job = JobRef{0, 0};
  const auto ages = ages_at_end(loaded.plan, timing, {hop}, run);
  REQUIRE(ages);
  // no serial part and no network: taken at the end, so from 0 to 100, evenly
  CHECK(ages->least == Duration(0));
  CHECK(ages->longest == Duration(100));
  CHECK(ages->mean_ms * 1e6 == Approx(50));
  CHECK(static_cast<double>(ages->median.count()) == Approx(50).margin(1));
  CHECK(static_cast<double>(ages->p99.count()) == Approx(99).margin(1));
  double sum = 0;
  for (double share : ages->histogram) sum += share;
  CHECK(sum == Approx(1));
}

TEST_CASE("no simulated age exceeds the bound") {
  rc::prop("longest <= bound", [] {
    const auto period = [] {
      return *rc::gen::element<std::string>("50ms", "80ms", "200ms", "330ms", "1s");
    };
    auto rows = to_the_peer(period(), period());
    const int others = *rc::gen::inRange(0, 4);
    for (int i = 0; i < others; ++i) {
      const std::string n = std::to_string(i);
      rows.push_back(row("more" + n, *rc::gen::element<std::string>("air", "loadout"),
                         "fc = 3, at = 100, count = 2, into = \"%MW" +
                             std::to_string(400 + 10 * i) + "\", on_loss = \"hold\", every = \"" +
                             period() + "\""));
    }
    auto text = test::network_plan(rows, copy_row + path("air.hr:11", "loadout.%MW3"));
    if (*rc::gen::inRange(0, 2) == 1) {
      text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\nsends = \"scan\"\n");
    }
    const auto found = report_of(text, 3'000);
    RC_ASSERT(found.hops.size() == 3U);
    RC_ASSERT(found.simulated.has_value());
    RC_ASSERT(*found.simulated <= *found.bound);
    RC_ASSERT(*found.least <= found.ages->least);
  });
}
