// Heartbeats under failures, against an adversary who decides when tries fail, how long requests
// wait and where scans and toggles stand. It knows the rules of docs/timing-model.md only.
#include <optional>
#include <random>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "timing/heartbeats.h"

using namespace greymet::timing;
using greymet::model::Park;

namespace {

using Time = std::int64_t;

struct Scene {
  Time period, service, response;  // of the carrier; `response` is its bound for any phases
  Time attempt;                    // one failed try
  std::int64_t retries, lost;
  std::optional<std::pair<std::int64_t, Time>> park;  // after, retry
  Time toggle, producer_scan, consumer_scan;
};

Time up(Time t, Time step, Time offset) {
  const Time behind = ((t - offset) % step + step) % step;
  return behind == 0 ? t : t + step - behind;
}

struct Seen {
  Time unchanged = 0;  // longest between two changes that the consumer saw
  Time gap = 0;        // longest from a sample to the next landing
};

// One run of the adversary. Failures are counted from the release of the request that brought the
// last change that was seen.
Seen attack(const Scene& s, std::mt19937& random, int releases) {
  const auto pick = [&](Time least, Time most) {
    return std::uniform_int_distribution<Time>(least, std::max(least, most))(random);
  };
  const auto extreme = [&](Time most) {
    return pick(0, 3) == 0 ? pick(0, most) : pick(0, 1) * most;
  };
  const Time toggle_at = pick(0, s.toggle - 1);
  const Time producer_at = pick(0, s.producer_scan - 1);
  const Time consumer_at = pick(0, s.consumer_scan - 1);
  // toggles of the program up to t: each is made at the first scan from its nominal time on; or the
  // program starts its timer anew with each toggle, so that it takes whole scans from one to the
  // next
  const bool starts_anew = pick(0, 1) == 0;
  const Time whole = up(s.toggle, s.producer_scan, 0);
  const auto toggles_until = [&](Time t) {
    if (starts_anew) return (t - producer_at + 100 * whole) / whole;
    std::int64_t n = t / s.toggle + 3;
    while (up(n * s.toggle + toggle_at, s.producer_scan, producer_at) > t) --n;
    return n;
  };
  Seen seen;
  Time busy_until = 0, next_try = 0;
  std::int64_t failed_requests = 0, failures = 0;  // since the last change that was seen
  std::optional<std::int64_t> bit;
  std::optional<Time> changed, sampled;
  std::int64_t since_sample = 0;
  for (int n = 0; n < releases; ++n) {
    const Time release = n * s.period;
    if (release < busy_until) continue;  // missed
    const bool parked = s.park && failed_requests >= s.park->first;
    if (parked && release < next_try) continue;  // fails at once
    const std::int64_t left = s.lost - failures;
    const std::int64_t others = pick(0, 2) == 0 ? pick(0, left) : 0;
    const Time start = release + extreme(s.response - s.service) + others * s.attempt;
    const std::int64_t allowed = parked ? 1 : 1 + s.retries;
    const std::int64_t own = pick(0, 1) == 0 ? 0 : pick(0, std::min(allowed, left - others));
    failures += others + own;
    since_sample += others + own;
    if (own == allowed) {
      busy_until = start + own * s.attempt;
      if (s.park && ++failed_requests >= s.park->first) next_try = busy_until + s.park->second;
      continue;
    }
    failed_requests = 0;
    const Time landed = start + own * s.attempt + s.service;
    busy_until = landed;
    if (sampled && since_sample <= s.lost) seen.gap = std::max(seen.gap, landed - *sampled);
    sampled = start;
    since_sample = others + own;
    const std::int64_t value = toggles_until(start) & 1;
    if (bit == value) continue;
    const Time at = up(landed, s.consumer_scan, consumer_at);
    if (changed) seen.unchanged = std::max(seen.unchanged, at - *changed);
    changed = at;
    bit = value;
    failures = others + own;
  }
  return seen;
}

HeartbeatReport judged(const Scene& s, Time watch) {
  Carrier carrier;
  carrier.period = Duration(s.period);
  carrier.response = carrier.response_any_phase = Duration(s.response);
  carrier.delay = delay_of_cyclic(carrier.period, *carrier.response);
  carrier.failed_attempt = Duration(s.attempt);
  carrier.retries = s.retries;
  if (s.park) carrier.park = Park{s.park->first, Duration(s.park->second)};
  return judge_heartbeat({Duration(s.toggle), Duration(watch), Duration(100 * watch),
                          Duration(s.producer_scan), Duration(s.consumer_scan), s.lost},
                         carrier);
}

Scene random_scene() {
  Scene s{};
  s.period = *rc::gen::element<Time>(20, 50, 100);
  s.service = *rc::gen::inRange<Time>(1, 15);
  s.response = s.service + *rc::gen::inRange<Time>(0, 40);
  s.attempt = *rc::gen::inRange<Time>(1, 130);
  s.retries = *rc::gen::inRange<std::int64_t>(0, 3);
  s.lost = *rc::gen::inRange<std::int64_t>(0, 6);
  if (*rc::gen::inRange(0, 3) == 0) {
    s.park = {*rc::gen::inRange<std::int64_t>(1, 3), *rc::gen::inRange<Time>(30, 400)};
  }
  s.producer_scan = *rc::gen::inRange<Time>(1, 9);
  s.consumer_scan = *rc::gen::inRange<Time>(1, 9);
  const Time delay = delay_of_cyclic(Duration(s.period), Duration(s.response)).count();
  s.toggle = delay + s.producer_scan + s.consumer_scan + *rc::gen::inRange<Time>(0, 200);
  return s;
}

}  // namespace

