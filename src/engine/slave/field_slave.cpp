#include <algorithm>
#include <cmath>
#include <set>

#include "engine/field.h"

namespace greymet::engine {

using modbus::RawValue;
using model::Area;
using model::DataType;
using model::Extent;
using model::Point;
using model::TypeKind;

namespace {

double clamped(double value, double low, double high) {
  return std::min(high, std::max(low, value));
}
RawValue unsigned_of(double value, double most) {
  return RawValue(static_cast<std::uint64_t>(std::llround(clamped(value, 0, most))));
}
RawValue signed_of(double value, double most) {
  return RawValue(static_cast<std::int64_t>(std::llround(clamped(value, -most - 1, most))));
}

}  // namespace

RawValue raw_from(const Point& point, double engineering) {
  const double raw = point.factor == 0 ? 0 : (engineering - point.offset) / point.factor;
  constexpr double most_exact = 9.0e15;  // whole numbers a double holds
  switch (point.type.kind) {
    case TypeKind::boolean: return RawValue(raw >= 0.5);
    case TypeKind::u16:
    case TypeKind::bits: return unsigned_of(raw, 65535);
    case TypeKind::i16: return signed_of(raw, 32767);
    case TypeKind::u32: return unsigned_of(raw, 4294967295.0);
    case TypeKind::i32: return signed_of(raw, 2147483647.0);
    case TypeKind::u64: return unsigned_of(raw, most_exact);
    case TypeKind::i64: return signed_of(raw, most_exact);
    case TypeKind::bcd16: return unsigned_of(raw, 9999);
    case TypeKind::bcd32: return unsigned_of(raw, 99999999);
    case TypeKind::f32:
    case TypeKind::f64: return RawValue(raw);
    case TypeKind::text: break;
  }
  return RawValue(std::string());
}

namespace {

// Registers, or coils, that requests of the plan write.
class SentPlaces {
 public:
  SentPlaces(const model::ResolvedPlan& plan, std::size_t slave) {
    for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
      if (t.target.is_peer || t.target.index != slave || !t.write) continue;
      const Extent sent = t.write->extent();
      for (std::uint32_t at = sent.first; at < sent.end; ++at) sent_.insert({t.write->area, at});
    }
  }
  [[nodiscard]] bool touch(const Point& point) const {
    const Extent own = extent_of(point);
    const auto at = sent_.lower_bound({point.address.area, own.first});
    return at != sent_.end() && at->first == point.address.area && at->second < own.end;
  }

 private:
  std::set<std::pair<Area, std::uint32_t>> sent_;
};

}  // namespace

FieldSlave::FieldSlave(const model::ResolvedPlan& plan, std::size_t slave, bool still)
    : plan_(plan),
      slave_(slave),
      map_(plan.map_of({false, slave, 0})),
      holes_(plan.exchange.slaves[slave].holes) {
  if (!map_) return;
  // of a map in which no access is stated, what the plan does not write is taken for read only
  const bool says_access =
      std::any_of(map_->points().begin(), map_->points().end(),
                  [](const Point& p) { return p.access != model::Access::read_write; });
  const SentPlaces sent(plan, slave);
  for (const Point& point : map_->points()) {
    const bool written =
        point.access != model::Access::read &&
        (point.address.area == Area::coil || point.address.area == Area::holding_register) &&
        (says_access || sent.touch(point));
    Moving moving;
    if (point.type.kind == TypeKind::text) {
      moving.constant = RawValue(point.name);
    } else {
      moving.generator = default_generator(point, !still && !written);
    }
    points_.push_back(std::move(moving));
  }
  restart();
}

void FieldSlave::restart() {
  for (auto& area : pages_) {
    for (auto& page : area) page.reset();
  }
  for (Moving& point : points_) point.held = false;
  for (std::size_t i = 0; i < points_.size(); ++i) store(points_[i].since, i);
}

bool FieldSlave::has(Area area, std::uint32_t offset, std::uint32_t count, bool to_write) const {
  if (!map_) return true;
  const Extent block{offset, offset + count};
  if (holes_ == model::Holes::refuse && !map_->holes_in(area, block).empty()) return false;
  if (!to_write) return true;
  const auto points = map_->points_touching(area, block);
  return std::none_of(points.begin(), points.end(),
                      [](const Point* point) { return point->access == model::Access::read; });
}

bool FieldSlave::takes(model::FunctionCode function, Area area, std::uint32_t offset,
                       std::uint32_t count) const {
  if (!map_) return true;
  const auto points = map_->points_touching(area, {offset, offset + count});
  return std::all_of(points.begin(), points.end(), [&](const Point* point) {
    const auto& by = point->write_functions;
    return by.empty() || std::find(by.begin(), by.end(), model::number_of(function)) != by.end();
  });
}

