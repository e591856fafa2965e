// Values that must be there: when they were, and whether they are.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "engine/controller_memory.h"
#include "modbus/value_codec.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

using model::Duration;

// A value that must be there, at the end or within some time.
struct Expectation {
  std::string where;
  std::optional<std::size_t> slave;  // of a point
  std::size_t point = 0;
  model::ControllerIndex controller;
  std::optional<BitSequence> memory;  // one word or bit of a controller, or what a tag takes
  std::optional<model::Point> as;     // how a tag's words are a value
  std::optional<double> value;
  std::string digits;  // the number as it was written
  std::optional<std::string> text;
  double tolerance = 0;  // 0: equal, to the digit; to what a REAL can tell apart for one
  std::optional<Duration> within;
};

// How it came out.
struct ExpectationResult {
  std::string found = "-";      // last seen
  std::optional<Duration> met;  // first time it was as expected
  bool good = false;
};

// A value as it is looked at.
struct FoundValue {
  std::string text;              // as it is shown, in engineering units
  std::string digits;            // the number with all its digits; empty where there is none
  std::optional<double> number;  // nothing for texts
  bool is_real = false;
  std::string name;  // what the map calls it; empty where it has none
  // "2 running"
  [[nodiscard]] std::string named_text() const { return name.empty() ? text : text + " " + name; }
};
[[nodiscard]] FoundValue found_value(const modbus::RawValue& raw, const model::Point& point);
// Of the words of a point as they were read, a bit of a bit area as 0 or 1; nothing where they are
// no such value.
[[nodiscard]] std::optional<FoundValue> value_in(const std::vector<std::uint16_t>& words,
                                                 const model::Point& point, model::WordOrder order);
// That of a word, bit or tag; nothing while it is not known.
[[nodiscard]] std::optional<FoundValue> found_in(const ControllerMemory& memory,
                                                 const Expectation& expected);
// `value` and `digits` or `text` of what is expected hold for what was found.
[[nodiscard]] bool is_as_expected(const Expectation& expected, const FoundValue& found);

// Looks at them while time goes on. One thread.
class ExpectedValues {
 public:
  using Look = std::function<std::optional<FoundValue>(const Expectation&)>;

  explicit ExpectedValues(std::vector<Expectation> expected)
      : expected_(std::move(expected)), states_(expected_.size()) {}
  // To be called several times a second; `look` finds what is there, or nothing.
  void look(Duration now, const Look& look);
  // What was found otherwise, of one of them.
  void found(std::size_t index, Duration now, const FoundValue& value);

  [[nodiscard]] const std::vector<Expectation>& expected() const { return expected_; }
  // `ended`: it is over, what has to hold at its end is judged.
  [[nodiscard]] std::vector<ExpectationResult> results(bool ended) const;

 private:
  struct State {
    std::string found = "-";
    std::optional<Duration> met;
    bool now = false;  // as expected when looked at last
  };
  std::vector<Expectation> expected_;
  std::vector<State> states_;
};

}  // namespace greymet::engine
