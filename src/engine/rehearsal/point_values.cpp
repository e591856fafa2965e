#include "engine/point_values.h"

#include <algorithm>
#include <map>

#include "modbus/constant_words.h"

namespace greymet::engine {

using modbus::RawValue;
using model::Extent;
using model::Point;

PointValues::PointValues(const model::ResolvedPlan& plan,
                         const std::vector<std::size_t>& controllers)
    : plan_(plan), parts_(plan.transactions.size()) {
  const auto each_point = [&](const auto& use) {
    for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
      const model::RegisterMap* map = plan.map_of(t.target);
      const bool ours = controllers.empty() || std::find(controllers.begin(), controllers.end(),
                                                         t.controller) != controllers.end();
      if (map == nullptr || !t.read || !ours) continue;
      for (const Point* point : map->points_touching(t.read->area, t.read->extent())) {
        const Extent extent = model::extent_of(*point);
        if (extent.first < t.read->offset || extent.end > t.read->extent().end) continue;
        use(t, *point, extent, static_cast<std::size_t>(point - map->points().data()));
      }
    }
  };
  std::map<std::pair<std::size_t, std::size_t>, std::size_t> at;  // slave, point -> first reader
  each_point([&](const auto& t, const Point&, const Extent&, std::size_t index) {
    at.try_emplace({t.target.index, index}, t.transaction);
  });
  for (auto& [key, transaction] : at) {
    PointValue value;
    value.slave = key.first;
    value.point = key.second;
    value.transaction = transaction;
    transaction = values_.size();  // from here on where it stands in the list
    values_.push_back(std::move(value));
  }
  each_point([&](const auto& t, const Point& point, const Extent& extent, std::size_t index) {
    const bool several = extent.end - extent.first > 1;
    parts_[t.transaction].push_back(
        {at.at({t.target.index, index}), extent.first - t.read->offset, extent.end - extent.first,
         several && t.read_swap ? t.read_swap : plan.order_of(t.target.index, point)});
  });
}

void PointValues::add(const RequestRecord& record) {
  if (record.outcome != Outcome::good) return;
  for (const Part& part : parts_[record.transaction]) {
    if (part.first + part.count > record.words.size()) continue;
    PointValue& value = values_[part.value];
    const auto begin = record.words.begin() + static_cast<std::ptrdiff_t>(part.first);
    value.words.assign(begin, begin + static_cast<std::ptrdiff_t>(part.count));
    value.order = part.order;
    value.at = record.as_of;
  }
}

const PointValue* PointValues::find(std::size_t slave, std::size_t point) const {
  const auto at = std::find_if(values_.begin(), values_.end(), [&](const PointValue& value) {
    return value.slave == slave && value.point == point;
  });
  return at == values_.end() ? nullptr : &*at;
}

const Point& PointValues::point_of(const PointValue& value) const {
  return plan_.map_of({false, value.slave, 0})->points()[value.point];
}

std::optional<RawValue> PointValues::raw(const PointValue& value) const {
  if (value.words.empty()) return std::nullopt;
  const Point& point = point_of(value);
  if (model::is_bit_area(point.address.area)) return RawValue(value.words[0] != 0);
  const auto raw = modbus::decode_value(
      value.words, point.type, value.order.value_or(model::WordOrder::abcd), point.bit.value_or(0));
  if (!raw) return std::nullopt;
  return *raw;
}

std::optional<FoundValue> PointValues::found(const PointValue& value) const {
  const auto of = raw(value);
  return of ? std::optional(found_value(*of, point_of(value))) : std::nullopt;
}
std::optional<double> PointValues::number(const PointValue& value) const {
  const auto of = found(value);
  return of ? of->number : std::nullopt;
}
std::string PointValues::text(const PointValue& value) const {
  const auto of = found(value);
  return of ? of->text : std::string("-");
}

namespace {

bool carries(const model::ExchangeTransaction& t, std::size_t slave, const Point& point) {
  const Extent extent = model::extent_of(point);
  return !t.target.is_peer && t.target.index == slave && t.write && t.from &&
         t.write->area == point.address.area && extent.first >= t.write->offset &&
         extent.end <= t.write->extent().end;
}

}  // namespace

bool is_written(const model::ResolvedPlan& plan, std::size_t slave, std::size_t index) {
  const Point& point = plan.map_of({false, slave, 0})->points()[index];
  const auto& all = plan.exchange.transactions;
  return std::any_of(all.begin(), all.end(),
                     [&](const model::ExchangeTransaction& t) { return carries(t, slave, point); });
}

bool is_written_by(const model::ResolvedPlan& plan, std::size_t transaction, std::size_t slave,
                   std::size_t index) {
  const Point& point = plan.map_of({false, slave, 0})->points()[index];
  const model::ExchangeTransaction* t = plan.exchange.find(transaction);
  return t != nullptr && carries(*t, slave, point);
}

void put_for_writes(const model::ResolvedPlan& plan, std::size_t slave, std::size_t index,
                    const RawValue& raw, const std::vector<ControllerMemory*>& memories) {
  const Point& point = plan.map_of({false, slave, 0})->points()[index];
  const Extent extent = model::extent_of(point);
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (!carries(t, slave, point)) continue;
    ControllerMemory& memory = *memories[t.controller];
    const BitSequence bits = memory.sequence(*t.from);
    const std::uint64_t at = extent.first - t.write->offset;
    if (model::is_bit_area(t.write->area)) {
      memory.set_bit(bits.store, bits.position(at), std::get<bool>(raw));
      continue;
    }
    const BitSequence words{bits.store, bits.position(at * model::bits_per_word),
                            (extent.end - extent.first) * model::bits_per_word, bits.width};
    if (point.type.kind == model::TypeKind::boolean) {
      memory.set_bit(words.store, words.position(point.bit.value_or(0)), std::get<bool>(raw));
      continue;
    }
    const auto& own = plan.plan.controllers[t.controller].word_order;
    auto order = plan.order_of(slave, point).value_or(model::WordOrder::abcd);
    if (t.write_swap && own) order = own->value;
    const auto encoded = modbus::encode_value(raw, point.type, order);
    if (encoded) memory.put_registers(words, *encoded);
  }
}

void put_constants(const model::ResolvedPlan& plan, std::vector<ControllerMemory>& memories) {
  for (std::size_t c = 0; c < plan.fingerprint_words.size() && plan.fingerprint_word != 0; ++c) {
    const auto& word = plan.fingerprint_words[model::ControllerIndex(c)];
    if (word) memories[c].put_registers(memories[c].sequence(*word), {plan.fingerprint_word});
  }
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (!t.from || !t.write) continue;
    ControllerMemory& memory = memories[t.controller];
    const BitSequence bits = memory.sequence(*t.from);
    for (const model::SentConstant& constant : t.constants) {
      const auto words =
          modbus::constant_words(constant, model::order_in_memory(plan, t, constant));
      if (!words) continue;
      if (model::is_bit_area(t.write->area)) {
        memory.set_bit(bits.store, bits.position(constant.first), (*words)[0] != 0);
        continue;
      }
      const BitSequence at{bits.store, bits.position(constant.first * model::bits_per_word),
                           constant.count * model::bits_per_word, bits.width};
      if (constant.bit) {
        memory.set_bit(at.store, at.position(*constant.bit), (*words)[0] != 0);
      } else {
        memory.put_registers(at, *words);
      }
    }
  }
}

}  // namespace greymet::engine