std::uint16_t FieldSlave::word(Area area, std::uint32_t offset) const {
  const auto& page = pages_[static_cast<std::size_t>(area)][offset / 256];
  return page ? (*page)[offset % 256] : std::uint16_t{0};
}

bool FieldSlave::bit(Area area, std::uint32_t offset) const {
  return word(area, offset) != 0;
}

void FieldSlave::put(Area area, std::uint32_t offset, std::uint16_t value) {
  auto& page = page_of(area, offset);
  if (!page) page = std::make_unique<Page>();
  (*page)[offset % 256] = value;
}

// What is written stays: its point does not move any more.
void FieldSlave::hold(Area area, std::uint32_t offset) {
  if (!map_) return;
  for (const Point* point : map_->points_touching(area, {offset, offset + 1})) {
    points_[static_cast<std::size_t>(point - map_->points().data())].held = true;
  }
}

void FieldSlave::set_word(std::uint32_t offset, std::uint16_t value) {
  force_word(Area::holding_register, offset, value);
}
void FieldSlave::set_bit(std::uint32_t offset, bool value) {
  force_word(Area::coil, offset, value ? 1 : 0);
}
void FieldSlave::force_word(Area area, std::uint32_t offset, std::uint16_t value) {
  hold(area, offset);
  put(area, offset, value);
}

const std::vector<std::size_t>& FieldSlave::points_in(Area area, Extent block) {
  constexpr std::size_t most_remembered = 1000;  // whoever asks, memory has an end
  if (blocks_.size() > most_remembered) blocks_.clear();
  const auto [at, is_new] = blocks_.try_emplace({area, block.first, block.end});
  if (is_new) {
    for (const Point* point : map_->points_touching(area, block)) {
      at->second.push_back(static_cast<std::size_t>(point - map_->points().data()));
    }
  }
  return at->second;
}

void FieldSlave::refresh(Duration now, Area area, Extent block) {
  if (!map_) return;
  for (const std::size_t index : points_in(area, block)) {
    const Moving& moving = points_[index];
    const bool still = !moving.generator || moving.generator->kind == GeneratorKind::constant;
    if (!moving.held && !still) store(now, index);
  }
}

void FieldSlave::set_generator(std::size_t point, const Generator& generator, Duration now) {
  points_[point] = {generator, std::nullopt, now, false};
  store(now, point);
}

void FieldSlave::set_value(std::size_t point, const RawValue& value, Duration now) {
  points_[point] = {std::nullopt, value, now, false};
  store(now, point);
}

void FieldSlave::store(Duration now, std::size_t index) {
  const Point& point = map_->points()[index];
  const Moving& moving = points_[index];
  RawValue raw = moving.constant ? *moving.constant
                                 : raw_from(point, moving.generator->value_at(now - moving.since));
  if (auto* text = std::get_if<std::string>(&raw))
    text->resize(std::min<std::size_t>(text->size(), point.type.characters));
  const Extent extent = model::extent_of(point);
  const Area area = point.address.area;
  if (model::is_bit_area(area)) {
    put(area, extent.first, std::get<bool>(raw) ? 1 : 0);
    return;
  }
  if (point.type.kind == TypeKind::boolean) {
    const auto mask = static_cast<std::uint16_t>(1U << point.bit.value_or(0));
    const std::uint16_t before = word(area, extent.first);
    put(area, extent.first,
        static_cast<std::uint16_t>(std::get<bool>(raw) ? before | mask : before & ~mask));
    return;
  }
  const auto order = plan_.order_of(slave_, point).value_or(model::WordOrder::abcd);
  const auto words = modbus::encode_value(raw, point.type, order);
  if (!words) return;
  for (std::uint32_t i = 0; i < words->size() && extent.first + i < extent.end; ++i) {
    put(area, extent.first + i, (*words)[i]);
  }
}

tl::expected<RawValue, std::string> FieldSlave::value(Duration now, std::size_t index) {
  const Point& point = map_->points()[index];
  const Extent extent = model::extent_of(point);
  refresh(now, point.address.area, extent);
  if (model::is_bit_area(point.address.area)) {
    return RawValue(bit(point.address.area, extent.first));
  }
  std::vector<std::uint16_t> words;
  for (std::uint32_t at = extent.first; at < extent.end; ++at) {
    words.push_back(word(point.address.area, at));
  }
  return modbus::decode_value(words, point.type,
                              plan_.order_of(slave_, point).value_or(model::WordOrder::abcd),
                              point.bit.value_or(0));
}

}  // namespace greymet::engine
