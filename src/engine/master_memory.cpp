// The controller's memory: where blocks go and come from, what sets transactions off.
#include <algorithm>

#include "engine/master.h"
#include "modbus/planned_frames.h"

namespace greymet::engine {

using model::TriggerKind;

Master::Planned Master::plan_job(const timing::Job& job) const {
  const model::ExchangeTransaction& t = *plan_.exchange.find(job.transaction);
  Planned planned;
  planned.transaction = &t;
  planned.request = modbus::planned_request(t);
  if (t.into) planned.into = memory_.sequence(*t.into);
  if (t.from) planned.from = memory_.sequence(*t.from);
  if (t.gate) planned.gate = memory_.sequence(*t.gate);
  const model::RegisterMap* map = plan_.map_of(t.target);
  const auto reorderings = [&](const std::optional<model::DeviceBlock>& block, auto order_of_point,
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
  };
  planned.read_order = reorderings(
      t.read, [&](const model::Point& point) { return plan_.order_of(t.target.index, point); },
      t.read_swap);
  const auto& own = plan_.plan.controllers[t.controller].word_order;
  planned.write_order = reorderings(
      t.write,
      [&](const model::Point&) {
        return own ? std::optional(own->value) : std::optional<model::WordOrder>();
      },
      t.write_swap);
  return planned;
}

void Master::deliver_due(Duration now) {
  for (std::size_t i = 0; i < deliveries_.size();) {
    if (deliveries_[i].at > now) {
      ++i;
      continue;
    }
    const Delivery delivery = std::move(deliveries_[i]);
    deliveries_.erase(deliveries_.begin() + static_cast<std::ptrdiff_t>(i));
    deliver(link_of(delivery.link).jobs[delivery.job], delivery.reply);
  }
}

void Master::deliver(Planned& planned, const modbus::Reply& reply) {
  if (!planned.into) return;
  if (reply.bits.empty()) {
    memory_.put_registers(*planned.into, reply.registers);
  } else {
    memory_.put_bits(*planned.into, reply.bits);
  }
}

void Master::react_to_loss(Planned& planned) {
  const model::ExchangeTransaction& t = *planned.transaction;
  if (t.on_loss != model::OnLoss::zero || !planned.into || !t.read) return;
  const std::size_t count = t.read->quantity;
  if (model::is_bit_area(t.read->area)) {
    memory_.put_bits(*planned.into, std::vector<bool>(count, false));
  } else {
    memory_.put_registers(*planned.into, std::vector<std::uint16_t>(count, 0));
  }
}

void Master::look_for_triggers(Duration now) {
  if (options_.triggers_always || memory_.revision() == looked_at_revision_) return;
  looked_at_revision_ = memory_.revision();
  for (Link& link : links_) {
    for (std::size_t j = 0; j < link.jobs.size(); ++j) watch_triggers(link, j, now);
  }
}

void Master::watch_triggers(Link& link, std::size_t job, Duration now) {
  Planned& planned = link.jobs[job];
  const model::Trigger& trigger = planned.transaction->trigger;
  if (trigger.kind == TriggerKind::on_bit && trigger.bit) {
    const BitSequence bit = memory_.sequence(*trigger.bit);
    const bool set = memory_.bit(bit.store, bit.first);
    if (set && !planned.bit_was_set) link.agenda.trigger(job, now);
    planned.bit_was_set = set;
    return;
  }
  if (trigger.kind != TriggerKind::on_change || !planned.from) return;
  const std::size_t registers =
      (planned.from->count + model::bits_per_word - 1) / model::bits_per_word;
  auto words = memory_.registers(*planned.from, registers);
  const bool changed = planned.last_words && *planned.last_words != words;
  if (changed) link.agenda.trigger(job, now);
  planned.last_words = std::move(words);
}

}  // namespace greymet::engine
