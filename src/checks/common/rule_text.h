// Texts and small questions that several families of rules share.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include "model/boundaries.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "words.h"

namespace greymet::checks::internal {

using model::range_text;

// "140 registers", "1 coil"
[[nodiscard]] inline std::string amount_text(model::Area area, std::uint32_t count) {
  return fmt::format("{} {}{}", count, model::is_bit_area(area) ? "bit" : "register",
                     count == 1 ? "" : "s");
}

// How `at` of this block would be written for another offset, in the notation the user chose.
[[nodiscard]] inline std::string at_text(const model::DeviceBlock& block, std::uint32_t offset,
                                         model::Numbering numbering) {
  const model::Address address{block.area, {static_cast<std::uint16_t>(offset)}};
  return model::to_plan_text(address, block.notation, numbering);
}

// "at = 0, count = 100 and at = 100, count = 40"
[[nodiscard]] inline std::string split_text(const model::DeviceBlock& block,
                                            const std::vector<Extent>& parts,
                                            model::Numbering numbering) {
  constexpr std::size_t most_shown = 4;
  std::string text;
  for (std::size_t i = 0; i < parts.size() && i < most_shown; ++i) {
    if (i > 0) text += i + 1 == parts.size() ? " and " : ", then ";
    text += fmt::format("at = {}, count = {}", at_text(block, parts[i].first, numbering),
                        parts[i].end - parts[i].first);
  }
  if (parts.size() > most_shown) text += fmt::format(" and {} more", parts.size() - most_shown);
  return text;
}

// Where a block of words has to begin so that its long values lie at even words, for controllers
// that want that: 0 even, 1 odd; nothing where they do not, it has none, or no start suits them
// all.
[[nodiscard]] inline std::optional<std::int64_t> start_parity(const model::ResolvedPlan& plan,
                                                              const model::ResolvedTransaction& t,
                                                              bool is_read) {
  const auto& block = is_read ? t.read : t.write;
  if (!block || !t.controller || !t.target) return std::nullopt;
  const model::RegisterMap* map = plan.map_of(*t.target);
  if (map == nullptr || !plan.exchange.controllers[*t.controller].aligns32) return std::nullopt;
  std::optional<std::int64_t> parity;
  for (const model::Point* point : map->points_touching(block->area, block->extent())) {
    const model::Extent value = extent_of(*point);
    if (point->type.kind == model::TypeKind::text || value.end - value.first < 2) continue;
    if (value.first < block->offset || value.end > block->extent().end) continue;
    const std::int64_t needed = (value.first - block->offset) % 2;
    if (parity && *parity != needed) return std::nullopt;
    parity = needed;
  }
  return parity;
}

// Appends a finding; the fields in the order in which people read them.
inline void report(model::Findings& out, model::RuleCode rule, model::Severity severity,
                   model::Range place, model::Subject subject, std::string message,
                   std::string remedy, std::vector<model::Related> related = {}) {
  out.push_back({.rule = rule,
                 .severity = severity,
                 .place = place,
                 .subject = std::move(subject),
                 .message = std::move(message),
                 .remedy = std::move(remedy),
                 .related = std::move(related)});
}

}  // namespace greymet::checks::internal

namespace greymet::checks {
using internal::report;
}
