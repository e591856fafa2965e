#include "engine/measures.h"

#include <algorithm>
#include <cmath>

namespace greymet::engine {

void DurationSample::add(Duration value) {
  least_ = std::min(least_, value);
  greatest_ = std::max(greatest_, value);
  sum_ms_ += static_cast<double>(value.count()) / 1e6;
  ++count_;
  if (kept_.size() < most_kept) {
    kept_.push_back(value);
    return;
  }
  // each of all values is kept with the same probability
  random_ = random_ * 6364136223846793005ULL + 1442695040888963407ULL;
  const std::uint64_t at = (random_ >> 16U) % count_;
  if (at < most_kept) kept_[static_cast<std::size_t>(at)] = value;
}

std::optional<Duration> DurationSample::least() const {
  return count_ == 0 ? std::nullopt : std::optional(least_);
}
std::optional<Duration> DurationSample::greatest() const {
  return count_ == 0 ? std::nullopt : std::optional(greatest_);
}
std::optional<double> DurationSample::mean_ms() const {
  if (count_ == 0) return std::nullopt;
  return sum_ms_ / static_cast<double>(count_);
}

std::optional<Duration> DurationSample::quantile(double share) const {
  if (kept_.empty()) return std::nullopt;
  std::vector<Duration> values = kept_;
  const auto wanted = std::ceil(share * static_cast<double>(values.size()));
  const auto rank = static_cast<std::size_t>(std::max(1.0, wanted)) - 1;
  const auto at = values.begin() + static_cast<std::ptrdiff_t>(rank);
  std::nth_element(values.begin(), at, values.end());
  return *at;
}

void TransactionMeasure::add(const RequestRecord& record) {
  tries += static_cast<std::uint64_t>(record.tries);
  switch (record.outcome) {
    case Outcome::left_out: ++left_out; return;
    case Outcome::dropped: ++dropped; return;
    case Outcome::good:
      ++good;
      responses.add(record.end - record.release);
      services.add(record.end - record.start);
      break;
    case Outcome::exception:
      ++exceptions;
      last_exception = record.exception;
      break;
    case Outcome::timeout: ++timeouts; break;
    case Outcome::bad: ++bad; break;
  }
  ++sent;
}

bool Measures::accounted() const {
  return std::all_of(of_.begin(), of_.end(),
                     [](const TransactionMeasure& m) { return m.accounted(); });
}

}  // namespace greymet::engine
