#include "engine/stated_frames.h"

#include <fmt/format.h>

#include "engine/planned_job.h"
#include "engine/point_values.h"
#include "engine/put_value.h"

namespace greymet::engine {

using model::ExchangeTransaction;
using model::Extent;
using model::Point;

namespace {

bool is_in(const std::optional<model::DeviceBlock>& block, const Point& point) {
  if (!block || block->area != point.address.area) return false;
  const Extent extent = model::extent_of(point);
  return extent.first >= block->offset && extent.end <= block->extent().end;
}

// A value that is read, as its slave keeps it.
tl::expected<void, std::string> put_in_reply(const model::ResolvedPlan& plan,
                                             const ExchangeTransaction& t, const StatedValue& value,
                                             const Point& point, modbus::Reply& reply) {
  const modbus::RawValue raw = raw_of(value, point, {});
  const std::size_t first = model::extent_of(point).first - t.read->offset;
  if (model::is_bit_area(point.address.area)) {
    if (first < reply.bits.size()) reply.bits[first] = std::get<bool>(raw);
    return {};
  }
  if (point.type.kind == model::TypeKind::boolean) {
    const unsigned bit = std::get<bool>(raw) ? 1U << point.bit.value_or(0) : 0U;
    if (first < reply.registers.size()) {
      reply.registers[first] = static_cast<std::uint16_t>(reply.registers[first] | bit);
    }
    return {};
  }
  const auto order = plan.order_of(t.target.index, point);
  if (!order && model::is_multi_register(point.type)) {
    return tl::unexpected(
        fmt::format("nobody says in which order '{}' keeps its words", point.name));
  }
  const auto words = modbus::encode_value(raw, point.type, order.value_or(model::WordOrder::abcd));
  if (!words) return tl::unexpected(words.error());
  for (std::size_t i = 0; i < words->size() && first + i < reply.registers.size(); ++i) {
    reply.registers[first + i] = (*words)[i];
  }
  return {};
}

}  // namespace

tl::expected<modbus::PlannedFrames, std::string> stated_frames(
    const model::ResolvedPlan& plan, const ExchangeTransaction& t,
    const std::vector<StatedValue>& values) {
  auto planned = modbus::planned_frames(t);
  if (!planned || values.empty()) return planned;
  std::vector<ControllerMemory> memories;
  memories.reserve(plan.layouts.size());
  for (const model::MemoryLayout& layout : plan.layouts) memories.emplace_back(layout);
  std::vector<ControllerMemory*> all;
  all.reserve(memories.size());
  for (ControllerMemory& memory : memories) all.push_back(&memory);
  put_constants(plan, memories);
  timing::Job only;
  only.transaction = t.transaction;
  const PlannedJob job = plan_job(plan, memories[t.controller], only);
  modbus::Reply read;
  if (t.read) read = modbus::planned_reply(job.request);
  for (const StatedValue& value : values) {
    if (value.at.memory) {
      const bool sent = t.from && value.at.controller == t.controller &&
                        model::overlap(t.from->bits, value.at.memory->bits);
      if (!sent) {
        return tl::unexpected(fmt::format("{} sends nothing of {}", t.name, value.at.where));
      }
      put_stated(plan, value, {}, all);
      continue;
    }
    const Point& point = plan.map_of({false, *value.at.slave, 0})->points()[value.at.point];
    const bool ours = !t.target.is_peer && t.target.index == *value.at.slave;
    const bool is_read = ours && is_in(t.read, point);
    const bool is_sent = ours && is_in(t.write, point);
    if (!is_read && !is_sent) {
      return tl::unexpected(fmt::format("{} does not carry {}", t.name, value.at.where));
    }
    if (is_sent) put_stated(plan, value, {}, all);
    if (!is_read) continue;
    if (auto put = put_in_reply(plan, t, value, point, read); !put) {
      return tl::unexpected(put.error());
    }
  }
  const modbus::Request request = request_now(job, memories[t.controller]);
  return modbus::planned_frames(t, request, t.read ? read : modbus::planned_reply(request));
}

}  // namespace greymet::engine
