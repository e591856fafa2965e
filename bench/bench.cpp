// Benchmarks beside their stated limits. `ratio` below 1 keeps the limit.
#include <sys/resource.h>

#include <filesystem>

#include <benchmark/benchmark.h>

#include "big_plan.h"
#include "checks/check.h"
#include "files/plan_loader.h"
#include "model/resolved_plan.h"
#include "packing/pack.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;

namespace {

constexpr double check_tags_limit_seconds = 1.2;
constexpr double check_limit_seconds = 1.5;
constexpr double check_limit_megabytes = 300;
constexpr double simulation_limit_per_second = 5e6;
constexpr double timing_limit_seconds = 2;
constexpr double pack_limit_seconds = 1;

double peak_megabytes() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<double>(usage.ru_maxrss) / 1024;
}

// From the file to the findings: 1,000 slaves on 60 lines, 20,000 transactions, with or without
// 60,000 tags.
void check_big_plan(benchmark::State& state, bool tags, double limit_seconds) {
  const std::string folder = std::filesystem::temp_directory_path() / "greymet-bench";
  bench::PlanSize size;
  size.tags = tags;
  const std::string plan = bench::write_big_plan(folder, size);
  std::size_t findings = 0;
  for (auto _ : state) {
    const auto loaded = files::load_plan(plan, files::disk_files());
    findings = checks::check(loaded.plan, loaded.findings).size();
  }
  std::filesystem::remove_all(folder);
  state.counters["findings"] = static_cast<double>(findings);
  state.counters["peak_MB"] = peak_megabytes();
  state.counters["memory_ratio"] = peak_megabytes() / check_limit_megabytes;
  state.counters["ratio"] = benchmark::Counter(
      limit_seconds, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

// The whole of `timing` on the same plan: bounds, two simulations, every silent slave.
void time_big_plan(benchmark::State& state) {
  const std::string folder = std::filesystem::temp_directory_path() / "greymet-bench";
  const std::string plan = bench::write_big_plan(folder, {});
  std::size_t cases = 0;
  for (auto _ : state) {
    const auto loaded = files::load_plan(plan, files::disk_files());
    cases = timing::analyse(loaded.plan, {}).silence.cases.size();
  }
  std::filesystem::remove_all(folder);
  state.counters["silent_cases"] = static_cast<double>(cases);
  state.counters["peak_MB"] = peak_megabytes();
  state.counters["ratio"] =
      benchmark::Counter(timing_limit_seconds, benchmark::Counter::kIsIterationInvariantRate |
                                                   benchmark::Counter::kInvert);
}

// 50 points of each of 2,000 slaves on 120 lines, all wanted at two periods.
void pack_wants(benchmark::State& state) {
  const model::ResolvedPlan plan = bench::plan_of_wants(2'000, 50, 120);
  packing::PackResult result;
  for (auto _ : state) result = packing::pack(plan);
  state.counters["requests"] = static_cast<double>(result.after.requests);
  state.counters["points"] = static_cast<double>(result.before.requests);
  state.counters["proved"] = result.least ? 1 : 0;
  state.counters["problems"] = static_cast<double>(result.problems.size());
  state.counters["peak_MB"] = peak_megabytes();
  state.counters["ratio"] =
      benchmark::Counter(pack_limit_seconds, benchmark::Counter::kIsIterationInvariantRate |
                                                 benchmark::Counter::kInvert);
}

// One line with 17 slaves and 60 cyclic transactions, durations as on a real line.
timing::TimingModel busy_line(model::Order order) {
  timing::TimingModel timing;
  timing::Queue queue;
  queue.line = model::LineIndex(0);
  queue.order = order;
  for (int i = 0; i < 60; ++i) {
    timing::Job job;
    job.period = std::chrono::milliseconds(500 * (1 + i % 5));
    job.phase = std::chrono::milliseconds((i * 37) % 500);
    job.times.shortest = std::chrono::milliseconds(5);
    job.times.typical = std::chrono::microseconds(9000 + 100 * i);
    job.times.longest = std::chrono::microseconds(12000 + 150 * i);
    queue.jobs.push_back(job);
  }
  timing.queues.push_back(queue);
  timing.in_flight_limit.assign(1, std::nullopt);
  return timing;
}

void simulate_line(benchmark::State& state, model::Order order, timing::Durations durations) {
  const timing::TimingModel timing = busy_line(order);
  timing::SimulationOptions options;
  options.durations = durations;
  options.horizon = std::chrono::hours(24 * 30);
  options.most_transactions = 1'000'000;
  // a long hyperperiod, so that the run does not end because everything has been seen
  auto model = timing;
  model.queues[0].jobs[0].period = std::chrono::nanoseconds(500'000'003);
  std::uint64_t served = 0;
  for (auto _ : state) {
    const auto result = timing::simulate(model, options);
    for (const auto& job : result[0].jobs) served += job.completed;
  }
  state.counters["per_second"] =
      benchmark::Counter(static_cast<double>(served), benchmark::Counter::kIsRate);
  state.counters["ratio"] =
      benchmark::Counter(static_cast<double>(served) / simulation_limit_per_second,
                         benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}

}  // namespace

BENCHMARK_CAPTURE(check_big_plan, plain, false, check_limit_seconds)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(check_big_plan, tags, true, check_tags_limit_seconds)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(time_big_plan)->Unit(benchmark::kMillisecond);
BENCHMARK(pack_wants)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(simulate_line, due_longest, model::Order::due, timing::Durations::longest)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(simulate_line, list_longest, model::Order::list, timing::Durations::longest)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(simulate_line, due_random, model::Order::due, timing::Durations::random)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_MAIN();
