// Family M: how data lies in memory (M07, M08).
#include <map>
#include <optional>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/free_memory.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using internal::start_parity;
using model::MemoryKind;
using model::MemoryRange;
using model::Packing;

namespace {

// M07. `packing` names the way the data goes: from the slave into memory, or from memory out.
void check_kinds(const model::ResolvedPlan& plan, const ResolvedTransaction& t,
                 const DeviceBlock& block, const MemoryRange& memory, bool is_read, Findings& out) {
  const model::Transaction& declared = plan.declared(t);
  const bool device_bits = is_bit_area(model::traits_of(*t.function).area);
  const bool memory_bits =
      plan.plan.controllers[*t.controller].memory[memory.area].kind == MemoryKind::bit ||
      memory.bit.has_value();
  std::optional<Packing> needed;
  if (device_bits != memory_bits) {
    const bool source_is_bits = is_read ? device_bits : memory_bits;
    needed = source_is_bits ? Packing::bits_to_words : Packing::words_to_bits;
  }
  const bool stated = declared.packing.has_value();
  if (stated == needed.has_value() && (!needed || declared.packing->value == *needed)) return;
  const auto& text = is_read ? declared.into : declared.from;
  const model::Range place =
      stated ? declared.packing->place : (text ? text->place : block.at_place);
  const std::string_view units = device_bits ? "bits" : "words";
  const std::string where = plan.layouts[*t.controller].name_of(memory);
  const std::string message =
      needed ? fmt::format("function {} moves {}, {} are {}: without `packing` nobody can tell how",
                           number_of(*t.function), units, where, memory_bits ? "bits" : "words")
             : fmt::format("packing = \"{}\", but both sides are {}",
                           to_string(declared.packing->value), units);
  report(out, RuleCode::M07, Severity::error, place, subject_of(declared), message,
         needed
             ? fmt::format("add packing = \"{}\" (16 to a word, the first bit least significant), "
                           "or name a {} area",
                           to_string(*needed), device_bits ? "bit" : "word")
             : std::string("leave `packing` out"));
}

// What is free in each controller, found out once it is asked for.
class Rooms {
 public:
  explicit Rooms(const model::ResolvedPlan& plan) : plan_(plan) {}
  const model::FreeMemory& of(model::ControllerIndex controller) {
    const auto known = rooms_.find(controller);
    if (known != rooms_.end()) return known->second;
    const auto uses = memory_uses(plan_);
    return rooms_
        .emplace(std::size_t(controller), model::FreeMemory(plan_, controller, uses[controller]))
        .first->second;
  }

 private:
  const model::ResolvedPlan& plan_;
  std::map<std::size_t, model::FreeMemory> rooms_;
};

// M08
void check_alignment(const model::ResolvedPlan& plan, const ResolvedTransaction& t,
                     const DeviceBlock& block, const MemoryRange& memory, bool is_read,
                     Rooms& rooms, Findings& out) {
  const model::Controller& controller = plan.plan.controllers[*t.controller];
  if (!plan.exchange.controllers[*t.controller].aligns32) return;
  const model::RegisterMap* map = plan.map_of(*t.target);
  if (map == nullptr || controller.memory[memory.area].kind != MemoryKind::word || memory.bit)
    return;
  const model::Transaction& declared = plan.declared(t);
  const auto& text = is_read ? declared.into : declared.from;
  const model::Point* first_odd = nullptr;
  std::int64_t first_number = 0;
  bool any_even = false;
  for (const model::Point* point : map->points_touching(block.area, block.extent())) {
    const model::Extent value = extent_of(*point);
    if (point->type.kind == model::TypeKind::text || value.end - value.first < 2) continue;
    if (value.first < block.offset || value.end > block.extent().end) continue;
    const std::int64_t number = memory.number + (value.first - block.offset);
    any_even = any_even || number % 2 == 0;
    if (number % 2 == 0 || first_odd != nullptr) continue;
    first_odd = point;
    first_number = number;
  }
  if (first_odd == nullptr) return;
  const model::MemoryLayout& layout = plan.layouts[*t.controller];
  // one word on, if that one is nobody's; else where there is room
  const model::FreeMemory& free = rooms.of(*t.controller);
  const auto behind = layout.range(memory.area, memory.number + memory.count, 1);
  const auto elsewhere = free.lowest(memory.area, memory.count, start_parity(plan, t, is_read));
  std::optional<std::string> moved;
  if (behind && free.is_free(behind->bits)) {
    moved = layout.name_of(memory.area, memory.number + 1);
  } else if (elsewhere) {
    moved = layout.name_of(elsewhere->area, elsewhere->number);
  }
  report(out, RuleCode::M08, Severity::error, text ? text->place : block.at_place,
         subject_of(declared),
         fmt::format("'{}' ({}) comes to lie at {}; {} wants 32-bit values at even words",
                     first_odd->name, to_text(first_odd->type),
                     layout.name_of(memory.area, first_number), controller.model->file),
         any_even ? std::string("no start suits all values of this block: read the odd ones with a "
                                "request of their own")
         : moved  ? fmt::format("write {} = \"{}\": all long values then lie at even words",
                               is_read ? "into" : "from", *moved)
                  : std::string("no range of this length is free; enlarge the area"));
  if (!any_even && moved && text) {
    internal::cure_by_keys(out, fmt::format("write {} = \"{}\"", is_read ? "into" : "from", *moved),
                           text->place, {{is_read ? "into" : "from", internal::toml_text(*moved)}},
                           false);
    internal::make_question(out);
  }
}

}  // namespace

void check_packing(const RuleInput& in, Findings& out) {
  Rooms rooms(in.plan);
  for (std::size_t i = 0; i < in.plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = in.plan.transactions[i];
    if (!t.controller || !t.function) continue;
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      const auto& memory = is_read ? t.into : t.from;
      if (!block || !memory || in.range_is_wrong[i].of(is_read) ||
          t.function == model::FunctionCode::mask_write_register) {
        continue;
      }
      check_kinds(in.plan, t, *block, *memory, is_read, out);
      check_alignment(in.plan, t, *block, *memory, is_read, rooms, out);
    }
  }
}

}  // namespace greymet::checks
