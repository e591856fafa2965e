#include "timing/phases.h"

#include <algorithm>
#include <limits>
#include <map>
#include <numeric>

#include "model/resolved_plan.h"
#include "timing/simulation.h"

namespace greymet::timing {

using model::TriggerKind;

namespace {

constexpr std::int64_t most_candidates = 200;

std::vector<std::size_t> cyclic_jobs(const Queue& queue) {
  std::vector<std::size_t> jobs;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (queue.jobs[j].kind == TriggerKind::cyclic) jobs.push_back(j);
  }
  return jobs;
}

std::int64_t modulo(std::int64_t value, std::int64_t by) {
  return (value % by + by) % by;
}

// Time for which two periodic jobs would want the line at once, per meeting. With g the greatest
// common divisor of their periods their releases come as near as (phase_a - phase_b) mod g.
std::int64_t overlap_of(const Job& a, Duration phase_a, const Job& b, Duration phase_b) {
  const std::int64_t g = std::gcd(model::in_ns(a.period), model::in_ns(b.period));
  const std::int64_t after = modulo((phase_a - phase_b).count(), g);
  return std::max<std::int64_t>(0, b.times.longest.count() - after) +
         std::max<std::int64_t>(0, a.times.longest.count() - (g - after));
}

TimingModel only_cyclic_jobs(const TimingModel& timing, const Queue& queue) {
  TimingModel alone;
  alone.in_flight_limit.assign(timing.in_flight_limit.size(), std::nullopt);
  alone.queues.push_back(queue);
  std::erase_if(alone.queues[0].jobs, [](const Job& j) { return j.kind != TriggerKind::cyclic; });
  return alone;
}

Duration longest_simulated_wait(const TimingModel& timing, const SimulationOptions& options = {}) {
  const auto result = simulate(timing, options);
  Duration longest{};
  for (std::size_t j = 0; j < timing.queues[0].jobs.size(); ++j) {
    const JobStatistics& job = result[0].jobs[j];
    if (job.completed == 0) continue;
    longest = std::max(longest, job.response_max - timing.queues[0].jobs[j].times.longest);
  }
  return longest;
}

Duration best_phase(const Queue& queue, std::size_t index, const std::vector<Duration>& phases,
                    const std::vector<std::size_t>& placed, Duration step) {
  const Job& job = queue.jobs[index];
  const std::int64_t steps = std::max<std::int64_t>(1, job.period / step);
  const Duration stride =
      step * std::max<std::int64_t>(1, (steps + most_candidates - 1) / most_candidates);
  Duration best{};
  std::int64_t least = std::numeric_limits<std::int64_t>::max();
  for (Duration phase{}; phase < job.period && least > 0; phase += stride) {
    std::int64_t overlap = 0;
    for (std::size_t other : placed) {
      overlap += overlap_of(job, phase, queue.jobs[other], phases[other]);
      if (overlap >= least) break;
    }
    if (overlap < least) {
      least = overlap;
      best = phase;
    }
  }
  return best;
}

}  // namespace

bool releases_coincide(const Queue& queue) {
  const auto jobs = cyclic_jobs(queue);
  std::int64_t common = 0;
  for (std::size_t j : jobs) common = std::gcd(common, model::in_ns(queue.jobs[j].period));
  if (common == 0) return false;
  // only those with the same phase modulo the common divisor of all can meet
  std::map<std::int64_t, std::vector<std::size_t>> by_phase;
  for (std::size_t j : jobs) {
    auto& bucket = by_phase[queue.jobs[j].phase.count() % common];
    for (std::size_t other : bucket) {
      const std::int64_t g =
          std::gcd(model::in_ns(queue.jobs[j].period), model::in_ns(queue.jobs[other].period));
      if (modulo((queue.jobs[j].phase - queue.jobs[other].phase).count(), g) == 0) return true;
    }
    bucket.push_back(j);
  }
  return false;
}

