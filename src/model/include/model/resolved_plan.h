// The plan with every name and address looked up: what checks, timing and exports work on.
//
// A part of a transaction that could not be resolved is left out; the finding that says why has
// been reported, and rules skip what is missing.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/finding.h"
#include "model/function_code.h"
#include "model/memory_layout.h"
#include "model/plan.h"

namespace greymet::model {

// Who answers: a field slave, or a controller through one of its answers.
struct Target {
  bool is_peer = false;
  std::size_t index = 0;   // into Plan::slaves, or Plan::controllers
  std::size_t answer = 0;  // into Controller::answers, for a peer
  friend auto operator<=>(const Target&, const Target&) = default;
};

// A TCP connection: one per controller and host:port.
struct Connection {
  std::size_t controller = 0;
  std::string host;
  std::int64_t port = 0;
  std::string name;  // after the first slave or gateway of that host:port
  std::optional<std::size_t> gateway;
  Place place;
};

// Where the transaction travels. A line behind a gateway has both.
struct Channel {
  std::optional<std::size_t> line;        // into Plan::lines
  std::optional<std::size_t> connection;  // into ResolvedPlan::connections
  std::optional<std::size_t> gateway;     // into Plan::gateways
};

// Registers or bits [offset, offset + quantity) of the target. The end may lie past 65536: a rule
// says so.
struct DeviceBlock {
  Area area = Area::holding_register;
  std::uint32_t offset = 0;
  std::uint32_t quantity = 0;
  Notation notation = Notation::plain;
  std::int64_t written = 0;
  bool hex = false;
  Place at_place;
  Place count_place;

  [[nodiscard]] Extent extent() const { return {offset, offset + quantity}; }
};

// When a transaction runs.
enum class TriggerKind : std::uint8_t {
  cyclic,
  continuous,
  on_bit,
  on_change,
  on_start,
  on_return
};

// When a transaction runs, with its numbers.
struct Trigger {
  TriggerKind kind = TriggerKind::cyclic;
  Duration period{};  // cyclic: the period; on bit or change: the smallest gap
  Duration phase{};
  std::optional<MemoryRange> bit;
  Place place;
};

// Where the transaction reports: each a bit, the exception code a word.
struct Status {
  std::string_view kind;  // "busy", "done", "failed", "exception"
  MemoryRange range;
  Place place;
};

// One transaction, resolved. Indices are into the plan's vectors.
struct ResolvedTransaction {
  std::size_t declared = 0;
  std::optional<std::size_t> controller;
  std::optional<Target> target;
  std::optional<Channel> channel;
  std::optional<FunctionCode> function;
  std::optional<DeviceBlock> read;
  std::optional<DeviceBlock> write;
  std::optional<MemoryRange> into;
  std::optional<MemoryRange> from;
  std::optional<Trigger> trigger;
  std::vector<Status> status;
};

// A heartbeat with its controllers and its bit looked up.
struct ResolvedHeartbeat {
  std::size_t declared = 0;
  std::optional<std::size_t> from;
  std::optional<std::size_t> to;
  std::optional<MemoryRange> bit;
};

// A copy with its controller and ranges looked up.
struct ResolvedCopy {
  std::size_t declared = 0;
  std::optional<std::size_t> controller;
  std::optional<MemoryRange> from;
  std::optional<MemoryRange> to;
};

// One end of a path: bits of a controller's memory, or of an area of a slave (16 to a register).
struct PathEnd {
  bool at_controller = false;
  std::size_t owner = 0;               // into Plan::controllers or Plan::slaves
  Area area = Area::holding_register;  // at a slave
  BitRange bits;                       // at a slave `store` is 0
};

// A path with both its ends looked up.
struct ResolvedPath {
  std::size_t declared = 0;
  std::optional<PathEnd> from;
  std::optional<PathEnd> to;
};

// A want with its points looked up.
struct ResolvedWant {
  std::size_t declared = 0;
  std::optional<std::size_t> controller;
  std::optional<std::size_t> slave;
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
  std::vector<MemoryLayout> layouts;                     // per controller
  std::vector<std::optional<std::size_t>> line_master;   // per line: a controller
  std::vector<std::optional<std::size_t>> line_gateway;  // per line: a gateway
  std::vector<std::optional<std::size_t>> slave_line;    // per slave: a line
  std::vector<Connection> connections;
  std::vector<ResolvedTransaction> transactions;  // in list order
  std::vector<ResolvedHeartbeat> heartbeats;
  std::vector<ResolvedCopy> copies;
  std::vector<ResolvedPath> paths;
  std::vector<ResolvedWant> wants;

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

// "transaction moisture-in"
[[nodiscard]] std::string subject_of(const Transaction& transaction);

}  // namespace greymet::model
