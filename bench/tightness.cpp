// How close runs come to the bounds: for each class of queue the median and the tenth percentile of
// reached / bound over all transactions of random plans. An adversary chooses phases, moments and
// durations; what it reaches is a lower estimate. Nothing may exceed 1.
#include <algorithm>
#include <cstdio>
#include <functional>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "exact_models.h"
#include "timing/bounds.h"
#include "timing/phased_bounds.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using model::TriggerKind;

namespace {

class Dice {
 public:
  explicit Dice(std::uint64_t seed) : random_(seed) {}
  std::int64_t in(std::int64_t from, std::int64_t to) {
    return std::uniform_int_distribution<std::int64_t>(from, to)(random_);
  }
  template <class T>
  T of(std::initializer_list<T> values) {
    return values.begin()[in(0, static_cast<std::int64_t>(values.size()) - 1)];
  }

 private:
  std::mt19937_64 random_;
};

struct Shape {
  QueueKind kind = QueueKind::serial;
  model::Order order = model::Order::due;
  bool scan = false;
  bool triggers = false;
  bool continuous = false;
  std::int64_t places = 1;
  int masters = 1;
  int connections = 1;  // of one controller
  std::optional<std::int64_t> limit = {};
  bool in_phase = false;
};

Job random_job(Dice& dice, const Shape& shape) {
  Job job;
  job.period = Duration(dice.of<std::int64_t>({200, 400, 500, 1000}));
  job.phase = Duration(dice.in(0, 50) * 10);
  const std::int64_t longest = dice.in(5, 30);
  job.times.shortest = Duration(dice.in(1, longest));
  job.times.typical = job.times.longest = Duration(longest);
  if (shape.kind == QueueKind::gateway) {
    SerialParts parts;
    parts.request = job.times.shortest;
    parts.turnaround_typical = parts.turnaround_longest = job.times.longest - parts.request;
    job.times.serial = parts;
    NetworkParts net;
    net.out_typical = net.out_longest = Duration(6);
    net.back_typical = net.back_longest = Duration(4);
    job.times.network = net;
    job.times.longest += Duration(10);
  }
  if (shape.triggers && dice.in(0, 3) == 0) job.kind = TriggerKind::on_bit;
  if (shape.continuous && dice.in(0, 5) == 0) job.kind = TriggerKind::continuous;
  return job;
}

TimingModel random_model(Dice& dice, const Shape& shape) {
  TimingModel timing;
  for (int m = 0; m < shape.masters * shape.connections; ++m) {
    Queue queue;
    queue.kind = shape.kind;
    queue.controller = model::ControllerIndex(static_cast<std::size_t>(m / shape.connections));
    if (shape.kind != QueueKind::tcp) queue.line = model::LineIndex(0);
    queue.order = shape.order;
    queue.scan = Duration(shape.scan ? dice.of<std::int64_t>({5, 10, 20}) : 0);
    queue.in_flight = shape.places;
    const auto jobs = shape.connections > 1 ? dice.in(1, 4) : dice.in(3, 8);
    for (std::int64_t j = 0; j < jobs; ++j) queue.jobs.push_back(random_job(dice, shape));
    timing.queues.push_back(std::move(queue));
  }
  timing.in_flight_limit.assign(static_cast<std::size_t>(shape.masters), shape.limit);
  return timing;
}

// One attack on a job in any phases: everything else comes just before it.
void gather(TimingModel& timing, JobRef victim, Dice& dice) {
  const std::int64_t at = 5'000 + dice.in(0, 19);
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      const std::int64_t before = victim == JobRef{q, j} ? 0 : dice.in(0, 2);
      timing.queues[q].jobs[j].phase = Duration(at - before);
    }
  }
}

