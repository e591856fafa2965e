// What a device answered when it was probed.
#pragma once

#include <string>
#include <vector>

#include "tables/table.h"

namespace greymet::tables {

// One request, or one kind of them.
struct ProbeRow {
  std::string slave;
  std::string what;   // "value", "function", "hole", "length", "times", "unit", "settings"
  std::string asked;  // "hr:10..11", "function 3", "unit 7", "19200 8E1 rtu"
  std::string answer;
  State verdict;
};
// Registers read in one type and all orders.
struct ReadingRow {
  std::string slave;
  std::string asked;
  std::string words;
  std::string type;
  std::string abcd;  // the same in all orders for types of one register
  std::string cdab;
  std::string badc;
  std::string dcba;
};
// A line for the plan.
struct PlanLineRow {
  std::string slave;
  std::string key;
  std::string value;
  std::string because;
  State verdict;  // "new", "as stated", "contradicts"
};

[[nodiscard]] Table probe_table(const std::vector<ProbeRow>& rows);
[[nodiscard]] Table readings_table(const std::vector<ReadingRow>& rows);
[[nodiscard]] Table plan_lines_table(const std::vector<PlanLineRow>& rows);

}  // namespace greymet::tables
