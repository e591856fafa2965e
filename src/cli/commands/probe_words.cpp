#include "probe_words.h"

#include <algorithm>

#include <fmt/format.h>

#include "modbus/pdu.h"

namespace greymet::cli::internal {

using engine::ProbeAnswer;
using engine::ProbeBlock;

std::string block_text(const ProbeBlock& block) {
  return block.count == 1 ? fmt::format("{}:{}", short_name(block.area), block.first)
                          : fmt::format("{}:{}..{}", short_name(block.area), block.first,
                                        block.first + block.count - 1);
}

std::string words_text(const std::vector<std::uint16_t>& words, bool bits) {
  constexpr std::size_t most = 8;
  std::string text;
  for (std::size_t i = 0; i < std::min(most, words.size()); ++i) {
    text += text.empty() ? "" : " ";
    text += bits ? fmt::format("{}", words[i]) : fmt::format("{:04X}", words[i]);
  }
  return words.size() > most ? fmt::format("{} ... ({})", text, words.size()) : text;
}

std::string answer_text(const ProbeAnswer& answer, const ProbeBlock& block) {
  if (answer.is_good()) return words_text(answer.words, is_bit_area(block.area));
  if (answer.outcome == engine::Outcome::exception) {
    return fmt::format("exception {:02X}, {}", answer.exception,
                       modbus::exception_name(answer.exception));
  }
  if (answer.outcome == engine::Outcome::unfinished) return "not asked";
  return std::string(to_string(answer.cause));
}

ProbeBlock first_block(const model::ResolvedPlan& plan, std::size_t slave,
                       const ProbeWanted& wanted) {
  if (wanted.value) {
    const live::HandBlock& block = wanted.value->block;
    return {block.area, block.first, block.count};
  }
  const model::RegisterMap* map = plan.map_of({false, slave, 0});
  if (map != nullptr) {
    for (const model::Point& point : map->points()) {
      if (point.access == model::Access::write) continue;
      const model::Extent extent = extent_of(point);
      return {point.address.area, extent.first, extent.end - extent.first};
    }
  }
  return {model::Area::holding_register, 0, 1};
}

live::HandOptions once(live::HandOptions how) {
  how.once = true;
  return how;
}

}  // namespace greymet::cli::internal
