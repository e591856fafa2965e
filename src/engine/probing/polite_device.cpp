#include <algorithm>
#include <chrono>

#include "engine/probe.h"

namespace greymet::engine {

ProbeAnswer PoliteDevice::ask(const ProbeBlock& block) {
  const auto known = known_.find(block);
  return known != known_.end() ? known->second : ask_again(block);
}

ProbeAnswer PoliteDevice::ask_again(const ProbeBlock& block) {
  if (gave_up_) return {};
  ++asked_;
  ProbeAnswer answer = device_.ask(block);
  const bool counts = answer.is_good() || answer.is_refusal();
  in_a_row_ = counts ? 0 : in_a_row_ + 1;
  if (counts) known_[block] = answer;
  const bool ended = answer.outcome == Outcome::unfinished;
  gave_up_ = ended || in_a_row_ >= limits_.most_trouble || asked_ >= limits_.most_requests;
  if (gave_up_) return answer;
  // who is in trouble gets twice the time, and twice again
  const double share = std::clamp(limits_.share, 0.01, 1.0);
  const auto others =
      static_cast<std::int64_t>(static_cast<double>(answer.took.count()) * (1.0 / share - 1.0));
  constexpr auto after_trouble = std::chrono::milliseconds(200);
  Duration pause(others);
  for (std::size_t i = 0; i < in_a_row_; ++i) {
    pause = std::max<Duration>(2 * pause, after_trouble);
  }
  if (pause > Duration{} && !device_.wait(pause)) gave_up_ = true;
  return answer;
}

}  // namespace greymet::engine
