// Faults while they happen: who fails, who is parked. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <random>
#include <vector>

#include "simulation_internal.h"
#include "timing/faults.h"

namespace greymet::timing::internal {

// How one service goes.
struct Outcome {
  enum class Kind : std::uint8_t { good, refused, failed } kind = Kind::good;
  std::int64_t failed_tries = 0;  // before it was answered, or all of them
  Nanoseconds delay = 0;          // of the try that was answered, by segments sent again
};

// What a device's line does with a release to it.
enum class Admission : std::uint8_t { wait, fail_at_once };

// Faults of one simulation and the parking of every (queue, device). `park` of the model: after
// `after` requests in a row failed in all their tries the device is parked; from `retry` after the
// last failure on its next released request is sent once, without retries; an answer ends it.
class FaultState {
 public:
  // `queues`: those that are simulated. The functions below know them by their place in this list.
  FaultState(const TimingModel& timing, const std::vector<std::size_t>& queues,
             const Faults& faults, std::uint64_t seed)
      : faults_(faults), random_(seed ^ 0x9E3779B97F4A7C15ULL) {
    for (const DeviceFault& fault : faults.devices) by_device_[fault.device].push_back(fault);
    for (const std::size_t queue : queues) add_queue(timing.queues[queue]);
    to_be_parked_ = std::max<std::size_t>(1, count_to_be_parked());
  }

  // Asked once for every release, in the order of time.
  [[nodiscard]] Admission admit(std::size_t queue, std::size_t job, Nanoseconds release);
  // Asked when its turn comes: a request that waited while its device was parked fails at once.
  [[nodiscard]] Admission admit_at_turn(std::size_t queue, std::size_t job, Nanoseconds now);
  // The same for a continuous job: whether it may run now.
  [[nodiscard]] bool may_run(std::size_t queue, std::size_t job, Nanoseconds now) const;
  // When a parked continuous job of this queue may be tried again; never if none waits for that.
  [[nodiscard]] Nanoseconds next_trial(std::size_t queue) const;

  // Draws how a service that starts now goes, and remembers it.
  [[nodiscard]] Outcome outcome(std::size_t queue, std::size_t job, Nanoseconds start);
  // Tells how it ended. True if the device answers again after a request failed in all its tries.
  bool finished(std::size_t queue, std::size_t job, Outcome outcome, Nanoseconds end);

  [[nodiscard]] bool is_faulty(std::size_t device) const { return by_device_.contains(device); }
  // Half a retry after every master had parked every faulty device it keeps trying, or never: what
  // had piled up is gone by then, and they have not been tried again.
  [[nodiscard]] Nanoseconds parked_since() const {
    return to_be_parked_ == 0 ? last_parked_ : never;
  }
  // The last instant at which a fault begins or ends.
  [[nodiscard]] static Nanoseconds last_change(const Faults& faults);
  void append_state(std::size_t queue, Nanoseconds origin, std::vector<Nanoseconds>& state) const;

 private:
  struct Parking {
    std::int64_t failures = 0;     // in a row
    Nanoseconds next_try = never;  // never: not parked
    bool trial_pending = false;
    std::size_t trial_job = 0;
    bool counted = false;  // among those that have been parked
  };
  // A queue with a place for each of its devices.
  struct Parks {
    const Queue* queue = nullptr;
    std::vector<std::size_t> place_of;  // per job, into `devices`
    std::vector<Parking> devices;
  };
  void add_queue(const Queue& queue);
  [[nodiscard]] std::size_t count_to_be_parked() const;
  [[nodiscard]] const Job& job_of(std::size_t queue, std::size_t job) const {
    return parks_[queue].queue->jobs[job];
  }
  [[nodiscard]] Parking& parking(std::size_t queue, std::size_t job) {
    return parks_[queue].devices[parks_[queue].place_of[job]];
  }
  [[nodiscard]] const Parking& parking(std::size_t queue, std::size_t job) const {
    return parks_[queue].devices[parks_[queue].place_of[job]];
  }
  [[nodiscard]] const std::optional<model::Park>& park_of(std::size_t queue) const {
    return faults_.park ? parks_[queue].queue->park : no_park_;
  }

  const Faults& faults_;
  std::mt19937_64 random_;
  std::map<std::size_t, std::vector<DeviceFault>> by_device_;  // of those that are faulty
  std::vector<Parks> parks_;                                   // per queue
  std::size_t to_be_parked_ = 1;
  Nanoseconds last_parked_ = 0;
  std::optional<model::Park> no_park_;
};

}  // namespace greymet::timing::internal
