#include "model/memory_use.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/resolved_plan.h"

namespace greymet::model {
namespace {

bool is_transaction(MemoryPurpose purpose) {
  return purpose != MemoryPurpose::heartbeat && purpose != MemoryPurpose::copy_source &&
         purpose != MemoryPurpose::copy_target && purpose != MemoryPurpose::fingerprint;
}

class Collector {
 public:
  explicit Collector(const ResolvedPlan& plan) : plan_(plan), uses_(plan.plan.controllers.size()) {}

  Indexed<std::vector<MemoryUse>, ControllerIndex> collect() {
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) collect_transaction(i);
    for (std::size_t h = 0; h < plan_.heartbeats.size(); ++h) {
      const ResolvedHeartbeat& heartbeat = plan_.heartbeats[h];
      if (!heartbeat.from || !heartbeat.bit) continue;
      add(*heartbeat.from, heartbeat.bit->bits, MemoryPurpose::heartbeat, h,
          plan_.plan.heartbeats[heartbeat.declared].bit->place);
    }
    for (std::size_t i = 0; i < plan_.copies.size(); ++i) {
      const ResolvedCopy& copy = plan_.copies[i];
      if (!copy.controller) continue;
      const Copy& declared = plan_.plan.copies[copy.declared];
      if (copy.from) {
        add(*copy.controller, copy.from->bits, MemoryPurpose::copy_source, i, declared.from->place);
      }
      if (copy.to) {
        add(*copy.controller, copy.to->bits, MemoryPurpose::copy_target, i, declared.to->place);
      }
    }
    for (std::size_t c = 0; c < plan_.fingerprint_words.size(); ++c) {
      const ControllerIndex controller(c);
      const auto& word = plan_.fingerprint_words[controller];
      if (!word) continue;
      add(c, word->bits, MemoryPurpose::fingerprint, c,
          plan_.plan.controllers[controller].fingerprint->place);
    }
    return std::move(uses_);
  }

 private:
  void add(std::size_t controller, const BitRange& bits, MemoryPurpose purpose, std::size_t owner,
           Range place, std::optional<StatusKind> status_kind = {}) {
    const bool relays = is_transaction(purpose) && plan_.transactions[owner].relays;
    uses_[controller].push_back({bits, purpose, owner, status_kind, place, relays});
  }

  void collect_transaction(std::size_t index) {
    const ResolvedTransaction& t = plan_.transactions[index];
    if (!t.controller) return;
    const Transaction& declared = plan_.declared(t);
    const auto memory_place = [&](const auto& own, const auto& part) {
      if (own) return own->place;
      return part && part->memory ? part->memory->place : declared.place;
    };
    if (t.into) {
      add(*t.controller, t.into->bits, MemoryPurpose::read, index,
          memory_place(declared.into, declared.read));
    }
    if (t.from) {
      add(*t.controller, t.from->bits, MemoryPurpose::sent, index,
          memory_place(declared.from, declared.write));
    }
    collect_peer(index, t);
    for (const Status& status : t.status) {
      add(*t.controller, status.range.bits, MemoryPurpose::status, index, status.place,
          status.kind);
    }
    if (t.trigger && t.trigger->bit) {
      add(*t.controller, t.trigger->bit->bits, MemoryPurpose::trigger, index, t.trigger->place);
    }
    if (t.gate)
      add(*t.controller, t.gate->bits, MemoryPurpose::gate, index, declared.only_if->place);
  }

  void collect_peer(std::size_t index, const ResolvedTransaction& t) {
    if (!t.target || !t.target->is_peer) return;
    const MemoryLayout& layout = plan_.layouts[t.target->index];
    const auto expose = [&](const std::optional<DeviceBlock>& block, MemoryPurpose purpose) {
      if (!block) return;
      const auto memory = layout.serving(block->area, block->offset, block->quantity);
      if (memory) add(t.target->index, memory->bits, purpose, index, block->at_place);
    };
    expose(t.write, MemoryPurpose::written_by_peer);
    expose(t.read, MemoryPurpose::read_by_peer);
  }

  const ResolvedPlan& plan_;
  Indexed<std::vector<MemoryUse>, ControllerIndex> uses_;
};

// What the program sets to make a transaction run, or to let it.
bool is_command(MemoryPurpose purpose) {
  return purpose == MemoryPurpose::trigger || purpose == MemoryPurpose::gate;
}

}  // namespace

bool puts_something(MemoryPurpose purpose) {
  return purpose == MemoryPurpose::read || purpose == MemoryPurpose::written_by_peer ||
         purpose == MemoryPurpose::status || purpose == MemoryPurpose::copy_target ||
         purpose == MemoryPurpose::heartbeat || purpose == MemoryPurpose::fingerprint;
}

