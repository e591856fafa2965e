#include "engine/measures.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace greymet::engine {

namespace {

// Each power of two of nanoseconds in 128 classes: the middle of one is within 0.4 % of all in it.
constexpr unsigned class_bits = 7;

std::uint32_t class_of(Duration value) {
  const auto ns = static_cast<std::uint64_t>(std::max<std::int64_t>(value.count(), 0));
  const auto width = static_cast<unsigned>(std::bit_width(ns));
  const unsigned shift = width > class_bits + 1 ? width - class_bits - 1 : 0;
  return (shift << (class_bits + 1)) + static_cast<std::uint32_t>(ns >> shift);
}
Duration middle_of(std::uint32_t of) {
  const unsigned shift = of >> (class_bits + 1);
  const std::uint64_t first = std::uint64_t{of & ((1U << (class_bits + 1)) - 1)} << shift;
  return Duration(static_cast<std::int64_t>(first + (std::uint64_t{1} << shift) / 2));
}

}  // namespace

void DurationSample::add(Duration value) {
  least_ = std::min(least_, value);
  greatest_ = std::max(greatest_, value);
  sum_ms_ += static_cast<double>(value.count()) / 1e6;
  ++count_;
  if (classes_.empty() && kept_.size() < most_kept) {
    kept_.push_back(value);
    return;
  }
  for (const Duration each : kept_) ++classes_[class_of(each)];
  kept_ = {};
  ++classes_[class_of(value)];
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
  if (count_ == 0) return std::nullopt;
  const auto wanted = std::ceil(share * static_cast<double>(count_));
  const auto rank = static_cast<std::uint64_t>(std::max(1.0, wanted)) - 1;
  if (!kept_.empty()) {
    std::vector<Duration> values = kept_;
    const auto at = values.begin() + static_cast<std::ptrdiff_t>(rank);
    std::nth_element(values.begin(), at, values.end());
    return *at;
  }
  std::uint64_t so_far = 0;
  for (const auto& [of, count] : classes_) {
    so_far += count;
    if (so_far > rank) return std::clamp(middle_of(of), least_, greatest_);
  }
  return greatest_;
}

void TransactionMeasure::add(const RequestRecord& record) {
  tries += static_cast<std::uint64_t>(record.tries);
  // why it is parked is what happened before
  const bool tells =
      record.cause != Cause::none && (record.cause != Cause::parked || last_cause == Cause::none);
  if (tells) last_cause = record.cause;
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
    case Outcome::unfinished: ++unfinished; break;
  }
  ++sent;
}

std::string_view to_string(MeasuredVerdict verdict) {
  switch (verdict) {
    case MeasuredVerdict::good: return "good";
    case MeasuredVerdict::off: return "off";
    case MeasuredVerdict::late: return "late";
    case MeasuredVerdict::held_up: return "held up";
    case MeasuredVerdict::failing: return "failing";
    case MeasuredVerdict::dead: return "dead";
    case MeasuredVerdict::left_out: return "left out";
    case MeasuredVerdict::not_run: return "not run";
  }
  return "";
}

std::pair<std::uint64_t, std::uint64_t> Measures::sent_and_good() const {
  std::pair<std::uint64_t, std::uint64_t> all;
  for (const TransactionMeasure& m : of_) {
    all.first += m.sent;
    all.second += m.good;
  }
  return all;
}

std::uint64_t Measures::tries() const {
  std::uint64_t all = 0;
  for (const TransactionMeasure& m : of_) all += m.tries;
  return all;
}

}  // namespace greymet::engine
