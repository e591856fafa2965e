#include "engine/value_script.h"

#include <algorithm>
#include <tuple>

#include "engine/agenda.h"

namespace greymet::engine {

bool ValueSpot::same_place(const ValueSpot& other) const {
  if (slave || other.slave) return slave == other.slave && point == other.point;
  const auto& a = memory;
  const auto& b = other.memory;
  return controller == other.controller && a && b && a->bits == b->bits;
}

bool is_stated_in(const std::vector<StatedValue>& rows, const StatedValue& row) {
  return std::any_of(rows.begin(), rows.end(), [&](const StatedValue& other) {
    return row.at.same_place(other.at) && row.from == other.from && row.written == other.written;
  });
}

void ValueScript::add(const std::vector<StatedValue>& rows, Duration now) {
  for (const StatedValue& row : rows) {
    waiting_.push_back({row, std::max(now, row.from.value_or(now)), order_++});
  }
  std::sort(waiting_.begin(), waiting_.end(), [](const Row& a, const Row& b) {
    return std::tuple(a.from, a.order) > std::tuple(b.from, b.order);
  });
}

std::vector<DueValue> ValueScript::due(Duration now) {
  begun_.clear();
  while (!waiting_.empty() && waiting_.back().from <= now) {
    begun_.push_back(std::move(waiting_.back()));
    waiting_.pop_back();
  }
  std::vector<Row> beginning;  // of those that move
  for (const Row& row : begun_) {
    const auto is_here = [&](const Row& other) { return other.value.at.same_place(row.value.at); };
    std::erase_if(moving_, is_here);
    std::erase_if(beginning, is_here);
    if (row.value.moves()) beginning.push_back(row);
  }
  const std::size_t old = moving_.size();
  moving_.insert(moving_.end(), beginning.begin(), beginning.end());
  std::vector<DueValue> out;
  for (const Row& row : begun_) out.push_back({&row.value, row.from, true});
  for (std::size_t i = 0; i < old; ++i) out.push_back({&moving_[i].value, moving_[i].from, false});
  return out;
}

Duration ValueScript::next() const {
  return waiting_.empty() ? never : waiting_.back().from;
}

}  // namespace greymet::engine
