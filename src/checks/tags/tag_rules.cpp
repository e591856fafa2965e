// Family V, what moves: values that do not arrive where the program looks for them (V01) or as what
// it takes them for (V02, V04), and what it means to send (V03); requests that take another's place
// (V09).
#include <algorithm>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "shifted_blocks.h"
#include "swapped_blocks.h"
#include "tag_ends.h"

namespace greymet::checks {

using internal::OrderSlip;

namespace {

// The other tag says where it comes from: the way is judged at its end.
bool is_judged_there(const model::ResolvedPlan& plan, const ResolvedTag& tag) {
  if (!tag.to->is_tag) return false;
  return plan.tags[tag.to->owner].from.has_value();
}

// V02 or V03 of a block whose long values all come in another order.
void report_block_order(const internal::TagEnds& ends, const model::ResolvedPlan& plan,
                        const std::vector<OrderSlip>& slips, model::Findings& out) {
  const OrderSlip& first = slips.front();
  const model::Transaction& t = plan.declared(plan.transactions[first.by.index]);
  const ResolvedTag& tag = plan.tags[first.tag];
  const std::string& name = plan.declared(tag).name;
  internal::report(
      out, first.is_from ? model::RuleCode::V02 : model::RuleCode::V03, model::Severity::error,
      t.place, subject_of(t),
      first.is_from
          ? fmt::format("its long values arrive in order {}, and controller {} takes {} of them as "
                        "{}; the first is '{}'",
                        to_string(first.is), plan.plan.controllers[tag.controller].name,
                        slips.size(), to_string(first.wanted), name)
          : fmt::format("its long values are sent in order {}, and {} of them are expected as {}; "
                        "the first is '{}'",
                        to_string(first.is), slips.size(), to_string(first.wanted), name),
      {}, {{plan.declared(tag).place, "the first of the tags"}});
  model::Finding& finding = out.back();
  if (auto fix =
          ends.swap_fix(first.by, first.wanted, first.is_from ? "takes them over" : "sends them")) {
    add_fix(finding, std::move(*fix));
    finding.remedy += first.is_from
                          ? fmt::format("; else give the tags word_order {}", to_string(first.is))
                          : std::string("; else swap them in the program");
  } else {
    finding.remedy =
        "swap the words in the program, and give the tags the word_order they then have";
  }
  for (const OrderSlip& slip : slips) {
    for (const model::Concern& each : slip.concerns) add_concern(finding, each);
  }
}

}  // namespace

void check_tags(const RuleInput& in, model::Findings& out) {
  const model::ResolvedPlan& plan = in.plan;
  if (plan.tags.empty()) return;
  internal::TagEnds ends(in, out);
  internal::ShiftedBlocks blocks(plan);
  internal::SwappedBlocks orders;
  internal::LostBlocks lost(plan);
  for (std::size_t i = 0; i < plan.tags.size(); ++i) {
    if (in.stop.stop_requested()) return;
    const ResolvedTag& tag = plan.tags[i];
    if (!tag.memory) continue;
    if (tag.from && !ends.has_wrong_map(*tag.from)) {
      check_arrival(ends, plan, i, blocks, orders, lost);
    }
    if (tag.to && !ends.has_wrong_map(*tag.to) && !is_judged_there(plan, tag)) {
      check_sending(ends, plan, i, blocks, orders, lost);
    }
  }
  for (const auto& [tag, finding] : blocks.report(out)) ends.failed(tag, finding, false);
  lost.report(blocks, out);
  for (const internal::Shift& shift : blocks.lone()) ends.report_elsewhere(shift, blocks);
  for (const auto& slips : orders.blocks()) report_block_order(ends, plan, slips, out);
  for (const OrderSlip& slip : orders.lone()) ends.report_order(slip);
  ends.drop_consequences(blocks.explained());
}

}  // namespace greymet::checks
