// What masters change at those who answer, in points and not in registers. One thread.
#pragma once

#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "engine/field.h"

namespace greymet::engine {

// A point, register, bit or word of a controller that a master has changed.
struct WrittenChange {
  Duration at{};
  std::string where;   // "dosing.setpoint", "dosing.hr:12", "kiln.%MW100"
  std::string before;  // as it is shown, in engineering units
  std::string after;
};

class WriteWatch {
 public:
  // Keeps a reference.
  explicit WriteWatch(const model::ResolvedPlan& plan) : plan_(plan) {}

  // What the field has noted since the last call: the changes, in the order of time. What was
  // written and stayed as it was is none.
  [[nodiscard]] std::vector<WrittenChange> take(Field& field);
  // All of the point has been written since the start.
  [[nodiscard]] bool was_written(std::size_t slave, std::size_t point) const;

 private:
  using Spot = std::tuple<model::Target, model::Area, std::uint32_t>;
  struct Undo;
  void add_changes(const std::vector<WrittenWord>& request, Undo& later,
                   std::vector<WrittenChange>& out) const;

  const model::ResolvedPlan& plan_;
  std::set<Spot> written_;
};

}  // namespace greymet::engine
