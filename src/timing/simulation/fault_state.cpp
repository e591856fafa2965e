#include "fault_state.h"

#include <set>

namespace greymet::timing::internal {

Admission FaultState::admit(std::size_t queue, std::size_t job, Nanoseconds release) {
  const Job& j = job_of(queue, job);
  if (!park_of(queue) || j.times.broadcast) return Admission::wait;
  Parking& p = parking(queue, job);
  if (p.next_try == never) return Admission::wait;
  if (p.trial_pending || release < p.next_try) return Admission::fail_at_once;
  p.trial_pending = true;
  p.trial_job = job;
  return Admission::wait;
}

Admission FaultState::admit_at_turn(std::size_t queue, std::size_t job, Nanoseconds now) {
  const Job& j = job_of(queue, job);
  if (!park_of(queue) || j.times.broadcast) return Admission::wait;
  Parking& p = parking(queue, job);
  if (p.next_try == never || (p.trial_pending && p.trial_job == job)) return Admission::wait;
  if (p.trial_pending || now < p.next_try) return Admission::fail_at_once;
  p.trial_pending = true;
  p.trial_job = job;
  return Admission::wait;
}

bool FaultState::may_run(std::size_t queue, std::size_t job, Nanoseconds now) const {
  const Job& j = job_of(queue, job);
  if (!park_of(queue) || j.times.broadcast) return true;
  const Parking& p = parking(queue, job);
  return p.next_try == never || (now >= p.next_try && !p.trial_pending);
}

Nanoseconds FaultState::next_trial(std::size_t queue) const {
  Nanoseconds next = never;
  const std::vector<Job>& jobs = parks_[queue].queue->jobs;
  for (std::size_t j = 0; j < jobs.size(); ++j) {
    if (is_released(jobs[j].kind)) continue;
    const Parking& p = parking(queue, j);
    if (!p.trial_pending) next = std::min(next, p.next_try);
  }
  return next;
}

Outcome FaultState::outcome(std::size_t queue, std::size_t job, Nanoseconds start) {
  const Job& j = job_of(queue, job);
  if (j.times.broadcast) return {};
  Parking& p = parking(queue, job);
  const bool trial = park_of(queue) && p.next_try != never;
  if (trial) {
    p.trial_pending = true;
    p.trial_job = job;
  }
  const std::int64_t tries = trial ? 1 : failure_times(j.times).tries;
  static const std::vector<DeviceFault> none;
  const auto faulty = by_device_.find(j.device);
  for (const DeviceFault& fault : faulty == by_device_.end() ? none : faulty->second) {
    if (start < fault.from.count() || start >= fault.until.count()) continue;
    if (fault.kind == FaultKind::silent) return {Outcome::Kind::failed, tries, 0};
    return {Outcome::Kind::refused, 0, 0};
  }
  if (faults_.frame_error_rate <= 0) return {};
  std::bernoulli_distribution fails(try_failure_probability(faults_.frame_error_rate));
  std::int64_t failed = 0;
  const Nanoseconds again = j.times.retransmission.count();
  if (again == 0) {
    while (failed < tries && fails(random_)) ++failed;
    return {failed == tries ? Outcome::Kind::failed : Outcome::Kind::good, failed, 0};
  }
  // lost segments come again, each time after twice as long, until the master gives up
  const Nanoseconds room = (j.times.timeout - j.times.longest).count();
  for (; failed < tries; ++failed) {
    Nanoseconds delay = 0;
    for (Nanoseconds wait = again; delay <= room && fails(random_); wait *= 2) delay += wait;
    if (delay <= room) return {Outcome::Kind::good, failed, delay};
  }
  return {Outcome::Kind::failed, failed, 0};
}

bool FaultState::finished(std::size_t queue, std::size_t job, Outcome outcome, Nanoseconds end) {
  const Job& j = job_of(queue, job);
  if (j.times.broadcast) return false;
  Parking& p = parking(queue, job);
  if (outcome.kind != Outcome::Kind::failed) {
    const bool was_lost = p.failures > 0;
    const bool counted = p.counted;
    p = {};
    p.counted = counted;
    return was_lost;
  }
  const auto& park = park_of(queue);
  const std::int64_t counted = park ? park->after : 1;
  // more does not matter, and states must be able to repeat
  p.failures = std::min(p.failures + 1, counted);
  if (!park || p.failures < counted) return false;
  p.next_try = end + park->retry.count();
  p.trial_pending = false;
  if (is_faulty(j.device) && !p.counted) {
    p.counted = true;
    --to_be_parked_;
    last_parked_ = std::max<Nanoseconds>(last_parked_, end + park->retry.count() / 2);
  }
  return false;
}

void FaultState::add_queue(const Queue& queue) {
  Parks parks;
  parks.queue = &queue;
  std::map<std::size_t, std::size_t> places;
  for (const Job& job : queue.jobs) {
    parks.place_of.push_back(places.try_emplace(job.device, places.size()).first->second);
  }
  parks.devices.resize(places.size());
  parks_.push_back(std::move(parks));
}

std::size_t FaultState::count_to_be_parked() const {
  std::size_t count = 0;
  for (std::size_t q = 0; q < parks_.size() && !by_device_.empty(); ++q) {
    if (!park_of(q)) continue;
    std::set<std::size_t> devices;
    for (const Job& job : parks_[q].queue->jobs) {
      const bool again = recurs(job) || !is_released(job.kind);
      if (again && job.kind != model::TriggerKind::on_return && !job.times.broadcast &&
          is_faulty(job.device)) {
        devices.insert(job.device);
      }
    }
    count += devices.size();
  }
  return count;
}

Nanoseconds FaultState::last_change(const Faults& faults) {
  Nanoseconds last = 0;
  for (const DeviceFault& fault : faults.devices) {
    last = std::max<Nanoseconds>(last, fault.from.count());
    if (fault.until != Duration::max()) last = std::max<Nanoseconds>(last, fault.until.count());
  }
  return last;
}

void FaultState::append_state(std::size_t queue, Nanoseconds origin,
                              std::vector<Nanoseconds>& state) const {
  // what is recorded changes its name then, so it must come round once more
  state.push_back(origin >= parked_since() ? 1 : 0);
  for (const Parking& p : parks_[queue].devices) {
    state.push_back(p.failures);
    // a trial that is overdue is due whatever its age
    state.push_back(p.next_try == never ? -1 : std::max<Nanoseconds>(0, p.next_try - origin));
    state.push_back(p.trial_pending ? static_cast<Nanoseconds>(p.trial_job) : -1);
  }
}

}  // namespace greymet::timing::internal
