// What a log can say of a place: the transactions that carry it, and where in their words it lies.
#include <algorithm>

#include <fmt/format.h>

#include "engine/controller_memory.h"
#include "files/log_reader.h"
#include "files/wire_tables.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"

namespace greymet::files {

using model::ExchangeTransaction;
using model::Extent;
using model::Point;

namespace {

void note_period(TrendPoint& point, const ExchangeTransaction& t) {
  if (t.trigger.kind != model::TriggerKind::cyclic) return;
  const double period = model::to_ms(t.trigger.period) / 1000;
  point.period_s = std::min(point.period_s.value_or(period), period);
}

void add_block(TrendPoint& out, const model::ResolvedPlan& plan, const ExchangeTransaction& t,
               const Point& point, bool is_write) {
  const auto& block = is_write ? t.write : t.read;
  // of both the log keeps what was read
  if (!block || (is_write && t.read) || block->area != point.address.area) return;
  const Extent extent = model::extent_of(point);
  if (extent.first < block->offset || extent.end > block->extent().end) return;
  TrendSource source;
  source.transaction = t.transaction;
  source.first = extent.first - block->offset;
  source.count = extent.end - extent.first;
  source.is_write = is_write;
  source.as = point;
  const bool swapped = !is_write && source.count > 1 && t.read_swap;
  source.order = (swapped ? t.read_swap : plan.order_of(t.target.index, point))
                     .value_or(model::WordOrder::abcd);
  out.sources.push_back(std::move(source));
  if (!is_write) note_period(out, t);
}

// Where a bit of memory stands in what is carried between it and a block.
std::optional<std::uint64_t> place_in(const engine::BitSequence& carried, std::uint64_t bit) {
  for (std::uint64_t k = 0; k < carried.count; ++k) {
    if (carried.position(k) == bit) return k;
  }
  return std::nullopt;
}

void add_memory(TrendPoint& out, const model::ResolvedPlan& plan, const ExchangeTransaction& t,
                const engine::ValueSpot& spot, bool is_write) {
  const auto& block = is_write ? t.write : t.read;
  const auto& range = is_write ? t.from : t.into;
  if (!block || !range || (is_write && t.read)) return;
  const model::MemoryLayout& layout = plan.layouts[spot.controller];
  const engine::BitSequence carried = engine::bits_of(layout, *range);
  const engine::BitSequence wanted = engine::bits_of(layout, *spot.memory);
  if (carried.store != wanted.store) return;
  const auto first = place_in(carried, wanted.first);
  const auto last = place_in(carried, wanted.position(wanted.count - 1));
  if (!first || !last || *last - *first + 1 != wanted.count) return;
  // the words of a write are those that were sent, which the master may have put in another order
  if (is_write && t.write_swap && wanted.count > model::bits_per_word) return;
  TrendSource source;
  source.transaction = t.transaction;
  source.is_write = is_write;
  if (spot.as) {
    source.as = *spot.as;
    source.order = spot.as->word_order.value_or(model::WordOrder::abcd);
  } else {
    source.as.type.kind = wanted.count == 1 ? model::TypeKind::boolean : model::TypeKind::u16;
  }
  source.as.address.area = block->area;
  if (model::is_bit_area(block->area)) {
    if (wanted.count != 1) return;
    source.first = *first;
  } else {
    source.first = *first / model::bits_per_word;
    source.count = (wanted.count + model::bits_per_word - 1) / model::bits_per_word;
    if (wanted.count == 1)
      source.as.bit = static_cast<std::uint32_t>(*first % model::bits_per_word);
    if (wanted.count > 1 && *first % model::bits_per_word != 0) return;
  }
  out.sources.push_back(std::move(source));
  if (!is_write) note_period(out, t);
}

// "slave.point", or what is wrong with it.
tl::expected<TrendPoint, std::string> slave_point(const model::ResolvedPlan& plan,
                                                  std::size_t slave, const std::string& name,
                                                  const std::string& where) {
  const model::RegisterMap* map = plan.map_of({false, slave, 0});
  const Point* point = map != nullptr ? map->find(name) : nullptr;
  if (point == nullptr) {
    std::vector<std::string_view> points;
    if (map != nullptr) {
      for (const Point& each : map->points()) points.emplace_back(each.name);
    }
    return tl::unexpected(fmt::format("slave {} has no point '{}'{}", plan.plan.slaves[slave].name,
                                      name.substr(0, 60), model::nearest_or_example(name, points)));
  }
  if (point->type.kind == model::TypeKind::text) {
    return tl::unexpected(fmt::format("{} is a text, and no line can be drawn of it", where));
  }
  TrendPoint out;
  out.where = where;
  out.unit = point->unit;
  out.is_bit = point->type.kind == model::TypeKind::boolean;
  for (const ExchangeTransaction& t : plan.exchange.transactions) {
    if (t.target.is_peer || t.target.index != slave) continue;
    add_block(out, plan, t, *point, false);
    add_block(out, plan, t, *point, true);
  }
  return out;
}

}  // namespace

tl::expected<TrendPoint, std::string> trend_point(const model::ResolvedPlan& plan,
                                                  const std::string& where) {
  const std::size_t dot = where.find('.');
  const std::string owner = where.substr(0, dot);
  std::vector<std::string_view> known;
  const auto& slaves = plan.plan.slaves;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    known.emplace_back(slaves[s].name);
    if (slaves[s].name != owner || dot == std::string::npos) continue;
    return slave_point(plan, s, where.substr(dot + 1), where);
  }
  for (const auto& controller : plan.plan.controllers) {
    known.emplace_back(controller.name);
    if (controller.name != owner || dot == std::string::npos) continue;
    const auto spot = read_spot(where, plan);
    if (!spot) return tl::unexpected(spot.error());
    if (spot->as && spot->as->type.kind == model::TypeKind::text) {
      return tl::unexpected(fmt::format("{} is a text, and no line can be drawn of it", where));
    }
    TrendPoint out;
    out.where = where;
    out.is_bit = engine::bits_of(plan.layouts[spot->controller], *spot->memory).count == 1;
    for (const ExchangeTransaction& t : plan.exchange.transactions) {
      if (t.controller != spot->controller) continue;
      add_memory(out, plan, t, *spot, false);
      add_memory(out, plan, t, *spot, true);
    }
    return out;
  }
  return tl::unexpected(fmt::format("'{}' names no point; write slave.point{}", where.substr(0, 60),
                                    model::nearest_or_example(owner, known)));
}

}  // namespace greymet::files
