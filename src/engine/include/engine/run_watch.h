// What a run against real devices comes to: values expected and met, and a verdict a transaction.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/expected_values.h"
#include "engine/measures.h"
#include "engine/point_values.h"
#include "engine/slave_watch.h"
#include "timing/report.h"

namespace greymet::engine {

// What a transaction brought last, or sent if it only writes.
struct LastWords {
  std::vector<std::uint16_t> words;  // bits a word each
  Duration at{};
};

// Collects while a run goes on. One thread.
class RunWatch {
 public:
  // Keeps references. `report` is that of timing::analyse_longest(), `controllers` those that are
  // run; all if there are none.
  RunWatch(const model::ResolvedPlan& plan, const timing::TimingReport& report,
           std::vector<Expectation> expected, const std::vector<std::size_t>& controllers);
  void add(const RequestRecord& record);
  // Looks at what is expected; to be called several times a second.
  void look(Duration now, const std::vector<ControllerMemory*>& memories);

  [[nodiscard]] const PointValues& points() const { return points_; }
  [[nodiscard]] const Measures& measures() const { return measures_; }
  [[nodiscard]] const std::vector<Expectation>& expected() const { return expected_.expected(); }
  // `ended`: the run is over, what has to hold at its end is judged.
  [[nodiscard]] std::vector<ExpectationResult> results(bool ended) const {
    return expected_.results(ended);
  }
  // What was read back of one that is expected, besides the exchange.
  void found(std::size_t index, Duration now, const FoundValue& value) {
    expected_.found(index, now, value);
  }
  // `now`: of the run; what has not been renewed since is counted.
  [[nodiscard]] std::vector<MeasuredTransaction> transactions(
      const std::vector<const Master*>& masters, const MasterOptions& options, Duration now) const;
  [[nodiscard]] const SlaveWatch& slaves() const { return slaves_; }
  [[nodiscard]] std::optional<Duration> bound_of(std::size_t transaction) const;
  // Empty before the first good answer.
  [[nodiscard]] const LastWords& last_words(std::size_t transaction) const {
    return last_words_[transaction];
  }
  [[nodiscard]] std::optional<Duration> last_response(std::size_t transaction) const {
    return last_response_[transaction];
  }

 private:
  const model::ResolvedPlan& plan_;
  const timing::TimingReport& report_;
  ExpectedValues expected_;
  PointValues points_;
  Measures measures_;
  SlaveWatch slaves_;
  std::vector<std::optional<Duration>> last_response_;
  std::vector<LastWords> last_words_;            // per transaction
  std::vector<std::optional<Duration>> bounds_;  // per transaction
  std::vector<std::uint64_t> late_;
};

}  // namespace greymet::engine
