#include "cure_edits.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/toml_text.h"

#include "rule_text.h"

namespace greymet::checks::internal {

using model::Edit;
using model::EditKind;
using model::KeyText;

std::string toml_text(std::string_view text) {
  return model::toml_string(text);
}
std::string toml_text(model::Duration duration) {
  return fmt::format("\"{}\"", model::to_text(duration));
}

void cure_by_keys(model::Findings& out, std::string title, model::Range place,
                  std::vector<KeyText> keys, bool certain) {
  add_fix(out.back(),
          {std::move(title), {{place, {}, EditKind::set_keys, std::move(keys)}}, certain});
}

void make_question(model::Findings& out) {
  if (!out.back().fixes.empty()) out.back().fixes.back().is_question = true;
}

std::string FreshNames::next(const std::string& name) {
  if (taken_.empty()) {
    for (const model::Transaction& t : plan_.plan.transactions) taken_.insert(t.name);
  }
  for (std::size_t n = 2;; ++n) {
    std::string other = fmt::format("{}-{}", name, n);
    if (taken_.insert(other).second) return other;
  }
}

void cure_by_split(model::Findings& out, std::string title, const model::ResolvedPlan& plan,
                   FreshNames& names, std::size_t transaction, bool is_read,
                   const std::vector<Extent>& parts, bool certain) {
  const model::ResolvedTransaction& t = plan.transactions[transaction];
  const model::Transaction& declared = plan.declared(t);
  const auto& block = is_read ? t.read : t.write;
  const auto& memory = is_read ? t.into : t.from;
  const auto& written = is_read ? declared.into : declared.from;
  if (parts.empty() || !block || !t.controller || (declared.read || declared.write) ||
      declared.block.points) {
    return;
  }
  std::optional<std::int64_t> unit;  // of memory, for each register or bit
  if (memory && written && !memory->assigned) {
    const bool bits = model::is_bit_area(block->area);
    const bool bit_memory =
        plan.plan.controllers[*t.controller].memory[memory->area].kind == model::MemoryKind::bit;
    if (bits != bit_memory || memory->bit) return;
    unit = 1;
  } else if (!written) {
    return;
  }
  const model::Numbering numbering = plan.numbering_of(*t.target);
  std::vector<Edit> edits;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    std::vector<KeyText> keys;
    if (i > 0) keys.push_back({"name", toml_text(names.next(declared.name))});
    keys.push_back({"at", at_text(*block, parts[i].first, numbering)});
    keys.push_back({"count", fmt::format("{}", parts[i].end - parts[i].first)});
    if (unit) {
      const std::int64_t number = memory->number + *unit * (parts[i].first - block->offset);
      keys.push_back({is_read ? "into" : "from",
                      toml_text(plan.layouts[*t.controller].name_of(memory->area, number))});
    }
    edits.push_back(
        {block->at_place, {}, i == 0 ? EditKind::set_keys : EditKind::copy_row, std::move(keys)});
  }
  add_fix(out.back(), {std::move(title), std::move(edits), certain});
}

}  // namespace greymet::checks::internal
