// Family V, what moves: values that do not arrive where the program looks for them (V01) or as what
// it takes them for (V02, V04), and what it means to send (V03).
#include "checks/rules.h"
#include "model/resolved_plan.h"
#include "shifted_blocks.h"
#include "tag_ends.h"

namespace greymet::checks {

void check_tags(const RuleInput& in, model::Findings& out) {
  if (in.plan.tags.empty()) return;
  internal::TagEnds ends(in, out);
  internal::ShiftedBlocks blocks(in.plan);
  for (std::size_t i = 0; i < in.plan.tags.size(); ++i) {
    if (in.stop.stop_requested()) return;
    const model::ResolvedTag& tag = in.plan.tags[i];
    if (!tag.memory) continue;
    if (tag.from && !ends.is_unsure(tag, *tag.from)) check_arrival(ends, in.plan, i, blocks);
    if (tag.to && !ends.is_unsure(tag, *tag.to)) check_sending(ends, in.plan, i, blocks);
  }
  blocks.report(out);
  for (const internal::Shift& shift : blocks.lone()) ends.report_elsewhere(shift, blocks);
}

}  // namespace greymet::checks
