// A large plan for benchmarks, made up and written to files.
#pragma once

#include <string>

namespace greymet::bench {

// How large.
struct PlanSize {
  int lines = 60;
  int slaves = 1000;
  int transactions = 20'000;
};

// Writes plan.toml and its maps into a folder; returns the path of the plan. It checks clean.
std::string write_big_plan(const std::string& folder, const PlanSize& size);

}  // namespace greymet::bench
