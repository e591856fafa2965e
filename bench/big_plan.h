// A large plan for benchmarks, made up and written to files.
#pragma once

#include <string>

#include "model/resolved_plan.h"

namespace greymet::bench {

// How large.
struct PlanSize {
  int lines = 60;
  int slaves = 1000;
  int transactions = 20'000;
  bool tags = false;  // three a transaction: its two points, and one of the program's own
};

// Writes plan.toml and its maps into a folder; returns the path of the plan. It checks clean.
std::string write_big_plan(const std::string& folder, const PlanSize& size);

// A plan that only wants: so many points of each slave, with gaps among them, some at 1 s and some
// at 10 s, slaves spread over lines of one controller each.
model::ResolvedPlan plan_of_wants(int slaves, int points, int lines);

}  // namespace greymet::bench
