// What the two halves of family V's rules about moving values share: names, subjects, and what
// cannot be judged. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "checks/rules.h"
#include "lost_blocks.h"
#include "model/memory_use.h"
#include "model/value_trace.h"
#include "shifted_blocks.h"
#include "swapped_blocks.h"
#include "tag_fit.h"

namespace greymet::checks::internal {

// Holds references: rule input and findings must outlive it.
class TagEnds {
 public:
  TagEnds(const RuleInput& in, model::Findings& out);

  // A transaction or copy that could not be read may be the one that would bring or send the value:
  // it has a finding of its own. What is brought or sent is judged all the same.
  [[nodiscard]] bool is_unsure(const model::ResolvedTag& tag, const model::TagEnd& end) const;
  // The point is one of a map that is not its slave's (R07).
  [[nodiscard]] bool has_wrong_map(const model::TagEnd& end) const;

  [[nodiscard]] std::string end_name(const model::TagEnd& end) const;
  [[nodiscard]] model::Range end_place(const model::TagEnd& end) const;
  [[nodiscard]] std::string memory_name(const model::ResolvedTag& tag) const;
  [[nodiscard]] std::string name_at(std::size_t controller, const model::BitRange& bits) const;
  [[nodiscard]] std::string step_name(const model::ValueMove& move) const;
  [[nodiscard]] model::Subject step_subject(const model::ValueMove& move) const;
  [[nodiscard]] model::Range step_place(const model::ValueMove& move) const;
  // The step that brought the value there, with the registers it has at the slave.
  [[nodiscard]] model::Concern step_concern(const std::vector<model::TracedPlace>& places,
                                            std::size_t at) const;

  model::Finding& add(model::RuleCode rule, model::Severity severity, const model::ResolvedTag& tag,
                      model::Range place, std::string message, std::string remedy = {},
                      std::vector<model::Related> related = {});
  // Findings of the steps and of the slave may say the same.
  void concern_steps(model::Finding& finding, const std::vector<model::TracedPlace>& places,
                     std::optional<std::size_t> at, const model::TagEnd& end) const;
  void concern_slave(model::Finding& finding, const model::TagEnd& end) const;
  // All transactions between the controller and the slave that touch the registers or nearly do,
  // where none in particular is at fault.
  void concern_all(model::Finding& finding, const model::TagEnd& end) const;

  // V04
  void check_scale(const model::ResolvedTag& tag, const model::TagEnd& end, const ValueEnd& value,
                   const ValueEnd& taken, const std::vector<model::TracedPlace>& places,
                   std::optional<std::size_t> at);
  // V01 or V03 of one tag alone: its value lies elsewhere.
  void report_elsewhere(const Shift& shift, const ShiftedBlocks& blocks);
  // The cure that swaps the words on the way; nothing for copies and for function 23.
  [[nodiscard]] std::optional<model::Fix> swap_fix(const model::ValueMove& move,
                                                   model::WordOrder order,
                                                   std::string_view when) const;

  // One tag alone whose words come in another order.
  void report_order(const OrderSlip& slip);

  // This finding says that the tag gets nothing where it lies. With `alone` it goes where another
  // tag is found that would pass the value on if it had it.
  void failed(std::size_t tag, std::size_t finding, bool alone);
  [[nodiscard]] std::size_t last_finding() const { return out_.size() - 1; }
  void drop_consequences(const std::vector<std::size_t>& explained);

  // Where a value gets to from there; the last ones asked for are kept. Valid until the next call.
  [[nodiscard]] const std::vector<model::TracedPlace>& trace(const model::ValuePlace& from,
                                                             std::optional<model::WordOrder> order);
  // Transactions that write to who answers for this end, into ResolvedPlan::transactions.
  [[nodiscard]] const std::vector<std::size_t>& writes_to(const model::TagEnd& end) const;

  [[nodiscard]] const std::vector<model::DeviceUse>& uses_of(std::size_t slave) const {
    return uses_[slave];
  }

 private:
  void find_unsure();
  [[nodiscard]] std::optional<model::Fix> copy_from_there(std::size_t copy,
                                                          const Shift& shift) const;
  void concern_paths(model::Finding& finding, const model::ResolvedTag& tag,
                     const model::TagEnd& end) const;
  [[nodiscard]] std::string name_of_first(const model::ResolvedTag& tag,
                                          model::BitRange bits) const;

  const RuleInput& in_;
  const model::ResolvedPlan& plan_;
  model::Findings& out_;
  std::vector<std::vector<model::DeviceUse>> uses_;
  std::vector<bool> unsure_slave_;
  std::vector<bool> unsure_controller_;
  bool unsure_ = false;
  struct Failure {
    std::size_t tag = 0;
    std::size_t finding = 0;
    bool alone = true;
  };
  std::vector<Failure> failures_;
  std::map<std::pair<model::ValuePlace, std::optional<model::WordOrder>>,
           std::vector<model::TracedPlace>>
      traces_;
  std::vector<std::vector<std::size_t>> writes_to_slave_;
  std::vector<std::vector<std::size_t>> writes_to_controller_;
};

// V01, V02 and V04 of one tag with `from`; what lies elsewhere is left to `blocks`,
// what comes in another order to `orders`. That something does not come is not said where the tag
// is unsure.
void check_arrival(TagEnds& ends, const model::ResolvedPlan& plan, std::size_t tag,
                   ShiftedBlocks& blocks, SwappedBlocks& orders, LostBlocks& lost);
// V03 and V04 of one tag with `to`; the same.
void check_sending(TagEnds& ends, const model::ResolvedPlan& plan, std::size_t tag,
                   ShiftedBlocks& blocks, SwappedBlocks& orders, LostBlocks& lost);

}  // namespace greymet::checks::internal
