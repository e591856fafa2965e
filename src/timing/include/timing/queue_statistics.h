// What a simulation saw, as plain values: each job and each queue, and single services.
#pragma once

#include <compare>
#include <cstdint>
#include <optional>
#include <vector>

#include "model/strong.h"

namespace greymet::timing {

using model::Duration;

// One job among all queues.
struct JobRef {
  std::size_t queue = 0;  // into TimingModel::queues
  std::size_t job = 0;
  friend auto operator<=>(const JobRef&, const JobRef&) = default;
};

// What one job went through.
struct JobStatistics {
  std::uint64_t completed = 0;      // with an answer that carries data
  std::uint64_t missed = 0;         // releases that came while the previous one waited or ran
  std::uint64_t missed_parked = 0;  // of these, by releases when a faulty device had been parked
  std::uint64_t failed = 0;         // sent in vain, in all tries, or refused by an exception
  std::uint64_t parked = 0;         // releases that failed at once because the device was parked
  Duration response_min{};
  Duration response_max{};
  double response_mean_ns = 0;
  std::optional<Duration> response_p99;
  Duration longest_interval{};  // between successive completions; 0 for fewer than two
  // The longest that one release of it waited while only faulty devices were tried: for releases
  // up to the first parking of a faulty device (and half its retry, until what had piled up is
  // gone), and for those after.
  Duration held_first{};
  Duration held_parked{};
};

// One service of a job, for drawing.
struct Service {
  std::size_t job = 0;
  Duration release{};
  Duration start{};
  Duration serial_start{};  // behind a gateway: when the line took it up
  Duration end{};
  bool good = true;  // answered with data
};

// What one queue went through.
struct QueueStatistics {
  std::vector<JobStatistics> jobs;  // parallel to Queue::jobs
  std::size_t longest_queue = 0;    // jobs waiting at once
  Duration busy{};                  // sum of services
  Duration simulated{};             // span that was simulated
  bool complete = false;            // the state repeated: nothing new can happen
  std::vector<Service> trace;
  std::vector<Service> watched;  // of all watched jobs, in the order of their ends
};

}  // namespace greymet::timing
