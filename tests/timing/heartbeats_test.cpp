#include "timing/heartbeats.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/duration_text.h"
#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::timing;
using namespace std::chrono_literals;

namespace {

Carrier carrier(Duration delay, Duration failed, std::int64_t retries) {
  Carrier c;
  c.name = "t";
  c.delay = delay;
  c.failed_attempt = failed;
  c.retries = retries;
  return c;
}

}  // namespace

TEST_CASE("a heartbeat by hand: every number of the formulas") {
  // h 1 s, W 2 s, react 3 s, scans 10 and 8 ms, one lost try; D 142 ms, A 500 ms, one retry
  const auto r = judge_heartbeat({1s, 2s, 3s, 10ms, 8ms, 1}, carrier(142ms, 500ms, 1));
  CHECK(r.longest_gap == Duration(642ms));    // 142 + 500 + floor(1/2) 142
  CHECK(r.watch_min == Duration(1660ms));     // 1000 + 642 + 18, as 660 <= 1000
  CHECK(r.watch_max == Duration(2342ms));     // 3000 - 642 - 16
  CHECK(r.latest_alarm == Duration(2658ms));  // 2000 + 642 + 16
  CHECK(r.verdict == HeartbeatVerdict::good);
}

TEST_CASE("verdicts at their edges") {
  const auto verdict = [](Duration h, Duration w, Duration react, std::int64_t lost) {
    return judge_heartbeat({h, w, react, 10ms, 10ms, lost}, carrier(100ms, 200ms, 0)).verdict;
  };
  CHECK(verdict(120ms, 1s, 5s, 0) == HeartbeatVerdict::good);
  CHECK(verdict(119ms, 1s, 5s, 0) == HeartbeatVerdict::toggles_lost);
  CHECK(verdict(120ms, 240ms, 5s, 0) == HeartbeatVerdict::good);  // 120 + 100 + 20
  CHECK(verdict(120ms, 239ms, 5s, 0) == HeartbeatVerdict::false_alarm);
  CHECK(verdict(120ms, 300ms, 420ms, 0) == HeartbeatVerdict::good);  // 300 + 100 + 20
  CHECK(verdict(120ms, 301ms, 420ms, 0) == HeartbeatVerdict::too_late);
  CHECK(verdict(120ms, 300ms, 359ms, 0) == HeartbeatVerdict::no_watch_fits);
  // one lost try without retries: G = 100 + 200 + 100 = 400, in which (400 + 10) / 120 lets up to
  // four toggles hide: 5 x 120 + 100 + 2 x 10 = 720
  CHECK(verdict(120ms, 720ms, 5s, 1) == HeartbeatVerdict::good);
  CHECK(verdict(120ms, 719ms, 5s, 1) == HeartbeatVerdict::false_alarm);
  // a program that starts its timer anew with each toggle takes whole scans: 5 x 130 + 100 + 10
  CHECK(verdict(125ms, 760ms, 5s, 1) == HeartbeatVerdict::good);
  CHECK(verdict(125ms, 759ms, 5s, 1) == HeartbeatVerdict::false_alarm);
}

TEST_CASE("a parked slave is tried again only after the park's retry") {
  Carrier c = carrier(100ms, 200ms, 1);
  c.park = model::Park{2, 10s};
  const auto gap = [&](std::int64_t lost) {
    return judge_heartbeat({60s, 120s, 600s, 10ms, 10ms, lost}, c).longest_gap;
  };
  CHECK(gap(3) == Duration(100ms + 600ms + 100ms));
  CHECK(gap(4) == Duration(100ms + 800ms + 200ms + 10s));  // two failed requests: parked
  CHECK(gap(5) == Duration(100ms + 1000ms + 200ms + 20s));
}

TEST_CASE("a watch between the two limits is good, outside it is not") {
  rc::prop("limits", [] {
    const auto ms = [](int least, int most) {
      return Duration(std::chrono::milliseconds(*rc::gen::inRange(least, most)));
    };
    HeartbeatTimes times{ms(100, 3000), ms(100, 9000), ms(500, 9000),
                         ms(1, 50),     ms(1, 50),     *rc::gen::inRange<std::int64_t>(0, 4)};
    const Carrier c = carrier(ms(1, 900), ms(50, 900), *rc::gen::inRange<std::int64_t>(0, 3));
    const auto r = judge_heartbeat(times, c);
    if (!r.watch_min) {
      RC_ASSERT(r.verdict == HeartbeatVerdict::toggles_lost);
      return;
    }
    const bool good = times.watch >= *r.watch_min && times.watch <= *r.watch_max;
    RC_ASSERT((r.verdict == HeartbeatVerdict::good) == good);
    RC_ASSERT((*r.latest_alarm <= times.react) == (times.watch <= *r.watch_max));
  });
}

TEST_CASE("the carrier is found on both sides, and its absence is said") {
  const std::string plan =
      "[controller.a]\nscan = \"10ms\"\n[controller.a.memory]\n\"%MW\" = { kind = \"word\", count "
      "= 99 }\n"
      "[controller.b]\nscan = \"8ms\"\naddress = \"10.0.0.2\"\nanswers = [ { timeout = \"500ms\", "
      "retries = 1 } ]\n"
      "[controller.b.memory]\n\"%MW\" = { kind = \"word\", count = 99, serves = \"hr:0\" "
      "}\n[exchange]\ntransactions = [\n"
      "  { name = \"out\", controller = \"a\", slave = \"b\", fc = 16, at = \"%MW0\", count = 4, "
      "from = \"%MW10\", every = \"100ms\" },\n"
      "  { name = \"in\", controller = \"a\", slave = \"b\", fc = 3, at = \"%MW20\", count = 4, "
      "into = \"%MW30\", every = \"100ms\", phase = \"50ms\" },\n"
      "]\n[supervision]\nheartbeats = [\n"
      "  { name = \"there\", from = \"a\", bit = \"%MW13.5\", toggle = \"1s\", to = \"b\", watch = "
      "\"2s\", react = \"3s\", lost = 1 },\n"
      "  { name = \"back\", from = \"b\", bit = \"%MW20.0\", toggle = \"500ms\", to = \"a\", watch "
      "= \"2s\", react = \"3s\" },\n"
      "  { name = \"nowhere\", from = \"a\", bit = \"%MW14.0\", toggle = \"1s\", to = \"b\", watch "
      "= \"2s\", react = \"3s\" },\n]\n";
  const auto loaded = test::load(plan);
  for (const auto& f : loaded.findings) FAIL_CHECK(f.message);
  const auto report = analyse(loaded.plan, {});
  REQUIRE(report.heartbeats.size() == 3);
  CHECK(report.heartbeats[0].carried_by == "out");
  // each takes at most 5 + 16 = 21 ms and never meets the other: D = 100 + 21. After a failed try
  // of 500 ms it may: 42 ms each. The next request, 100 later, fails once: 100 + 42 + 500; or the
  // one under way did, until 542, and the release at 600 brings the change: 600 + 42
  CHECK(report.heartbeats[0].longest_gap == Duration(642ms));
  CHECK(report.heartbeats[1].carried_by == "in");
  CHECK(report.heartbeats[1].longest_gap == Duration(121ms));
  CHECK(report.heartbeats[1].verdict == HeartbeatVerdict::good);
  CHECK(report.heartbeats[2].verdict == HeartbeatVerdict::not_carried);
  CHECK(report.heartbeats[2].carried_by.empty());
}
