#include "engine/planned_job.h"

#include <algorithm>
#include <span>

#include "modbus/planned_frames.h"
#include "modbus/value_codec.h"

namespace greymet::engine {

namespace {

// Values of several words that lie whole in the block, where both orders are known.
template <typename OrderOfPoint>
std::vector<Reordering> reorderings(const model::RegisterMap* map,
                                    const std::optional<model::DeviceBlock>& block,
                                    OrderOfPoint order_of_point,
                                    std::optional<model::WordOrder> to) {
  std::vector<Reordering> out;
  if (!map || !block || !to || model::is_bit_area(block->area)) return out;
  for (const model::Point* point : map->points_touching(block->area, block->extent())) {
    const model::Extent extent = model::extent_of(*point);
    const std::optional<model::WordOrder> from = order_of_point(*point);
    const bool whole = extent.first >= block->offset && extent.end <= block->extent().end;
    if (!whole || !from || extent.end - extent.first < 2) continue;
    out.push_back({extent.first - block->offset, extent.end - extent.first, *from, *to});
  }
  return out;
}

void reorder_all(const std::vector<Reordering>& order, std::vector<std::uint16_t>& words) {
  for (const Reordering& r : order) {
    modbus::reorder(std::span(words).subspan(r.first, r.count), r.from, r.to);
  }
}

}  // namespace

PlannedJob plan_job(const model::ResolvedPlan& plan, const ControllerMemory& memory,
                    const timing::Job& job) {
  const model::ExchangeTransaction& t = *plan.exchange.find(job.transaction);
  PlannedJob planned;
  planned.transaction = &t;
  planned.request = modbus::planned_request(t);
  if (t.into) planned.into = memory.sequence(*t.into);
  if (t.from) planned.from = memory.sequence(*t.from);
  if (t.gate) planned.gate = memory.sequence(*t.gate);
  const model::RegisterMap* map = plan.map_of(t.target);
  planned.read_order = reorderings(
      map, t.read, [&](const model::Point& point) { return plan.order_of(t.target.index, point); },
      t.read_swap);
  const auto& own = plan.plan.controllers[t.controller].word_order;
  planned.write_order = reorderings(
      map, t.write,
      [&](const model::Point&) {
        return own ? std::optional(own->value) : std::optional<model::WordOrder>();
      },
      t.write_swap);
  return planned;
}

modbus::Request request_now(const PlannedJob& job, const ControllerMemory& memory) {
  modbus::Request ask = job.request;
  const model::ExchangeTransaction& t = *job.transaction;
  if (!job.from || !t.write) return ask;
  if (model::is_bit_area(t.write->area)) {
    ask.bits = memory.bits(*job.from, ask.bits.size());
    return ask;
  }
  ask.registers = memory.registers(*job.from, ask.registers.size());
  reorder_all(job.write_order, ask.registers);
  return ask;
}

modbus::Reply in_order_of_controller(const PlannedJob& job, modbus::Reply reply) {
  reply.bits.resize(std::min<std::size_t>(reply.bits.size(), job.request.quantity));
  reorder_all(job.read_order, reply.registers);
  return reply;
}

void deliver(const PlannedJob& job, const modbus::Reply& reply, ControllerMemory& memory) {
  if (!job.into) return;
  if (reply.bits.empty()) {
    memory.put_registers(*job.into, reply.registers);
  } else {
    memory.put_bits(*job.into, reply.bits);
  }
}

void react_to_loss(const PlannedJob& job, ControllerMemory& memory) {
  const model::ExchangeTransaction& t = *job.transaction;
  if (t.on_loss != model::OnLoss::zero || !job.into || !t.read) return;
  const std::size_t count = t.read->quantity;
  if (model::is_bit_area(t.read->area)) {
    memory.put_bits(*job.into, std::vector<bool>(count, false));
  } else {
    memory.put_registers(*job.into, std::vector<std::uint16_t>(count, 0));
  }
}

void show_busy(const PlannedJob& job, ControllerMemory& memory) {
  for (const model::Status& status : job.transaction->status) {
    if (status.kind != model::StatusKind::busy) continue;
    memory.put_bits(memory.sequence(status.range), {true});
  }
}

void show_end(const PlannedJob& job, bool good, std::uint8_t exception, ControllerMemory& memory) {
  using model::StatusKind;
  for (const model::Status& status : job.transaction->status) {
    const BitSequence bits = memory.sequence(status.range);
    switch (status.kind) {
      case StatusKind::busy: memory.put_bits(bits, {false}); break;
      case StatusKind::done: memory.put_bits(bits, {good}); break;
      case StatusKind::failed: memory.put_bits(bits, {!good}); break;
      case StatusKind::exception: memory.put_registers(bits, {exception}); break;
    }
  }
}

}  // namespace greymet::engine
