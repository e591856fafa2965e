// Family F, numbers that look like references (F17).
#include <algorithm>
#include <map>
#include <vector>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

// What 40101 is as a reference: register 101 of the fourth area, from 0. Nothing for other numbers.
std::optional<std::uint32_t> offset_as_reference(const DeviceBlock& block) {
  constexpr std::int64_t per_area = 10'000;
  constexpr std::int64_t highest = 9'999;
  const std::int64_t number = block.written % per_area;
  if (number < 1 || number > highest) return std::nullopt;
  const std::int64_t area = block.written / per_area;
  const bool same = (area == 4 && block.area == Area::holding_register) ||
                    (area == 3 && block.area == Area::input_register) ||
                    (area == 1 && block.area == Area::discrete_input);
  return same ? std::optional(static_cast<std::uint32_t>(number - 1)) : std::nullopt;
}

struct Blocks {
  std::size_t references = 0;  // written as such
  std::size_t small = 0;       // plain numbers that are none
  struct Number {
    std::size_t transaction = 0;
    bool is_read = true;
    const DeviceBlock* block = nullptr;
    std::uint32_t meant = 0;
  };
  std::vector<Number> numbers;
};

// The map lists what the number says, and not what it would be as a reference.
bool is_listed(const RegisterMap* map, const Blocks::Number& n) {
  return map != nullptr && !map->points_touching(n.block->area, n.block->extent()).empty();
}

}  // namespace

void check_references(const RuleInput& in, Findings& out) {
  const ResolvedPlan& plan = in.plan;
  std::map<std::size_t, Blocks> by_slave;
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan.transactions[i];
    if (!t.target || t.target->is_peer ||
        plan.numbering_of(*t.target) == model::Numbering::reference) {
      continue;
    }
    Blocks& blocks = by_slave[t.target->index];
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      if (!block) continue;
      if (block->notation == model::Notation::reference) ++blocks.references;
      if (block->notation != model::Notation::plain || block->hex) continue;
      const auto meant = offset_as_reference(*block);
      if (meant) {
        blocks.numbers.push_back({i, is_read, &*block, *meant});
      } else {
        ++blocks.small;
      }
    }
  }
  for (const auto& [s, blocks] : by_slave) {
    const RegisterMap* map = plan.map_of({false, s, 0});
    const model::Slave& slave = plan.plan.slaves[s];
    for (const Blocks::Number& n : blocks.numbers) {
      if (is_listed(map, n)) continue;
      const model::Transaction& declared = plan.declared(plan.transactions[n.transaction]);
      const bool fits = map != nullptr && map->point_starts_at(n.block->area, n.meant);
      // beside others that are written otherwise, or where nobody said how this slave counts
      const bool stands_out = blocks.references > 0 || blocks.small > 0 || fits;
      const bool is_stated = slave.numbering.has_value();
      report(out, RuleCode::F17, stands_out || !is_stated ? Severity::warning : Severity::note,
             n.block->at_place, subject_of(declared),
             fmt::format("{} without quotes is offset {}; the reference \"{}\" is {}{}",
                         n.block->written, n.block->offset, n.block->written,
                         range_text(n.block->area, {n.meant, n.meant + 1}),
                         blocks.references > 0
                             ? fmt::format(", and other requests to {} are written so", slave.name)
                             : std::string()),
             {});
      out.back().part = {n.is_read, n.block->extent()};
      if (declared.read || declared.write) {
        out.back().remedy = "quote it if it is a reference";
        continue;
      }
      const std::string quoted = internal::toml_text(std::to_string(n.block->written));
      internal::cure_by_keys(out, fmt::format("write at = {}", quoted), declared.place,
                             {{"at", quoted}}, false);
      out.back().fixes.back().is_question = blocks.references == 0 && !fits;
    }
  }
}

}  // namespace greymet::checks
