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
  std::optional<WordOrder> read_swap;   // the order of values in memory, whatever it was before
  std::optional<WordOrder> write_swap;  // the order in which they are sent
  bool relays = false;                  // passes on what was read, and means to
  std::vector<SentConstant> constants;
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

// What a tag's value comes from or goes to: a point of a slave, or a tag of another controller.
struct TagEnd {
  ValuePlace place;
  bool is_tag = false;
  std::size_t owner = 0;  // slave, or ResolvedPlan::tags
  std::size_t point = 0;  // into the slave's map
};

// A variable of a program with its memory and its other ends looked up.
struct ResolvedTag {
  ControllerIndex controller;
  std::size_t declared = 0;           // into the controller's table
  std::optional<MemoryRange> memory;  // nothing where its address could not be read
  std::optional<TagEnd> from;
  std::optional<TagEnd> to;
  bool by_name = false;  // the other end was found by the tag's name
};

// A plan and everything that was looked up in it. Move-only: layouts point into `plan`.
struct ResolvedPlan {
  ResolvedPlan() = default;
  ResolvedPlan(ResolvedPlan&&) = default;
  ResolvedPlan& operator=(ResolvedPlan&&) = default;
  ResolvedPlan(const ResolvedPlan&) = delete;
  ResolvedPlan& operator=(const ResolvedPlan&) = delete;
  ~ResolvedPlan() = default;

  // A copy, to be tried with another exchange. Its layouts speak of this one's controllers: it must
  // not outlive it.
  [[nodiscard]] ResolvedPlan copy_for_trials() const;

  Plan plan;
  Indexed<MemoryLayout, ControllerIndex> layouts;
  Indexed<std::optional<ControllerIndex>, LineIndex> line_master;
  Indexed<std::optional<GatewayIndex>, LineIndex> line_gateway;
  Indexed<std::optional<LineIndex>, SlaveIndex> slave_line;
  // Per controller and answer: the line it answers on.
  Indexed<std::vector<std::optional<LineIndex>>, ControllerIndex> answer_lines;
  // Per controller: where its program keeps the word that tells which exchange it was made of.
  Indexed<std::optional<MemoryRange>, ControllerIndex> fingerprint_words;
  // What stands there, see model/fingerprint_word.h; 0 until somebody who hashes has said so.
  std::uint16_t fingerprint_word = 0;
  std::vector<ResolvedTransaction> transactions;  // in list order
  std::vector<ResolvedHeartbeat> heartbeats;
  std::vector<ResolvedCopy> copies;
  std::vector<ResolvedPath> paths;
  std::vector<ResolvedWant> wants;
  std::vector<ResolvedTag> tags;  // controller by controller, in the order of their tables
  Exchange exchange;              // what will happen: defaults applied, whole transactions
  ValueFlow flow;                 // what moves values from where to where

  [[nodiscard]] const Transaction& declared(const ResolvedTransaction& t) const {
    return plan.transactions[t.declared];
  }
  // Names of rows, as everybody tells them: of a transaction, and "copy 2" of a copy.
  [[nodiscard]] const std::string& transaction_name(std::size_t transaction) const {
    return declared(transactions[transaction]).name;
  }
  [[nodiscard]] std::string copy_name(std::size_t copy) const {
    return "copy " + std::to_string(copies[copy].declared + 1);
  }
  [[nodiscard]] std::string move_name(MoveKind kind, std::size_t index) const {
    return kind == MoveKind::copy ? copy_name(index) : transaction_name(index);
  }
  [[nodiscard]] const std::string& target_name(const Target& t) const {
    return t.is_peer ? plan.controllers[t.index].name : plan.slaves[t.index].name;
  }
  [[nodiscard]] const Tag& declared(const ResolvedTag& t) const {
    return plan.controllers[t.controller].tags->tags[t.declared];
  }
  // "kiln.moisture"
  [[nodiscard]] std::string full_name(const ResolvedTag& t) const {
    return plan.controllers[t.controller].name + "." + declared(t).name;
  }
  [[nodiscard]] const Point& point_of(const TagEnd& end) const {
    return plan.maps[*plan.slaves[end.owner].map].points()[end.point];
  }
  // An address of a slave as its manual prints it: as its map writes the point there, else as it
  // writes the first one.
  [[nodiscard]] std::string manual_address(std::size_t slave, Address address) const;
  // The order of words in which a slave keeps a point, and in which a program takes a tag: their
  // own, else that of the slave or controller; nothing where neither says.
  [[nodiscard]] std::optional<WordOrder> order_of(std::size_t slave, const Point& point) const;
  [[nodiscard]] std::optional<WordOrder> order_of(const ResolvedTag& tag) const;
  // The map of the target, or null: peers and slaves without a map have none.
  [[nodiscard]] const RegisterMap* map_of(const Target& t) const;
  [[nodiscard]] Numbering numbering_of(const Target& t) const;
  // Where a controller that tells its fingerprint answers on TCP, and with which of its answers:
  // asked for it, whether or not anybody in the plan asks it anything.
  struct TellingPlace {
    std::string host;
    std::int64_t port = 0;
    Target target;
  };
  [[nodiscard]] std::vector<TellingPlace> telling_places() const;
};

// What findings call a tag.
[[nodiscard]] inline Subject subject_of(const ResolvedPlan& plan, const ResolvedTag& tag) {
  return {SubjectKind::tag, plan.full_name(tag)};
}

// Looks up every name and address of the plan and reports P03, P04, P05, P06, P08 and M03 for what
// cannot be. Never fails: what can be resolved is.
[[nodiscard]] ResolvedPlan resolve(Plan plan, Findings& findings);

}  // namespace greymet::model
