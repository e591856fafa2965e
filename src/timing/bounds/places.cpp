#include "places.h"

#include <algorithm>
#include <utility>

#include "busy_periods.h"

namespace greymet::timing::internal {

namespace {

bool longer(const HeldPlace& a, const HeldPlace& b) {
  return a.time > b.time;
}

// Released services, and the longest continuous ones that may have begun a scan ago.
std::vector<HeldPlace> held_places(const Queue& queue) {
  std::vector<HeldPlace> held;
  std::vector<HeldPlace> begun;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    const Duration time = held_place(queue, queue.jobs[j].times.longest);
    if (is_released(queue.jobs[j].kind)) {
      held.push_back({j, time});
    } else if (time > queue.scan) {
      begun.push_back({j, time - queue.scan});
    }
  }
  std::stable_sort(begun.begin(), begun.end(), longer);
  const auto most = static_cast<std::size_t>(queue.in_flight);
  if (begun.size() > most) begun.resize(most);
  held.insert(held.end(), begun.begin(), begun.end());
  return held;
}

}  // namespace

PlaceWaits::PlaceWaits(const Queue& queue)
    : PlaceWaits(held_places(queue), queue.in_flight, queue.scan) {}

PlaceWaits::PlaceWaits(std::vector<HeldPlace> held, std::int64_t places, Duration step)
    : longest_first_(std::move(held)), places_(places), step_(step) {
  std::stable_sort(longest_first_.begin(), longest_first_.end(), longer);
  for (const HeldPlace& each : longest_first_) {
    sum_ += each.time;
    if (of_job_.size() <= each.job) of_job_.resize(each.job + 1);
    of_job_[each.job] = each.time;
  }
}

PlaceWait PlaceWaits::wait_of(std::size_t job, bool with_shares) const {
  // each k gives a bound; beyond some, one more changes little
  constexpr std::int64_t most_alone = 64;
  Duration rest = sum_;
  if (job < of_job_.size()) rest -= of_job_[job];
  PlaceWait out;
  out.wait = rest / places_;
  out.shared = places_;
  std::size_t at = 0;
  std::size_t alone_until = 0;
  for (std::int64_t k = 1; k < places_ && k <= most_alone; ++k) {
    if (at < longest_first_.size() && longest_first_[at].job == job) ++at;
    if (at == longest_first_.size()) break;
    rest -= longest_first_[at++].time;
    const Duration wait = rest / (places_ - k);
    if (wait >= out.wait) continue;
    out.wait = wait;
    out.shared = places_ - k;
    alone_until = at;
  }
  if (step_ > Duration{}) out.wait = out.wait / step_ * step_;
  for (std::size_t i = alone_until; with_shares && i < longest_first_.size(); ++i) {
    if (longest_first_[i].job != job) out.by.push_back(longest_first_[i].job);
  }
  return out;
}

}  // namespace greymet::timing::internal
