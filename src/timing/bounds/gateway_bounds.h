// Responses behind a gateway, whatever the phases: what of its own connection and of other masters
// stands before a request at the line. Not for use outside this folder; the proof is in
// timing/bounds.h.
#pragma once

#include <vector>

#include "places.h"
#include "timing/timing_model.h"

namespace greymet::timing::internal {

// How the bound of one job is made up; the parts add up to it.
struct GatewayShares {
  struct Foreign {
    std::size_t queue = 0;
    Duration time{};
  };
  Duration first_wait{};         // until a scan boundary
  Duration ways{};               // while all places are on the network
  std::vector<Foreign> foreign;  // of the other masters of the line
  Duration others{};             // own others on the line, continuous ones that have begun included
  Duration own{};
  [[nodiscard]] Duration response() const;
};

// One line behind gateways, all its masters.
class GatewayLine {
 public:
  // `queues`: the connections that lead to the line.
  GatewayLine(const TimingModel& timing, std::vector<std::size_t> queues);

  // `queue` is one of them, `job` a released one.
  [[nodiscard]] GatewayShares shares(std::size_t queue, std::size_t job) const;
  // The same where failures may lengthen the time: more requests of other masters then fit into it.
  [[nodiscard]] GatewayShares shares_behind_failures(std::size_t queue, std::size_t job) const;
  // Requests of the queue that can be served before one of them, it included.
  [[nodiscard]] static std::int64_t requests_before(const Queue& queue);

 private:
  struct Sums {
    Duration released_on_line{};
    Duration begun_on_line{};  // the longest continuous ones, as many as there are places
    PlaceWaits ways;           // on the network, or until a boundary
    std::int64_t requests = 0;
    Duration at_once_on_line{};     // the longest of any kind, as many as there are places
    Duration continuous_at_once{};  // the same of the continuous ones
    std::vector<GatewayShares::Foreign> foreign;
    std::vector<GatewayShares::Foreign> most_foreign;  // whatever their periods
  };
  [[nodiscard]] std::size_t index_of(std::size_t queue) const;
  [[nodiscard]] Duration largest_response(std::size_t queue) const;
  // What master m can put on the line within a time, when its responses take `response` at most.
  [[nodiscard]] Duration within(std::size_t m, Duration time, Duration response,
                                std::int64_t requests) const;

  const TimingModel& timing_;
  std::vector<std::size_t> queues_;
  std::vector<Sums> sums_;  // parallel to queues_
};

}  // namespace greymet::timing::internal
