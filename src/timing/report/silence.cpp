#include "timing/silence.h"

#include <algorithm>
#include <map>
#include <set>

#include "model/resolved_plan.h"
#include "timing/heartbeat_simulation.h"
#include "timing/simulation.h"
#include "timing/transfers.h"

namespace greymet::timing {
namespace {

constexpr std::uint64_t most_moments = 16;
constexpr std::uint64_t least_transactions = 1'000;  // per run

class SilenceStudy {
 public:
  SilenceStudy(const model::ResolvedPlan& resolved, const TimingModel& timing,
               const std::vector<QueueStatistics>& healthy,
               const std::vector<HeartbeatReport>& heartbeats)
      : plan_(resolved), timing_(timing), healthy_(healthy), heartbeats_(heartbeats) {
    for (const auto& island : islands_of(timing)) {
      islands_.push_back(island);
    }
    for (const HeartbeatReport& heartbeat : heartbeats) {
      carriers_.push_back(heartbeat.carrier ? find_job(heartbeat.carrier->transaction)
                                            : std::nullopt);
    }
  }

  // `island`: where they fall silent, into islands_of(timing).
  SilentCase run(const std::vector<std::size_t>& devices, std::size_t island,
                 std::uint64_t most_transactions) {
    SilentCase out;
    out.devices = devices;
    run_island(islands_[island], most_transactions, out);
    if (!out.parks) {
      out.first = out.steady = out.without_park;
      out.missing = out.missing_steady = out.missing_without_park;
    }
    return out;
  }

 private:
  [[nodiscard]] std::optional<JobRef> find_job(std::size_t transaction) const {
    for (std::size_t q = 0; q < timing_.queues.size(); ++q) {
      const auto& jobs = timing_.queues[q].jobs;
      for (std::size_t j = 0; j < jobs.size(); ++j) {
        if (jobs[j].transaction == transaction) return JobRef{q, j};
      }
    }
    return std::nullopt;
  }

  [[nodiscard]] static bool is_silent(const SilentCase& out, std::size_t device) {
    return std::find(out.devices.begin(), out.devices.end(), device) != out.devices.end();
  }

  // Moments just before releases to the devices, after everything has begun.
  [[nodiscard]] std::vector<Duration> moments(const std::vector<std::size_t>& island,
                                              const SilentCase& out, std::size_t most) const {
    Duration begun{};
    for (std::size_t q : island) {
      for (const Job& job : timing_.queues[q].jobs) begun = std::max(begun, job.phase);
    }
    std::set<Duration> all;
    for (std::size_t q : island) {
      for (const Job& job : timing_.queues[q].jobs) {
        if (!is_silent(out, job.device) || !recurs(job) || job.kind != model::TriggerKind::cyclic) {
          continue;
        }
        const std::int64_t periods = (begun - job.phase + job.period - Duration(1)) / job.period;
        all.insert(job.phase + periods * job.period);
      }
    }
    if (all.empty()) all.insert(begun);
    std::vector<Duration> chosen;
    const std::size_t stride = (all.size() + most - 1) / most;
    std::size_t i = 0;
    for (Duration moment : all) {
      if (i++ % stride == 0) chosen.push_back(moment);
    }
    return chosen;
  }

