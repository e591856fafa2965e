#include "engine/put_value.h"

#include <algorithm>
#include <cmath>

#include "engine/field.h"
#include "engine/point_values.h"
#include "modbus/value_writing.h"

namespace greymet::engine {

modbus::RawValue raw_of(const StatedValue& value, const model::Point& point, Duration elapsed) {
  if (value.text) return modbus::RawValue(value.text->substr(0, point.type.characters));
  if (!value.moves()) {
    const modbus::ValueForm form{point.type, point.factor, point.offset, {}, {}};
    if (auto written = modbus::value_to_write(value.written, form, true)) return written->raw;
  }
  return raw_from(point, value.generator->value_at(elapsed));
}

namespace {

void put_in_memory(const StatedValue& value, Duration elapsed, ControllerMemory& memory) {
  const BitSequence at = memory.sequence(*value.at.memory);
  if (value.at.as) {
    const model::Point& as = *value.at.as;
    const auto words = modbus::encode_value(raw_of(value, as, elapsed), as.type,
                                            as.word_order.value_or(model::WordOrder::abcd));
    if (words) memory.put_registers(at, *words);
    return;
  }
  const double number = value.generator->value_at(elapsed);
  if (at.count == 1) {
    memory.put_bits(at, {number >= 0.5});
    return;
  }
  constexpr double least = -32768;
  constexpr double most = 65535;
  const auto word = std::llround(std::min(most, std::max(least, number)));
  memory.put_registers(at, {static_cast<std::uint16_t>(word)});
}

}  // namespace

void put_stated(const model::ResolvedPlan& plan, const StatedValue& value, Duration elapsed,
                const std::vector<ControllerMemory*>& memories) {
  if (value.at.memory) {
    put_in_memory(value, elapsed, *memories[value.at.controller]);
    return;
  }
  const std::size_t slave = *value.at.slave;
  const model::Point& point = plan.map_of({false, slave, 0})->points()[value.at.point];
  put_for_writes(plan, slave, value.at.point, raw_of(value, point, elapsed), memories);
}

}  // namespace greymet::engine
