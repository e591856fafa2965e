#include "engine/agenda.h"

#include <algorithm>

namespace greymet::engine {

using model::TriggerKind;
using timing::Job;

namespace {

bool is_triggered(const Job& job) {
  return job.kind == TriggerKind::on_bit || job.kind == TriggerKind::on_change;
}

}  // namespace

Agenda::Agenda(const timing::Queue& queue, Options options)
    : queue_(&queue), options_(options), jobs_(queue.jobs.size()), missed_(queue.jobs.size(), 0) {
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    const Job& job = queue.jobs[j];
    if (!timing::is_released(job.kind)) {
      continuous_.push_back(j);
      continue;
    }
    const bool waits_for_cause = (is_triggered(job) && !options.triggers_always) ||
                                 job.kind == TriggerKind::on_return ||
                                 (job.kind == TriggerKind::on_start && !options.on_start);
    if (waits_for_cause) continue;
    calendar_.push({job.phase, j});
    jobs_[j].scheduled = true;
  }
}

void Agenda::leave_out(std::size_t job) {
  jobs_[job].left_out = true;
  std::erase(continuous_, job);
}

Duration Agenda::next_instant(Duration now) const {
  Duration next = next_release();
  for (const std::size_t job : continuous_) {
    const Duration at = runnable_at(job);
    if (at > now) next = std::min(next, at);
  }
  return next;
}

bool Agenda::may_park(std::size_t job) const {
  return queue_->park && !queue_->jobs[job].times.broadcast;
}

bool Agenda::enter(std::size_t job, Duration when) {
  if (!may_park(job)) return true;
  const auto at = parking_.find(queue_->jobs[job].device);
  if (at == parking_.end() || at->second.next_try == never) return true;
  Parking& device = at->second;
  if (device.trial == job) return true;
  if (device.trial || when < device.next_try) return false;
  device.trial = job;
  return true;
}

std::optional<std::size_t> Agenda::admit_next(Duration now) {
  if (next_release() > now) return std::nullopt;
  const Release release = calendar_.top();
  calendar_.pop();
  if (jobs_[release.job].left_out) return std::nullopt;
  jobs_[release.job].last_release = release.at;
  if (!enter(release.job, release.at)) {
    come_back(release.job, release.at, release.at);
    return release.job;
  }
  waiting_.push_back(release);
  return std::nullopt;
}

void Agenda::trigger(std::size_t job, Duration now) {
  JobState& state = jobs_[job];
  if (state.left_out) return;
  if (state.scheduled) {
    state.kept = true;
    return;
  }
  const bool spaced = is_triggered(queue_->jobs[job]) && state.last_release;
  calendar_.push(
      {spaced ? std::max(now, *state.last_release + queue_->jobs[job].period) : now, job});
  state.scheduled = true;
}

Duration Agenda::runnable_at(std::size_t job) const {
  if (jobs_[job].running) return never;
  const Duration since = jobs_[job].not_before;
  if (!may_park(job)) return since;
  const auto at = parking_.find(queue_->jobs[job].device);
  if (at == parking_.end() || at->second.next_try == never) return since;
  return at->second.trial ? never : std::max(since, at->second.next_try);
}

std::optional<Duration> Agenda::continuous_since(Duration now) const {
  Duration since = never;
  for (const std::size_t job : continuous_) since = std::min(since, runnable_at(job));
  return since <= now ? std::optional(since) : std::nullopt;
}

Agenda::Turn Agenda::take_waiting(Duration now) {
  auto chosen = waiting_.begin();
  if (queue_->order == model::Order::list) {
    // the one at or behind the place where the round stands; else the first of the list
    const auto rank = [this](const Release& r) {
      return r.job >= after_ ? r.job - after_ : r.job + jobs_.size();
    };
    chosen =
        std::min_element(waiting_.begin(), waiting_.end(),
                         [&](const Release& a, const Release& b) { return rank(a) < rank(b); });
    after_ = chosen->job + 1;
  }
  const Release release = *chosen;
  waiting_.erase(chosen);
  Turn turn{release.job, release.at, false, false};
  turn.parked = !enter(release.job, now);
  if (turn.parked) return turn;
  jobs_[release.job].running = true;
  const auto at = parking_.find(queue_->jobs[release.job].device);
  turn.trial = may_park(release.job) && at != parking_.end() && at->second.next_try != never;
  return turn;
}

Agenda::Turn Agenda::take_continuous(Duration now) {
  for (std::size_t tried = 0; tried < continuous_.size(); ++tried) {
    if (next_continuous_ >= continuous_.size()) next_continuous_ = 0;
    const std::size_t job = continuous_[next_continuous_++];
    if (runnable_at(job) > now) continue;
    (void)enter(job, now);
    jobs_[job].running = true;
    const auto at = parking_.find(queue_->jobs[job].device);
    const bool trial = may_park(job) && at != parking_.end() && at->second.next_try != never;
    return {job, now, false, trial};
  }
  return {};
}

void Agenda::finished(std::size_t job, Duration release, Duration end, Ending ending,
                      Duration again_at) {
  jobs_[job].running = false;
  jobs_[job].not_before = again_at;
  if (timing::is_released(queue_->jobs[job].kind)) come_back(job, release, end);
  remember(job, end, ending);
}

void Agenda::remember(std::size_t job, Duration end, Ending ending) {
  if (queue_->jobs[job].times.broadcast) return;
  const std::size_t device = queue_->jobs[job].device;
  Parking& parking = parking_[device];
  if (ending == Ending::not_sent) {
    // a trial that was not sent is no trial
    if (parking.trial == job) parking.trial.reset();
    return;
  }
  if (ending == Ending::answered) {
    const bool was_lost = parking.failures > 0;
    parking = {};
    if (!was_lost) return;
    for (std::size_t j = 0; j < queue_->jobs.size(); ++j) {
      const Job& other = queue_->jobs[j];
      const bool returns = other.kind == TriggerKind::on_return && other.device == device;
      if (returns && !jobs_[j].scheduled) trigger(j, end);
    }
    return;
  }
  const std::int64_t after = queue_->park ? queue_->park->after : 1;
  parking.failures = std::min(parking.failures + 1, after);
  if (!queue_->park || parking.failures < after) return;
  parking.next_try = end + queue_->park->retry;
  parking.trial.reset();
}

void Agenda::come_back(std::size_t j, Duration release, Duration end) {
  const Job& job = queue_->jobs[j];
  JobState& state = jobs_[j];
  state.scheduled = false;
  if (job.kind == TriggerKind::on_return || job.kind == TriggerKind::on_start) return;
  if (job.kind == TriggerKind::cyclic) {
    // the first release that is not before the end; those before are missed
    const std::int64_t past = (end - release).count();
    const std::int64_t periods =
        std::max<std::int64_t>(1, (past + job.period.count() - 1) / job.period.count());
    missed_[j] += static_cast<std::uint64_t>(periods - 1);
    calendar_.push({release + periods * job.period, j});
    state.scheduled = true;
    return;
  }
  if (!options_.triggers_always && !state.kept) return;
  state.kept = false;
  calendar_.push({std::max(end, release + job.period), j});
  state.scheduled = true;
}

}  // namespace greymet::engine
