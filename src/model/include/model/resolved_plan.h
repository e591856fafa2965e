// The plan with every name and address looked up: what checks work on. What will really happen,
// defaults applied, is its `exchange`.
//
// A part of a transaction that could not be resolved is left out; the finding that says why has
// been reported, and rules skip what is missing.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/exchange.h"
#include "model/finding.h"
#include "model/function_code.h"
#include "model/memory_layout.h"
#include "model/plan.h"
#include "model/value_flow.h"

namespace greymet::model {

// Where the transaction travels. A line behind a gateway has both.
struct Channel {
  std::optional<LineIndex> line;
  std::optional<ConnectionIndex> connection;
  std::optional<GatewayIndex> gateway;
};

// One transaction, resolved. Indices are into the plan's vectors.
struct ResolvedTransaction {
  std::size_t declared = 0;
  std::optional<ControllerIndex> controller;
  std::optional<Target> target;
  std::optional<Channel> channel;
  std::optional<FunctionCode> function;
  std::optional<DeviceBlock> read;
  std::optional<DeviceBlock> write;
  std::optional<MemoryRange> into;
  std::optional<MemoryRange> from;
  std::optional<Trigger> trigger;
  std::optional<MemoryRange> gate;  // `only_if`
  std::vector<Status> status;
};

// A heartbeat with its controllers and its bit looked up.
struct ResolvedHeartbeat {
  std::size_t declared = 0;
  std::optional<ControllerIndex> from;
  std::optional<ControllerIndex> to;
  std::optional<MemoryRange> bit;
  std::optional<MemoryRange> seen;  // at `to`
};

// A copy with its controller and ranges looked up.
struct ResolvedCopy {
  std::size_t declared = 0;
  std::optional<ControllerIndex> controller;
  std::optional<MemoryRange> from;
  std::optional<MemoryRange> to;
};

// A path with both its ends looked up.
struct ResolvedPath {
  std::size_t declared = 0;
  std::optional<ValuePlace> from;
  std::optional<ValuePlace> to;
};

// A want with its points looked up.
struct ResolvedWant {
  std::size_t declared = 0;
  std::optional<ControllerIndex> controller;
  std::optional<SlaveIndex> slave;
  std::vector<std::size_t> points;  // into the slave's map, in its order, each once
};

// A plan and everything that was looked up in it. Move-only: layouts point into `plan`.
struct ResolvedPlan {
  ResolvedPlan() = default;
  ResolvedPlan(ResolvedPlan&&) = default;
  ResolvedPlan& operator=(ResolvedPlan&&) = default;
  ResolvedPlan(const ResolvedPlan&) = delete;
  ResolvedPlan& operator=(const ResolvedPlan&) = delete;
  ~ResolvedPlan() = default;

  Plan plan;
  Indexed<MemoryLayout, ControllerIndex> layouts;
  Indexed<std::optional<ControllerIndex>, LineIndex> line_master;
  Indexed<std::optional<GatewayIndex>, LineIndex> line_gateway;
  Indexed<std::optional<LineIndex>, SlaveIndex> slave_line;
  // Per controller and answer: the line it answers on.
  Indexed<std::vector<std::optional<LineIndex>>, ControllerIndex> answer_lines;
  std::vector<ResolvedTransaction> transactions;  // in list order
  std::vector<ResolvedHeartbeat> heartbeats;
  std::vector<ResolvedCopy> copies;
  std::vector<ResolvedPath> paths;
  std::vector<ResolvedWant> wants;
  Exchange exchange;  // what will happen: defaults applied, whole transactions
  ValueFlow flow;     // what moves values from where to where

  [[nodiscard]] const Transaction& declared(const ResolvedTransaction& t) const {
    return plan.transactions[t.declared];
  }
  [[nodiscard]] const std::string& target_name(const Target& t) const {
    return t.is_peer ? plan.controllers[t.index].name : plan.slaves[t.index].name;
  }
  // The map of the target, or null: peers and slaves without a map have none.
  [[nodiscard]] const RegisterMap* map_of(const Target& t) const;
  [[nodiscard]] Numbering numbering_of(const Target& t) const;
};

// Looks up every name and address of the plan and reports P03, P04, P05, P06, P08 and M03 for what
// cannot be. Never fails: what can be resolved is.
[[nodiscard]] ResolvedPlan resolve(Plan plan, Findings& findings);

}  // namespace greymet::model