TEST_CASE("no adversary makes a living producer silent for longer than the smallest safe watch") {
  rc::prop("gap and watch", [] {
    const Scene s = random_scene();
    std::mt19937 random(*rc::gen::arbitrary<std::uint32_t>());
    const auto report = judged(s, 1000);
    RC_ASSERT(report.watch_min.has_value());
    for (int run = 0; run < 10; ++run) {
      const Seen seen = attack(s, random, 400);
      RC_LOG() << s.period << " " << s.response << " " << s.attempt << " r " << s.retries << " k "
               << s.lost << " h " << s.toggle << ": " << seen.gap << " of "
               << report.longest_gap->count() << ", " << seen.unchanged << " of "
               << report.watch_min->count() << std::endl;
      RC_ASSERT(seen.gap <= report.longest_gap->count());
      RC_ASSERT(seen.unchanged <= report.watch_min->count());
    }
  });
}

TEST_CASE("a failed try costs the release that falls into it, too") {
  // every 400 ms, 205 at most, 250 a failed try: the one after 205 + 250 = 455 is released at 800
  Scene s{400, 100, 205, 250, 1, 1, std::nullopt, 1200, 1, 1};
  const auto one = judged(s, 9000);
  CHECK(one.longest_gap == Duration(800 + 205));
  CHECK(one.watch_min == Duration(1200 + 1005 + 2));
  // the request after the one under way, released at 400, fails with both tries: 205 + 500 later,
  // at the next release but one, comes the one that carries the change
  s.lost = 2;
  CHECK(judged(s, 9000).longest_gap == Duration(400 + 800 + 205));
  // parked after it, the next one waits for 2 s: 205 + 500 + 2000 = 2705, released at 2800
  s.park = {1, 2000};
  CHECK(judged(s, 9000).longest_gap == Duration(400 + 2800 + 205));
  // with a third: that one fails as well, 205 + 250 + 2000 = 2455, 2800 later
  s.lost = 3;
  CHECK(judged(s, 9000).longest_gap == Duration(400 + 2800 + 2800 + 205));
}

TEST_CASE("very many failed tries are bounded by what each can cost, never below fewer") {
  Scene s{100, 10, 40, 130, 1, 0, {{2, 500}}, 500, 5, 5};
  Duration before{};
  Duration watch{};
  for (std::int64_t lost = 0; lost <= 60; ++lost) {
    s.lost = lost;
    const auto report = judged(s, 1000);
    INFO(lost);
    CHECK(*report.longest_gap >= before);
    CHECK(*report.watch_min >= watch);
    before = *report.longest_gap;
    watch = *report.watch_min;
  }
}