std::string_view to_string(MemoryPurpose purpose) {
  switch (purpose) {
    case MemoryPurpose::read: return "read";
    case MemoryPurpose::sent: return "write";
    case MemoryPurpose::status: return "status";
    case MemoryPurpose::heartbeat: return "heartbeat";
    case MemoryPurpose::trigger: return "trigger";
    case MemoryPurpose::gate: return "gate";
    case MemoryPurpose::copy_source: return "program copy from";
    case MemoryPurpose::copy_target: return "program copy to";
    case MemoryPurpose::written_by_peer: return "written by peer";
    case MemoryPurpose::read_by_peer: return "read by peer";
    case MemoryPurpose::fingerprint: return "fingerprint";
  }
  return {};
}

Indexed<std::vector<MemoryUse>, ControllerIndex> memory_uses(const ResolvedPlan& resolved) {
  return Collector(resolved).collect();
}

Subject owner_subject(const ResolvedPlan& resolved, const MemoryUse& use) {
  switch (use.purpose) {
    case MemoryPurpose::heartbeat:
      return subject_of(resolved.plan.heartbeats[resolved.heartbeats[use.owner].declared]);
    case MemoryPurpose::copy_source:
    case MemoryPurpose::copy_target:
      return {SubjectKind::copy, std::to_string(resolved.copies[use.owner].declared + 1)};
    case MemoryPurpose::fingerprint:
      return subject_of(resolved.plan.controllers[ControllerIndex(use.owner)]);
    default: return subject_of(resolved.declared(resolved.transactions[use.owner]));
  }
}

MemoryConflict conflict_of(const MemoryUse& a, const MemoryUse& b) {
  using enum MemoryPurpose;
  if (!overlap(a.bits, b.bits)) return MemoryConflict::none;
  const auto is = [&](MemoryPurpose x, MemoryPurpose y) {
    return (a.purpose == x && b.purpose == y) || (a.purpose == y && b.purpose == x);
  };
  // owners of heartbeats, copies and transactions are counted apart
  const bool same = a.purpose == b.purpose && a.owner == b.owner;
  if (a.purpose == fingerprint || b.purpose == fingerprint) {
    const MemoryPurpose other = a.purpose == fingerprint ? b.purpose : a.purpose;
    // it may be sent on, and is there to be fetched
    const bool only_takes = other == sent || other == copy_source || other == read_by_peer;
    return only_takes || same ? MemoryConflict::none : MemoryConflict::fingerprint_filled;
  }
  if (is(status, status)) return MemoryConflict::status_shared;
  if (is(status, copy_source) || is(status, read_by_peer)) return MemoryConflict::none;
  if (a.purpose == status || b.purpose == status) {
    return is_command(a.purpose) || is_command(b.purpose) ? MemoryConflict::command_from_status
                                                          : MemoryConflict::status_shared;
  }
  if (is_command(a.purpose) || is_command(b.purpose)) {
    const MemoryPurpose other = is_command(a.purpose) ? b.purpose : a.purpose;
    const bool arrives = other == read || other == copy_target;
    return arrives && !a.relays && !b.relays ? MemoryConflict::command_filled
                                             : MemoryConflict::none;
  }
  if (is(heartbeat, heartbeat)) {
    return same ? MemoryConflict::none : MemoryConflict::heartbeat_shared;
  }
  if (is(heartbeat, read) || is(heartbeat, written_by_peer) || is(heartbeat, copy_target)) {
    return MemoryConflict::heartbeat_overwritten;
  }
  if (is(read, read)) return same ? MemoryConflict::none : MemoryConflict::read_twice;
  if (is(read, sent)) {
    const bool relayed = a.purpose == sent ? a.relays : b.relays;
    return a.owner == b.owner || relayed ? MemoryConflict::none
                                         : MemoryConflict::source_overwritten;
  }
  if (is(read, written_by_peer)) return MemoryConflict::peer_fills;
  if (is(copy_target, read) || is(copy_target, written_by_peer) || is(copy_target, copy_target)) {
    return same ? MemoryConflict::none : MemoryConflict::copy_fills;
  }
  return MemoryConflict::none;
}

std::vector<std::vector<DeviceUse>> device_uses(const ResolvedPlan& resolved) {
  std::vector<std::vector<DeviceUse>> uses(resolved.plan.slaves.size());
  for (std::size_t i = 0; i < resolved.transactions.size(); ++i) {
    const ResolvedTransaction& t = resolved.transactions[i];
    if (!t.target || t.target->is_peer) continue;
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      if (!block) continue;
      uses[t.target->index].push_back({block->area, block->extent(), is_read, i});
    }
  }
  return uses;
}

}  // namespace greymet::model