  void run_island(const std::vector<std::size_t>& island, std::uint64_t most, SilentCase& out) {
    SimulationOptions options;
    for (const auto& carrier : carriers_) {
      if (carrier) options.watched.push_back(*carrier);
    }
    for (std::size_t h = 0; h < carriers_.size(); ++h) {
      const bool here = carriers_[h] && std::find(island.begin(), island.end(),
                                                  carriers_[h]->queue) != island.end();
      const HeartbeatTimes& times = heartbeats_[h].times;
      if (here) options.at_least = std::max(options.at_least, 4 * (times.watch + times.toggle));
    }
    for (std::size_t q : island) {
      for (const Job& job : timing_.queues[q].jobs) {
        if (!is_silent(out, job.device)) continue;
        out.queue = q;
        out.parks = out.parks || timing_.queues[q].park.has_value();
      }
    }
    const auto affordable =
        std::clamp<std::uint64_t>(most / (4 * least_transactions), 2, most_moments);
    const auto when = out.parks ? moments(island, out, affordable) : std::vector<Duration>{};
    options.most_transactions = std::max(least_transactions, most / (when.size() + 1));
    options.faults.park = false;
    simulate_from({}, island, options, out, false);
    options.faults.park = true;
    for (Duration moment : when) {
      SimulationOptions from = options;
      from.at_least += moment;
      simulate_from(moment, island, from, out, true);
    }
  }

  void simulate_from(Duration moment, const std::vector<std::size_t>& island,
                     SimulationOptions options, SilentCase& out, bool with_park) {
    options.faults.devices.clear();
    for (std::size_t device : out.devices) {
      options.faults.devices.push_back({device, FaultKind::silent, moment, Duration::max()});
    }
    const auto results = simulate_queues(timing_, island, options);
    for (std::size_t k = 0; k < island.size(); ++k) {
      const std::size_t q = island[k];
      for (std::size_t j = 0; j < results[k].jobs.size(); ++j) {
        if (is_silent(out, timing_.queues[q].jobs[j].device)) continue;
        collect({q, j}, results[k].jobs[j], with_park, out);
      }
    }
    if (with_park || !out.parks) find_tripped(island, results, out);
  }

  void collect(JobRef ref, const JobStatistics& job, bool with_park, SilentCase& out) const {
    const bool misses = job.missed > 0 && healthy_[ref.queue].jobs[ref.job].missed == 0;
    const auto add = [&](std::vector<JobRef>& jobs) {
      if (std::find(jobs.begin(), jobs.end(), ref) == jobs.end()) jobs.push_back(ref);
    };
    if (!with_park) {
      out.without_park = std::max(out.without_park, job.held_first);
      if (misses) add(out.missing_without_park);
      return;
    }
    out.first = std::max(out.first, job.held_first);
    out.steady = std::max(out.steady, job.held_parked);
    if (misses) add(out.missing);
    if (misses && job.missed_parked > 0) add(out.missing_steady);
  }

  // The watch expires although the producer lives.
  [[nodiscard]] bool trips(std::size_t heartbeat, const QueueStatistics& run) const {
    const HeartbeatReport& report = heartbeats_[heartbeat];
    const JobRef ref = *carriers_[heartbeat];
    const Job& job = job_at(timing_, ref);
    if (report.times.watch <= Duration{}) return false;
    const bool is_read = plan_.transactions[job.transaction].read.has_value() &&
                         plan_.transactions[job.transaction].into.has_value();
    const auto transfers = transfers_of(job, ref.job, is_read, run.watched);
    if (transfers.empty()) return run.simulated > report.times.watch;
    if (run.simulated - transfers.back().landed > report.times.watch) return true;
    return watch_living_producer(report.times, transfers).longest_unchanged > report.times.watch;
  }

  void find_tripped(const std::vector<std::size_t>& island,
                    const std::vector<QueueStatistics>& results, SilentCase& out) const {
    for (std::size_t h = 0; h < carriers_.size(); ++h) {
      if (!carriers_[h] || is_silent(out, job_at(timing_, *carriers_[h]).device)) continue;
      const auto at = std::find(island.begin(), island.end(), carriers_[h]->queue);
      if (at == island.end()) continue;
      if (std::find(out.tripped.begin(), out.tripped.end(), h) != out.tripped.end()) continue;
      const auto k = static_cast<std::size_t>(at - island.begin());
      if (trips(h, results[k]) && !trips(h, healthy_[carriers_[h]->queue])) {
        out.tripped.push_back(h);
      }
    }
  }

