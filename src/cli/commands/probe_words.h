// What the parts of `probe` have in common. Not for use outside this folder.
#pragma once

#include <string>
#include <vector>

#include "engine/probe.h"
#include "live/hand.h"
#include "model/resolved_plan.h"
#include "probe_session.h"

namespace greymet::cli::internal {

// "hr:10..11"
[[nodiscard]] std::string block_text(const engine::ProbeBlock& block);
// The first eight words in hexadecimal, bits as 0 and 1.
[[nodiscard]] std::string words_text(const std::vector<std::uint16_t>& words, bool bits);
// The words, the exception, or why there was no answer.
[[nodiscard]] std::string answer_text(const engine::ProbeAnswer& answer,
                                      const engine::ProbeBlock& block);
// The block that everything begins with: the value, or the first that can be read.
[[nodiscard]] engine::ProbeBlock first_block(const model::ResolvedPlan& plan, std::size_t slave,
                                             const ProbeWanted& wanted);
// Without second tries.
[[nodiscard]] live::HandOptions once(live::HandOptions how);

}  // namespace greymet::cli::internal