// One in the plan's own phases: only the boundaries and what is triggered may be moved, to just
// before a release of the victim or of another that it may have to wait for.
void trigger(TimingModel& timing, JobRef victim, bool at_own, Dice& dice) {
  std::vector<Job>& jobs = timing.queues[victim.queue].jobs;
  const Duration later(dice.in(0, 19));
  std::vector<std::size_t> cyclic;
  for (std::size_t j = 0; j < jobs.size(); ++j) {
    if (jobs[j].kind != TriggerKind::cyclic) continue;
    jobs[j].phase += later;
    cyclic.push_back(j);
  }
  if (cyclic.empty()) return;
  std::size_t target =
      cyclic[static_cast<std::size_t>(dice.in(0, static_cast<std::int64_t>(cyclic.size()) - 1))];
  if (at_own && jobs[victim.job].kind == TriggerKind::cyclic) target = victim.job;
  const Duration moment = jobs[target].phase + dice.in(1, 10) * jobs[target].period;
  for (std::size_t j = 0; j < jobs.size(); ++j) {
    if (jobs[j].kind != TriggerKind::on_bit) continue;
    jobs[j].phase = moment - Duration(j == victim.job ? 0 : dice.in(0, 2));
  }
}

void add_ratios(Dice& dice, const Shape& shape, std::vector<double>& ratios) {
  const TimingModel timing = random_model(dice, shape);
  double use = 0;
  for (const Queue& queue : timing.queues) {
    for (const Job& job : queue.jobs) {
      if (!recurs(job)) continue;
      const Duration busy = shape.kind == QueueKind::gateway ? job.times.serial_longest()
                                                             : job.times.longest + queue.scan;
      use += static_cast<double>(busy.count()) / static_cast<double>(job.period.count());
    }
  }
  if (use > 0.9 * static_cast<double>(shape.places)) return;
  const auto any_phase = bounds_of(timing);
  const auto phased = shape.in_phase ? phased_bounds(timing, 0) : std::nullopt;
  if (shape.in_phase && !phased) return;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      if (!is_released(timing.queues[q].jobs[j].kind)) continue;
      Duration reached{};
      for (int attack = 0; attack < 48; ++attack) {
        SimulationOptions options;
        options.horizon = Duration(12'000);
        options.durations = attack % 4 == 3 ? Durations::random : Durations::longest;
        options.seed = static_cast<std::uint64_t>(attack);
        TimingModel moved = timing;
        if (shape.in_phase) {
          trigger(moved, {q, j}, attack % 2 == 0, dice);
        } else {
          gather(moved, {q, j}, dice);
        }
        const auto seen = simulate(moved, options);
        if (seen[q].jobs[j].completed > 0) {
          reached = std::max(reached, seen[q].jobs[j].response_max);
        }
      }
      const Duration bound =
          phased ? std::min((*phased)[j], *any_phase[q][j].response) : *any_phase[q][j].response;
      ratios.push_back(static_cast<double>(reached.count()) / static_cast<double>(bound.count()));
    }
  }
}

// Small exchanges in any phases, whose exact worst responses a search finds.
struct ExactShape {
  std::vector<test::SearchQueue> queues;
  int limit = 0;
};