  const model::ResolvedPlan& plan_;
  const TimingModel& timing_;
  const std::vector<QueueStatistics>& healthy_;
  const std::vector<HeartbeatReport>& heartbeats_;
  std::vector<std::vector<std::size_t>> islands_;
  std::vector<std::optional<JobRef>> carriers_;  // per heartbeat
};

struct CaseToStudy {
  std::vector<std::size_t> devices;
  std::size_t island = 0;
  std::optional<std::size_t> stall;
};

std::vector<CaseToStudy> cases_of(const model::ResolvedPlan& resolved, const TimingModel& timing,
                                  const StallReport& stalls, const SilenceOptions& options,
                                  std::size_t& left_out) {
  std::map<model::Target, std::size_t> device_of;
  for (std::size_t d = 0; d < timing.devices.size(); ++d) device_of[timing.devices[d]] = d;
  // what one case needs at least: all of its island once
  std::vector<std::uint64_t> needs;
  for (const auto& island : islands_of(timing)) {
    std::uint64_t jobs = 0;
    for (const std::size_t queue : island) jobs += timing.queues[queue].jobs.size();
    needs.push_back(jobs);
  }
  std::vector<CaseToStudy> cases;
  std::uint64_t needed = 0;
  const auto add = [&](CaseToStudy one) {
    if (cases.size() < options.most_cases &&
        needed + needs[one.island] <= options.most_transactions) {
      needed += needs[one.island];
      cases.push_back(std::move(one));
    } else {
      ++left_out;
    }
  };
  for (std::size_t s = 0; s < stalls.stalls.size(); ++s) {
    const Stall& stall = stalls.stalls[s];
    // nobody waits for the only slave of a line or connection
    if (has_neighbours(resolved, timing, stalls, stall)) {
      add({{device_of[stall.silent]}, stall.pool, s});
    }
  }
  if (!options.pairs) return cases;
  for (std::size_t a = 0; a < stalls.stalls.size(); ++a) {
    for (std::size_t b = a + 1; b < stalls.stalls.size(); ++b) {
      const Stall& one = stalls.stalls[a];
      const Stall& other = stalls.stalls[b];
      if (one.pool != other.pool || !can_meet(one, other)) continue;
      std::vector<std::size_t> devices = {device_of[one.silent], device_of[other.silent]};
      std::sort(devices.begin(), devices.end());
      add({std::move(devices), one.pool, std::nullopt});
    }
  }
  return cases;
}

}  // namespace

bool can_meet(const Stall& one, const Stall& other) {
  // what each keeps busy, and what waits for it
  const auto queues_of = [](const Stall& stall) {
    std::set<std::size_t> queues;
    for (const StallOn& on : stall.queues) queues.insert(on.queue);
    for (const FailingJob& failing : stall.failing) queues.insert(failing.job.queue);
    return queues;
  };
  const auto a = queues_of(one);
  const auto b = queues_of(other);
  return std::any_of(a.begin(), a.end(), [&](std::size_t queue) { return b.contains(queue); });
}

SilenceReport simulate_silence(const model::ResolvedPlan& resolved, const TimingModel& timing,
                               const StallReport& stalls,
                               const std::vector<QueueStatistics>& healthy,
                               const std::vector<HeartbeatReport>& heartbeats,
                               const SilenceOptions& options) {
  SilenceReport report;
  const auto cases = cases_of(resolved, timing, stalls, options, report.left_out);
  SilenceStudy study(resolved, timing, healthy, heartbeats);
  for (std::size_t i = 0; i < cases.size(); ++i) {
    report.cases.push_back(
        study.run(cases[i].devices, cases[i].island, options.most_transactions / cases.size()));
    report.cases.back().stall = cases[i].stall;
    if (options.progress) {
      options.progress(static_cast<double>(i + 1) / static_cast<double>(cases.size()));
    }
  }
  return report;
}

}  // namespace greymet::timing
