// No bound is below the exact worst case of a small exchange, which a search finds that shares
// nothing with us.
#include "exact_search.h"
#include "exact_models.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "queues.h"
#include "timing/bounds.h"

using namespace greymet;
using namespace greymet::timing;
using test::model_of;
using test::SearchJob;
using test::SearchPlan;

namespace {

int any(int from, int to) {
  return *rc::gen::inRange(from, to + 1);
}

std::string text_of(const SearchPlan& plan) {
  std::string text = fmt::format("scan {}, limits {}\n", plan.scan, fmt::join(plan.limits, " "));
  for (const auto& q : plan.queues) {
    text += fmt::format("queue of {}, {} places{}\n", q.controller, q.places,
                        q.gateway ? ", gateway" : "");
  }
  for (const auto& j : plan.jobs) {
    text += fmt::format("job of queue {}: {} + {} + {}, gap {}{}\n", j.queue, j.out, j.service,
                        j.back, j.gap, j.continuous ? ", continuous" : "");
  }
  return text;
}

void never_below(const SearchPlan& plan) {
  RC_LOG() << text_of(plan);
  std::vector<JobRef> where;
  const TimingModel timing = model_of(plan, where);
  const auto bounds = bounds_of(timing);
  for (std::size_t j = 0; j < plan.jobs.size(); ++j) {
    if (plan.jobs[j].continuous) continue;
    const auto exact = test::ExactSearch(plan, j).run(60'000);
    if (!exact) return;
    const auto& bound = bounds[where[j].queue][where[j].job].response;
    RC_LOG() << "job " << j << ": " << bound->count() << " and exactly " << *exact << '\n';
    RC_ASSERT(bound->count() >= *exact);
  }
}

void add_jobs(SearchPlan& plan, int most) {
  const int count = any(1, most);
  for (int i = 0; i < count; ++i) {
    SearchJob job;
    job.queue = static_cast<std::size_t>(any(0, static_cast<int>(plan.queues.size()) - 1));
    job.service = any(1, 4);
    if (plan.queues[job.queue].gateway) {
      job.out = any(0, 2);
      job.back = any(0, 2);
    }
    job.gap = any(4, 9);
    job.continuous = any(0, 6) == 0;
    plan.jobs.push_back(job);
  }
}

}  // namespace

TEST_CASE("the search finds what can be counted by hand") {
  // 8, 2 and 1 before it on two places: it waits 3
  const SearchPlan places{{{0, 2, false}},
                          {{0, 2, 0, 0, 12, false},
                           {0, 8, 0, 0, 12, false},
                           {0, 2, 0, 0, 12, false},
                           {0, 1, 0, 0, 12, false}},
                          {0},
                          0};
  CHECK(test::ExactSearch(places, 0).run(1'000'000).value_or(-1) == 3 + 2);
  // one line: all others, once each, and a boundary missed
  const SearchPlan line{
      {{0, 1, false}}, {{0, 3, 0, 0, 20, false}, {0, 2, 0, 0, 20, false}}, {0}, 4};
  CHECK(test::ExactSearch(line, 0).run(1'000'000).value_or(-1) == 3 + 4 + 3);
  // two masters at one gateway: out, the other's 4, its own 3, back
  const SearchPlan masters{
      {{0, 1, true}, {1, 1, true}}, {{0, 3, 1, 1, 40, false}, {1, 4, 1, 1, 40, false}}, {0, 0}, 0};
  CHECK(test::ExactSearch(masters, 0).run(1'000'000).value_or(-1) == 1 + 4 + 3 + 1);
}

TEST_CASE("no bound is below the exact worst case: connections with places, and limits") {
  rc::prop("searched", [] {
    SearchPlan plan;
    const int queues = any(1, 3);
    for (int q = 0; q < queues; ++q) plan.queues.push_back({0, any(1, 3), false});
    plan.limits = {any(0, 3)};
    plan.scan = any(0, 2) == 0 ? any(2, 3) : 0;
    add_jobs(plan, 4);
    never_below(plan);
  });
}

TEST_CASE("no bound is below the exact worst case: a limit that is more than the own places") {
  rc::prop("searched", [] {
    SearchPlan plan;
    const int queues = any(2, 4);
    for (int q = 0; q < queues; ++q) plan.queues.push_back({0, any(0, 3) == 0 ? 2 : 1, false});
    plan.limits = {any(2, 3)};
    const int jobs = any(3, 5);
    for (int j = 0; j < jobs; ++j) {
      SearchJob job;
      job.queue = static_cast<std::size_t>(j < 2 ? any(0, 1) : any(0, queues - 1));
      job.service = any(0, 2) == 0 ? any(3, 5) : any(1, 2);
      job.gap = any(2, 8);
      job.continuous = any(0, 4) == 0;
      plan.jobs.push_back(job);
    }
    never_below(plan);
  });
}

TEST_CASE("no bound is below the exact worst case: masters behind a gateway, and limits") {
  rc::prop("searched", [] {
    SearchPlan plan;
    const int masters = any(1, 3);
    for (int m = 0; m < masters; ++m) {
      plan.queues.push_back({static_cast<std::size_t>(m), any(1, 3), true});
      plan.limits.push_back(any(0, 3) == 0 ? any(1, 2) : 0);
    }
    if (any(0, 2) == 0) plan.queues.push_back({0, any(1, 2), false});
    plan.scan = any(0, 3) == 0 ? 2 : 0;
    add_jobs(plan, 4);
    never_below(plan);
  });
}
