// What was measured of each transaction.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "engine/master.h"

namespace greymet::engine {

// Durations. The first ones are kept, all others counted in classes of their size, so that months
// take no more memory than minutes; least, mean and greatest are exact.
class DurationSample {
 public:
  void add(Duration value);
  [[nodiscard]] std::uint64_t count() const { return count_; }
  [[nodiscard]] std::optional<Duration> least() const;
  [[nodiscard]] std::optional<Duration> greatest() const;
  [[nodiscard]] std::optional<double> mean_ms() const;
  // The smallest that at least this share (0..1) do not exceed; of more than 256 values to within
  // 0.4 %.
  [[nodiscard]] std::optional<Duration> quantile(double share) const;
  [[nodiscard]] std::optional<Duration> median() const { return quantile(0.5); }

 private:
  static constexpr std::size_t most_kept = 256;
  std::vector<Duration> kept_;                      // all, until there are too many
  std::map<std::uint32_t, std::uint64_t> classes_;  // then how many of each class
  std::uint64_t count_ = 0;
  double sum_ms_ = 0;
  Duration least_ = never;
  Duration greatest_{};
};

// One transaction. What was sent is good, exception, timeout, bad or unfinished.
struct TransactionMeasure {
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  std::uint64_t exceptions = 0;
  std::uint64_t timeouts = 0;
  std::uint64_t bad = 0;
  std::uint64_t unfinished = 0;  // under way at the end
  std::uint64_t dropped = 0;     // released and never sent: parked, or no connection
  std::uint64_t left_out = 0;    // not allowed, or with values that nobody stated
  std::uint64_t tries = 0;
  DurationSample responses;  // release to end, of good ones
  DurationSample services;   // turn to end, of good ones
  std::optional<std::uint8_t> last_exception;
  Cause last_cause = Cause::none;  // of the last one that was not answered, or not sent

  // Requests that have ended one way or another.
  [[nodiscard]] std::uint64_t finished() const { return sent - unfinished; }
  void add(const RequestRecord& record);
};

// How a transaction did, of a run or a rehearsal.
enum class MeasuredVerdict : std::uint8_t {
  good,
  off,       // the median duration is not as predicted; in rehearsals
  late,      // a response over its bound
  held_up,   // the same, and it had waited for one that was not answered
  failing,   // not every request was good
  dead,      // none was good; in runs
  left_out,  // not allowed, or values that nobody stated; in runs
  not_run,   // none was sent
};
[[nodiscard]] std::string_view to_string(MeasuredVerdict verdict);

// One transaction as it was measured, beside what was predicted for it.
struct MeasuredTransaction {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::string name;
  TransactionMeasure all;
  std::optional<TransactionMeasure> quiet;  // of a rehearsal's first act alone
  std::uint64_t missed = 0;                 // releases
  // Of a run the typical duration; of a rehearsal the median response with its durations, none for
  // random ones.
  std::optional<Duration> predicted;
  std::optional<Duration> bound;     // of the response
  std::optional<Duration> typical;   // of one transaction on its line or connection
  std::optional<Duration> expected;  // the same with the durations of the stage; none for random
  std::optional<Duration> shortest;
  std::optional<Duration> longest;
  std::string why_left_out;  // empty otherwise
  // Of a run: why those that failed did, the longest wait for its turn and for whom, and the
  // longest time without an answer.
  std::string cause;
  std::uint64_t late = 0;  // responses over the bound
  std::optional<Duration> longest_wait;
  std::string waited_for;
  std::optional<Duration> longest_gap;
  MeasuredVerdict verdict = MeasuredVerdict::not_run;
  bool well = true;  // nothing is wrong with it: whether not to run is, depends on who measured

  // What responses and durations are of.
  [[nodiscard]] const TransactionMeasure& timed() const { return quiet ? *quiet : all; }
};

// Per transaction of the resolved plan.
class Measures {
 public:
  explicit Measures(std::size_t transactions) : of_(transactions) {}
  void add(const RequestRecord& record) { of_[record.transaction].add(record); }
  [[nodiscard]] const TransactionMeasure& of(std::size_t transaction) const {
    return of_[transaction];
  }
  [[nodiscard]] std::pair<std::uint64_t, std::uint64_t> sent_and_good() const;
  // Frames that all records speak of.
  [[nodiscard]] std::uint64_t tries() const;

 private:
  std::vector<TransactionMeasure> of_;
};

}  // namespace greymet::engine
