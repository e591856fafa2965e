// What a run against real devices comes to: values expected and met, and a verdict a transaction.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/measures.h"
#include "engine/point_values.h"
#include "timing/report.h"

namespace greymet::engine {

// A value that must be there, at the end or within some time.
struct Expectation {
  std::string where;
  std::optional<std::size_t> slave;  // of a point
  std::size_t point = 0;
  model::ControllerIndex controller;
  std::optional<BitSequence> memory;  // one word or bit of a controller
  std::optional<double> value;
  std::optional<std::string> text;
  double tolerance = 0;
  std::optional<Duration> within;
};

// How it came out.
struct ExpectationResult {
  std::string found = "-";      // last seen
  std::optional<Duration> met;  // first time it was as expected
  bool good = false;
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
  [[nodiscard]] const std::vector<Expectation>& expected() const { return expected_; }
  // `ended`: the run is over, what has to hold at its end is judged.
  [[nodiscard]] std::vector<ExpectationResult> results(bool ended) const;
  [[nodiscard]] std::vector<MeasuredTransaction> transactions(
      const std::vector<const Master*>& masters, const MasterOptions& options) const;
  [[nodiscard]] std::optional<Duration> bound_of(std::size_t transaction) const;
  [[nodiscard]] std::optional<Duration> last_response(std::size_t transaction) const {
    return last_response_[transaction];
  }

 private:
  struct State {
    std::string found = "-";
    std::optional<Duration> met;
    bool now = false;  // as expected when looked at last
  };
  [[nodiscard]] bool is_met(const Expectation& e, const std::vector<ControllerMemory*>& memories,
                            std::string& found) const;

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& report_;
  std::vector<Expectation> expected_;
  std::vector<State> states_;
  PointValues points_;
  Measures measures_;
  std::vector<std::optional<Duration>> last_response_;
};

}  // namespace greymet::engine