void add_exact_ratios(Dice& dice, const ExactShape& shape, std::vector<double>& ratios) {
  test::SearchPlan plan;
  plan.queues = shape.queues;
  plan.limits.assign(shape.queues.size(), 0);
  plan.limits[0] = shape.limit;
  const auto count = dice.in(2, 4);
  for (std::int64_t j = 0; j < count; ++j) {
    test::SearchJob job;
    job.queue =
        static_cast<std::size_t>(dice.in(0, static_cast<std::int64_t>(shape.queues.size()) - 1));
    job.service = static_cast<int>(dice.in(1, 5));
    if (shape.queues[job.queue].gateway) job.out = job.back = static_cast<int>(dice.in(0, 2));
    job.gap = 11;
    plan.jobs.push_back(job);
  }
  std::vector<JobRef> where;
  const TimingModel timing = test::model_of(plan, where);
  const auto bounds = bounds_of(timing);
  for (std::size_t j = 0; j < plan.jobs.size(); ++j) {
    const auto exact = test::ExactSearch(plan, j).run(30'000);
    if (!exact) continue;
    const auto bound = bounds[where[j].queue][where[j].job].response->count();
    ratios.push_back(static_cast<double>(*exact) / static_cast<double>(bound));
  }
}

// Prints one row; false where a bound is exceeded.
bool print_row(const std::string& name, std::vector<double>& ratios) {
  if (ratios.empty()) return true;
  std::sort(ratios.begin(), ratios.end());
  std::printf("%-36s %8.2f %8.2f %8.2f %6zu\n", name.c_str(), ratios[ratios.size() / 2],
              ratios[ratios.size() / 10], ratios.back(), ratios.size());
  return ratios.back() <= 1;
}

}  // namespace

int main() {
  const std::vector<std::pair<std::string, Shape>> classes{
      {"line, any phases", {}},
      {"line, any phases, continuous", {.continuous = true}},
      {"line, any phases, order list", {.order = model::Order::list}},
      {"line, any phases, scans", {.scan = true}},
      {"line, own phases, triggers", {.triggers = true, .in_phase = true}},
      {"line, own phases, order list", {.order = model::Order::list, .in_phase = true}},
      {"line, own phases, triggers, scans", {.scan = true, .triggers = true, .in_phase = true}},
      {"TCP, 3 under way", {.kind = QueueKind::tcp, .places = 3}},
      {"gateway, 3 under way", {.kind = QueueKind::gateway, .places = 3}},
      {"gateway, 2 masters", {.kind = QueueKind::gateway, .masters = 2}},
      {"gateway, 3 masters, 2 under way", {.kind = QueueKind::gateway, .places = 2, .masters = 3}},
      {"TCP, 4 connections, limit 2", {.kind = QueueKind::tcp, .connections = 4, .limit = 2}},
      {"TCP, 3 connections of 2, limit 2",
       {.kind = QueueKind::tcp, .places = 2, .connections = 3, .limit = 2}},
  };
  std::printf("%-36s %8s %8s %8s %6s\n", "reached / bound", "median", "tenth", "largest", "n");
  bool exceeded = false;
  for (const auto& [name, shape] : classes) {
    Dice dice(1);
    std::vector<double> ratios;
    for (int plan = 0; plan < 120; ++plan) add_ratios(dice, shape, ratios);
    exceeded = !print_row(name, ratios) || exceeded;
  }
  const std::vector<std::pair<std::string, ExactShape>> small{
      {"exact: TCP, 2 places", {{{0, 2, false}}}},
      {"exact: TCP, 3 places", {{{0, 3, false}}}},
      {"exact: limit 1 of 2 connections", {{{0, 1, false}, {0, 1, false}}, 1}},
      {"exact: limit 2 of 3 connections", {{{0, 1, false}, {0, 1, false}, {0, 1, false}}, 2}},
      {"exact: limit 2, connections of 2", {{{0, 2, false}, {0, 2, false}}, 2}},
      {"exact: gateway, 1 under way", {{{0, 1, true}}}},
      {"exact: gateway, 2 under way", {{{0, 2, true}}}},
      {"exact: gateway, 2 masters", {{{0, 1, true}, {1, 1, true}}}},
      {"exact: gateway, 2 masters of 2", {{{0, 2, true}, {1, 2, true}}}},
      {"exact: limit 1, gateway and TCP", {{{0, 1, true}, {0, 1, false}}, 1}},
  };
  for (const auto& [name, shape] : small) {
    Dice dice(1);
    std::vector<double> ratios;
    for (int plan = 0; plan < 60; ++plan) add_exact_ratios(dice, shape, ratios);
    exceeded = !print_row(name, ratios) || exceeded;
  }
  return exceeded ? 1 : 0;
}
