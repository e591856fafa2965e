#include "failure_gaps.h"

#include <algorithm>

#include "model/boundaries.h"

namespace greymet::timing::internal {

using model::rounded_up;

namespace {

// Beyond so many failed tries their ways to fall are not tried out any more.
constexpr std::int64_t most_tried_out = 40;

// Gaps of a cyclic carrier. What is asked for again and again: how long it takes from a release on
// until a try succeeds, with failed tries left and so many requests failed in a row before.
class CyclicGaps {
 public:
  explicit CyclicGaps(const Carrier& carrier)
      : carrier_(carrier), response_(carrier.response_any_phase.value_or(*carrier.response)) {}

  std::vector<Duration> up_to(std::int64_t lost) {
    const auto most = static_cast<std::size_t>(lost);
    const auto parked = carrier_.park ? std::min(carrier_.park->after, lost) : std::int64_t{0};
    const auto states = static_cast<std::size_t>(parked) + 1;
    carried_.assign(states, std::vector<Duration>(most + 1));
    for (std::size_t left = 0; left <= most; ++left) {
      for (std::size_t failed = states; failed-- > 0;) {
        carried_[failed][left] = carried(failed, static_cast<std::int64_t>(left));
      }
    }
    std::vector<Duration> gaps;
    for (std::int64_t tries = 0; tries <= lost; ++tries) {
      // the request under way has sampled the old value, and some of the failures fall into it
      Duration longest{};
      for (std::int64_t b = 0; b <= tries; ++b) {
        longest = std::max(longest, next_release(b, {}) + at(0, tries - b));
        if (b >= own_tries(0)) longest = std::max(longest, after_failure(0, b, tries - b));
      }
      gaps.push_back(longest);
    }
    return gaps;
  }

  // No way to fall costs more, however many there are.
  [[nodiscard]] Duration at_most(std::int64_t lost) const {
    Duration each = next_release(1, {});
    if (carrier_.park) each += rounded_up(carrier_.park->retry, carrier_.period);
    return next_release(0, {}) + response_ + lost * each;
  }

 private:
  [[nodiscard]] bool is_parked(std::size_t failed) const {
    return carrier_.park && static_cast<std::int64_t>(failed) >= carrier_.park->after;
  }
  [[nodiscard]] std::int64_t own_tries(std::size_t failed) const {
    return is_parked(failed) ? 1 : 1 + carrier_.retries;
  }
  [[nodiscard]] Duration with_failures(std::int64_t tries) const {
    return response_ + tries * carrier_.failed_attempt;
  }
  // From a release to the next one that is served, if `tries` fail before it.
  [[nodiscard]] Duration next_release(std::int64_t tries, Duration wait) const {
    return rounded_up(with_failures(tries) + wait, carrier_.period);
  }
  [[nodiscard]] Duration at(std::size_t failed, std::int64_t left) const {
    return carried_[std::min(failed, carried_.size() - 1)][static_cast<std::size_t>(left)];
  }
  // A request that fails with all its tries, and what follows.
  [[nodiscard]] Duration after_failure(std::size_t failed, std::int64_t tries,
                                       std::int64_t left) const {
    const Duration wait = is_parked(failed + 1) ? carrier_.park->retry : Duration{};
    return next_release(tries, wait) + at(failed + 1, left);
  }
  [[nodiscard]] Duration carried(std::size_t failed, std::int64_t left) const {
    Duration longest = with_failures(left);
    for (std::int64_t b = own_tries(failed); b <= left; ++b) {
      longest = std::max(longest, after_failure(failed, b, left - b));
    }
    return longest;
  }

  const Carrier& carrier_;
  Duration response_;
  std::vector<std::vector<Duration>> carried_;  // per requests failed in a row, per tries left
};

}  // namespace

FailureGaps::FailureGaps(const Carrier& carrier, std::int64_t lost) : lost_(lost) {
  if (lost == 0) {
    gaps_ = {*carrier.delay};
  } else if (carrier.period > Duration{} && carrier.response) {
    count_cyclic(carrier, lost);
  } else {
    count_continuous(carrier, lost);
  }
}

void FailureGaps::count_cyclic(const Carrier& carrier, std::int64_t lost) {
  CyclicGaps gaps(carrier);
  gaps_ = gaps.up_to(std::min(lost, most_tried_out));
  if (lost > most_tried_out) gaps_.push_back(gaps.at_most(lost));
}

void FailureGaps::count_continuous(const Carrier& carrier, std::int64_t lost) {
  const Duration delay = *carrier.delay;
  const std::int64_t tries = 1 + carrier.retries;
  const auto gap_of = [&](std::int64_t k) {
    Duration gap = delay + k * carrier.failed_attempt + (k / tries) * delay;
    if (carrier.park && k >= carrier.park->after * tries) {
      // the try that succeeds waits for the park as well
      gap += (k - carrier.park->after * tries + 1) * carrier.park->retry;
    }
    return gap;
  };
  for (std::int64_t k = 0; k <= std::min(lost, most_tried_out); ++k) gaps_.push_back(gap_of(k));
  if (lost > most_tried_out) gaps_.push_back(gap_of(lost));
}

Duration FailureGaps::longest_unchanged(const HeartbeatTimes& times) const {
  const Duration toggle = times.toggle;
  // So many toggles of a program whose timer runs on, each at the next scan, or of one that starts
  // it anew with each toggle: then every one takes whole scans.
  const auto lasting = [&](std::int64_t toggles) {
    const Duration anew = times.producer_scan > Duration{}
                              ? toggles * rounded_up(toggle, times.producer_scan)
                              : toggles * toggle;
    return std::max(toggles * toggle + times.producer_scan, anew) + times.consumer_scan;
  };
  // Toggles within a gap at most; an even number of them cannot be seen.
  const auto hidden_in = [&](Duration gap) {
    const std::int64_t within = rounded_up(gap + times.producer_scan, toggle) / toggle;
    return within / 2 * 2;
  };
  if (lost_ >= static_cast<std::int64_t>(gaps_.size())) {
    // each failed try a gap of its own, which hides as many as the longest could
    const std::int64_t hidden = hidden_in(gaps_.back()) + 2 * lost_;
    return lasting(hidden + 1) + gaps_.back();
  }
  std::vector<std::int64_t> hidden(gaps_.size(), 0);
  Duration longest{};
  for (std::size_t used = 0; used < gaps_.size(); ++used) {
    for (std::size_t last = 1; last <= used; ++last) {
      hidden[used] = std::max(hidden[used], hidden[used - last] + hidden_in(gaps_[last]));
    }
    longest = std::max(longest, lasting(hidden[used] + 1) + gaps_[gaps_.size() - 1 - used]);
  }
  return longest;
}

}  // namespace greymet::timing::internal
