// The list of values from both ends: point, register, transaction, memory, tag.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/resolved_plan.h"
#include "model/tag_coverage.h"

namespace greymet::model {

// One value at one place of a controller. A value that copies or other controllers carry on has a
// row at each place.
struct PointRow {
  std::string where;    // "slave.point", or "controller.tag" of another controller
  bool is_read = true;  // it comes from there; else it goes there
  ControllerIndex controller;
  BitRange memory;
  std::optional<std::size_t> tag;          // into ResolvedPlan::tags: the one that lies there
  std::optional<std::size_t> transaction;  // that brings it there or sends it; none: a copy
  std::optional<std::size_t> copy;
  ValuePlace end;            // at the slave, or in the other controller
  std::optional<Area> area;  // of a slave
  std::optional<std::uint32_t> offset;
  TagType type;                        // at the other end
  std::optional<WordOrder> order;      // at the other end
  std::optional<WordOrder> in_memory;  // here
  std::optional<WordOrder> swap;       // of the transaction
  std::optional<double> factor;
  std::optional<double> offset_value;
  std::string unit;
  std::string names;                 // of its values: "0=off; 1=on"
  std::vector<std::string> used_by;  // who else uses the memory: transactions, heartbeats, copies
};

// Memory that a transaction fills or sends and in which no value and no tag is known.
struct SpareWords {
  ControllerIndex controller;
  std::size_t transaction = 0;
  BitRange bits;
};

// All values that are moved, and the words that are moved in vain.
struct PointList {
  std::vector<PointRow> rows;  // controller by controller, by address; none if there are too many
  std::vector<SpareWords> spare;  // of controllers with tags
  bool too_many = false;          // the plan moves more values than can be listed
};

// So many rows at most.
inline constexpr std::size_t most_listed_values = 75'000;

[[nodiscard]] PointList point_list(const ResolvedPlan& plan);

// Name of the transaction or copy that moves the row's value; empty where nobody does.
[[nodiscard]] std::string moved_by(const ResolvedPlan& plan, const PointRow& row);

// A table of tags as the plan would have it: every row of a controller, and the bits that its
// program must know. Names are identifiers, each once.
struct DraftedTag {
  std::string name;
  std::string address;
  TagType type;
  std::optional<WordOrder> word_order;
  std::optional<double> factor;
  std::optional<double> offset;
  std::string unit;
  std::string from;
  std::string to;
  std::string note;
};
[[nodiscard]] std::vector<DraftedTag> draft_tags(const ResolvedPlan& plan, const PointList& list,
                                                 ControllerIndex controller);

}  // namespace greymet::model
