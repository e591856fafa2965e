// Values that are played into a run: at its start, at instants, or over and over.
//
// No clock: whoever plays asks what is due. What a row put there stays until another row of the
// same place is due; rows that are taken away change nothing. One thread.
#pragma once

#include <cstdint>
#include <vector>

#include "engine/stated_value.h"

namespace greymet::engine {

// A row whose turn has come.
struct DueValue {
  const StatedValue* value = nullptr;  // good until the next call of the script
  Duration since{};                    // its generator counts from here
  bool first = false;                  // the row has just begun; else it only moves on
};

// One of the rows says the same value of the same place, from the same time on.
[[nodiscard]] bool is_stated_in(const std::vector<StatedValue>& rows, const StatedValue& row);

// What is stated and when it is due.
class ValueScript {
 public:
  // Rows from now on: those whose time has come, or that name none, are due at once.
  void add(const std::vector<StatedValue>& rows, Duration now);

  // Those that begin now, in the order of their times and as they were added; then those that move.
  [[nodiscard]] std::vector<DueValue> due(Duration now);
  // The next instant at which a row begins; never for never.
  [[nodiscard]] Duration next() const;

 private:
  struct Row {
    StatedValue value;
    Duration from{};
    std::uint64_t order = 0;
  };
  std::vector<Row> waiting_;  // the earliest last
  std::vector<Row> moving_;
  std::vector<Row> begun_;  // by the last call of due()
  std::uint64_t order_ = 0;
};

}  // namespace greymet::engine
