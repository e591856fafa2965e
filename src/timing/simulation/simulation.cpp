#include "timing/simulation.h"

#include <bit>
#include <numeric>

#include "fault_state.h"
#include "simulation_internal.h"

namespace greymet::timing {
namespace internal {

JobStatistics JobRecorder::take() {
  JobStatistics out;
  out.completed = completed_;
  out.missed = missed_;
  out.missed_parked = missed_parked_;
  out.failed = failed_;
  out.parked = parked_;
  out.held_first = Duration(held_first_);
  out.held_parked = Duration(held_parked_);
  out.longest_interval = Duration(interval_);
  if (completed_ == 0) return out;
  out.response_min = Duration(min_);
  out.response_max = Duration(max_);
  out.response_mean_ns = sum_ / static_cast<double>(completed_);
  if (keep_) {
    // the smallest response that at least 99 % do not exceed
    const std::size_t rank = (responses_.size() * 99 + 99) / 100 - 1;
    const auto at = responses_.begin() + static_cast<std::ptrdiff_t>(rank);
    std::nth_element(responses_.begin(), at, responses_.end());
    out.response_p99 = Duration(*at);
  }
  return out;
}

std::size_t WaitingJobs::next_in_list() const {
  const std::size_t jobs = releases_.size();
  const std::size_t from = after_ < jobs ? after_ : 0;
  const auto search = [this](std::size_t first) -> std::optional<std::size_t> {
    for (std::size_t w = first / 64; w < words_.size(); ++w) {
      std::uint64_t word = words_[w];
      if (w == first / 64) word &= ~std::uint64_t{0} << (first % 64);
      if (word != 0) return w * 64 + static_cast<std::size_t>(std::countr_zero(word));
    }
    return std::nullopt;
  };
  if (const auto found = search(from)) return *found;
  return search(0).value_or(0);
}

void WaitingJobs::append_state(Nanoseconds origin, std::vector<Nanoseconds>& state) const {
  state.push_back(static_cast<Nanoseconds>(size_));
  if (order_ == model::Order::due) {
    for (std::size_t i = head_; i < fifo_.size(); ++i) {
      state.push_back(fifo_[i].job);
      state.push_back(fifo_[i].release - origin);
    }
    return;
  }
  state.push_back(static_cast<Nanoseconds>(after_));
  for (std::size_t job = 0; job < releases_.size(); ++job) {
    if (releases_[job] == never) continue;
    state.push_back(static_cast<Nanoseconds>(job));
    state.push_back(releases_[job] - origin);
  }
}

bool StateHistory::seen(const std::vector<Nanoseconds>& state) {
  std::size_t hash = state.size();
  for (Nanoseconds value : state) {
    hash = (hash ^ static_cast<std::size_t>(value)) * 0x9E3779B97F4A7C15ULL;
    hash ^= hash >> 29;
  }
  auto& same_hash = states_[hash];
  if (std::find(same_hash.begin(), same_hash.end(), state) != same_hash.end()) return true;
  // Many different states mean that it will not repeat soon; do not let the history grow.
  constexpr std::size_t most_states = 256;
  if (states_.size() < most_states) same_hash.push_back(state);
  return false;
}

Checkpoints checkpoints_of(const TimingModel& timing, const std::vector<std::size_t>& queues,
                           const SimulationOptions& options) {
  if (options.durations == Durations::random || options.faults.frame_error_rate > 0) return {};
  // two hyperperiods must fit, or no state could ever be met again
  const auto step = hyperperiod(timing, queues, options.horizon / 2);
  if (!step) return {};
  Nanoseconds largest_phase =
      std::max<Nanoseconds>(FaultState::last_change(options.faults), options.trace_from.count());
  largest_phase = std::max<Nanoseconds>(largest_phase, options.at_least.count());
  for (std::size_t q : queues) {
    for (const Job& job : timing.queues[q].jobs) {
      largest_phase = std::max(largest_phase, Nanoseconds{job.phase.count()});
    }
  }
  return {round_up(largest_phase, step->count()), step->count()};
}

}  // namespace internal

std::optional<Duration> hyperperiod(const TimingModel& timing,
                                    const std::vector<std::size_t>& queues, Duration limit) {
  std::int64_t common = 1;
  const auto include = [&common, limit](Duration period) {
    if (period <= Duration{}) return true;
    const std::int64_t factor = period.count() / std::gcd(common, model::in_ns(period));
    if (factor > limit.count() / common) return false;
    common *= factor;
    return true;
  };
  for (std::size_t q : queues) {
    const Queue& queue = timing.queues[q];
    if (!include(queue.scan)) return std::nullopt;
    for (const Job& job : queue.jobs) {
      if (recurs(job) && !include(job.period)) return std::nullopt;
    }
  }
  return common == 1 ? limit : Duration(common);
}

namespace {

std::vector<QueueStatistics> simulate_part(const TimingModel& timing,
                                           const std::vector<std::size_t>& queues,
                                           const SimulationOptions& options,
                                           internal::ProgressMeter progress) {
  const Queue& only = timing.queues[queues.front()];
  const bool limited =
      only.kind != QueueKind::serial && timing.in_flight_limit[only.controller].has_value();
  if (queues.size() > 1 || only.in_flight > 1 || limited) {
    return internal::simulate_island(timing, queues, options, progress);
  }
  std::vector<QueueStatistics> results;
  results.push_back(internal::simulate_queue(timing, queues.front(), options, progress));
  return results;
}

}  // namespace

std::vector<QueueStatistics> simulate_queues(const TimingModel& timing,
                                             const std::vector<std::size_t>& queues,
                                             const SimulationOptions& options) {
  return simulate_part(timing, queues, options, internal::ProgressMeter(options, 0, 1));
}

std::vector<QueueStatistics> simulate(const TimingModel& timing, const SimulationOptions& options) {
  std::vector<QueueStatistics> all(timing.queues.size());
  const auto islands = islands_of(timing);
  constexpr std::uint64_t least_share = 20'000;
  SimulationOptions shared = options;
  shared.most_transactions = std::min(
      options.most_transactions,
      std::max(least_share, options.most_transactions / std::max<std::size_t>(1, islands.size())));
  for (std::size_t i = 0; i < islands.size(); ++i) {
    const double count = static_cast<double>(islands.size());
    auto results = simulate_part(timing, islands[i], shared,
                                 internal::ProgressMeter(shared, static_cast<double>(i) / count,
                                                         static_cast<double>(i + 1) / count));
    for (std::size_t k = 0; k < islands[i].size(); ++k) all[islands[i][k]] = std::move(results[k]);
  }
  return all;
}

}  // namespace greymet::timing
