// What `timing --why` says adds up: share by share to the very bound that is printed.
#include "timing/why.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"
#include "timing/bounds.h"

using namespace greymet;
using namespace greymet::timing;
using test::replaced;

namespace {

Duration sum_of(const std::vector<BoundShare>& shares) {
  Duration sum{};
  for (const BoundShare& share : shares) sum += share.times * share.each;
  return sum;
}

// (first wait + own) + (all others) / places
Duration any_phase_sum(const Why& why) {
  Duration alone{};
  Duration shared{};
  for (const BoundShare& share : why.any_phase_shares) {
    const bool divided =
        share.kind == BoundShare::Kind::begun || share.kind == BoundShare::Kind::other;
    (divided ? shared : alone) += share.times * share.each;
  }
  return alone + shared / why.places;
}

std::string row(int n, const std::string& slave) {
  const auto period = *rc::gen::element<std::string>("200ms", "400ms", "800ms");
  const auto kind = *rc::gen::inRange(0, 6);
  const std::string when =
      kind == 0 ? std::string("every = \"continuous\"")
      : kind == 1
          ? "on = \"%MW0.0\", min_gap = \"" + *rc::gen::element<std::string>("60ms", period) + "\""
          : fmt::format("every = \"{}\", phase = \"{}ms\"", period, *rc::gen::inRange(0, 200));
  return fmt::format(
      "{{ name = \"t{}\", controller = \"{}\", slave = \"{}\", fc = 3, at = 0, count = {}, into = "
      "\"%MW\", {} }}",
      n, slave == "weather" && *rc::gen::arbitrary<bool>() ? "loadout" : "kiln", slave,
      *rc::gen::inRange(1, 3), when);
}

}  // namespace

TEST_CASE("the shares of a bound add up to it, on lines, connections, gateways, under limits") {
  rc::prop("sums", [] {
    std::vector<std::string> rows;
    const auto count = *rc::gen::inRange(1, 9);
    for (int i = 0; i < count; ++i) {
      rows.push_back(row(i, *rc::gen::element<std::string>("gauge", "pump", "air", "weather")));
    }
    auto text = test::network_plan(rows);
    if (*rc::gen::arbitrary<bool>()) {
      text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\nsends = \"scan\"\n");
    }
    if (*rc::gen::inRange(0, 3) == 0) {
      text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\nin_flight = 1\n");
    }
    const auto places = *rc::gen::inRange(1, 4);
    text = replaced(text, "host = \"10.20.0.31\"\n",
                    fmt::format("host = \"10.20.0.31\"\nin_flight = {}\n", places));
    if (*rc::gen::arbitrary<bool>()) {
      text = replaced(text, "master = \"kiln\"\n", "master = \"kiln\"\norder = \"list\"\n");
    }
    const auto loaded = test::load(text, test::base_files());
    const auto report = analyse_longest(loaded.plan, {});
    RC_LOG() << text;
    std::size_t explained = 0;
    for (std::size_t q = 0; q < report.model.queues.size(); ++q) {
      for (std::size_t j = 0; j < report.model.queues[q].jobs.size(); ++j) {
        const auto found = why(report, {q, j});
        RC_ASSERT(found.has_value() == is_released(report.model.queues[q].jobs[j].kind));
        if (!found) continue;
        ++explained;
        RC_ASSERT(any_phase_sum(*found) == found->any_phase);
        for (const BoundShare& share : found->any_phase_shares) {
          const bool own = share.kind == BoundShare::Kind::own;
          RC_ASSERT(own == (share.job == found->job && share.kind != BoundShare::Kind::begun));
        }
        RC_ASSERT(found->in_phase_shares.empty() == (found->proof != BoundProof::busy_period));
        if (found->proof == BoundProof::busy_period) {
          RC_ASSERT(sum_of(found->in_phase_shares) == found->bound);
        }
        RC_ASSERT((found->proof == BoundProof::any_phase) == (found->bound == found->any_phase));
        if (!found->closest) continue;
        RC_ASSERT(found->closest->end - found->closest->release <= found->bound);
        // the schedule holds the service itself, and nothing that ends before its release
        std::size_t itself = 0;
        for (const auto& [ref, service] : found->schedule) {
          RC_ASSERT(service.end > found->closest->release);
          if (ref == JobRef{q, j} && service.start == found->closest->start) ++itself;
        }
        RC_ASSERT(itself == 1U);
      }
    }
    RC_CLASSIFY(explained > 3);
  });
}