std::optional<PhaseProposal> propose_phases(const TimingModel& timing, std::size_t index,
                                            Duration step) {
  const Queue& queue = timing.queues[index];
  const auto jobs = cyclic_jobs(queue);
  if (jobs.size() < 2 || jobs.size() > most_phased_jobs || queue.in_flight != 1 ||
      queue.order != model::Order::due) {
    return std::nullopt;
  }
  PhaseProposal proposal;
  for (const Job& job : queue.jobs) proposal.phases.push_back(job.phase);
  std::vector<std::size_t> by_period = jobs;
  std::stable_sort(by_period.begin(), by_period.end(), [&](std::size_t a, std::size_t b) {
    return queue.jobs[a].period < queue.jobs[b].period;
  });
  std::vector<std::size_t> placed;
  for (std::size_t j : by_period) {
    proposal.phases[j] = best_phase(queue, j, proposal.phases, placed, step);
    placed.push_back(j);
  }
  TimingModel alone = only_cyclic_jobs(timing, queue);
  proposal.longest_wait_before = longest_simulated_wait(alone);
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    alone.queues[0].jobs[i].phase = proposal.phases[jobs[i]];
  }
  proposal.longest_wait_after = longest_simulated_wait(alone);
  return proposal;
}

namespace {

// Tries every combination, like an odometer.
std::vector<Duration> best_combination(const TimingModel& timing, const Queue& queue,
                                       const std::vector<std::size_t>& jobs, Duration step) {
  Queue trial = queue;
  SimulationOptions options;
  options.most_transactions = 5'000;
  std::vector<Duration> phases(jobs.size(), Duration{});
  std::vector<Duration> best = phases;
  Duration least = Duration::max();
  while (true) {
    for (std::size_t i = 0; i < jobs.size(); ++i) trial.jobs[jobs[i]].phase = phases[i];
    const Duration wait = longest_simulated_wait(only_cyclic_jobs(timing, trial), options);
    if (wait < least) {
      least = wait;
      best = phases;
    }
    std::size_t i = 0;
    while (i < jobs.size()) {
      phases[i] += step;
      if (phases[i] < queue.jobs[jobs[i]].period) break;
      phases[i++] = Duration{};
    }
    if (i == jobs.size() || least == Duration{}) return best;
  }
}

}  // namespace

Placement place_jobs(const TimingModel& timing, std::size_t index,
                     const std::vector<std::size_t>& jobs, Duration step) {
  const Queue& queue = timing.queues[index];
  std::int64_t combinations = 1;
  for (std::size_t j : jobs) {
    const std::int64_t steps = std::max<std::int64_t>(1, queue.jobs[j].period / step);
    combinations =
        steps > most_combinations / combinations ? most_combinations + 1 : combinations * steps;
    if (combinations > most_combinations) break;
  }
  if (combinations <= most_combinations && queue.jobs.size() <= most_phased_jobs) {
    return {best_combination(timing, queue, jobs, step), true};
  }
  std::vector<Duration> phases;
  for (const Job& job : queue.jobs) phases.push_back(job.phase);
  std::vector<std::size_t> placed;
  for (std::size_t j : cyclic_jobs(queue)) {
    if (std::find(jobs.begin(), jobs.end(), j) == jobs.end()) placed.push_back(j);
  }
  std::vector<std::size_t> by_period = jobs;
  std::stable_sort(by_period.begin(), by_period.end(), [&](std::size_t a, std::size_t b) {
    return queue.jobs[a].period < queue.jobs[b].period;
  });
  for (std::size_t j : by_period) {
    phases[j] = best_phase(queue, j, phases, placed, step);
    placed.push_back(j);
  }
  Placement placement;
  for (std::size_t j : jobs) placement.phases.push_back(phases[j]);
  return placement;
}

Duration phase_step(const model::Controller& controller) {
  Duration step = std::chrono::milliseconds(10);
  if (controller.model && controller.model->period_step) {
    step = std::max(step, controller.model->period_step->value);
  }
  return step;
}

}  // namespace greymet::timing
